"""Subjects by times, from either layout; subjects that lack a time are left out and said."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.answer import LeftOut, RowsUsed
from yavik.core.answers.wording import (
    counted,
    listing,
)
from yavik.core.figures.data import printed_decimals
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.linear import coded, present
from yavik.core.table import DataProblem, Table

MOST_TIMES = 60


@dataclass(frozen=True)
class Subjects:
    """``y``: subjects × times, all filled. ``group`` and ``x`` belong to subjects. ``rows``: one row number per
    subject."""

    y: Floats
    times: tuple[str, ...]
    time_title: str
    value: str
    unit: str | None
    decimals: int
    group: Any
    group_names: tuple[str, ...]
    group_title: str
    x: Floats
    covariate_titles: tuple[str, ...]
    rows: Any
    used: RowsUsed
    left_out: int
    """Subjects left out because something of theirs is empty."""


def read_wide(table: Table, spec: RepeatedSpec) -> Subjects:
    """Subjects in rows, times in columns. Raises DataProblem for columns chosen twice and for times that cannot be
    compared."""
    names = spec.columns
    chosen = [*names, *([spec.between] if spec.between else []), *spec.covariates]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} is chosen twice.", column=twice)
    if len(names) < 2:
        raise DataProblem("A change needs two times; choose another column.", column=names[0])
    if len(names) > MOST_TIMES:
        raise DataProblem(
            f"{len(names)} times are too many for this question; choose up to {MOST_TIMES}.", column=names[MOST_TIMES]
        )
    y = np.column_stack([table.numbers(n) for n in names])
    columns = [table.column(n) for n in names]
    use = ~np.isnan(y).any(axis=1)
    title = ""
    group: Any = None
    group_names: tuple[str, ...] = ()
    if spec.between:
        codes = table.codes(spec.between)
        use &= codes.codes >= 0
        group, group_names, title = codes.codes, codes.levels, table.column(spec.between).title
    x = _covariates(table, spec)
    use &= ~np.isnan(x).any(axis=1)
    if not use.any():
        raise DataProblem(f"No row has {listing(chosen, 6)} all filled.", column=names[0])
    units = {c.unit for c in columns}
    gone = int((~use).sum())
    left = (
        [LeftOut(why="a time, the group or a covariate is empty", n=gone, rows=table.rows[~use][:200].tolist())]
        if gone
        else []
    )
    group, group_names = _present(group[use] if group is not None else None, group_names, spec.between)
    return Subjects(
        y[use],
        tuple(c.title for c in columns),
        "time",
        "the value",
        units.pop() if len(units) == 1 else None,
        max(map(printed_decimals, columns)),
        group,
        group_names,
        title,
        x[use],
        tuple(table.column(c).title for c in spec.covariates),
        table.rows[use],
        RowsUsed(total=table.n_rows, used=int(use.sum()), left_out=left),
        gone,
    )


def _covariates(table: Table, spec: RepeatedSpec) -> Floats:
    return (
        np.column_stack([table.numbers(c) for c in spec.covariates])
        if spec.covariates
        else np.empty((table.n_rows, 0))
    )


def _present(codes: Any, names: tuple[str, ...], column: str | None) -> tuple[Any, tuple[str, ...]]:
    if codes is None:
        return None, ()
    found, kept = present(codes, names)
    if len(kept) < 2:
        raise DataProblem(
            f"{column} has one level, '{kept[0]}', among complete subjects; groups need two.", column=column
        )
    return found, kept


def _chosen(spec: RepeatedSpec) -> list[str]:
    """The columns in the slots, each in one. Raises DataProblem."""
    slots = [spec.response, spec.subject, spec.within, spec.between, *spec.covariates]
    chosen = [c for c in slots if c]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two slots; each column can have one place.", column=twice)
    return chosen


def _times(codes: Any, levels: Sequence[str], column: str) -> Any:
    """Places of the times that occur, in order. Raises DataProblem for one, and for more than can be taken."""
    found = np.flatnonzero(np.bincount(codes, minlength=len(levels)))
    if len(found) < 2:
        raise DataProblem(f"{column} has one level, '{levels[found[0]]}'; a change needs two.", column=column)
    if len(found) > MOST_TIMES:
        raise DataProblem(f"{column} has {len(found)} levels; this question takes up to {MOST_TIMES}.", column=column)
    return found


def read_long(table: Table, spec: RepeatedSpec) -> Subjects:
    """A row for each subject and time. Raises DataProblem where a subject has a time twice."""
    assert spec.response and spec.subject and spec.within
    chosen = _chosen(spec)
    values, subjects, times = table.numbers(spec.response), table.codes(spec.subject), table.codes(spec.within)
    between = table.codes(spec.between) if spec.between else None
    x = _covariates(table, spec)
    use = ~np.isnan(values) & (subjects.codes >= 0) & (times.codes >= 0) & ~np.isnan(x).any(axis=1)
    if between is not None:
        use &= between.codes >= 0
    if not use.any():
        raise DataProblem(f"No row has {listing(chosen, 6)} all filled.", column=spec.response)
    s, t, rows = subjects.codes[use], times.codes[use], table.rows[use]
    found = _times(t, times.levels, spec.within)
    place = np.zeros(len(times.levels), np.int64)
    place[found] = np.arange(len(found))
    k = len(subjects.levels)
    cell = s.astype(np.int64) * len(found) + place[t]
    counts = np.bincount(cell, minlength=k * len(found)).reshape(k, -1)
    if counts.max() > 1:
        i, j = np.argwhere(counts > 1)[0]
        own = rows[cell == i * len(found) + j].tolist()
        raise DataProblem(
            f"{subjects.levels[i]} has {counts[i, j]} values at {times.levels[found[j]]}; one is needed. Summarise"
            " them first, or leave some out.",
            column=spec.subject,
            rows=own,
        )
    full = (counts == 1).all(axis=1)
    present = counts.sum(axis=1) > 0
    if not full.any():
        raise DataProblem(f"No {spec.subject} has a value at every {spec.within}.", column=spec.subject)
    wide = np.full(k * len(found), np.nan)
    wide[cell] = values[use]
    own = _of_subject(between.codes[use] if between else None, s, k, spec.between, subjects.levels, rows)
    group, names = _present(own[full] if own is not None else None, between.levels if between else (), spec.between)
    means = (
        np.stack(
            [np.bincount(s, c, minlength=k) / np.maximum(np.bincount(s, minlength=k), 1) for c in x[use].T], axis=1
        )
        if x.shape[1]
        else np.empty((k, 0))
    )
    first = np.zeros(k, np.int64)
    first[s[::-1]] = rows[::-1]
    gone = int((present & ~full).sum())
    column = table.column(spec.response)
    kept_rows = int(full[s].sum())
    left = (
        [
            LeftOut(
                why=f"{counted(gone, 'subject lacks', 'subjects lack')} a time",
                n=int(use.sum()) - kept_rows,
                rows=rows[~full[s]][:200].tolist(),
            )
        ]
        if gone
        else []
    )
    empty = table.n_rows - int(use.sum())
    left += [LeftOut(why="something is empty", n=empty)] if empty else []
    return Subjects(
        wide.reshape(k, -1)[full],
        tuple(times.levels[i] for i in found),
        table.column(spec.within).title,
        column.title,
        column.unit,
        printed_decimals(column),
        group,
        names,
        table.column(spec.between).title if spec.between else "",
        means[full],
        tuple(table.column(c).title for c in spec.covariates),
        first[full],
        RowsUsed(total=table.n_rows, used=kept_rows, left_out=left),
        gone,
    )


def _of_subject(codes: Any, s: Any, k: int, column: str | None, names: tuple[str, ...], rows: Any) -> Any:
    """Each subject's one group. Raises DataProblem where a subject stands in two."""
    if codes is None:
        return None
    own = np.full(k, -1, np.int64)
    own[s] = codes
    wrong = own[s] != codes
    if wrong.any():
        i = int(s[wrong][0])
        raise DataProblem(
            f"{names[i]} stands in more than one level of {column}; groups of subjects must be fixed.",
            column=column,
            rows=rows[s == i].tolist(),
        )
    return own


def by_group(s: Subjects) -> list[tuple[str, Floats]]:
    """The values of each group of subjects, shape (subjects, times); all of them where there are no groups."""
    if s.group is None:
        return [("all", s.y)]
    return [(name, s.y[s.group == i]) for i, name in enumerate(s.group_names)]


def design_of(s: Subjects) -> dict[str, Floats]:
    """Columns between subjects: groups counting alike, covariates about their mean in their SD."""
    design = {}
    if s.group is not None:
        design[s.group_title] = coded(s.group, len(s.group_names))
    for i, name in enumerate(s.covariate_titles):
        away = s.x[:, i] - s.x[:, i].mean()
        away = away - away.mean()
        design[name] = (away / (away.std() or 1.0))[:, None]
    return design
