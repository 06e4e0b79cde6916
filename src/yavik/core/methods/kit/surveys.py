"""What every question about a survey needs: the design read from the table or the question, domains, and its words."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers import Check, RowsUsed, Verdict
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.wording import among, counted, grouped, listing, number, percent
from yavik.core.ask import amount, placed
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.events import place_of, plain_event
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered
from yavik.core.stats.surveys.designs import Replicated, Stratified, multipliers
from yavik.core.steps.expressions import rows_where
from yavik.core.steps.waves import METHODS
from yavik.core.table import NUMERIC, DataProblem, Design, Kind, Table, rows_in_words
from yavik.core.table.about import Lone, ReplicateMethod

SHORT = {
    "jk1": "jackknife", "jk2": "jackknife of pairs", "jkn": "jackknife within strata", "brr": "balanced halves",
    "fay": "balanced halves, Fay", "bootstrap": "bootstrap", "successive": "successive differences",
}  # fmt: skip
FEW_DF, MOST_LEVELS = 20, 60


class DesignFields(BaseModel):
    """A design that is given with the question, in place of the table's own."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    weight: str
    replicates: list[str] = []
    method: ReplicateMethod = "jk1"
    scale: float | None = Field(None, gt=0)
    fay: float = Field(0.5, ge=0, lt=1)
    strata: str | None = None
    clusters: str | None = None
    population: str | None = None
    lone: Lone = "centred"

    @property
    def whole(self) -> Design:
        """As a table keeps it."""
        return Design(**{**self.model_dump(), "replicates": tuple(self.replicates)})


class SurveySpec(Spec):
    """What every question about a survey asks."""

    design: DesignFields | None = Field(None, json_schema_extra=placed("hidden", "Design"))
    few: int = Field(
        30, ge=1, le=10_000,
        json_schema_extra=amount("Few rows are fewer than", "Estimates of fewer are marked.", min=1, step=1),
    )  # fmt: skip
    loose: float = Field(
        0.3, gt=0, le=10,
        json_schema_extra=amount(
            "Loose are errors above", "Standard error over the estimate; such estimates are marked.", min=0.01,
            step=0.05,
        ),
    )  # fmt: skip


def fits_design(rank: float) -> Callable[[Table, dict[str, Any]], tuple[float, str] | None]:
    """How well a question of surveys fits: tables with a design ask for it."""
    return lambda table, _spec: (rank, "the table has a survey design") if table.about.design else (-30, "")


def design_columns(spec: SurveySpec) -> list[str]:
    """Columns of a design that is given with the question."""
    return spec.design.whole.columns if spec.design else []


