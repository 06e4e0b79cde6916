"""Rows in the order of their distance from the cut-off."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import RowsUsed
from yavik.core.answers.wording import counted, given, listing, number
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.change.discontinuity.spec import JumpSpec
from yavik.core.methods.kit.events import says_yes
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.stats.change.jump.estimate import Sorted
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered
from yavik.core.table import Column, DataProblem, Kind, Table

FEWEST = 8
"""Rows on a side below which nothing is fitted."""


@dataclass(frozen=True, eq=False)
class Study:
    """Rows used, sorted by the score.

    Args:
        u: distances of all rows with a score, for the density; ``rows`` their numbers.
        d: of the rows with outcome and all else; None where no outcome is asked about. places: which table rows.
        got: what the treatment's 1 is called; received: 0 and 1 or a dose, or None.
    """

    table: Table
    running: Column
    outcome: Column | None
    cutoff: float
    u: Floats
    d: Sorted | None
    places: Any
    covariates: list[str]
    received: Floats | None
    got: str
    used: RowsUsed
    decimals: int
    running_decimals: int

    def at(self, distance: float) -> float:
        """The score at a distance from the cut-off."""
        return self.cutoff + distance

    @property
    def data(self) -> Sorted:
        """Rows of the jump."""
        assert self.d is not None
        return self.d

    def distance_words(self, h: float) -> str:
        """A distance with its decimals."""
        return number(h, self.running_decimals + 1)


def read_study(table: Table, spec: JumpSpec) -> Study:
    """Raises DataProblem for what no jump can be read from."""
    assert spec.running
    if spec.cutoff is None:
        raise DataProblem(f"Type the value of {spec.running} at which the rule turns.", column=spec.running)
    named = [spec.running, spec.outcome, spec.treatment]
    twice = next((c for i, c in enumerate(named) if c and c in named[:i]), None)
    if twice:
        raise DataProblem(f"Column {twice} stands in two places of the question.", column=twice)
    own = next((c for c in [*spec.covariates, *spec.placebo_outcomes] if c in named), None)
    if own:
        raise DataProblem(
            f"Column {own} is asked about already; it cannot also be a covariate or placebo.", column=own
        )
    score = table.numbers(spec.running)
    u = distances(np.sort(score[np.isfinite(score)]), spec.cutoff)
    _demand_both_sides(spec, u, table)
    running = table.column(spec.running)
    shown = min(printed_decimals(running), 6)
    if not spec.outcome:
        used = RowsUsed(total=table.n_rows, used=len(u))
        none = np.zeros(0, np.int64)
        return Study(table, running, None, spec.cutoff, u, None, none, [], None, "", used, shown, shown)
    return _with_outcome(table, spec, score, u, running, shown)


def distances(score: Floats, cutoff: float) -> Floats:
    """From the cut-off, without what subtracting leaves beyond the 14th digit: 50.3 − 50 lies on the edge of 0.3."""
    size = float(np.abs(score).max(initial=abs(cutoff))) or 1.0
    return np.asarray(np.round(score - cutoff, 14 - int(np.ceil(np.log10(size)))))


def _with_outcome(table: Table, spec: JumpSpec, score: Floats, u: Floats, running: Column, shown: int) -> Study:
    assert spec.outcome and spec.cutoff is not None
    filled = np.isfinite(score)
    received, got = _received(table, spec.treatment) if spec.treatment else (None, "")
    if received is not None:
        filled &= np.isfinite(received)
    if spec.se == "cluster":
        if not spec.cluster:
            raise DataProblem("Choose the column of the clusters, among the settings.")
        filled &= table.codes(spec.cluster).codes >= 0
    y = np.where(filled, table.numbers(spec.outcome), np.nan)
    data = read_model(table, spec.outcome, list(spec.covariates), {}, None, y)
    if np.ptp(data.y) == 0:
        raise DataProblem(
            f"All {counted(data.n, 'value')} of {spec.outcome} used here are the same: nothing can jump.",
            column=spec.outcome,
        )
    distance = distances(score[data.places], spec.cutoff)
    if spec.donut:
        far = np.abs(distance) >= spec.donut
    else:
        far = np.ones(data.n, bool)
    order = np.flatnonzero(far)[np.argsort(distance[far], kind="stable")]
    places = data.places[order]
    z = data.design.block(0, data.n)[order] if data.terms else np.zeros((len(order), 0))
    columns = [data.y[order]] + ([received[places]] if received is not None else [])
    clusters = None
    if spec.se == "cluster" and spec.cluster:
        clusters = numbered(table.codes(spec.cluster).codes[places])[1]
    d = Sorted(distance[order], np.column_stack(columns), z, clusters, spec.se)
    _demand_both_sides(spec, d.u, table)
    names = [data.column_title(j) for j in range(z.shape[1])]
    return Study(
        table, running, data.response, spec.cutoff, u, d, places, names,
        None if received is None else received[places], got, data.used, data.decimals, shown,
    )  # fmt: skip


def _received(table: Table, name: str) -> tuple[Floats, str]:
    """The treatment received as numbers, and what its 1 is called."""
    column = table.column(name)
    if column.kind in (Kind.measure, Kind.count):
        return table.numbers(name), column.title
    codes = table.codes(name)
    there = [i for i in range(len(codes.levels)) if (codes.codes == i).any()]
    if len(there) != 2:
        raise DataProblem(
            f"Column {name} has {counted(len(there), 'level')} ({listing([codes.levels[i] for i in there], 4)}); a"
            " treatment is"
            " received or not.",
            column=name,
        )
    words = [codes.levels[i] for i in there]
    place = says_yes(words)
    yes = there[place if place is not None else 1]
    return np.where(
        codes.codes < 0, np.nan, (codes.codes == yes).astype(np.float64)
    ), f"{column.title} = {codes.levels[yes]}"


def _demand_both_sides(spec: JumpSpec, u: Floats, table: Table) -> None:
    left = int((u < 0).sum())
    right = len(u) - left
    if min(left, right) < FEWEST:
        side = "below" if left < right else "at or above"
        ends = ""
        if len(u):
            low, high = float(u.min()) + (spec.cutoff or 0), float(u.max()) + (spec.cutoff or 0)
            k = min(printed_decimals(table.column(spec.running or "")), 6)
            ends = f" {spec.running} runs from {number(low, k)} to {number(high, k)}."
        raise DataProblem(
            f"There {'is' if min(left, right) == 1 else 'are'} {counted(min(left, right), 'row')} {side} the cut-off"
            f" {given(spec.cutoff or 0)}; each side needs {FEWEST}.{ends}",
            column=spec.running,
        )
