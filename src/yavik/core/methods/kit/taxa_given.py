"""Samples that are compared by one dissimilarity: of taxa, of columns of any kind (Gower), or as a square table gives
it."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from scipy.spatial.distance import squareform

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, decimals_of, grouped, listing, number
from yavik.core.files.room import available
from yavik.core.methods.kit.shared import used_where
from yavik.core.methods.kit.taxa import (
    UNLIKE,
    ComparedSpec,
    Samples,
    enough,
    grouped_as,
    labels_of,
    preparation,
    read_samples,
)
from yavik.core.stats.communities.unlike import any_kind
from yavik.core.stats.groups import Floats
from yavik.core.table import NUMERIC, DataProblem, Table, rows_in_words
from yavik.core.table.telling import Told

MOST_SHOWN = 60
"""Samples whose dissimilarities are shown as a square."""
TOLD_FROM = 3e8
"""Bytes from which it is said how much memory something takes."""
SAME = 1e-6
"""Two cells of a square that mirror one another may differ by this part of the largest."""


def read_compared(table: Table, spec: ComparedSpec, *, grouped: bool = True, least: int = 3) -> Samples:
    """Raises DataProblem for what cannot be compared."""
    if spec.distances and spec.taxa:
        raise DataProblem("Choose taxa, or dissimilarities, not both.", column=spec.distances[0])
    if spec.distances:
        return _square(table, spec, grouped, least)
    names = [*spec.taxa, *spec.further]
    if spec.dissimilarity == "gower" and any(_of_any_kind(table, n) for n in names):
        return _any_kind(table, spec, names, grouped, least)
    if spec.further and spec.dissimilarity == "gower":
        spec = spec.model_copy(update={"taxa": names})
    return read_samples(table, spec, grouped=grouped, least=least)


def _of_any_kind(table: Table, name: str) -> bool:
    """Whether a column is no amount: levels, or numbers below 0."""
    if table.column(name).kind not in NUMERIC:
        return True
    values = table.numbers(name)
    return bool((values[~np.isnan(values)] < 0).any())


def _any_kind(table: Table, spec: ComparedSpec, names: Sequence[str], grouped: bool, least: int) -> Samples:
    """Numbers over their range, levels as the same or not; rows filled throughout."""
    twice = next((t for i, t in enumerate(names) if t in names[:i]), None)
    if twice or spec.groups in names:
        which = twice or spec.groups or ""
        raise DataProblem(
            f"{which} is chosen twice." if twice else f"{which} cannot be compared and be the groups.", column=which
        )
    numeric = [n for n in names if table.column(n).kind in NUMERIC]
    coded = [table.codes(n) for n in names if n not in numeric]
    raw = np.column_stack([np.zeros((table.n_rows, 0)), *(table.numbers(n) for n in numeric)])
    use: Any = ~np.isnan(raw).any(axis=1)
    for c in coded:
        use &= c.codes >= 0
    groups = table.codes(spec.groups) if spec.groups else None
    if groups is not None:
        use &= groups.codes >= 0
    place = np.flatnonzero(use)
    enough(len(place), least, names[0], "filled in every column ")
    levels, codes = grouped_as(groups if grouped else None, use, spec.groups)
    x = any_kind(raw[use], [c.codes[use] for c in coded])
    return Samples(
        place, list(names), raw[use], x, codes, levels, labels_of(table, spec.names, place), [], [],
        used_where(table, use, "a column or the group is empty"), any_kind=True,
    )  # fmt: skip


def _square(table: Table, spec: ComparedSpec, grouped: bool, least: int) -> Samples:
    """A square table: a column for each row, in their order or by their names."""
    names = list(dict.fromkeys(spec.distances))
    if spec.groups in names:
        raise DataProblem(f"{spec.groups} cannot hold dissimilarities and be the groups.", column=spec.groups)
    column_of = _columns_of(table, spec, names)
    groups = table.codes(spec.groups) if spec.groups else None
    use: Any = np.ones(table.n_rows, bool) if groups is None else groups.codes >= 0
    place = np.flatnonzero(use)
    enough(len(place), least, names[0])
    levels, codes = grouped_as(groups if grouped else None, use, spec.groups)
    own = [names[int(k)] for k in column_of[place]]
    d = np.column_stack([table.numbers(c)[place] for c in own])
    given = squareform(_whole(table, d, own, place), checks=False)
    empty = np.zeros((len(place), 0))
    return Samples(
        place, [], empty, empty, codes, levels, labels_of(table, spec.names, place), [], [],
        used_where(table, use, "the group is empty"), given=given,
    )  # fmt: skip


def _columns_of(table: Table, spec: ComparedSpec, names: Sequence[str]) -> Any:
    """Of each row the place of its column: by the names of samples where they are those of the columns, else by
    order."""
    labels = labels_of(table, spec.names, np.arange(table.n_rows))
    if set(labels) <= set(names):
        return np.array([names.index(x) for x in labels])
    if len(names) == table.n_rows:
        return np.arange(table.n_rows)
    rows = np.asarray(table.rows)
    if table.n_rows < len(names) and len(rows) and int(rows.max()) <= len(names):
        return rows - 1  # some rows of the square were kept
    raise DataProblem(
        f"{len(names)} columns and {table.n_rows} rows are no square: dissimilarities need a column for each row, in"
        " the same order.",
        column=names[0],
    )


def _whole(table: Table, d: Floats, names: Sequence[str], place: Any) -> Floats:
    """The square with each empty cell from the one that mirrors it. Raises DataProblem for what is no dissimilarity."""
    d = np.where(np.isnan(d), d.T, d)
    own = np.diagonal(d)
    d = d.copy()
    np.fill_diagonal(d, np.where(np.isnan(own), 0.0, own))
    limit = SAME * max(float(np.nanmax(np.abs(d), initial=0.0)), 1e-300)

    def refuse(wrong: Any, why: str) -> None:
        if wrong.any():
            j = int(np.argmax(wrong.any(axis=0)))
            rows = [int(r) for r in table.rows[place[wrong[:, j]]]]
            raise DataProblem(f"{names[j]} {why} in {rows_in_words(rows[:6])}.", column=names[j], rows=rows)

    refuse(np.isnan(d), "is empty on both sides of the diagonal")
    refuse(d < 0, "is below 0, which no dissimilarity is,")
    refuse(
        np.diag(np.abs(np.diagonal(d)) > limit),
        "is not 0 for the sample itself (take likenesses from 1 first)",
    )
    refuse(np.abs(d - d.T) > limit, "differs from the cell that mirrors it")
    return np.asarray((d + d.T) / 2)


def compared_by(s: Samples, spec: ComparedSpec) -> list[str]:
    """How samples were compared, for the line under the sentence."""
    return [*preparation(s, spec), *([unlike_words(s, spec)] if s.given is None else [])]


def unlike_words(s: Samples, spec: ComparedSpec) -> str:
    """'Bray and Curtis', 'given'."""
    return UNLIKE[spec.dissimilarity] if s.given is None else "given"


def told_of(s: Samples, spec: ComparedSpec) -> str:
    """'24 samples of 48 taxa (square roots)', for a write-up."""
    n = counted(s.n, "sample")
    if s.given is not None:
        return n
    if s.any_kind:
        return f"{n} of {counted(len(s.taxa), 'column')} of any kind"
    return f"{n} of {counted(len(s.taxa), 'taxon', 'taxa')} ({listing(preparation(s, spec))})"


def demand_at_most(n: int, most: int) -> None:
    """Raises DataProblem for more samples than can be compared with each other."""
    if n > most:
        raise DataProblem(
            f"{grouped(n)} samples are too many at once; {grouped(most)} is the most. Keep some by “Only rows where”."
        )


def room_for(n: int, squares: float, told: Told, free: int | None = None) -> None:
    """Tells how much memory so many samples take, and raises DataProblem where it is not there.

    Args:
        squares: of n by n numbers held at a time. free: bytes; found where not given.
    """
    need = squares * n * n * 8
    if need < TOLD_FROM:
        return
    told(0.01, f"About {number(need / 1e9, 1)} GB of memory for {counted(n, 'sample')}")
    free = available() if free is None else free
    if free is not None and need > free:
        raise DataProblem(
            f"{counted(n, 'sample')} need about {number(need / 1e9, 1)} GB of memory; {number(free / 1e9, 1)} GB are"
            " free. Keep some by “Only rows where”."
        )


def dissimilarities(s: Samples, d: Floats) -> TableBlock | None:
    """The square of all pairs, folded; of many samples none."""
    if s.n > MOST_SHOWN:
        return None
    square = squareform(d, checks=False)
    high = float(square.max())
    places = decimals_of(high / 100, high)
    rows = []
    for i in range(s.n):
        cells = q.row(sample=q.name(s.labels[i], "Sample"))
        for j in range(s.n):
            cells[f"s{j + 1}"] = q.num(float(square[i, j]), places, s.labels[j])
        rows.append(cells)
    return q.table("dissimilarities", "Dissimilarities", rows, folded=True)