@dataclass(frozen=True)
class Surveyed:
    """A table with its design.

    Args:
        domain: 1 for rows that the question is about, else 0. what: replicates or strata and clusters.
        zero: rows without weight.
    """

    table: Table
    design: Design
    what: Replicated | Stratified
    domain: Floats
    zero: int

    @property
    def weights(self) -> Floats:
        """Of every row."""
        return self.what.weights

    @cached_property
    def df(self) -> float:
        """Of the design among the rows asked about."""
        return self.what.df(self.domain > 0)

    @property
    def total(self) -> float:
        """What the rows asked about stand for."""
        return float(self.weights @ self.domain)

    @cached_property
    def kish(self) -> float:
        """1 + CV² of the weights: by how much they alone widen a mean's variance (Kish, 1965)."""
        w = self.weights[(self.domain > 0) & (self.weights > 0)]
        return float(len(w) * (w @ w) / w.sum() ** 2) if len(w) else np.nan

    def settings(self) -> list[str]:
        """How it was weighed, for the line under the sentence."""
        n = int(self.domain.sum())
        d = self.design
        rows = f"{counted(n, 'row')} asked about, " if n < self.table.n_rows else ""
        made = [f"{rows}standing for {standing(self.total)}", f"weighted by {d.weight}"]
        if isinstance(self.what, Replicated):
            made.append(f"{counted(len(d.replicates), 'replicate')}, {SHORT[d.method]}")
        else:
            parts = [f"strata {d.strata}" if d.strata else "", f"clusters {d.clusters}" if d.clusters else ""]
            made.append(" and ".join(p for p in parts if p) or "rows drawn one by one")
        return [*made, f"{number(self.df, 0)} df"]

    def sentence(self) -> str:
        """The same for a write-up."""
        d = self.design
        if isinstance(self.what, Replicated):
            how = f"{counted(len(d.replicates), 'replicate weight')} ({METHODS[d.method]})"
        else:
            parts = [f"strata ({d.strata})" if d.strata else "", f"clusters ({d.clusters})" if d.clusters else ""]
            how = "linearisation over " + (" and ".join(p for p in parts if p) or "rows")
        return f"Estimates are weighted by {d.weight}; standard errors are by {how} with {number(self.df, 0)} df"

    def rows(self, used: Any, why: str) -> RowsUsed:
        """Rows used, and those of the domain that were not."""
        inside: Any = self.domain > 0
        left = []
        outside = self.table.rows[~inside]
        if len(outside):
            left.append(LeftOut(why="outside the rows asked about, counting as zero", n=len(outside), rows=[]))
        gone = self.table.rows[inside & ~used]
        if len(gone):
            left.append(LeftOut(why=why, n=len(gone), rows=[int(r) for r in gone[:200]]))
        return RowsUsed(total=self.table.n_rows, used=int((inside & used).sum()), left_out=left)


def points(value: float, decimals: int = 1) -> str:
    """A difference or an error of shares: '5.9 pp'."""
    return f"{number(100 * value, max(decimals, 1))}\u00a0pp"


def standing(total: float) -> str:
    """What rows stand for: '41 000', '12.4'."""
    return grouped(round(total)) if total >= 100 else number(total, 1)


def read_survey(table: Table, spec: SurveySpec) -> Surveyed:
    """Raises DataProblem where there is no design, or weights cannot be used."""
    design = spec.design.whole if spec.design else table.about.design
    if design is None or design.weight is None:
        raise DataProblem(f"This table has no survey design: {guess(table)}")
    weights = _weights(table, design.weight)
    domain = np.ones(table.n_rows)
    if spec.where:
        mask: Any = rows_where(spec.where, table)
        domain = np.asarray(mask, float)
        if not mask.any():
            raise DataProblem(f"No row has {spec.where}.")
    if not (weights * domain).sum() > 0:
        raise DataProblem(f"{design.weight} is 0 in every row that is asked about.", column=design.weight)
    what = _replicated(table, design, weights) if design.replicates else _stratified(table, design, weights)
    return Surveyed(table, design, what, domain, int((weights[domain > 0] == 0).sum()))


def guess(table: Table) -> str:
    """What a design needs, with columns whose names look like one."""
    text = "add the step “Survey design” to its path, with a weight, and replicate weights or strata and clusters."
    stems: dict[str, list[str]] = {}
    for c in table.columns:
        found = re.fullmatch(r"(.*?)[ _]?(\d+)", c.name)
        if found and c.kind in NUMERIC:
            stems.setdefault(found[1], []).append(c.name)
    long = max(stems.values(), key=len, default=[])
    if len(long) >= 10:
        text += f" {long[0]} … {long[-1]} look like {len(long)} replicate weights."
    weight = next(
        (c.name for c in table.columns if re.fullmatch(r"(w|wt|wgt|.*weight.*|w_.*)", c.name.lower())), None
    )
    return text + (f" {weight} looks like a weight." if weight else "")


