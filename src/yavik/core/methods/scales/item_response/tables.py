"""Tables, facts and the card of a test's items; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import CardTerm, Estimate, FitLine, ModelCard
from yavik.core.answers.wording import SUPERSCRIPT, counted, number, share
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.kept import fingerprint
from yavik.core.methods.kit.loadings import item_cells
from yavik.core.methods.scales.item_response.compute import GRID, Response, better_by, two_sided
from yavik.core.methods.scales.item_response.spec import NAMES

HELD = "the likelihood has no top here: it was held at the edge"
PARTS = {
    "one_parameter": (("difficulty", "difficulties"),),
    "two_parameter": (("difficulty", "difficulties"), ("discrimination", "discriminations")),
    "three_parameter": (("difficulty", "difficulties"), ("discrimination", "discriminations"), ("floor", "floors")),
    "graded": (("threshold", "thresholds"), ("discrimination", "discriminations")),
}
"""What a model is made of: each lies within the next."""
PICK = "Draw its curve, or take it away"


def _estimate(r: Response, value: float, se: float, title: str, key: str, decimals: int = 2) -> q.Row:
    """An estimate with its standard error and interval, under keys of its own."""
    reach = r.reach * se
    made = {key: q.num(value, decimals, title, why=HELD), f"{key}_se": q.num(se, decimals, "SE", why=HELD)}
    return made | q.ci(value - reach, value + reach, decimals, r.spec.alpha, why=HELD, key=key)


def estimates(r: Response) -> TableBlock:
    """What each item is like; a click draws its curve."""
    if r.spec.grouped == "by_parameter":
        return _by_parameter(r)
    rows = []
    for j in r.order:
        cells = item_cells(r.scored.columns[j])
        b, se = r.difficulty(j), r.difficulty_se(j)
        if r.graded:
            most = int(r.scored.levels.max()) - 1
            for i in range(most):
                there = i < len(b)
                cells[f"threshold_{i + 1}"] = (
                    q.num(float(b[i]), 2, f"To {i + 2}", why=HELD)
                    if there
                    else q.gone("the item has fewer answers", f"To {i + 2}")
                )
                cells[f"threshold_{i + 1}_se"] = (
                    q.num(float(se[i]), 2, None, why=HELD) if there else q.gone("the item has fewer answers", None)
                )
        else:
            cells |= _estimate(r, float(b[0]), float(se[0]), "Difficulty", "difficulty")
        a, a_se = float(r.fitted.discrimination[j]), float(r.discrimination_se[j])
        cells |= _estimate(r, a, a_se, "Discrimination", "discrimination")
        z = a / a_se if a_se > 0 else np.nan
        cells |= {"z": q.stat(z, "z", HELD), "p": q.p(two_sided(z), why=HELD)}
        if r.floor:
            cells |= _floor_cells(r, j)
        rows.append(cells | {"column": q.word(r.scored.names[j], None)})
    made = q.table("estimates", "The items", rows, note=_note(r), strong=[])
    return touch.pick(made, "shown", "column", PICK)


def _floor_cells(r: Response, j: int) -> q.Row:
    assert r.floor is not None
    value, low, high = (float(v[j]) for v in r.floor)
    return {"floor": q.size(value, "Floor")} | q.ends(low, high, share, "CI of floor", HELD, "floor")


def _note(r: Response) -> str:
    if r.graded:
        note = "To 2, to 3 …: the ability at which that answer or a higher one is as likely as not; their standard"
        note += " errors are"
        note += " in the table grouped by parameter."
    else:
        note = "Difficulty: the ability at which the item is answered right half the time"
        note += ", halfway up from its floor." if r.fitted.model == "three_parameter" else "."
    note += " Discrimination: how steeply the curve rises there, on the logistic scale. z and p: discrimination"
    note += " against 0."
    if r.fitted.model == "one_parameter":
        note += " One discrimination is estimated for all items."
    return note + " Click an item to draw its curve."


def _by_parameter(r: Response) -> TableBlock:
    """The same, a row for each parameter."""
    rows = []

    def line(kind: str, j: int, value: float, se: float) -> None:
        """One estimate."""
        z = value / se if se > 0 else np.nan
        reach = r.reach * se
        cells = item_cells(r.scored.columns[j])
        rows.append(
            {"parameter": q.said(kind, "Parameter")} | cells
            | {"estimate": q.num(value, 3, "Estimate", why=HELD), "se": q.num(se, 3, "SE", why=HELD)}
            | {"z": q.stat(z, "z", HELD), "p": q.p(two_sided(z), why=HELD)}
            | q.ci(value - reach, value + reach, 3, r.spec.alpha, why=HELD)
            | {"column": q.word(r.scored.names[j], None)}
        )  # fmt: skip

    for j in r.order:
        for i, (b, se) in enumerate(zip(r.difficulty(j), r.difficulty_se(j), strict=True)):
            line(f"threshold to {r.scored.words[j][i + 1]}" if r.graded else "difficulty", j, float(b), float(se))
    for j in r.order:
        line("discrimination", j, float(r.fitted.discrimination[j]), float(r.discrimination_se[j]))
    if r.floor:
        for j in r.order:
            line("floor", j, float(r.floor[0][j]), float(r.floor_se[j]))
    note = _note(r).replace(" their standard errors are in the table grouped by parameter.", "")
    made = q.table("estimates", "The items, grouped by parameter", rows, note=note, strong=[])
    return touch.pick(made, "shown", "column", PICK)


def models(r: Response) -> TableBlock | None:
    """The models of right and wrong beside one another; a click takes one."""
    found = r.others or {r.fitted.model: r.fitted}
    rows, before = [], None
    ordered = list(found)
    bic, aic = ({m: getattr(f, name) for m, f in found.items()} for name in ("bic", "aic"))
    for m, f in found.items():
        cells = q.row(
            model=q.name(NAMES[m].capitalize(), "Model"), id=q.word(m, None),
            parameters=q.count(f.parameters, "Parameters"),
            log_likelihood=q.num(f.log_likelihood, 2, "Log-likelihood"),
            aic=_best(aic[m], aic, "AIC"), bic=_best(bic[m], bic, "BIC"),
        )  # fmt: skip
        rows.append(cells | _against(before, f) if len(found) > 1 else cells)
        before = f
    note = "BIC counts people. Lowest of AIC and of BIC in bold."
    if len(found) > 1:
        note += " χ²: against the model with fewer parameters above it; for a floor, which lies at the edge of what"
        note += " is possible, no p is given."
    made = q.table(
        "models", "Models of these answers", rows, note=note, marked=[ordered.index(r.fitted.model)], strong=[]
    )
    return touch.choose(made, "model", "id", "Take this model") if len(found) > 1 else made


def _best(value: float, all_: dict[str, Any], title: str) -> q.Quantity:
    made = q.num(value, 2, title)
    return made.bold if len(all_) > 1 and value == min(all_.values()) else made


def _against(before: Any, f: Any) -> q.Row:
    why = "the first model" if before is None else "a floor lies at the edge of what is possible"
    if before is None:
        return q.row(chi2=q.gone(why, "χ²", "statistic"), df=q.gone(why, "df", "df"), p=q.gone(why, "p", "p"))
    chi2, df, p = better_by(before, f)
    return q.row(chi2=q.stat(chi2, "χ²"), df=q.df(df), p=q.p(p, why=why))


def how_it_fits(r: Response) -> TableBlock:
    """S-χ² of each item, and the item it hangs together with most."""
    rows = []
    gone = "fewer than 50 people answered every item" if r.k > 2 else "two items leave nothing to test"
    for j in r.order:
        fit = r.item_fit[j] if r.item_fit else None
        q3 = r.pairs[j]
        most = int(np.nanargmax(np.abs(q3))) if np.isfinite(q3).any() else None
        rows.append(
            item_cells(r.scored.columns[j])
            | q.row(
                chi2=q.stat(fit.chi2 if fit else np.nan, "S-χ²", gone),
                df=q.df(fit.df if fit and fit.df > 0 else np.nan, why=gone if not fit else "no cells are left"),
                p=q.p(fit.p if fit else np.nan, why=gone if not fit else "no cells are left to test"),
                q3=q.size(float(q3[most]) if most is not None else np.nan, "Largest Q3"),
                other=q.word(r.scored.names[most], "with") if most is not None else q.gone(gone, "with"),
            )
        )  # fmt: skip
    note = "S-χ²: answers of people with the same sum score, seen and expected; a small p says that the curve is"
    note += " wrong. p are not adjusted."
    note += " Q3: correlation of what is left of two items’ answers beside ability."
    return q.table("fit", "Items that fit, and that hang together", rows, note=note)


def read_off(r: Response) -> TableBlock:
    """An ability and its expected score, and back."""

    def line(what: str, theta: float, total: float) -> q.Row:
        """A reading, with how sure it is."""
        info = r.information_at(theta) if np.isfinite(theta) else np.nan
        why = "no ability between −6 and 6 has this expected score"
        return q.row(
            read=q.name(what, "Read off"), ability=q.num(theta, 2, "Ability", why=why),
            score=q.num(total, 2, f"Expected score of {r.most}"), information=q.num(info, 2, "Information", why=why),
            se=q.num(1 / np.sqrt(info) if info > 1e-9 else np.nan, 2, "SE of an ability", why=why),
        )  # fmt: skip

    rows = [line("at this ability", r.spec.ability, float(r.score_at(r.spec.ability)[0]))]
    if r.spec.score is not None:
        rows.append(line("at this score", r.ability_at(r.spec.score), r.spec.score))
    return q.table(
        "read_off",
        "Read off",
        rows,
        note="Move the lines on the picture of expected scores. Information without what is known of people’s spread.",
    )


def at_abilities(r: Response) -> TableBlock | None:
    """The curves in numbers at the abilities asked for."""
    if not r.spec.theta:
        return None
    chance = r.chances(r.spec.theta)
    rows = []
    for j in r.order:
        for k in range(1 if not r.graded else 0, int(r.scored.levels[j])):
            cells = item_cells(r.scored.columns[j])
            if r.graded:
                cells["answer"] = q.said(r.scored.words[j][k], "Answer")
            cells |= {
                f"theta_{i + 1}": q.fine(float(chance[j, k, i]), f"{t:g}".replace("-", "−"))
                for i, t in enumerate(r.spec.theta)
            }
            rows.append(cells)
    total = q.row(item=q.name("Expected score", "Item"), name=q.blank(None))
    if r.graded:
        total["answer"] = q.blank("Answer")
    scores = r.score_at(r.spec.theta)
    total |= {f"theta_{i + 1}": q.num(float(v), 2, None) for i, v in enumerate(scores)}
    what = "Chance of each answer" if r.graded else "Chance of a right answer"
    return q.table("curves", f"{what} at these abilities", [*rows, total])


def _small(step: float) -> str:
    """'0.0312', or 'about 10⁻⁹'."""
    if step >= 5e-5 or step <= 0:
        return number(step, 4)
    return f"about 10{str(int(np.floor(np.log10(step)))).translate(SUPERSCRIPT)}"


def iterations(r: Response) -> TableBlock:
    """The work, round by round."""
    rows = [
        q.row(
            round=q.count(i + 1, "Round"), log_likelihood=q.num(value, 6, "Log-likelihood"),
            step=q.texted(step, _small(step), "Largest step"),
        )
        for i, (value, step) in enumerate(r.fitted.trace)
    ]  # fmt: skip
    return q.table("iterations", "Rounds of the estimation", rows, folded=True)


def people(r: Response) -> TableBlock:
    """Abilities of the people who answered."""
    mean, sd = r.ability
    low, high = r.extremes
    rows = [
        q.row(term=q.name("People with any answer", "People"), value=q.count(r.n, "Value")),
        q.row(term=q.name("Highest answer to every item", "People"), value=q.count(high, "Value")),
        q.row(term=q.name("Lowest answer to every item", "People"), value=q.count(low, "Value")),
        q.row(term=q.name("SD of their abilities", "People"), value=q.num(float(mean.std(ddof=1)), 2, "Value")),
        q.row(term=q.name("Mean standard error", "People"), value=q.num(float(sd.mean()), 2, "Value")),
        q.row(term=q.name("Reliability of the abilities", "People"), value=q.size(r.reliability, "Value")),
    ]
    note = "Ability: mean of what a person’s answers say, where people are spread normally with mean 0 and SD 1."
    note += " Reliability: 1 − mean squared standard error."
    return q.table("people", "The people", rows, note=note)


def facts(r: Response) -> dict[str, Any]:
    """Numbers by name."""
    f = r.fitted
    out: dict[str, Any] = {
        "n": r.n, "items": r.k, "log_likelihood": f.log_likelihood, "parameters": f.parameters, "rounds": f.rounds,
        "aic": f.aic, "bic": f.bic,
        "reliability": r.reliability, "model": f.model, "all_right": r.extremes[1], "none_right": r.extremes[0],
        "score": r.score_at(r.spec.ability)[0],
    }  # fmt: skip
    for m, other in r.others.items():
        out[f"{m}.bic"] = other.bic
        out[f"{m}.log_likelihood"] = other.log_likelihood
    for j, name in enumerate(r.scored.names):
        out |= {f"{name}.discrimination": f.discrimination[j], f"{name}.discrimination.se": r.discrimination_se[j]}
        b, se = r.difficulty(j), r.difficulty_se(j)
        if r.graded:
            for i in range(len(b)):
                out |= {f"{name}.threshold_{i + 1}": b[i], f"{name}.threshold_{i + 1}.se": se[i]}
        else:
            out |= {f"{name}.difficulty": b[0], f"{name}.difficulty.se": se[0]}
        if r.floor:
            out[f"{name}.floor"] = r.floor[0][j]
        if r.item_fit:
            out[f"{name}.fit.p"] = r.item_fit[j].p
    return out


def card(r: Response) -> ModelCard:
    """For a line-up: discriminations and difficulties, and how well they fit."""
    f = r.fitted
    z = r.reach

    def one(key: str, title: str, value: float, se: float) -> Estimate:
        """An estimate."""
        there = bool(np.isfinite(se) and se > 0)
        return Estimate(
            key=key, title=title, b=float(value), se=float(se) if there else None,
            low=float(value - z * se) if there else None,
            high=float(value + z * se) if there else None, p=two_sided(value / se) if there else None,
            why=None if there else HELD,
        )  # fmt: skip

    estimates_ = []
    for j in range(r.k):
        name, title = r.scored.names[j], r.scored.titles[j]
        estimates_.append(
            one(f"{name}.discrimination", f"{title}: discrimination", f.discrimination[j], r.discrimination_se[j])
        )
        b, se = r.difficulty(j), r.difficulty_se(j)
        for i in range(len(b)):
            words = f"threshold {i + 1}" if r.graded else "difficulty"
            key = f"{name}.threshold_{i + 1}" if r.graded else f"{name}.difficulty"
            estimates_.append(one(key, f"{title}: {words}", float(b[i]), float(se[i])))
        if r.floor:
            told = one(f"{name}.floor", f"{title}: floor", float(r.floor[0][j]), r.floor_se[j])
            if told.se is not None:  # ends on the logit scale
                told = told.model_copy(update={"low": float(r.floor[1][j]), "high": float(r.floor[2][j]), "p": None})
            estimates_.append(told)
    made_of = PARTS[f.model]
    asked = [f"{n}:{k}{r.spec.key.get(n, '')}" for n, k in zip(r.scored.names, r.scored.levels, strict=True)]
    lines = [
        FitLine(key="aic", title="AIC", v=f.aic, s=number(f.aic, 1), better="low"),
        FitLine(key="bic", title="BIC", v=f.bic, s=number(f.bic, 1), better="low"),
        FitLine(key="log_likelihood", title="Log-likelihood", v=f.log_likelihood, s=number(f.log_likelihood, 2)),
        FitLine(
            key="reliability",
            title="Reliability of abilities",
            v=r.reliability,
            s=share(r.reliability),
            better="high",
        ),
    ]
    return ModelCard(
        kind="item response, graded" if r.graded else "item response", said=f"answers to {counted(r.k, 'item')}",
        response="|".join(asked), effect="b",
        terms=[CardTerm(key=k, title=t) for k, t in made_of], holds=[k for k, _ in made_of], edge=["floor"],
        estimates=estimates_, fit=lines, log_likelihood=f.log_likelihood, parameters=f.parameters, n=r.n,
        rows=fingerprint(r.scored.rows[r.scored.use]), intercept=True, likelihood_of="answers",
    )  # fmt: skip


def best_at(r: Response) -> str:
    """'−0.3': where the test tells most."""
    return number(float(GRID[int(np.argmax(r.information.sum(axis=0)))]), 1)
