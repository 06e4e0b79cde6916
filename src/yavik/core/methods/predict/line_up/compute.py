"""Tests between neighbours of a line-up."""

from dataclasses import dataclass
from typing import Literal

from scipy import special

from yavik.core.answers.model_card import ModelCard


@dataclass(frozen=True)
class Against:
    """A test against the model before; ``why`` where there is none."""

    letter: Literal["F", "χ²"]
    statistic: float | None
    df: tuple[float, ...]
    p: float | None
    why: str | None = None


def _not(why: str) -> Against:
    return Against("χ²", None, (), None, why)


def against(before: ModelCard, now: ModelCard) -> Against:
    """Nested models of the same kind on the same rows: F from residual sums of squares, or the likelihood ratio."""
    if before.rows != now.rows:
        return _not("not on the same rows")
    if before.kind != now.kind:
        return _not("models of different kinds")
    if before.weights != now.weights:
        return _not("not weighted alike")
    if before.penalised or now.penalised:
        why = (
            "penalised likelihoods of different columns are not on one scale; the tests of terms in the larger model"
            " say it"
        )
        return _not(why)
    if before.scale != now.scale:
        return _not("restricted likelihoods of other terms cannot be compared; fit by the full likelihood")
    a, b = (set(c.holds) or {e.key for e in c.estimates if e.b is not None} for c in (before, now))
    if not (a < b or b < a):
        return _not("the same model" if a == b else "neither holds all terms of the other")
    small, large = (before, now) if a < b else (now, before)
    if small.rss is not None and large.rss is not None and small.df is not None and large.df is not None:
        df1, df2 = small.df - large.df, large.df
        if df1 <= 0 or df2 <= 0 or large.rss <= 0:
            return _not("nothing is left to judge by")
        f = max(small.rss - large.rss, 0.0) / df1 / (large.rss / df2)
        return Against("F", f, (df1, df2), float(special.fdtrc(df1, df2, f)))
    if small.log_likelihood is None or large.log_likelihood is None:
        return _not("without a likelihood no ratio of two can be had; the tests of terms say it")
    k = large.parameters - small.parameters
    if k <= 0:
        return _not("an estimate that is not finite leaves nothing to test")
    chi2 = max(2 * (large.log_likelihood - small.log_likelihood), 0.0)
    if set(large.edge) & set(large.holds) - set(small.holds):
        return Against("χ²", chi2, (k,), None, "the smaller model lies at the edge of what is possible")
    return Against("χ²", chi2, (k,), float(special.chdtrc(k, chi2)))
