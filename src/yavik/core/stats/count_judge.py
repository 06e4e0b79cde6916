"""What a term is worth in a model of counts, for a selection."""

from collections.abc import Sequence

import numpy as np
from scipy import special

from yavik.core.stats.binary import Prepared
from yavik.core.stats.count_models import CountFit, Family, fit_counts
from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.selection import ChooseBy, Judged, Terms


class CountJudge:
    """Likelihood-ratio tests both to enter and to leave; for quasi-Poisson F from the change of the deviance.

    Args:
        whole: prepared columns of all terms offered.
        used: places of the design's columns in ``whole``.
    """

    def __init__(
        self, design: Design, whole: Prepared, used: Sequence[int], offset: Floats | None, family: Family
    ) -> None:
        self.design, self.whole, self.used, self.offset, self.family = design, whole, list(used), offset, family
        self._kept: dict[Terms, CountFit] = {}

    def columns(self, now: Terms) -> list[int]:
        """Places in ``whole`` of the columns of these terms."""
        return [i for i, c in enumerate(self.used) if self.design.columns[c].term in now]

    def model(self, now: Terms) -> CountFit:
        """The model of these terms; kept, as a walk asks for it again."""
        if now not in self._kept:
            self._kept[now] = fit_counts(self.whole.among(self.columns(now)), self.offset, self.family)
        return self._kept[now]

    def add(self, now: Terms, term: int) -> Judged | None:
        """A term added to the model; None where it brings no column of its own."""
        return self._between(term, now, tuple(sorted((*now, term))))

    def drop(self, now: Terms, term: int) -> Judged | None:
        """A term left out of the model."""
        return self._between(term, tuple(t for t in now if t != term), now)

    def _between(self, term: int, small: Terms, large: Terms) -> Judged | None:
        df = len(self.columns(large)) - len(self.columns(small))
        if df <= 0:
            return None
        one, two = self.model(small), self.model(large)
        if self.family != "quasi":
            chi2 = max(2 * (two.log_likelihood - one.log_likelihood), 0.0)
            return Judged(term, chi2, df, np.nan, float(special.chdtrc(df, chi2)))
        if two.df <= 0 or not two.dispersion > 0:
            return None
        f = max(one.deviance - two.deviance, 0.0) / df / two.dispersion
        return Judged(term, f, df, two.df, float(special.fdtrc(df, two.df, f)))

    def criterion(self, now: Terms, by: ChooseBy) -> float:
        """AIC or BIC: smaller is better."""
        return self.model(now).bic if by == "bic" else self.model(now).aic
