"""Everything that a comparison of two samples computes; tables and words only read it."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import listing, told
from yavik.core.figures.data import Grouped
from yavik.core.methods.base import Alternative, Run
from yavik.core.methods.compare.two.spec import CompareTwoSpec
from yavik.core.stats import draws
from yavik.core.stats.decimals import settled
from yavik.core.stats.direction import reach_of_means
from yavik.core.stats.draws import Permuted
from yavik.core.stats.effect_sizes import Size, cohen_d, superiority
from yavik.core.stats.groups import Floats
from yavik.core.stats.ranks import merged_ranks
from yavik.core.stats.spread import RatioTest, f_ratio
from yavik.core.stats.two import RankSum, Sample, TTest, mann_whitney, shift, t_test
from yavik.core.table import DataProblem

MOST_ASIDE = 200_000
"""Rows up to which the rank test stands beside another test."""


@dataclass(frozen=True)
class Known:
    """What the two samples are called and what is known of them."""

    names: tuple[str, str]
    value: str
    unit: str | None
    decimals: int
    a: Sample
    b: Sample
    group: str


@dataclass(frozen=True)
class TwoResults:
    """Everything computed; tables and words only read it. ``data`` is None for typed-in summaries."""

    known: Known
    data: Grouped | None
    test: str
    student: TTest | str
    welch: TTest | str
    ranks: RankSum | None
    shift: tuple[float, float, float] | None
    permuted: Permuted | None
    d: Size
    g: Size
    superiority: Size | None
    null: float
    alpha: float
    alternative: Alternative

    @property
    def main(self) -> TTest:
        """The t test that the answer shows or leans on."""
        found = self.student if self.test == "student" or isinstance(self.welch, str) else self.welch
        assert isinstance(found, TTest)
        return found

    @property
    def variance_ratio(self) -> RatioTest | None:
        """The F ratio of the variances; None where a group has no spread."""
        a, b = self.known.a, self.known.b
        if min(a.n, b.n) < 2 or min(a.variance, b.variance) <= 0:
            return None
        return f_ratio(a.variance, b.variance, a.n, b.n, 1.0, self.alpha, "two_sided")

    @property
    def reach(self) -> Floats:
        """Half the interval of each sample's mean, shape (2,); NaN for a single value."""
        a, b = self.known.a, self.known.b
        return np.asarray(reach_of_means([a.n, b.n], np.sqrt([a.variance, b.variance]), self.alpha))

    @property
    def printed(self) -> int:
        """Decimals of the difference."""
        errors = [t.se for t in (self.student, self.welch) if isinstance(t, TTest)]
        return told(self.known.decimals, *errors)

    @property
    def ends(self) -> tuple[float, float]:
        """Interval of the difference of the means: of divisions where they give one, else of t."""
        if self.permuted and self.permuted.ends:
            low, high = self.permuted.ends
            return low + self.null, high + self.null
        return self.main.ci_low, self.main.ci_high

    @property
    def p(self) -> float:
        """p of the test that was asked for."""
        if self.test == "mann_whitney" and self.ranks:
            return self.ranks.p
        return self.permuted.p if self.test == "permutation" and self.permuted else self.main.p


def demand_two(data: Grouped, spec: CompareTwoSpec) -> None:
    """Raises DataProblem where there are not two groups, or no spread to judge by."""
    g, column = data.groups, spec.groups or (spec.samples[0] if spec.samples else None)
    if g.k != 2:
        name = spec.groups or "The choice"
        has = f"one level, '{g.names[0]}'" if g.k == 1 else f"{g.k} levels: {listing(list(g.names), 6)}"
        more = "" if g.k < 2 else " Keep two of them with a filter, or ask 'Does it differ between groups?' instead."
        raise DataProblem(f"{name} has {has}; this question compares two.{more}", column=column)
    small = next((i for i in range(2) if g.n[i] < 2), None)
    if small is not None and (spec.test in ("auto", "welch") or g.n.sum() < 3):
        raise DataProblem(
            f"{g.names[small]} has one value (row {int(g.part_rows(small)[0])}); its own spread cannot be known from"
            " it. Student's t, with one spread for both, and ranks can do without.",
            column=column,
            rows=[int(g.part_rows(small)[0])],
        )
    if not np.any(g.ss > 0) and spec.test != "mann_whitney":
        raise DataProblem(
            "Within both groups all values are the same: there is no spread to judge a difference against.",
            column=spec.response or column,
        )
    if np.ptp(g.y) == 0 and not spec.difference:
        raise DataProblem("All values are the same: they cannot be ranked.", column=spec.response or column)


def computed(
    k: Known, data: Grouped | None, spec: CompareTwoSpec, run: Run, *, asides: bool = True
) -> TwoResults:  # fmt: skip
    """Every test of the two samples; those that need values are None for typed summaries.

    Args:
        asides: what stands beside the p of the test that was asked for is wanted too: its shift, its chance.
    """
    test = "welch" if spec.test == "auto" else spec.test
    alone = "a group with one value has no spread of its own"
    spread = sum(s.variance for s in (k.a, k.b) if s.n > 1)
    fine = k.a.n > 1 and k.b.n > 1 and spread > 0
    student: TTest | str = "no group has any spread"
    if spread > 0:
        student = t_test(k.a, k.b, spec.difference, spec.alpha, spec.alternative, pooled=True)
    welch: TTest | str = (
        t_test(k.a, k.b, spec.difference, spec.alpha, spec.alternative, pooled=False) if fine else alone
    )
    ranks = moved = permuted = better = None
    if data is not None:
        ranked = test == "mann_whitney" or len(data.groups.y) <= MOST_ASIDE
        if ranked or test == "permutation":
            a, b = _moved(data, spec.difference)
        if ranked:
            merged = merged_ranks(a, b)
            ranks = mann_whitney(
                a, b, exact=spec.exact, continuity=spec.continuity, alternative=spec.alternative, merged=merged
            )
            if asides:
                one, two = data.groups.ordered
                own = None if spec.difference else merged
                better = superiority(one, two, spec.alpha, spec.alternative, own)
        if test == "mann_whitney" and asides:
            moved = shift(data.groups.ordered[0], data.groups.ordered[1], spec.alpha, spec.alternative)
        if test == "permutation":
            permuted = draws.two_samples(
                a,
                b,
                spec.alternative,
                draws.DRAWS,
                spec.seed,
                lambda s: run.progress(0.2 + 0.7 * s, "Drawing"),
                spec.alpha,
            )
    nothing = Size(np.nan, np.nan, np.nan)
    d, g = (
        cohen_d(k.a.mean, k.b.mean, k.a.variance, k.b.variance, k.a.n, k.b.n, spec.alpha)
        if spread > 0
        else (nothing, nothing)
    )
    return TwoResults(
        k,
        data,
        test,
        student,
        welch,
        ranks,
        moved,
        permuted,
        d,
        g,
        better,
        spec.difference,
        spec.alpha,
        spec.alternative,
    )


def _moved(data: Grouped, by: float) -> tuple[Any, Any]:
    """Both samples sorted, the first moved by the difference tested; values that become equal in decimal are
    equal."""
    a, b = data.groups.ordered
    if not by:
        return a, b
    return settled(a - by, a, b, by), settled(b, a, b, by)
