"""Tables, sentences and card of a model of a yes/no response."""

from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import Cell, Span, TableBlock
from yavik.core.answers.make import EMPTY, ci_head, grid, heads
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import (
    cell,
    counted,
    df_cell,
    italic,
    level_words,
    listing,
    missing,
    number,
    p_cell,
    p_words,
    percent,
    say,
    share,
    share_fine,
    significant,
    stat,
    statistic,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.models.coefficients import (
    INFINITE,
    Coefficient,
    bent_words,
    card_terms,
    cells,
    change_words,
    estimates,
    lower_term,
)
from yavik.core.methods.kit.models.terms import term_key
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.binary import fit
from yavik.core.stats.binary_profile import score_test, without
from yavik.core.stats.least_squares import estimable, wald
from yavik.core.stats.telling import Calibration, classify

LINK_WORDS = {"logit": "logit link", "probit": "probit link", "cloglog": "complementary log–log link"}
ChiSquare = tuple[float, int, float]
"""Statistic, degrees of freedom, p."""


def ratio(b: float, like: float | None = None) -> str:
    """An odds ratio: two decimals, more where they are needed to tell it (or the one it stands beside) from 1."""
    value = float(np.exp(np.clip(b, -700, 700)))
    if value >= 1000 or value < 0.001:
        return significant(value, 3)
    beside = value if like is None else float(np.exp(np.clip(like, -700, 700)))
    away = abs(beside - 1)
    fine = int(np.clip(1 - np.floor(np.log10(away * 1.05)), 2, 9)) if away > 0 else 2
    return number(value, min(fine, 1) if value >= 10 else fine)


def term_tests(m: BinaryModel) -> list[ChiSquare | None]:
    """Wald tests of each term with all its columns."""
    found: list[ChiSquare | None] = []
    for i in range(len(m.data.terms)):
        rows = m.data.design.tested(i)[:, m.used]
        live = rows.any(axis=1)
        touched = any(rows[:, k].any() for k in m.infinite)
        got = _tested(m, rows[live]) if live.any() and not touched and _estimable(m, i) else None
        found.append((got[0], got[1], float(special.chdtrc(got[1], got[0]))) if got else None)
    return found


def _estimable(m: BinaryModel, term: int) -> bool:
    rows = m.data.design.tested(term)
    whole = np.column_stack([np.zeros(len(rows)), rows])
    return m.fitted.null is None or bool(estimable(whole, m.fitted.null).all())


def _tested(m: BinaryModel, rows: Any) -> tuple[float, int] | None:
    """Wald's χ², or of a penalised fit the penalised likelihood ratio where whole columns are tested."""
    first = m.fitted.first
    if m.model.penalty == "firth" and m.bounds and np.all(np.count_nonzero(rows, axis=1) == 1):
        return without(m.model, [int(np.flatnonzero(r)[0]) + first for r in rows])
    return wald(rows, m.model.coef[first:], m.covariance[first:, first:])


def whole_tests(m: BinaryModel, spec: LogisticSpec) -> dict[str, ChiSquare]:
    """Likelihood ratio, Wald and score tests of all terms together."""
    k, first = len(m.used), m.fitted.first
    if not k:
        return {}
    found: dict[str, tuple[float, int]] = {}
    if spec.penalty == "none" and spec.se == "classical":
        found["likelihood_ratio"] = max(2 * (m.model.log_likelihood - m.null), 0.0), k
    elif spec.penalty == "firth":
        found["likelihood_ratio"] = without(m.model, range(first, first + k))
    if not m.infinite and (spec.se != "cluster" or k < m.n_clusters):
        got = wald(np.eye(k), m.model.coef[first:], m.covariance[first:, first:])
        if got:
            found["wald"] = got
    if spec.intercept and spec.penalty == "none" and spec.se == "classical":
        found["score"] = score_test(fit(m.model.data.among([]), spec.link), m.model.data.x[:, 1:])
    return {name: (s, d, float(special.chdtrc(d, s))) for name, (s, d) in found.items()}


def headline(
    m: BinaryModel, spec: LogisticSpec, tests: dict[str, ChiSquare], strongest: Coefficient | None
) -> tuple[list[Span], str]:
    said = lower(m.data.response.title) + f" = {m.event}"
    if not m.data.terms:
        share_ = float(m.data.y.mean())
        return (
            say(f"No term was chosen: {said} in {percent(share_)} of rows is all that can be told."),
            "no term chosen",
        )
    names = listing([lower_term(m.data.term_title(t)) for t in m.data.terms], 5)
    what = "odds" if spec.link == "logit" else "probability"
    if m.complete:
        return (
            say(
                f"{names[0].upper()}{names[1:]} {'tell' if len(m.data.terms) > 1 else 'tells'} {said} from {m.other}"
                " without a single miss in these rows, so that estimates and odds ratios have no bounds."
            ),
            "complete separation",
        )
    low, high = m.roc.interval(spec.alpha)
    test = tests.get("likelihood_ratio") or tests.get("wald")
    shown = test is None or test[2] < spec.alpha
    claim = f"the {what} of {said} {'go' if what == 'odds' else 'goes'} with {names}"
    start = claimed(claim, shown)
    parts: list[str | Span] = [
        f"{start}: the model tells it from {m.other} with an area under the ROC curve of {share(m.roc.auc)}"
    ]
    if np.isfinite(m.roc.se):
        parts.append(f" ({level_words(spec.alpha)} CI {share(low)} to {share(high)})")
    if test:
        parts += [
            "; ",
            italic("χ"),
            f"²({test[1]}) = {statistic(test[0])}, ",
            italic("p"),
            f"\u00a0{p_words(test[2])}",
        ]
    parts.append(".")
    words = sentence(m, spec, strongest) if strongest else None
    parts += [f" {words}"] if words else []
    return say(*parts), f"{counted(len(m.data.terms), 'term')}, AUC {share(m.roc.auc)}"


def sentence(m: BinaryModel, spec: LogisticSpec, c: Coefficient) -> str | None:
    """'Each further visit multiplies the odds of finished = yes by 1.17 (95% CI 1.13 to 1.22).'"""
    change = change_words(m.fitted, c)
    if change is None or not np.isfinite(c.b) or spec.link != "logit":
        return None
    others = ", other things equal" if len(m.data.terms) > 1 else ""
    said = lower(m.data.response.title) + f" = {m.event}"
    return (
        f"{change} multiplies the odds of {said} by {ratio(c.b)}{others} ({level_words(spec.alpha)} CI"
        f" {ratio_span(c)})."
    )


def ratio_span(c: Coefficient) -> str:
    low, high = (ratio(v, c.b) if np.isfinite(v) else "" for v in (c.low, c.high))
    return (
        f"{low} to {high}"
        if low and high
        else f"above {low}"
        if low
        else f"below {high}"
        if high
        else "without bounds"
    )


def coefficients_table(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> TableBlock:
    rows = []
    odds = spec.link == "logit"
    for c in found:
        row = cells(c, "z")
        if odds:
            why = c.why or "cannot be computed here"
            if c.column is None:
                row |= {"odds_ratio": EMPTY, "ci_low": EMPTY, "ci_high": EMPTY}
            elif c.why or not np.isfinite(c.b):
                row |= {"odds_ratio": missing(why), "ci_low": missing(why), "ci_high": missing(why)}
            else:
                bounds = [float(np.exp(np.clip(v, -700, 700))) if np.isfinite(v) else None for v in (c.low, c.high)]
                row |= {
                    "odds_ratio": cell(float(np.exp(np.clip(c.b, -700, 700))), ratio(c.b)),
                    "ci_low": Cell(v=bounds[0], s=ratio_span(c)),
                    "ci_high": (
                        cell(bounds[1], ratio(c.high, c.b))
                        if bounds[1] is not None
                        else missing("open: the likelihood has no end on this side")
                    ),
                }
        rows.append(row)
    columns = [("term", "Term<"), ("estimate", "b"), ("se", "SE"), ("z", "z"), ("p", "p")]
    if odds:
        columns += [("odds_ratio", "Odds ratio"), ci_head(spec.alpha)]
    else:
        columns.insert(3, ci_head(spec.alpha))
    note = f"Event: {m.said}. " + (
        "b on the scale of log odds. " if odds else f"b on the scale of the {LINK_WORDS[spec.link]}. "
    )
    if m.bounds:
        note += "Intervals by profile likelihood" + (", p by the penalised likelihood ratio. " if m.ps else ". ")
    if spec.se != "classical":
        note += {"hc0": "Robust standard errors (HC0). ", "hc1": "Robust standard errors (HC1). "}.get(
            spec.se, f"Standard errors by cluster ({m.n_clusters} clusters), t with {m.n_clusters - 1} df. "
        )
    note += f"{m.data.counted_from} " if m.data.counted_from else ""
    note += m.data.references
    marked = [i for i, c in enumerate(found) if c.column is not None and c.p < spec.alpha]
    title = f"Coefficients for the odds of {m.said}" if odds else f"Coefficients for {m.said}"
    return grid(
        "coefficients",
        title,
        columns,
        rows,
        note=note.strip(),
        marked=marked,
        strong=["term", "p"],
        control="reference" if m.data.factors else None,
    )


def terms_table(m: BinaryModel, spec: LogisticSpec, tests: list[ChiSquare | None]) -> TableBlock | None:
    if not m.data.terms:
        return None
    rows = []
    for term, t in zip(m.data.terms, tests, strict=True):
        why = INFINITE if m.infinite else "follows from the other columns"
        rows.append(
            {
                "term": word(m.data.term_title(term)),
                "chi2": stat(t[0] if t else np.nan, why),
                "df": df_cell(t[1] if t else np.nan, why),
                "p": p_cell(t[2] if t else np.nan, why),
            }
        )
    marked = [i for i, t in enumerate(tests) if t and t[2] < spec.alpha]
    columns = [
        ("term", "Term<"),
        ("chi2", "Penalised likelihood ratio χ²" if m.ps else "Wald χ²"),
        ("df", "df"),
        ("p", "p"),
    ]
    return grid("terms", "Each term with all its columns", columns, rows, marked=marked, strong=["term", "p"])


WHOLE = {"likelihood_ratio": "Likelihood ratio", "wald": "Wald", "score": "Score"}


def tests_table(tests: dict[str, ChiSquare], hl: Calibration) -> TableBlock:
    rows = [
        {"term": word(f"{WHOLE[k]}, all terms"), "chi2": stat(s), "df": df_cell(d), "p": p_cell(p)}
        for k, (s, d, p) in tests.items()
    ]
    why = "too few different probabilities for groups"
    rows.append({"term": word("Hosmer–Lemeshow, calibration"), "chi2": stat(hl.chi2 if np.isfinite(hl.p) else np.nan, why), "df": df_cell(hl.df if hl.df > 0 else np.nan, why), "p": p_cell(hl.p, why)})  # fmt: skip
    return grid(
        "tests", "Tests of the whole", [("term", "Test<"), ("chi2", "χ²"), ("df", "df"), ("p", "p")], rows, strong=[]
    )


def pseudo(m: BinaryModel) -> dict[str, float]:
    """R² of McFadden (1974), Cox and Snell (1989) and Nagelkerke (1991), and Brier's (1950) score."""
    n, ll, null = m.model.n, m.model.log_likelihood, m.null
    cox = 1 - float(np.exp(2 * (null - ll) / n))
    return {
        "mcfadden_r2": 1 - ll / null if null else np.nan,
        "cox_snell_r2": cox,
        "nagelkerke_r2": cox / (1 - float(np.exp(2 * null / n))),
        "brier": float(np.mean((m.data.y - m.model.mu) ** 2)),
    }


SHORT = {"auc": "AUC", "right": "Right", "nagelkerke_r2": "Nagelkerke R²"}


def fit_lines(m: BinaryModel, spec: LogisticSpec) -> list[FitLine]:
    at = classify(m.model.mu, m.data.y, spec.cutoff)
    more = pseudo(m)

    def line(key: str, title: str, v: float, s: str, better: Any = None) -> FitLine:
        return FitLine(key=key, title=title, v=float(v), s=s, better=better, short=SHORT.get(key, title))

    return [
        line("auc", "Area under the ROC curve", m.roc.auc, share_fine(m.roc.auc), "high"),
        line("right", f"Told right at {share_fine(spec.cutoff)}", at.right, percent(at.right), "high"),
        line("nagelkerke_r2", "Nagelkerke R²", more["nagelkerke_r2"], share_fine(more["nagelkerke_r2"]), "high"),
        line("aic", "AIC", m.model.aic, number(m.model.aic, 1), "low"),
        line("bic", "BIC", m.model.bic, number(m.model.bic, 1), "low"),
        line("log_likelihood", "Log-likelihood", m.model.log_likelihood, number(m.model.log_likelihood, 1)),
    ]


def fit_table(m: BinaryModel, spec: LogisticSpec, folds: dict[str, float]) -> TableBlock:
    lines = {f.key: f for f in fit_lines(m, spec)}
    more = pseudo(m)
    low, high = m.roc.interval(spec.alpha)
    rows = [{"what": word("Area under the ROC curve"), "value": cell(m.roc.auc, share_fine(m.roc.auc))}]
    if np.isfinite(m.roc.se):
        rows.append(
            {
                "what": word(f"  {level_words(spec.alpha)} CI"),
                "value": Cell(v=low, s=f"{share_fine(low)} to {share_fine(high)}"),
            }
        )
    if "folds.auc" in folds:
        rows.append(
            {"what": word("  for rows not seen"), "value": cell(folds["folds.auc"], share_fine(folds["folds.auc"]))}
        )
    for key, title in (
        ("mcfadden_r2", "McFadden R²"),
        ("cox_snell_r2", "Cox–Snell R²"),
        ("nagelkerke_r2", "Nagelkerke R²"),
        ("brier", "Brier score"),
    ):
        rows.append({"what": word(title), "value": cell(more[key], share_fine(more[key]))})
    rows += [
        {"what": word(lines[k].title), "value": cell(lines[k].v or 0.0, lines[k].s)}
        for k in ("aic", "bic", "log_likelihood")
    ]
    yes = int(m.data.y.sum())
    rows.append(
        {"what": word(f"Rows with {m.event}"), "value": Cell(v=yes, s=f"{whole(yes).s} of {whole(m.model.n).s}")}
    )
    return TableBlock(id="fit", title="How well it tells", columns=heads(("what", "<"), ("value", "")), rows=rows)


def words_table(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> TableBlock | None:
    rows = [{"term": word(c.title), "says": word(text)} for c in found if (text := sentence(m, spec, c)) is not None]
    rows += [{"term": word(title), "says": word(text)} for title, text in bent_words(m.fitted)]
    if not rows:
        return None
    return grid(
        "in_words",
        "In words",
        [("term", "Term<"), ("says", "What it says<")],
        rows,
        strong=[],
        control="per" if m.data.numbers else None,
    )


def card(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> ModelCard:
    return ModelCard(
        kind="logistic" if spec.link == "logit" else spec.link, said=m.said, response=m.data.response.name,
        effect="odds_ratio" if spec.link == "logit" else "b",
        terms=card_terms(m.fitted), estimates=estimates(found), fit=fit_lines(m, spec),
        log_likelihood=m.model.log_likelihood, parameters=m.model.q, n=m.model.n, rows=m.data.fingerprint,
        penalised=spec.penalty != "none", intercept=spec.intercept,
        counted_from=m.data.counted_from,
    )  # fmt: skip


def facts(
    m: BinaryModel,
    spec: LogisticSpec,
    tests: dict[str, ChiSquare],
    hl: Calibration,
    found: list[Coefficient],
    by_term: list[ChiSquare | None],
) -> dict[str, Any]:
    at = classify(m.model.mu, m.data.y, spec.cutoff)
    low, high = m.roc.interval(spec.alpha)
    out: dict[str, Any] = {
        "n": m.model.n, "events": int(m.data.y.sum()), "event": m.event, "auc": m.roc.auc, "auc.se": m.roc.se, "auc.ci_low": low, "auc.ci_high": high,
        "log_likelihood": m.model.log_likelihood, "null_log_likelihood": m.null, "aic": m.model.aic, "bic": m.model.bic,
        "right": at.right, "sensitivity": at.sensitivity, "specificity": at.specificity, "cutoff": spec.cutoff,
        "hosmer_lemeshow.chi2": hl.chi2, "hosmer_lemeshow.df": hl.df, "hosmer_lemeshow.p": hl.p, **pseudo(m),
    }  # fmt: skip
    for name, (s, d, p) in tests.items():
        out |= {f"{name}.chi2": s, f"{name}.df": d, f"{name}.p": p}
    test = tests.get("likelihood_ratio") or tests.get("wald")
    if test:
        out["p"] = test[2]
    for c in found:
        out |= {f"{c.key}.b": c.b, f"{c.key}.se": c.se, f"{c.key}.z": c.t, f"{c.key}.p": c.p}
        if c.column is not None and spec.link == "logit" and np.isfinite(c.b):
            out[f"{c.key}.odds_ratio"] = float(np.exp(np.clip(c.b, -700, 700)))
    for term, t in zip(m.data.terms, by_term, strict=True):
        if t and t[1] > 1:
            out |= {f"{term_key(term)}.chi2": t[0], f"{term_key(term)}.p": t[2]}
    return out
