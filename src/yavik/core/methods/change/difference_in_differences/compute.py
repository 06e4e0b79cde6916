"""The difference of the differences: four means, the regression, an estimate for each period, starts at other times."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers.wording import counted
from yavik.core.methods.change.difference_in_differences.data import Study, read_study
from yavik.core.methods.change.difference_in_differences.spec import DidSpec
from yavik.core.stats.change.absorb import demeaned, independent, leverage, rank_of
from yavik.core.stats.change.regression import Estimates, regress
from yavik.core.stats.change.starts import Averaged, Cell, averaged, cells, together
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import lies_within, numbered
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

GONE = 1e-9


@dataclass(frozen=True)
class Mean:
    """One of the four cells."""

    n: int
    mean: float
    se: float


@dataclass(frozen=True)
class Effect:
    """An estimate with its error: of one period, or of the change as a whole."""

    place: int
    estimate: float
    se: float
    df: float
    p: float
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Did:
    """Everything that is told of one study.

    Args:
        se: the errors that were used, where what was asked for cannot be had.
        effect: of the change. words: the small-sample factor.
        levels: whose own levels are taken out: units, or groups.
    """

    spec: DidSpec
    study: Study
    se: str
    effect: Effect
    fit: Estimates
    levels: str
    dropped: list[str]

    @cached_property
    def four(self) -> dict[tuple[int, int], Mean] | None:
        """Means by group (1 treated) and time (1 after); None where starts differ."""
        s = self.study
        if len(s.starts) != 1:
            return None
        late = (s.period >= s.starts[0]).astype(int)
        return {(g, t): self._mean((s.group == g) & (late == t)) for g in (0, 1) for t in (0, 1)}

    def _mean(self, rows: Any) -> Mean:
        y, w = self.study.y[rows], self.study.weights[rows]
        mean = float((w * y).sum() / w.sum())
        n = len(y)
        spread = float((w * (y - mean) ** 2).sum() / w.sum()) * n / max(n - 1, 1)
        return Mean(n, mean, float(np.sqrt(spread / n)) if n > 1 else np.nan)

    @property
    def by_hand(self) -> float:
        """The difference of the differences of the four means; NaN where starts differ."""
        m = self.four
        if m is None:
            return np.nan
        return (m[1, 1].mean - m[1, 0].mean) - (m[0, 1].mean - m[0, 0].mean)

    @cached_property
    def courses(self) -> list[tuple[str, list[Mean | None]]]:
        """Means of each period, for the others and for every group by start."""
        s = self.study
        groups = [("others", s.start < 0)] if (s.start < 0).any() else []
        several = len(s.starts) > 1
        groups += [(f"from {s.periods[g]}" if several else "treated", s.start == g) for g in s.starts]
        out = []
        for name, own in groups:
            line: list[Mean | None] = []
            for t in range(len(s.periods)):
                rows = own & (s.period == t)
                line.append(self._mean(rows) if rows.any() else None)
            out.append((name, line))
        return out

    @cached_property
    def events(self) -> tuple[list[Effect], tuple[float, int, float] | None] | None:
        """An estimate for each period from the start, the one before it being 0, and the joint test of those before;
        None with one period before and one after."""
        s = self.study
        if s.simple:
            return None
        if self.averages:
            return self._events_by_start()
        since = np.where(s.start >= 0, s.period - s.start, -1)
        places = [int(k) for k in np.unique(since[s.start >= 0]) if k != -1]
        x = np.column_stack([((s.start >= 0) & (since == k)).astype(np.float64) for k in places])
        try:
            fit, kept, _ = _fitted(s, self.spec, x, self.se)
        except DataProblem:
            return None
        told = [_effect(fit, kept.index(i), k, self.spec.alpha) for i, k in enumerate(places) if i in kept]
        before = [kept.index(i) for i, k in enumerate(places) if k < -1 and i in kept]
        return told, fit.joint(before) if before else None

    def _events_by_start(self) -> tuple[list[Effect], tuple[float, int, float] | None]:
        """The same where starts differ, from groups by start beside those not started yet: plain coefficients of
        periods would mix periods with each other (Sun and Abraham, 2021)."""
        df, since = self._df_by_start, self.averages[2:]
        told = [_told(a.estimate, a.se, df, int(a.label), self.spec.alpha) for a in since]
        before = [a for a in since if int(a.label) < -1]
        return told, together(before, df) if before else None

    @cached_property
    def placebo(self) -> Effect | None:
        """The same with a start halfway through the periods before; None with fewer than two of them."""
        s = self.study
        first = min(s.starts)
        if first < 2:
            return None
        early = s.period < first
        at = (first + 1) // 2
        on = ((s.group == 1) & (s.period >= at))[early].astype(np.float64)
        if not on.any() or on.all():
            return None
        try:
            fit, kept, _ = _fitted(s, self.spec, on[:, None], self.se, early)
        except DataProblem:
            return None
        return _effect(fit, 0, at, self.spec.alpha) if 0 in kept else None

    @cached_property
    def by_start(self) -> list[Cell]:
        """Groups by start against those not started yet; empty without units, or where all start together."""
        s = self.study
        if s.unit is None or len(s.starts) < 2:
            return []
        return cells(self._wide, self._unit_start)

    @cached_property
    def _wide(self) -> Floats:
        s = self.study
        n, t = len(s.units), len(s.periods)
        total, count = np.zeros((n, t)), np.zeros((n, t))
        np.add.at(total, (s.unit, s.period), s.y)
        np.add.at(count, (s.unit, s.period), 1.0)
        return np.where(count > 0, total / np.maximum(count, 1), np.nan)

    @cached_property
    def _unit_start(self) -> Any:
        s = self.study
        out = np.full(len(s.units), -1)
        out[s.unit] = s.start
        return out

    @cached_property
    def averages(self) -> list[Averaged]:
        """By group sizes, over all cells, and by time since the start."""
        after = [c for c in self.by_start if c.period >= c.start]
        if not after:
            return []
        unit_clusters = np.arange(len(self.study.units))
        if self.study.clusters is not None:
            unit_clusters = np.zeros(len(self.study.units), np.int64)
            unit_clusters[self.study.unit] = self.study.clusters
        sizes = {g: int((self._unit_start == g).sum()) for g in self.study.starts}
        per = {g: sum(1 for c in after if c.start == g) for g in self.study.starts}
        made = [
            averaged(
                "groups by their size", after, np.array([sizes[c.start] / per[c.start] for c in after]), unit_clusters
            ),
            averaged(
                "all cells alike by units", after, np.array([sizes[c.start] for c in after], float), unit_clusters
            ),
        ]
        for k in sorted({c.period - c.start for c in self.by_start}):
            own = [c for c in self.by_start if c.period - c.start == k]
            made.append(averaged(f"{k}", own, np.array([sizes[c.start] for c in own], float), unit_clusters))
        return [m for m in made if m is not None]

    @property
    def _df_by_start(self) -> float:
        """Clusters less the groups by start, each of which has a mean of its own."""
        clusters = len(self.averages[0].parts) if self.averages else 0
        return float(max(clusters - len(np.unique(self._unit_start)), 1))

    @property
    def overall(self) -> list[tuple[str, Effect]]:
        """The averages over groups by start and over cells; empty without them."""
        return [(a.label, _told(a.estimate, a.se, self._df_by_start, 0, self.spec.alpha)) for a in self.averages[:2]]

    @property
    def told_cells(self) -> list[tuple[Cell, Effect]]:
        """Every cell with its estimate; its error is that of its own units."""
        df, alpha = self._df_by_start, self.spec.alpha
        return [
            (c, _told(c.estimate, float(np.sqrt((c.parts**2).sum())), df, c.period - c.start, alpha))
            for c in self.by_start
        ]


def compute_study(table: Table, spec: DidSpec, told: Told = silent) -> Did:
    """Raises DataProblem for what no change can be read from."""
    s = read_study(table, spec)
    told(0.2, "Estimating the change")
    se = spec.se
    if se in ("cluster", "wild") and s.clusters is None:
        se = "hc1"
    if se in ("cluster", "wild") and int(s.clusters.max()) < 1:
        raise DataProblem(
            "All rows belong to one cluster: nothing can be said of their scatter.", column=spec.cluster or spec.unit
        )
    fit, kept, dropped = _fitted(s, spec, s.on.astype(np.float64)[:, None], se)
    if 0 not in kept:
        raise DataProblem(
            "Who is treated when follows from units and periods alone: nobody is left to compare with.",
            column=spec.treated or spec.starts,
        )
    return Did(
        spec,
        s,
        se,
        _effect(fit, 0, 0, spec.alpha),
        fit,
        "units" if s.unit is not None and not s.simple else "groups",
        dropped,
    )


def _effect(fit: Estimates, i: int, place: int, alpha: float) -> Effect:
    return _told(float(fit.coef[i]), float(fit.se[i]), fit.df, place, alpha, float(fit.p[i]))


def _told(b: float, se: float, df: float, place: int, alpha: float, p: float | None = None) -> Effect:
    """An effect with its interval; without a standard error only the estimate is known."""
    if not se > 0:
        return Effect(place, b, np.nan, df, np.nan, np.nan, np.nan)
    reach = float(special.stdtrit(df, 1 - alpha / 2)) * se
    return Effect(
        place, b, se, df, float(2 * special.stdtr(df, -abs(b / se))) if p is None else p, b - reach, b + reach
    )


def _fitted(s: Study, spec: DidSpec, x: Floats, se: str, rows: Any = None) -> tuple[Estimates, list[int], list[str]]:
    """Least squares on columns of treatment and the covariates, own levels of units (or groups) and periods out.

    Returns:
        The estimates, which of the columns of ``x`` they are of (in order, first), and covariates that fell out.
    """
    rows = np.ones(s.data.n, bool) if rows is None else rows
    own = s.unit if s.unit is not None and not s.simple else s.group
    codes = [numbered(c[rows])[1] for c in (own, s.period)]
    weights = None if s.data.weights is None else s.data.weights[rows]
    whole = np.column_stack([s.y[rows], x if len(x) == rows.sum() else x[rows], s.x[rows]])
    flat = demeaned(whole, codes, weights)
    size = np.sqrt((whole**2).mean(axis=0))
    y, columns = flat[:, 0], flat[:, 1:]
    root = np.ones(len(y)) if weights is None else np.sqrt(weights)
    kept = independent(columns * root[:, None], size[1:])
    if not kept:
        raise DataProblem("Nothing is left of the treatment once units and periods have their own levels.")
    absorbed = rank_of(codes)
    if len(y) <= len(kept) + absorbed:
        raise DataProblem(
            f"There are {counted(len(y), 'row')} for {counted(len(kept) + absorbed, 'coefficient')}: nothing is left"
            " to judge"
            " them by.",
            column=spec.outcome,
        )
    clusters, nested = None, 0
    if s.clusters is not None and se in ("cluster", "wild"):
        clusters = numbered(s.clusters[rows])[1]
        nested = _nested(codes[0], clusters)
    k = x.shape[1]
    levers = leverage(codes, weights) if se in ("hc2", "hc3") else None
    fit = regress(y, columns[:, kept], se, absorbed, clusters, weights, nested, levers, spec.seed, 0, spec.draws)
    names = [s.data.column_title(j - k) for j in range(k, columns.shape[1]) if j not in kept]
    return fit, [j for j in kept if j < k], names


def _nested(own: Any, clusters: Any) -> int:
    """Levels that lie within clusters: they do not count in the small-sample factor."""
    return int(own.max()) + 1 if lies_within(own, clusters) else 0
