"""What a term is worth in a model of counts, for a selection."""

from collections.abc import Sequence

from scipy import special

from yavik.core.stats.binary import Prepared
from yavik.core.stats.count_models import CountFit, Family, fit_counts
from yavik.core.stats.design import Design
from yavik.core.stats.groups import Floats
from yavik.core.stats.selection import ChooseBy, Judged, LikelihoodJudge, Terms, by_ratio


class CountJudge(LikelihoodJudge[CountFit]):
    """Likelihood-ratio tests both to enter and to leave; for quasi-Poisson F from the change of the deviance."""

    def __init__(
        self, design: Design, whole: Prepared, used: Sequence[int], offset: Floats | None, family: Family
    ) -> None:
        super().__init__(design, whole, used)
        self.offset, self.family = offset, family

    def fitted(self, columns: list[int]) -> CountFit:
        """The model of these columns of ``whole``."""
        return fit_counts(self.whole.among(columns), self.offset, self.family)

    def against(self, term: int, df: int, small: CountFit, large: CountFit) -> Judged | None:
        """Likelihood ratio, or F; None where no scatter is left to judge by."""
        if self.family != "quasi":
            return by_ratio(term, df, large.log_likelihood - small.log_likelihood)
        if large.df <= 0 or not large.dispersion > 0:
            return None
        f = max(small.deviance - large.deviance, 0.0) / df / large.dispersion
        return Judged(term, f, df, large.df, float(special.fdtrc(df, large.df, f)))

    def criterion(self, now: Terms, by: ChooseBy) -> float:
        """AIC or BIC: smaller is better."""
        return self.model(now).bic if by == "bic" else self.model(now).aic
