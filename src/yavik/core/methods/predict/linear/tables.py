"""Tables, sentences and card of a linear model."""

from typing import Any

import numpy as np

from yavik.core.answers import Span, TableBlock
from yavik.core.answers.make import EMPTY, ci_head, grid, heads, share_cell
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import (
    after_difference,
    cell,
    counted,
    df,
    df_cell,
    italic,
    listing,
    missing,
    num,
    number,
    p_cell,
    p_words,
    percent,
    say,
    share,
    share_fine,
    stat,
    statistic,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.coefficients import (
    Coefficient,
    bent_words,
    card_terms,
    cells,
    change_words,
    estimates,
    lower_term,
    more_or_less,
    raw_shape,
)
from yavik.core.methods.kit.models.effects import decimals_of
from yavik.core.methods.kit.models.terms import term_key
from yavik.core.methods.predict.linear.fit import LinearFit
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.oneway import FTest

EXACT_WHY = "the model fits every value exactly"
SE_WORDS = {
    "classical": "classical standard errors",
    "hc0": "robust standard errors, HC0",
    "hc1": "robust standard errors, HC1",
    "hc2": "robust standard errors, HC2",
    "hc3": "robust standard errors, HC3",
    "cluster": "standard errors by cluster",
    "cr2": "standard errors by cluster, corrected for few of them (CR2), df by Satterthwaite",
    "wild": "p by the wild cluster bootstrap, intervals by CR2",
}


def headline(
    m: LinearFit, spec: LinearSpec, test: FTest | None, strongest: Coefficient | None
) -> tuple[list[Span], str]:
    names = listing([lower_term(m.data.term_title(t)) for t in m.data.terms], 5)
    response = lower(m.data.response.title)
    if not m.data.terms:
        return (
            say(
                f"No term was chosen: {response} is best told by its mean,"
                f" {number(float(m.model.coef[0]), m.data.decimals + 1)}{_unit(m)}."
            ),
            "no term chosen",
        )
    r2 = m.model.r2
    about = "" if m.model.first else " about zero"
    said: list[str | Span] = [
        f"{names[0].upper()}{names[1:]} {'together explain' if len(m.data.terms) > 1 else 'explains'} {percent(r2)}"
        f" of the scatter of {response}{about}"
    ]
    said += [" (", italic("R"), f"²\u00a0= {share(r2)}, adjusted {share(m.model.adjusted_r2)}"]
    said += [f", predicted {share(m.rows.predicted_r2)}"] if np.isfinite(m.rows.predicted_r2) else []
    if test:
        said += [
            "; ",
            italic("F"),
            f"({df(test.df1)}, {df(test.df2)}) = {statistic(test.f)}, ",
            italic("p"),
            f"\u00a0{p_words(test.p)}",
        ]
    said.append(").")
    words = sentence(m, strongest, spec.alpha) if strongest else None
    if words:
        said.append(f" {words}")
    what = counted(len(m.data.terms), "term")
    return say(*said), f"{what}, R² {share(r2)}"


def _unit(m: LinearFit) -> str:
    return after_difference(m.data.response.unit)


def sentence(m: LinearFit, c: Coefficient, alpha: float) -> str | None:
    """'Each further m² of floor area goes with 0.92 more visits, other things equal (95% CI 0.8 to 1.0).'"""
    change = change_words(m.fitted, c)
    if change is None or not np.isfinite(c.b):
        return None
    unit, response = after_difference(m.data.response.unit).strip(), lower(m.data.response.title)
    counts = m.data.response.kind == "count" or unit.endswith("s")
    words = ("more", "fewer" if counts else "less")
    what = f" {response}" if not unit or unit.lower() in response else f"\u00a0{unit} of {response}"
    if unit and not unit.endswith("s") and unit.lower() not in response:
        words, what = (f"{unit} more", f"{unit} less"), f" of {response}"
    size, span = more_or_less(c.b, c.low, c.high, decimals_of(c.se, c.b), alpha, words, what).split("\n")
    others = ", other things equal" if len(m.data.terms) > 1 else ""
    return f"{change} goes with {size}{others}{f' ({span})' if span else ''}."


def coefficients_table(m: LinearFit, spec: LinearSpec, found: list[Coefficient]) -> TableBlock:
    rows, (std, vif) = [], raw_shape(m.fitted, m.model)
    for c in found:
        place = m.model.used.index(c.column) if c.column in m.model.used else None
        row = cells(c)
        row["std_beta"] = (
            EMPTY if c.column is None else num(float(std[place]), 2) if place is not None else missing(c.why or "")
        )
        row["vif"] = (
            EMPTY if c.column is None else num(float(vif[place]), 1) if place is not None else missing(c.why or "")
        )
        rows.append(row)
    columns = [
        ("term", "Term<"), ("estimate", "b"), ("se", "SE"), ci_head(spec.alpha), ("t", "t"), ("p", "p"), ("std_beta", "β"), ("vif", "VIF"),
    ]  # fmt: skip
    notes = [f"b in {m.data.response.unit}"] if m.data.response.unit else []
    notes.append("β in standard deviations")
    if spec.se != "classical":
        notes.append(SE_WORDS[spec.se] + (f" ({m.n_clusters} clusters)" if m.n_clusters else ""))
    note = f"{'; '.join(notes)}. {m.data.counted_from} {m.data.references}".replace("  ", " ").strip()
    marked = [i for i, c in enumerate(found) if c.column is not None and c.p < spec.alpha]
    return grid("coefficients", f"Coefficients for {lower(m.data.response.title)}", columns, rows, note=note, marked=marked,
                strong=["term", "p"], control="reference" if m.data.factors else None)  # fmt: skip


def terms_table(m: LinearFit, spec: LinearSpec, tests: list[FTest | str]) -> TableBlock | None:
    if not m.data.terms:
        return None
    rows = []
    for i, (term, test) in enumerate(zip(m.data.terms, tests, strict=True)):
        columns = [c for c in m.data.design.places(i) if c in m.model.used]
        gvif = m.model.generalised_vif(columns)
        why = test if isinstance(test, str) else ""
        partial = m.partial_eta2(i)
        rows.append(
            {
                "term": word(m.data.term_title(term)),
                "df1": missing(why) if isinstance(test, str) else df_cell(test.df1),
                "df2": missing(why) if isinstance(test, str) else df_cell(test.df2),
                "f": missing(why) if isinstance(test, str) else stat(test.f),
                "p": missing(why) if isinstance(test, str) else p_cell(test.p),
                "partial_eta2": share_cell(partial, why or "cannot be computed here"),
                "vif": num(gvif, 1, why or "follows from the other columns"),
            }
        )
    heads_ = [
        ("term", "Term<"),
        ("df1", "df"),
        ("f", "F"),
        ("p", "p"),
        ("partial_eta2", "Partial η²"),
        ("vif", "VIF"),
    ]
    error = f"each after all others, against {df(m.df)} df"
    if m.errors.df_of:
        heads_.insert(2, ("df2", "df of error"))
        error = "each after all others, df by Hotelling’s T² with what the clusters carry"
    if m.errors.kind == "wild":
        error = "each after all others, p by the wild cluster bootstrap"
    if m.errors.kind != "classical":
        error += "; partial η² from the sums of squares, as under equal spread"
    note = (
        f"Type III: {error}. A main effect that stands in an interaction with a category is that over its levels"
        " alike."
    )
    marked = [i for i, t in enumerate(tests) if isinstance(t, FTest) and t.p < spec.alpha]
    return grid(
        "terms", "Each term with all its columns", heads_, rows, note=note, marked=marked, strong=["term", "p"]
    )


R2 = {1: "R²", 0: "R² about zero"}
"""Without an intercept R² is the share of the squares about zero, and says something else."""
SHORT = {"adjusted_r2": "Adjusted", "predicted_r2": "Predicted", "residual_sd": "Residual SD"}


def fit_lines(m: LinearFit) -> list[FitLine]:
    model, rows = m.model, m.rows
    unit = f" ({m.data.response.unit})" if m.data.response.unit else ""
    sd = float(np.sqrt(model.mse)) if model.df > 0 else np.nan
    d = m.data.decimals + 1 if sd >= 1 else decimals_of(sd / 10)

    def line(key: str, title: str, v: float, s: str, better: Any = None) -> FitLine:
        fine = bool(np.isfinite(v))
        return FitLine(key=key, title=title, v=float(v) if fine else None, s=s if fine else "–", better=better,
                       short=SHORT.get(key, title))  # fmt: skip

    return [
        line("r2", R2[model.first], model.r2, share_fine(model.r2), "high"),
        line("adjusted_r2", "Adjusted R²", model.adjusted_r2, share_fine(model.adjusted_r2), "high"),
        line("predicted_r2", "Predicted R²", rows.predicted_r2, share_fine(rows.predicted_r2), "high"),
        line("residual_sd", f"Residual SD{unit}", sd, number(sd, d) if np.isfinite(sd) else "–", "low"),
        line("aic", "AIC", model.aic, number(model.aic, 1), "low"),
        line("bic", "BIC", model.bic, number(model.bic, 1), "low"),
        line("log_likelihood", "Log-likelihood", model.log_likelihood, number(model.log_likelihood, 1)),
    ]


def fit_table(m: LinearFit, test: FTest | None) -> TableBlock:
    why = "a row alone decides a coefficient, or nothing is left over"
    rows = [
        {"what": word(line.title), "value": missing(why) if line.v is None else cell(line.v, line.s)}
        for line in fit_lines(m)
    ]
    if test:
        rows.insert(4, {"what": word(f"F({df(test.df1)}, {df(test.df2)})"), "value": stat(test.f)})
        rows.insert(5, {"what": word("p of the whole"), "value": p_cell(test.p)})
    rows.append({"what": word("Rows"), "value": whole(m.model.n)})
    return TableBlock(id="fit", title="How well it fits", columns=heads(("what", "<"), ("value", "")), rows=rows)


def words_table(m: LinearFit, spec: LinearSpec, found: list[Coefficient]) -> TableBlock | None:
    rows = [
        {"term": word(c.title), "says": word(text)} for c in found if (text := sentence(m, c, spec.alpha)) is not None
    ]
    rows += [{"term": word(title), "says": word(text)} for title, text in bent_words(m.fitted)]
    if not rows:
        return None
    return grid("in_words", "In words", [("term", "Term<"), ("says", "What it says<")], rows, strong=[],
                control="per" if m.data.numbers else None)  # fmt: skip


def card(m: LinearFit, found: list[Coefficient], weights: str | None) -> ModelCard:
    return ModelCard(
        kind="linear", said=m.data.response.title, response=m.data.response.name, effect="b",
        terms=card_terms(m.fitted), estimates=estimates(found), fit=fit_lines(m),
        log_likelihood=m.model.log_likelihood, parameters=m.model.parameters, rss=m.model.rss, df=float(m.model.df),
        n=m.model.n, rows=m.data.fingerprint, weights=weights, intercept=bool(m.model.first),
        counted_from=m.data.counted_from,
    )  # fmt: skip


def facts(m: LinearFit, test: FTest | None, found: list[Coefficient], tests: list[FTest | str]) -> dict[str, Any]:
    model = m.model
    out: dict[str, Any] = {
        "n": model.n, "r2": model.r2, "adjusted_r2": model.adjusted_r2, "predicted_r2": m.rows.predicted_r2,
        "residual.sd": np.sqrt(model.mse) if model.df > 0 else np.nan, "residual.df": model.df, "residual.ss": model.rss,
        "press": m.rows.press, "aic": model.aic, "bic": model.bic, "log_likelihood": model.log_likelihood,
    }  # fmt: skip
    if test:
        out |= {"f": test.f, "df1": test.df1, "df2": test.df2, "p": test.p}
    for c in found:
        out |= {f"{c.key}.b": c.b, f"{c.key}.se": c.se, f"{c.key}.t": c.t, f"{c.key}.p": c.p}
    for term, t in zip(m.data.terms, tests, strict=True):
        if isinstance(t, FTest) and t.df1 > 1:
            out |= {f"{term_key(term)}.f": t.f, f"{term_key(term)}.p": t.p}
    return out


def influential_table(m: LinearFit, alpha: float, most: int = 8) -> TableBlock | None:
    """The rows that move the model most."""
    if m.exact or m.model.df < 2:
        return None
    cook = m.rows.cook
    order = np.argsort(-cook, kind="stable")[:most]
    names = _names_of_rows(m)
    d = m.data.decimals
    rows = []
    for i in order:
        rows.append(
            {
                "row": whole(int(m.data.rows[i])),
                **({"name": word(names[i])} if names else {}),
                "value": num(float(m.data.y[i]), d),
                "fitted": num(float(m.rows.fitted[i]), d + 1),
                "residual": num(float(m.rows.deleted[i]), 2, "decides its own value"),
                "leverage": share_cell(float(m.rows.leverage[i])),
                "cook": num(float(cook[i]), 2),
            }
        )
    columns = [
        ("row", "Row"), *([("name", "Name<")] if names else []), ("value", m.data.response.title), ("fitted", "Fitted"),
        ("residual", "Studentised residual"), ("leverage", "Leverage"), ("cook", "Cook’s distance"),
    ]  # fmt: skip
    return grid("influential", "Rows that move the model most", columns, rows, folded=True, strong=[])


def _names_of_rows(m: LinearFit) -> list[str] | None:
    found = next((c for c in m.data.table.columns if c.kind == "identifier"), None)
    if found is None:
        return None
    texts = m.data.table.array(found.name).take(m.data.places).to_pylist()
    return [str(t) if t is not None else "" for t in texts]
