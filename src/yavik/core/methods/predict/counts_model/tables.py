"""Tables, sentences and card of a model of counts."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import counted, decimals_of, level_words, number, percent, say, share_fine
from yavik.core.figures.effects import seen_and_expected
from yavik.core.figures.plots import block
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.models.coefficients import Coefficient
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
from yavik.core.methods.predict.counts_model.fit import CountsModel

NO_END = "no finite estimate: no row of its level, or on its side, has a count above zero"
NAMES = {"poisson": "Poisson", "negative_binomial": "negative binomial", "quasi": "quasi-Poisson"}


def scale_of(m: CountsModel) -> Scale:
    """Rate ratios."""
    return Scale("z" if np.isinf(m.free) else "t", "rate_ratio", "Rate ratio", m.of)


def test_said(m: CountsModel) -> list[Span]:
    """The test of all terms together as it stands in the sentence."""
    if m.whole_test is None:
        return []
    value, df, p = m.whole_test
    return q.tested("χ²", value, (df,), p) if np.isinf(m.free) else q.tested("F", value, (df, m.free), p)


def headline(m: CountsModel, strongest: Coefficient | None) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    if not m.data.terms:
        mean = float(m.fitted.back(m.model.coef[0])) if m.fitted.intercept else np.nan
        d = max(decimals_of(mean / 10), 1)
        return say(f"No term was chosen: {m.of} is best told by its average, {number(mean, d)}."), "no term chosen"
    test, share = m.whole_test, percent(m.explained)
    start = claimed(f"{m.of} goes with {names_of_terms(m.data)}", test is None or test[2] < m.spec.alpha)
    told: list[str | Span] = [" (", *test_said(m), ")"] if test else []
    words = scale_of(m).sentence(m.fitted, strongest) if strongest else None
    spans = say(
        f"{start}: the model accounts for {share} of the deviance",
        *told,
        ".",
        f" {words}" if words else "",
        _scatter(m),
    )
    return spans, f"{counted(len(m.data.terms), 'term')}, {share} of the deviance"


def _scatter(m: CountsModel) -> str:
    """A warning in the statement itself, where p of a Poisson model cannot be taken at its word."""
    if m.spec.family != "poisson" or m.spec.se != "classical" or m.model.df < 1:
        return ""
    if m.overdispersed[1] > 0.001 or m.model.dispersion < 1.2:
        return ""
    times = number(m.model.dispersion, 1)
    too_good = "so that its p and intervals are too good"
    return f" The counts scatter {times} times as much as a Poisson model allows, {too_good}."


def coefficients(m: CountsModel, found: list[Coefficient]) -> TableBlock:
    """b with its test, and the rate ratio."""
    notes = [f"b on the scale of the logarithm of {m.of}."]
    if m.spec.se == "cluster":
        notes.append(f"Standard errors by cluster ({m.n_clusters} clusters).")
    elif m.spec.se != "classical":
        notes.append(f"Robust standard errors ({m.spec.se.upper()}).")
    elif m.spec.family == "quasi":
        notes.append(f"Standard errors from the scatter there is, × √{number(m.model.dispersion, 2)}.")
    return coefficients_table(m.fitted, scale_of(m), found, f"Coefficients for {m.of}", notes)


def terms_table(m: CountsModel) -> TableBlock | None:
    """Each term with all its columns."""
    why = NO_END if m.infinite else "follows from the other columns"
    if np.isinf(m.free):
        return chi2_terms(m.fitted, m.term_tests, "Wald χ²", why)
    made = chi2_terms(m.fitted, m.term_tests, "F", why, "f")
    if made:
        made.note = f"F with {number(m.free, 0)} df of error."
    return made


def fit_lines(m: CountsModel) -> list[FitLine]:
    """Measures of fit for the card; those of a likelihood only where there is one."""
    f = m.model

    def line(key: str, title: str, v: float, s: str, better: Any = None, short: str = "") -> FitLine:
        """One measure of fit."""
        return FitLine(key=key, title=title, v=float(v), s=s, better=better, short=short or title)

    lines = [
        line("deviance_explained", "Deviance accounted for", m.explained, share_fine(m.explained), "high", "Deviance")
    ]
    if f.df > 0:
        lines.append(
            line(
                "dispersion",
                "Scatter beside the model’s (1 is as it should be)",
                f.dispersion,
                number(f.dispersion, 2),
                None,
                "Scatter",
            )
        )
    if m.spec.family != "quasi":
        lines += [
            line("aic", "AIC", f.aic, number(f.aic, 1), "low"), line("bic", "BIC", f.bic, number(f.bic, 1), "low"),
            line("log_likelihood", "Log-likelihood", f.log_likelihood, number(f.log_likelihood, 1)),
        ]  # fmt: skip
    return lines


def how_it_fits(m: CountsModel) -> TableBlock:
    """Deviance, scatter, information criteria."""
    f, lines = m.model, [of_line(line) for line in fit_lines(m)]
    if m.spec.family == "negative_binomial":
        z = m.fitted.reach
        lines.insert(1, ("α of the variance μ + αμ²", q.num(f.alpha, decimals_of(f.alpha_se, f.alpha))))
        if np.isfinite(f.alpha_se):
            ends = [f.alpha * float(np.exp(s * z * f.alpha_se / f.alpha)) for s in (-1, 1)]
            reach = q.ci(ends[0], ends[1], decimals_of(f.alpha_se), None)["ci_low"]
            lines.insert(2, (f"  {level_words(m.spec.alpha)} CI", reach))
    lines += [
        ("Deviance", q.num(f.deviance, 1)), ("Pearson’s χ²", q.num(f.pearson, 1)), ("df", q.count(f.df)),
        ("Rows", q.count(f.n)), ("Counted in all", q.count(m.data.y.sum())),
    ]  # fmt: skip
    return fit_table("How well it fits", lines)


def seen(m: CountsModel) -> tuple[TableBlock, FigureBlock]:
    """Rows with each count, as they are and as the model expects them."""
    found, expected = m.seen_and_expected
    top = len(found) - 2
    names = [*map(str, range(top + 1)), f"{top + 1} and more"]
    rows = [
        q.row(
            level=q.name(name, "Count"), n=q.count(n, "Rows seen"), expected=q.num(float(e), 1, "Expected"),
            residual=q.num(
                float((n - e) / np.sqrt(e)) if e > 0 else np.nan, 1, "Seen beside expected, in SDs",
                    why="none is expected",
            ),
        )
        for name, n, e in zip(names, found, expected, strict=True)
    ]  # fmt: skip
    note = "Expected under the model, each row with its own mean."
    if m.spec.family == "quasi":
        note = "Quasi-Poisson says nothing of single counts; expected are those of Poisson."
    made = q.table("frequencies", "Counts, seen and expected", rows, note=note, folded=True)
    drawn = seen_and_expected(names[:-1], found[:-1], expected[:-1], m.data.response.title)
    return made, block("counts", "Counts, seen and expected", drawn, small=True)


def card(m: CountsModel, found: list[Coefficient]) -> ModelCard:
    """What a trail and a line-up show of the model."""
    own = m.model.log_likelihood
    return model_card(
        m.fitted, found, fit_lines(m), kind=NAMES[m.spec.family], said=m.data.response.title, effect="rate_ratio",
        log_likelihood=own if np.isfinite(own) else None, parameters=m.model.parameters, likelihood_of="counts",
    )  # fmt: skip


def facts(m: CountsModel, found: list[Coefficient]) -> dict[str, Any]:
    """Numbers by name."""
    f = m.model
    zeros = m.zeros_expected
    out: dict[str, Any] = {
        "n": f.n, "counted": float(m.data.y.sum()), "log_likelihood": f.log_likelihood,
        "null_log_likelihood": m.null.log_likelihood,
        "aic": f.aic, "bic": f.bic, "deviance": f.deviance, "pearson.chi2": f.pearson, "residual.df": f.df,
        "dispersion": f.dispersion, "deviance_explained": m.explained, "zeros": int((m.data.y == 0).sum()),
        "zeros.expected": zeros,
    }  # fmt: skip
    if m.spec.family == "negative_binomial":
        out |= {"alpha": f.alpha, "alpha.se": f.alpha_se}
    if m.whole_test:
        value, df, p = m.whole_test
        name = "chi2" if np.isinf(m.free) else "f"
        out |= {f"whole.{name}": value, "whole.df": df, "whole.p": p, "p": p}
    out |= coefficient_facts(found, scale_of(m).letter) | term_facts(m.data, m.term_tests)
    for c in found:
        if c.column is not None and np.isfinite(c.b):
            out |= {f"{c.key}.rate_ratio": exp(c.b), f"{c.key}.ci_low": exp(c.low), f"{c.key}.ci_high": exp(c.high)}
    return out
