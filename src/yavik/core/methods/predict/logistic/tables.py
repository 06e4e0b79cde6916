"""Tables, sentences and card of a model of a yes/no response."""

from typing import Any

import numpy as np

from yavik.core.answers import Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import counted, grouped, level_words, number, percent, say, share, share_fine
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.models.coefficients import INFINITE, Coefficient
from yavik.core.methods.kit.models.scale import Scale, exp
from yavik.core.methods.kit.models.tables import (
    chi2_terms,
    coefficient_facts,
    coefficients_table,
    fit_table,
    model_card,
    names_of_terms,
    of_line,
    term_facts,
)
from yavik.core.methods.kit.models.testing import ChiSquare
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.telling import Calibration

LINK_WORDS = {"logit": "logit link", "probit": "probit link", "cloglog": "complementary log–log link"}


def scale_of(m: BinaryModel, spec: LogisticSpec) -> Scale:
    """Odds ratios with the logit link; else b on the link's own scale."""
    if spec.link != "logit":
        return Scale("z")
    return Scale("z", "odds_ratio", "Odds ratio", f"the odds of {_event(m)}")


def _event(m: BinaryModel) -> str:
    return f"{lower(m.data.response.title)} = {m.event}"


def headline(
    m: BinaryModel, spec: LogisticSpec, tests: dict[str, ChiSquare], strongest: Coefficient | None
) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    said, names, many = _event(m), names_of_terms(m.data), len(m.data.terms) > 1
    if not m.data.terms:
        rest = f"{said} in {percent(float(m.data.y.mean()))} of rows is all that can be told."
        return say(f"No term was chosen: {rest}"), "no term chosen"
    if m.complete:
        tail = "without a single miss in these rows, so that estimates and odds ratios have no bounds."
        verb = "tell" if many else "tells"
        return say(f"{names[0].upper()}{names[1:]} {verb} {said} from {m.other} {tail}"), "complete separation"
    (low, high), auc = m.roc.interval(spec.alpha), share(m.roc.auc)
    test = tests.get("likelihood_ratio") or tests.get("wald")
    what = f"odds of {said} go" if spec.link == "logit" else f"probability of {said} goes"
    start = claimed(f"the {what} with {names}", test is None or test[2] < spec.alpha)
    ci = f" ({level_words(spec.alpha)} CI {share(low)} to {share(high)})" if np.isfinite(m.roc.se) else ""
    words = scale_of(m, spec).sentence(m.fitted, strongest) if strongest else None
    told: list[str | Span] = ["; ", *q.tested("χ²", test[0], (test[1],), test[2])] if test else []
    spans = say(
        f"{start}: the model tells it from {m.other} with an area under the ROC curve of {auc}{ci}",
        *told,
        f". {words}" if words else ".",
    )
    return spans, f"{counted(len(m.data.terms), 'term')}, AUC {auc}"


