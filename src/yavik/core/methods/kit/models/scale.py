"""What a coefficient says on its own scale: a difference, or a ratio of odds or rates."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import begun, level_words, number, significant, span
from yavik.core.methods.kit.models.coefficients import Coefficient, change_words
from yavik.core.methods.kit.models.fitted import Fitted

MOST = 700.0
"""Where a double's exponential ends."""
OPEN = "open: the likelihood has no end on this side"


@dataclass(frozen=True)
class Scale:
    """How the coefficients of a model are told.

    Args:
        letter: of the statistic.
        key, title: of the ratio's column; None where a coefficient is a difference.
        of: what a ratio multiplies, 'the odds of finished = yes'.
    """

    letter: Literal["t", "z"]
    key: Literal["odds_ratio", "rate_ratio"] | None = None
    title: str = ""
    of: str = ""

    def sentence(self, f: Fitted, c: Coefficient) -> str | None:
        """'Each further visit multiplies the odds of finished = yes by 1.17 (95% CI 1.13 to 1.22).'"""
        change = change_words(f, c)
        if change is None or self.key is None or not np.isfinite(c.b):
            return None
        others = ", other things equal" if len(f.data.terms) > 1 else ""
        ci = f"{level_words(f.alpha)} CI {ratio_span(c)}"
        return f"{begun(change)} multiplies {self.of} by {ratio(c.b)}{others} ({ci})."

    def cells(self, c: Coefficient, alpha: float) -> q.Row:
        """The ratio of a coefficient with its interval."""
        assert self.key
        why, interval = c.why or q.HERE, f"{level_words(alpha)} CI"
        if c.column is None:
            return {self.key: q.blank(self.title), "ci_low": q.blank(interval, "interval"), "ci_high": q.blank(None)}
        if c.why or not np.isfinite(c.b):
            return {self.key: q.gone(why, self.title), "ci_low": q.gone(why, interval), "ci_high": q.gone(why, None)}
        low, high = (exp(v) if np.isfinite(v) else None for v in (c.low, c.high))
        return {
            self.key: q.texted(exp(c.b), ratio(c.b), self.title),
            "ci_low": q.Quantity(low, ratio_span(c), interval, "interval"),
            "ci_high": q.gone(OPEN, None) if high is None else q.texted(high, ratio(c.high, c.b), None),
        }


def exp(b: float) -> float:
    """A ratio from its logarithm, within what a double holds."""
    return float(np.exp(np.clip(b, -MOST, MOST)))


def ratio(b: float, like: float | None = None) -> str:
    """A ratio from its logarithm: two decimals, more where they are needed to tell it (or the one it stands beside)
    from 1."""
    value = exp(b)
    if value >= 1000 or value < 0.001:
        return significant(value, 3)
    away = abs((value if like is None else exp(like)) - 1)
    fine = int(np.clip(1 - np.floor(np.log10(away * 1.05)), 2, 9)) if away > 0 else 2
    return number(value, min(fine, 1) if value >= 10 else fine)


def ratio_span(c: Coefficient) -> str:
    """The interval of a ratio; an end that is not known is left open."""
    low, high = (c.low if np.isfinite(c.low) else -np.inf), (c.high if np.isfinite(c.high) else np.inf)
    return "without bounds" if np.isinf(low) and np.isinf(high) else span(low, high, lambda v: ratio(v, c.b))
