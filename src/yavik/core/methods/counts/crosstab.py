"""Do two categories go together? Counts, shares, tests of independence, strength, layers."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Marks, RowsUsed, Span
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    df,
    grouped,
    italic,
    level_words,
    listing,
    number,
    p_words,
    percent,
    plain,
    say,
    statistic,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import block
from yavik.core.figures.shades import shares
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec, amount, option, placed, slot
from yavik.core.methods.compare._two_words import ends
from yavik.core.methods.counts import _crosstab_tables as tables
from yavik.core.methods.counts._crosstab_page import PAGE
from yavik.core.methods.counts._shared import LEVELS, is_ordered, levels_of, weights
from yavik.core.methods.events import plain_event
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


class CrosstabSpec(Spec):
    rows: str | None = Field(None, title="Rows", json_schema_extra=slot(LEVELS, "a category"))
    columns: str | None = Field(None, title="Columns", json_schema_extra=slot(LEVELS, "a category"))
    layers: str | None = Field(None, title="Layers", json_schema_extra=slot(LEVELS, "a third category"))
    count: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Rows count by", "A column that says how often each row stands.", kinds=["count"]
        ),
    )
    exact: Literal["auto", "yes", "no"] = Field(
        "auto",
        json_schema_extra=option(
            "Fisher's exact test",
            {"auto": "where counts are small", "yes": "always", "no": "never"},
            "Two by two exactly; larger tables by drawing tables with the same totals.",
        ),
    )
    draws: int = Field(
        9999,
        ge=99,
        le=1_000_000,
        json_schema_extra=amount("Tables drawn", "For Fisher's test of larger tables.", min=99, max=1000000, step=1),
    )


@dataclass(frozen=True)
class Results:
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
        return small_counts(self.test.expected)

    @property
    def by_fisher(self) -> bool:
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


def compute(table: Table, spec: CrosstabSpec, run: Run) -> Answer:
    assert spec.rows and spec.columns
    names = [n for n in (spec.rows, spec.columns, spec.layers, spec.count) if n]
    twice = next((n for i, n in enumerate(names) if n in names[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two slots; choose different columns.", column=twice)
    counts, used, coded = _count(table, spec)
    r = _results(table, spec, counts, coded, run)
    p = say(italic("p"), f" {p_words(r.p)}")
    gone = table.n_rows - used
    left = [LeftOut(why=f"{listing(names[:3])} not all filled", n=gone)] if gone else []
    picture = block(
        "figure",
        f"{r.column_title} within {r.row_title}",
        shares(r.rows, r.columns, r.counts, r.row_title, r.column_title),
    )
    return compose(
        headline(r),
        short=f"{'go together' if r.p < spec.alpha else 'no evidence that they go together'}{' within layers' if r.layers or r.stratified else ''}, {plain(p)}",
        settings=[
            "Mantel–Haenszel within layers"
            if r.layers or r.stratified
            else "Fisher's exact test"
            if r.by_fisher
            else "Pearson's χ²",
            *([f"weighted by {spec.count}"] if spec.count else []),
        ],
        facts=tables.facts(r),
        blocks=[picture if len(r.rows) <= 30 and len(r.columns) <= 12 else None, *tables.all_tables(r)],
        checks=tables.checks(r),
        rows=RowsUsed(total=table.n_rows, used=used, left_out=left),
        marks=Marks(p=p),
        seed=spec.seed if r.fisher and not r.fisher.exact else None,
    )


def _count(table: Table, spec: CrosstabSpec) -> tuple[Floats, int, list[Codes]]:
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


def _results(table: Table, spec: CrosstabSpec, full: Floats, coded: list[Codes], run: Run) -> Results:
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
    return Results(
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


def headline(r: Results) -> list[Span]:
    a, b = lower(r.row_title), lower(r.column_title)
    claim = f"{b} goes with {a}"
    if r.layers or r.stratified:
        return _layered(r, claim)
    if r.two and r.alternative != "two_sided":
        way = "lower" if r.alternative == "less" else "higher"
        claim = f"the share of {r.columns[r.event]} is {way} in {r.rows[0]} than in {r.rows[1]}"
    start = f"{claim[0].upper()}{claim[1:]}, " if r.p < r.alpha else f"There is no evidence that {claim}, "
    return say(start, *_flat_test(r), _most(r))


def _flat_test(r: Results) -> list[Span]:
    t, n = r.test.pearson, int(r.counts.sum())
    if r.by_fisher:
        how = "Fisher's exact test" + ("" if r.alternative == "two_sided" else ", one-sided")
        return say(italic("p"), f" {p_words(r.flat_p)} ({how}, ", italic("n"), f" = {grouped(n)}). ")
    if r.alternative != "two_sided":
        return say(italic("z"), f" = {statistic(r.z)}, ", italic("p"), f" {p_words(r.flat_p)} (one-sided). ")
    head = say(f"χ²({df(t.df)}, ", italic("n"), f" = {grouped(n)}) = {statistic(t.chi2)}, ")
    return say(*head, italic("p"), f" {p_words(t.p)}. ")


def _layered(r: Results, claim: str) -> list[Span]:
    """What holds within layers leads; the table without them stands second, and a reversal is said."""
    within = f"within layers of {lower(r.layer_title)}"
    t = r.layers.test if r.layers else r.stratified
    assert t is not None
    start = f"{within[0].upper()}{within[1:]} " + (
        f"{claim}, " if t.p < r.alpha else f"there is no evidence that {claim}, "
    )
    spans = say(start, f"χ²({df(t.df)}) = {statistic(t.chi2)}, ", italic("p"), f" {p_words(t.p)} (Mantel–Haenszel)")
    if not (r.layers and r.two):
        return say(*spans, ". Without layers: ", *_flat_test(r), _most(r))
    o, whole = r.layers.odds_ratio, r.two.odds_ratio
    ci = f"{level_words(r.alpha)} CI {number(o.ci_low, 2)} to {number(o.ci_high, 2)}"
    what = f"common odds ratio of {r.columns[r.event]} {number(o.estimate, 2)}, {r.rows[0]} against {r.rows[1]}, {ci}"
    h = r.layers.homogeneity
    differ = "; odds ratios differ between layers, so no single one speaks for all" if h and h.p < r.alpha else ""
    if r.reversed:
        rest = f". Taken together without the layers it turns round: odds ratio {number(whole.estimate, 2)} (Simpson's paradox); the layers are what to go by."
    elif np.isfinite(whole.estimate):
        rest = f". Without the layers the odds ratio is {number(whole.estimate, 2)}."
    else:
        rest = "."
    return say(*spans, f": {what}{differ}{rest}")


def _most(r: Results) -> str:
    """The level whose share runs widest over the rows, or the one that plainly is the event."""
    part = r.counts / r.counts.sum(axis=1, keepdims=True)
    j = r.event if r.two or r.plainly else int(np.argmax(np.ptp(part, axis=0)))
    low, high = int(part[:, j].argmin()), int(part[:, j].argmax())
    level = r.columns[j]
    what = f"{lower(r.column_title)} = {level}" if level.lstrip("-").isdigit() else level
    text = f"The share of {what} runs from {percent(float(part[low, j]))} in {r.rows[low]} to {percent(float(part[high, j]))} in {r.rows[high]}"
    if r.two and np.isfinite(r.two.odds_ratio.ci_low):
        o = r.two.odds_ratio
        who = f"{r.rows[0]} against {r.rows[1]}"
        low_end, high_end = tables.odds_interval(r)
        ci = f"{level_words(r.alpha)} CI {ends(low_end, high_end, 2)}"
        text += f" (odds ratio {number(o.estimate, 2)}, {who}, {ci})"
    return text + "."


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return (8, "two categories") if spec.get("rows") and spec.get("columns") else (-5, "")


METHOD = Method(
    id="crosstab",
    aim=Aim.counts,
    title="Table of counts: χ², Fisher's exact test, odds ratio, Cramér's V, layers",
    layouts=(
        Layout(
            "rows",
            "a row for each case, or a column of counts",
            "Does {columns} go with {rows}, in layers of {layers}?",
            ("rows", "columns", "layers"),
            ("rows", "columns"),
        ),
    ),
    Spec=CrosstabSpec,
    compute=compute,
    page=PAGE,
    order=1,
    fit=_fit,
    name=lambda spec: f"{spec.columns} by {spec.rows}",
    uses=("alternative", "seed"),
    keywords=(
        "chi square",
        "contingency",
        "fisher",
        "odds ratio",
        "relative risk",
        "cramer",
        "mantel-haenszel",
        "gamma",
        "kendall",
        "independence",
    ),
)