def coefficients(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> TableBlock:
    """b with its test, and the odds ratio."""
    odds = spec.link == "logit"
    notes = [f"Event: {m.said}.", f"b on the scale of {'log odds' if odds else f'the {LINK_WORDS[spec.link]}'}."]
    if m.bounds:
        notes.append("Intervals by profile likelihood" + (", p by the penalised likelihood ratio." if m.ps else "."))
    if spec.se != "classical":
        by_cluster = f"Standard errors by cluster ({m.n_clusters} clusters), t with {m.n_clusters - 1} df."
        notes.append(f"Robust standard errors ({spec.se.upper()})." if spec.se != "cluster" else by_cluster)
    title = f"Coefficients for the odds of {m.said}" if odds else f"Coefficients for {m.said}"
    return coefficients_table(m.fitted, scale_of(m, spec), found, title, notes)


def terms_table(m: BinaryModel, tests: list[ChiSquare | None]) -> TableBlock | None:
    """Each term with all its columns, by χ²."""
    why = INFINITE if m.infinite else "follows from the other columns"
    return chi2_terms(m.fitted, tests, "Penalised likelihood ratio χ²" if m.ps else "Wald χ²", why)


WHOLE = {"likelihood_ratio": "Likelihood ratio", "wald": "Wald", "score": "Score"}


def tests_table(tests: dict[str, ChiSquare], hl: Calibration) -> TableBlock:
    """Tests of all terms together, and of calibration."""
    rows = [
        q.row(term=q.name(f"{WHOLE[k]}, all terms", "Test"), chi2=q.stat(s, "χ²"), df=q.df(d), p=q.p(p))
        for k, (s, d, p) in tests.items()
    ]
    few, known = "too few different probabilities for groups", np.isfinite(hl.p)
    rows.append(
        q.row(
            term=q.name("Hosmer–Lemeshow, calibration", "Test"), chi2=q.stat(hl.chi2 if known else np.nan, "χ²", few),
            df=q.df(hl.df if hl.df > 0 else np.nan, why=few), p=q.p(hl.p, why=few),
        )
    )  # fmt: skip
    return q.table("tests", "Tests of the whole", rows, strong=[])


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
    """Measures of fit for the card."""
    at = m.at_cutoff
    more = pseudo(m)

    def line(key: str, title: str, v: float, s: str, better: Any = None) -> FitLine:
        """One measure of fit."""
        return FitLine(key=key, title=title, v=float(v), s=s, better=better, short=SHORT.get(key, title))

    return [
        line("auc", "Area under the ROC curve", m.roc.auc, share_fine(m.roc.auc), "high"),
        line("right", f"Told right at {share_fine(spec.cutoff)}", at.right, percent(at.right), "high"),
        line("nagelkerke_r2", "Nagelkerke R²", more["nagelkerke_r2"], share_fine(more["nagelkerke_r2"]), "high"),
        line("aic", "AIC", m.model.aic, number(m.model.aic, 1), "low"),
        line("bic", "BIC", m.model.bic, number(m.model.bic, 1), "low"),
        line("log_likelihood", "Log-likelihood", m.model.log_likelihood, number(m.model.log_likelihood, 1)),
    ]


def how_it_tells(m: BinaryModel, spec: LogisticSpec, folds: dict[str, float]) -> TableBlock:
    """Area under the curve, R² in its forms, information criteria."""
    lines, more, (low, high) = {f.key: f for f in fit_lines(m, spec)}, pseudo(m), m.roc.interval(spec.alpha)
    rows = [("Area under the ROC curve", q.fine(m.roc.auc))]
    if np.isfinite(m.roc.se):
        rows.append((f"  {level_words(spec.alpha)} CI", q.ends(low, high, share_fine, None)["ci_low"]))
    if "folds.auc" in folds:
        rows.append(("  for rows not seen", q.fine(folds["folds.auc"])))
    rows += [(title, q.fine(more[key])) for key, title in PSEUDO.items()]
    rows += [of_line(lines[k]) for k in ("aic", "bic", "log_likelihood")]
    yes = int(m.data.y.sum())
    rows.append((f"Rows with {m.event}", q.texted(yes, f"{grouped(yes)} of {grouped(m.model.n)}")))
    return fit_table("How well it tells", rows)


PSEUDO = {
    "mcfadden_r2": "McFadden R²", "cox_snell_r2": "Cox–Snell R²", "nagelkerke_r2": "Nagelkerke R²",
    "brier": "Brier score",
}  # fmt: skip


def card(m: BinaryModel, spec: LogisticSpec, found: list[Coefficient]) -> ModelCard:
    """What a trail and a line-up show of the model."""
    odds = spec.link == "logit"
    return model_card(
        m.fitted, found, fit_lines(m, spec), kind="logistic" if odds else spec.link, said=m.said,
        effect="odds_ratio" if odds else "b", log_likelihood=m.model.log_likelihood, parameters=m.model.q,
        penalised=spec.penalty != "none", likelihood_of="outcomes",
    )  # fmt: skip


def facts(
    m: BinaryModel,
    spec: LogisticSpec,
    tests: dict[str, ChiSquare],
    hl: Calibration,
    found: list[Coefficient],
    by_term: list[ChiSquare | None],
) -> dict[str, Any]:
    """Numbers by name."""
    at = m.at_cutoff
    low, high = m.roc.interval(spec.alpha)
    out: dict[str, Any] = {
        "n": m.model.n, "events": int(m.data.y.sum()), "event": m.event, "auc": m.roc.auc, "auc.se": m.roc.se,
        "auc.ci_low": low, "auc.ci_high": high,
        "log_likelihood": m.model.log_likelihood, "null_log_likelihood": m.null, "aic": m.model.aic,
        "bic": m.model.bic,
        "right": at.right, "sensitivity": at.sensitivity, "specificity": at.specificity, "cutoff": spec.cutoff,
        "hosmer_lemeshow.chi2": hl.chi2, "hosmer_lemeshow.df": hl.df, "hosmer_lemeshow.p": hl.p, **pseudo(m),
    }  # fmt: skip
    for name, (s, d, p) in tests.items():
        out |= {f"{name}.chi2": s, f"{name}.df": d, f"{name}.p": p}
    test = tests.get("likelihood_ratio") or tests.get("wald")
    if test:
        out["p"] = test[2]
    out |= coefficient_facts(found, "z") | term_facts(m.data, by_term)
    for c in found:
        if c.column is not None and spec.link == "logit" and np.isfinite(c.b):
            out[f"{c.key}.odds_ratio"] = exp(c.b)
    return out
