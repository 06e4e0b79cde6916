"""Everything that a table of counts computes; tables and words only read it."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from yavik.core.methods.base import Run
from yavik.core.methods.counts.crosstab.spec import CrosstabSpec
from yavik.core.methods.kit.events import plain_event
from yavik.core.methods.kit.shares import is_ordered, levels_of, weights
from yavik.core.stats.direction import Alternative, z_p
from yavik.core.stats.draws import Permuted
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.groups import Floats
from yavik.core.stats.shares import trend_of_shares
from yavik.core.stats.spread import Chi2Test
from yavik.core.stats.tables_of_counts import (
    Independence,
    Layers,
    Ordinal,
    TwoByTwo,
    cramer_v,
    fisher_2x2,
    fisher_by_draws,
    fisher_interval,
    independence,
    mantel_haenszel,
    ordinal,
    small_counts,
    stratified_association,
    two_by_two,
)
from yavik.core.table import Codes, DataProblem, Table

MOST_EXACT = 1000


MOST_LAYERS = 40


@dataclass(frozen=True)
class CrosstabResults:
    """Everything computed of one table of counts without empty rows and columns."""

    counts: Floats
    rows: tuple[str, ...]
    columns: tuple[str, ...]
    row_title: str
    column_title: str
    test: Independence
    fisher: Permuted | None
    v: Size
    two: TwoByTwo | None
    ordinal: Ordinal | None
    layers: Layers | None
    layer_names: list[str]
    layer_counts: Floats | None
    layer_title: str
    stratified: Chi2Test | None
    """Association within layers, by the generalised Mantel–Haenszel test."""
    trend: tuple[float, float] | None
    """z and p of shares that rise or fall with ordered rows."""
    dropped: list[str]
    alpha: float
    alternative: Alternative
    event: int
    """The column whose shares are spoken of."""
    plainly: bool
    """Whether that column plainly means yes."""

    @property
    def small(self) -> bool:
        """Whether expected counts are too small for χ²."""
        return small_counts(self.test.expected)

    @property
    def by_fisher(self) -> bool:
        """Whether Fisher's exact test speaks."""
        return self.fisher is not None and self.small

    @property
    def z(self) -> float:
        """Signed root of χ² of two by two: above zero where the event is commoner in the first row."""
        return (
            float(np.sign(self.two.risk_difference.estimate) * np.sqrt(self.test.pearson.chi2))
            if self.two
            else np.nan
        )

    @property
    def phi(self) -> float:
        """φ with both columns' levels in their order, as τ-b takes them, whichever level is the event."""
        assert self.two
        return self.two.phi if self.event == 0 else -self.two.phi

    @cached_property
    def odds_interval(self) -> tuple[float, float]:
        """The odds ratio's interval that goes with the test that speaks: Fisher's own, or Woolf's."""
        assert self.two
        counts = self.counts[:, [self.event, 1 - self.event]]
        if self.by_fisher:
            return fisher_interval(counts, self.alpha, self.alternative)
        o = self.two.odds_ratio
        if self.alternative == "two_sided":
            return o.ci_low, o.ci_high
        o = two_by_two(counts, 2 * self.alpha).odds_ratio
        return (o.ci_low, np.inf) if self.alternative == "greater" else (-np.inf, o.ci_high)

    @property
    def layer_tests(self) -> list[Chi2Test | None]:
        """Pearson's χ² within each layer; None where one row or column is left."""
        made: list[Chi2Test | None] = []
        for own in self.layer_counts if self.layer_counts is not None else []:
            kept = own[own.sum(axis=1) > 0][:, own.sum(axis=0) > 0]
            made.append(independence(kept).pearson if min(kept.shape) > 1 else None)
        return made

    @property
    def flat_p(self) -> float:
        """p of the table without its layers."""
        if self.by_fisher and self.fisher:
            return self.fisher.p
        return self.test.pearson.p if self.alternative == "two_sided" else z_p(self.z, self.alternative)

    @property
    def p(self) -> float:
        """p of what the sentence says: within layers where there are some."""
        if self.layers:
            return self.layers.test.p
        return self.stratified.p if self.stratified else self.flat_p

    @property
    def reversed(self) -> bool:
        """Whether the layers' common odds ratio lies on the other side of 1 from that of the table without them."""
        if not (self.layers and self.two):
            return False
        a, b = self.layers.odds_ratio.estimate, self.two.odds_ratio.estimate
        return bool(np.isfinite(a) and np.isfinite(b) and (a - 1) * (b - 1) < 0)