def _weights(table: Table, name: str) -> Floats:
    w = table.numbers(name)
    for wrong, why in ((np.isnan(w), "is empty"), (w < 0, "is below 0")):
        if wrong.any():
            rows = [int(r) for r in table.rows[wrong]]
            raise DataProblem(
                f"{name} {why} in {rows_in_words(rows[:6])}: every row needs a weight of 0 or more.",
                column=name,
                rows=rows,
            )
    return w


def _replicated(table: Table, design: Design, weights: Floats) -> Replicated:
    replicates = np.column_stack([_weights(table, r) for r in design.replicates])
    if replicates.shape[1] < 2:
        raise DataProblem("One replicate weight tells no variance; two are needed.", column=design.replicates[0])
    scales = multipliers(design.method, replicates, weights, design.fay)
    if design.scale is not None:
        scales = np.full(replicates.shape[1], design.scale)
    made = Replicated(weights, replicates, scales, design.method, design.waves)
    if not made.active():
        raise DataProblem(
            f"All {len(design.replicates)} replicate weights are the weight itself ({design.replicates[0]} …): they"
            " tell no variance.",
            column=design.replicates[0],
        )
    return made


def _stratified(table: Table, design: Design, weights: Floats) -> Stratified:
    def coded(name: str | None) -> Any:
        if name is None:
            return None
        codes = table.codes(name).codes
        if (codes < 0).any():
            rows = [int(r) for r in table.rows[codes < 0]]
            raise DataProblem(
                f"{name} is empty in {rows_in_words(rows[:6])}: every row needs one.", column=name, rows=rows
            )
        return numbered(codes)[1]

    strata = coded(design.strata)
    strata = np.zeros(table.n_rows, int) if strata is None else strata
    own = coded(design.clusters)
    own = np.arange(table.n_rows) if own is None else own
    # a cluster's name may come again in another stratum
    _, clusters = numbered(strata.astype(np.int64) * (int(own.max()) + 1) + own)
    of_cluster = np.zeros(int(clusters.max()) + 1, int)
    of_cluster[clusters] = strata
    sizes = np.bincount(of_cluster)
    if int(sizes.sum()) - len(sizes) < 1:
        name = design.clusters or design.strata or design.weight
        raise DataProblem("Every stratum has one cluster: nothing is left to tell the variance from.", column=name)
    return Stratified(weights, strata, clusters, _shares(table, design, strata, sizes), design.lone)


def _shares(table: Table, design: Design, strata: Any, sizes: Any) -> Floats:
    if design.population is None:
        return np.zeros(len(sizes))
    size = table.numbers(design.population)
    out = np.zeros(len(sizes))
    for h in range(len(sizes)):
        own = np.unique(size[strata == h])
        rows = [int(r) for r in table.rows[strata == h]]
        if len(own) != 1 or not own[0] > 0:
            raise DataProblem(
                f"{design.population} is not one number above 0 in the stratum of {rows_in_words(rows[:3])}.",
                column=design.population,
                rows=rows[:200],
            )
        share = float(own[0]) if own[0] <= 1 else float(sizes[h] / own[0])
        if share > 1:
            raise DataProblem(
                f"{design.population} is {number(float(own[0]), 0)} where {int(sizes[h])} were drawn"
                f" ({rows_in_words(rows[:3])} …).",
                column=design.population,
                rows=rows[:200],
            )
        out[h] = share
    return out


@dataclass(frozen=True)
class Item:
    """Something estimated of a column: its mean, or the share of a level.

    Args:
        y: of every row, NaN where empty. share: whether it is a share.
    """

    column: str
    title: str
    level: str
    y: Floats
    share: bool
    unit: str