def count(table: Table, spec: CrosstabSpec) -> tuple[Floats, int, list[Codes]]:
    """Counts of rows × columns (× layers), the rows used, and the columns' codes. Raises DataProblem for too many
    levels."""
    assert spec.rows and spec.columns
    coded = [levels_of(table, spec.rows), levels_of(table, spec.columns)]
    if spec.layers:
        coded.append(levels_of(table, spec.layers, MOST_LAYERS))
    weight = weights(table, spec.count)
    use = np.ones(table.n_rows, bool)
    flat = np.zeros(table.n_rows, np.int64)
    for c in coded:
        use &= c.codes >= 0
        flat = flat * len(c.levels) + np.maximum(c.codes, 0)
    shape = [len(c.levels) for c in coded]
    counts = np.bincount(flat[use], weight[use], minlength=int(np.prod(shape))).astype(float).reshape(shape)
    if counts.sum() == 0:
        raise DataProblem(f"No row has {spec.rows} and {spec.columns} both filled.", column=spec.columns)
    return counts, int(use.sum()), coded


def computed(table: Table, spec: CrosstabSpec, full: Floats, coded: list[Codes], run: Run) -> CrosstabResults:
    """Every test and measure of the table. Raises DataProblem where a row or column is all there is."""
    assert spec.rows and spec.columns
    flat = full.sum(axis=2) if full.ndim == 3 else full
    rows, columns = np.flatnonzero(flat.sum(axis=1)), np.flatnonzero(flat.sum(axis=0))
    for kept, c, name in ((rows, coded[0], spec.rows), (columns, coded[1], spec.columns)):
        if len(kept) < 2:
            raise DataProblem(
                f"{name} has one level, '{c.levels[kept[0]]}', among these rows; a table of counts needs two.",
                column=name,
            )
    counts = flat[np.ix_(rows, columns)]
    dropped = [
        c.levels[i]
        for c, kept in ((coded[0], rows), (coded[1], columns))
        for i in range(len(c.levels))
        if i not in kept
    ]
    test = independence(counts)
    two = counts.shape == (2, 2)
    if spec.alternative != "two_sided" and (not two or spec.layers):
        raise DataProblem(
            "Only a table of two rows and two columns without layers has a direction.", column=spec.rows
        )
    small = small_counts(test.expected)
    # Where no level plainly means yes, the table is read as it stands: first column, ad/bc.
    yes, there = plain_event(table, spec.columns), columns.tolist()
    event = there.index(yes) if yes is not None and yes in there else 0
    turned = counts[:, [event, 1 - event]] if two else counts
    fisher = None
    if spec.exact == "yes" or (spec.exact == "auto" and (small or (two and counts.sum() <= MOST_EXACT))):
        run.progress(0.4, "Drawing tables" if not two else "Fisher's exact test")
        fisher = (
            Permuted(fisher_2x2(turned, spec.alternative), 0, True)
            if two
            else fisher_by_draws(counts, spec.draws, spec.seed)
        )
    both_ordered = is_ordered(table, spec.rows) and is_ordered(table, spec.columns)
    layer_counts = layers = stratified = None
    names: list[str] = []
    if full.ndim == 3:
        filled = [i for i in range(full.shape[2]) if full[:, :, i].sum() > 0]
        names = [coded[2].levels[i] for i in filled]
        layer_counts = np.stack([full[:, :, i][np.ix_(rows, columns)] for i in filled])
        stratified = stratified_association(layer_counts)
        if two:
            whole = [
                c for c in layer_counts if np.all(c.sum(axis=0) > 0) and np.all(c.sum(axis=1) > 0) and c.sum() > 1
            ]
            layers = (
                mantel_haenszel(np.stack(whole)[:, :, np.array([event, 1 - event])], spec.alpha) if whole else None
            )
    return CrosstabResults(
        counts,
        tuple(coded[0].levels[i] for i in rows),
        tuple(coded[1].levels[i] for i in columns),
        table.column(spec.rows).title,
        table.column(spec.columns).title,
        test,
        fisher,
        cramer_v(test.pearson.chi2, counts, spec.alpha),
        two_by_two(turned, spec.alpha) if two else None,
        ordinal(counts, spec.alpha) if both_ordered or two else None,
        layers,
        names,
        layer_counts,
        table.column(spec.layers).title if spec.layers else "",
        stratified,
        _trend(table, spec.rows, counts, event),
        dropped,
        spec.alpha,
        spec.alternative,
        event,
        yes in columns,
    )


def _trend(table: Table, rows: str, counts: Floats, event: int) -> tuple[float, float] | None:
    """Cochran–Armitage trend of the event's share over ordered rows, at whole-number scores in their order."""
    if counts.shape[1] != 2 or counts.shape[0] < 3 or not is_ordered(table, rows):
        return None
    return trend_of_shares(counts[:, event], counts.sum(axis=1), np.arange(len(counts), dtype=float))