def share_items(table: Table, name: str, event: str | None) -> list[Item]:
    """The share of what plainly means yes or of the level named; of other columns that of every level."""
    coded, title = table.codes(name), table.column(name).title
    if not (coded.codes >= 0).any():
        raise DataProblem(f"{name} has no filled cells {among(table.n_rows)}.", column=name)

    def item(level: str, place: int) -> Item:
        y = np.where(coded.codes < 0, np.nan, (coded.codes == place).astype(float))
        return Item(name, title, level, y, True, "")

    if event is None and table.column(name).kind is not Kind.yes_no and plain_event(table, name) is None:
        if len(coded.levels) > MOST_LEVELS:
            raise DataProblem(
                f"{name} has {len(coded.levels)} levels; shares of up to {MOST_LEVELS} are given. Name one.",
                column=name,
            )
        return [item(level, place) for place, level in enumerate(coded.levels)]
    return [item(*place_of(table, name, event))]


def unmarked(n: float, value: float, se: float, spec: SurveySpec, share: bool) -> str:
    """Why an estimate is marked, or nothing: few rows, or an error that is large beside it (of a share, beside the
    smaller of it and the rest)."""
    if n < spec.few:
        return "few rows"
    size = min(value, 1 - value) if share else abs(value)
    return "loose" if size > 0 and se / size > spec.loose else ""


def design_checks(s: Surveyed) -> list[Check | None]:
    """What the design can carry."""
    return [_df(s), _lone(s), _spread(s), _zero(s)]


def _df(s: Surveyed) -> Check:
    base: dict[str, Any] = {"id": "df", "title": "Degrees of freedom"}
    text = f"{number(s.df, 0)} df among the rows asked about."
    if s.df < 1:
        return Check(**base, verdict=Verdict.fails, text="No df are left: no interval can be given.")
    if s.df < FEW_DF:
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=f"{text} With so few, intervals are wide, and tests of several groups together find too much.",
        )
    return Check(**base, verdict=Verdict.holds, text=text)


def _lone(s: Surveyed) -> Check | None:
    if not isinstance(s.what, Stratified):
        return None
    alone = int((s.what.sizes == 1).sum())
    base: dict[str, Any] = {"id": "lone", "title": "Two clusters in every stratum"}
    if not alone:
        return Check(**base, verdict=Verdict.holds, text="Every stratum has two clusters at least.")
    adds = {
        "centred": "its distance from the mean of all clusters, which is too much rather than too little",
        "certainty": "nothing, as if it was sure to be drawn", "pooled": "the mean of what the others add",
    }[s.design.lone]  # fmt: skip
    text = (
        f"{counted(alone, 'stratum', 'strata')} with one cluster: {'it adds' if alone == 1 else 'each adds'} {adds}."
    )
    return Check(**base, verdict=Verdict.doubtful, text=f"{text} The step of the design says which.")


def _spread(s: Surveyed) -> Check:
    base: dict[str, Any] = {"id": "weights", "title": "Weights that do not differ wildly"}
    w = s.weights[(s.domain > 0) & (s.weights > 0)]
    top = float(w.max()) / s.total
    text = f"Weights alone widen variances by {number(s.kish, 2)}; the largest row stands for {percent(top)} of all."
    return Check(**base, verdict=Verdict.holds if s.kish < 2 and top < 0.05 else Verdict.doubtful, text=text)


def _zero(s: Surveyed) -> Check | None:
    if not s.zero:
        return None
    text = f"{counted(s.zero, 'row')} of weight 0 {'counts' if s.zero == 1 else 'count'} for nothing."
    return Check(id="zero", title="Rows without weight", verdict=Verdict.doubtful, text=text)


def small_check(marks: Sequence[tuple[str, str]], spec: SurveySpec) -> Check:
    """Args: marks: names of estimates and why each is marked, or nothing."""
    base: dict[str, Any] = {"id": "small", "title": "Estimates that rest on enough"}
    rule = f"fewer than {spec.few} rows, or an error above {percent(spec.loose)}"
    marked = [f"{name} ({why})" for name, why in marks if why]
    if not marked:
        return Check(**base, verdict=Verdict.holds, text=f"No estimate has {rule}.")
    return Check(**base, verdict=Verdict.doubtful, text=f"{listing(marked, 6)}: {rule}. Report them with care.")
