"""Who was treated when, as the table has it: outcome, periods in their order, treated and others, units, clusters."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.change.difference_in_differences.spec import DidSpec
from yavik.core.methods.kit.events import says_yes
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered, occurring
from yavik.core.table import DataProblem, Kind, Table, rows_in_words
from yavik.core.table.level_numbers import plain_level

MOST_PERIODS = 200
BEFORE = {"before", "pre", "baseline", "prior"}
AFTER = {"after", "post"}


@dataclass(frozen=True, eq=False)
class Study:
    """Rows used.

    Args:
        period: place of each row's period in ``periods``, which stand in their order.
        group: 1 for rows of those ever treated. on: 1 for rows that are treated.
        start: place of the first treated period of each row's group; −1 for never.
        unit: codes from 0, or None; ``units`` their labels. clusters: codes, or None.
        x: covariates, shape (n, k).
        swapped: whether periods that are words were put in order by a guess.
    """

    data: ModelData
    periods: list[str]
    period: Any
    group: Any
    on: Any
    start: Any
    unit: Any
    units: list[str]
    clusters: Any
    x: Floats
    treated_words: str
    period_column: str
    guessed: bool

    @property
    def y(self) -> Floats:
        """The outcome."""
        return self.data.y

    @property
    def period_title(self) -> str:
        """What the periods are called."""
        return self.data.table.column(self.period_column).title

    @cached_property
    def starts(self) -> list[int]:
        """Different first treated periods."""
        return [int(s) for s in occurring(self.start[self.start >= 0])]

    @property
    def simple(self) -> bool:
        """Two periods: four cells."""
        return len(self.periods) == 2

    @property
    def weights(self) -> Floats:
        """Of rows; one where none are chosen."""
        return np.ones(self.data.n) if self.data.weights is None else self.data.weights


def read_study(table: Table, spec: DidSpec) -> Study:
    """Raises DataProblem for what no change can be read from."""
    assert spec.outcome and spec.period
    chosen = [spec.outcome, spec.period, spec.treated or spec.starts, *spec.covariates]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"Column {twice} stands in two places of the sentence.", column=twice)
    filled = table.codes(spec.period).codes >= 0
    if not spec.starts:
        assert spec.treated
        filled &= table.codes(spec.treated).codes >= 0
    for name in (spec.unit, spec.cluster):
        if name:
            filled &= table.codes(name).codes >= 0
    y = np.where(filled, table.numbers(spec.outcome), np.nan)
    data = read_model(table, spec.outcome, list(spec.covariates), {}, spec.weights, y)
    if np.ptp(data.y) == 0:
        raise DataProblem(
            f"All {counted(data.n, 'value')} of {spec.outcome} used here are the same: nothing changed.",
            column=spec.outcome,
        )
    periods, period, guessed = _periods(table, data, spec)
    unit, units = _coded(table, data, spec.unit)
    if spec.starts:
        start = _starts(table, data, spec, periods)
        if unit is not None:
            _demand_one_start(spec, data, start, unit, units, periods)
        group = (start >= 0).astype(np.int64)
        on = group * (period >= start)
        words = f"from {table.column(spec.starts).title} on"
    else:
        group, on, start, words = _treated(table, data, spec, unit, units, period, periods)
    _demand_compared(spec, group, on, start, period, periods)
    clusters = _coded(table, data, spec.cluster or spec.unit)[0]
    x = data.design.block(0, data.n) if data.terms else np.zeros((data.n, 0))
    return Study(data, periods, period, group, on, start, unit, units, clusters, x, words, spec.period, guessed)


def _coded(table: Table, data: ModelData, name: str | None) -> tuple[Any, list[str]]:
    if not name:
        return None, []
    codes = table.codes(name)
    there, own = numbered(codes.codes[data.places])
    return own, [codes.levels[i] for i in there]


def _periods(table: Table, data: ModelData, spec: DidSpec) -> tuple[list[str], Any, bool]:
    assert spec.period
    column = table.column(spec.period)
    codes = table.codes(spec.period)
    there, period = numbered(codes.codes[data.places])
    names = [plain_level(codes.levels[i]) for i in there]
    if len(names) < 2:
        raise DataProblem(
            f"{spec.period} has one period, {names[0]}, among the rows used; a change needs one before and one after.",
            column=spec.period,
        )
    if len(names) > MOST_PERIODS:
        raise DataProblem(
            f"{spec.period} has {len(names)} periods; up to {MOST_PERIODS} can be had. Round or cut it first.",
            column=spec.period,
        )
    base = None if spec.base is None else plain_level(spec.base)
    guessed = False
    if column.kind in (Kind.category, Kind.text):
        if len(names) > 2:
            raise DataProblem(
                f"The periods of {spec.period} are words without an order ({listing(names, 4)}). Make the column"
                " ordered"
                " in the dictionary.",
                column=spec.period,
            )
        words = [n.casefold().strip() for n in names]
        turn = words[1] in BEFORE or words[0] in AFTER
        turn = names.index(base) == 1 if base in names else turn
        guessed = base is None and not (set(words) & (BEFORE | AFTER))
        if turn:
            names, period = names[::-1], 1 - period
    if base is not None and base not in names:
        raise DataProblem(f"{spec.period} has no period '{base}'; it has {listing(names, 8)}.", column=spec.period)
    if base is not None and names.index(base) == len(names) - 1:
        raise DataProblem(f"{base} is the last period: nothing comes after it.", column=spec.period)
    return names, period, guessed


def _starts(table: Table, data: ModelData, spec: DidSpec, periods: list[str]) -> Any:
    """The place of each row's first treated period; −1 for never. Raises DataProblem for one before all periods."""
    assert spec.starts and spec.period
    codes = table.codes(spec.starts)
    own = codes.codes[data.places]
    place = {p: i for i, p in enumerate(periods)}
    numbers = _numbers(periods)
    lookup = np.full(len(codes.levels) + 1, -1)
    for i, level in enumerate(map(plain_level, codes.levels)):
        if level in place:
            lookup[i] = place[level]
            continue
        value = _number(level)
        if value is None or numbers is None:
            raise DataProblem(
                f"Column {spec.starts} names '{level}', which is no period of {spec.period} ({listing(periods, 5)}).",
                column=spec.starts,
            )
        later = np.flatnonzero(numbers >= value)
        lookup[i] = int(later[0]) if len(later) else -1  # starts after the last period: not within these data
    return lookup[own]


def _demand_one_start(
    spec: DidSpec, data: ModelData, start: Any, unit: Any, units: list[str], periods: list[str]
) -> None:
    """Raises DataProblem where rows of one unit name different starts."""
    first = np.full(len(units), -1)
    first[unit[::-1]] = start[::-1]
    other = np.flatnonzero(start != first[unit])
    if len(other):
        i, rows = int(other[0]), data.rows[other]
        say = [periods[s] if s >= 0 else "never" for s in (first[unit[i]], start[i])]
        raise DataProblem(
            f"{units[unit[i]]} of {spec.unit} has two starts in {spec.starts}: {say[0]} and {say[1]}"
            f" ({rows_in_words(rows.tolist())}).",
            column=spec.starts,
            rows=rows[:200].tolist(),
        )


def _numbers(names: list[str]) -> Floats | None:
    found = [_number(n) for n in names]
    return None if any(f is None for f in found) else np.array(found, np.float64)


def _number(text: str) -> float | None:
    try:
        return float(text.replace("−", "-"))
    except ValueError:
        return None


def _treated(
    table: Table, data: ModelData, spec: DidSpec, unit: Any, units: list[str], period: Any, periods: list[str]
) -> tuple[Any, Any, Any, str]:
    """Ever treated, treated now, first treated period, and the treated level in words."""
    assert spec.treated
    codes = table.codes(spec.treated)
    there, own = numbered(codes.codes[data.places])
    names = [codes.levels[i] for i in there]
    if len(names) != 2:
        raise DataProblem(
            f"{spec.treated} has {counted(len(names), 'level')} among the rows used ({listing(names, 5)}); the"
            " treated and"
            " the others are two.",
            column=spec.treated,
        )
    yes = _which_is_yes(names)
    now = (own.ravel() == yes).astype(np.int64)
    words = f"{table.column(spec.treated).title} = {names[yes]}"
    if unit is None:
        return now, *_from_base(spec, now, period, periods), words
    ever = np.zeros(len(units), np.int64)
    np.maximum.at(ever, unit, now)
    never_off = np.ones(len(units), np.int64)
    np.minimum.at(never_off, unit, now)
    if np.array_equal(ever, never_off):  # the same throughout each unit
        return now, *_from_base(spec, now, period, periods), words
    _demand_whole_units(spec, data, now, unit, units, period, periods)
    first = np.full(len(units), len(periods))
    np.minimum.at(first, unit, np.where(now == 1, period, len(periods)))
    start = np.where(ever == 1, first, -1)[unit]
    back = np.flatnonzero((now == 0) & (start >= 0) & (period >= start))
    if len(back):
        i = int(back[0])
        rows = data.rows[back]
        raise DataProblem(
            f"{units[unit[i]]} is treated from {periods[start[i]]} on, but not at {periods[period[i]]}"
            f" ({rows_in_words(rows.tolist())}): this question is of changes that stay.",
            column=spec.treated,
            rows=rows[:200].tolist(),
        )
    return ever[unit], now, start, words


def _demand_whole_units(
    spec: DidSpec, data: ModelData, now: Any, unit: Any, units: list[str], period: Any, periods: list[str]
) -> None:
    """Raises DataProblem where a unit is treated and not treated in one period."""
    cell = unit * len(periods) + period
    total, on = np.bincount(cell), np.bincount(cell, now)
    both = np.flatnonzero((on > 0) & (on < total))
    if len(both):
        u, t = divmod(int(both[0]), len(periods))
        rows = data.rows[cell == both[0]]
        raise DataProblem(
            f"{units[u]} of {spec.unit} has treated rows and others at {periods[t]} ({rows_in_words(rows.tolist())}):"
            " the"
            " treatment is of whole units. Choose what was treated as a whole, or no unit.",
            column=spec.unit,
            rows=rows[:200].tolist(),
        )


def _which_is_yes(names: list[str]) -> int:
    plain = [n.casefold().strip() for n in names]
    sign = next((i for i, n in enumerate(plain) if n in ("treated", "treatment")), None)
    found = says_yes(names) if sign is None else sign
    other = next((i for i, n in enumerate(plain) if n in ("control", "untreated", "none")), None)
    return found if found is not None else 1 - other if other is not None else 1


def _from_base(spec: DidSpec, group: Any, period: Any, periods: list[str]) -> tuple[Any, Any]:
    """Treated now, and the start, where the same units are treated throughout: after the last period before."""
    if len(periods) == 2:
        at = 1
    elif spec.base is None:
        raise DataProblem(
            f"{spec.period} has {len(periods)} periods and {spec.treated} is the same in all of them: choose the last"
            " period"
            " before the change, among the settings.",
            column=spec.period,
        )
    else:
        at = periods.index(plain_level(spec.base)) + 1
    return group * (period >= at), np.where(group == 1, at, -1)


def _demand_compared(spec: DidSpec, group: Any, on: Any, start: Any, period: Any, periods: list[str]) -> None:
    """Raises DataProblem where nobody is treated, nobody is left to compare with, or a cell of the four is empty."""
    column = spec.treated or spec.starts
    if not on.any():
        raise DataProblem("No row is treated: there is no change to look for.", column=column)
    if len({int(s) for s in np.unique(start) if s >= 0}) == 1:
        at = int(start.max())
        if not (group == 0).any():
            raise DataProblem(
                "Every row belongs to the treated: nobody is left to say what would have come without.", column=column
            )
        for g, who in ((1, "treated"), (0, "others")):
            for late, when in ((False, "before"), (True, "after")):
                if not ((group == g) & ((period >= at) == late)).any():
                    raise DataProblem(
                        f"The {who} have no row {when} the change ({'up to' if not late else 'from'}"
                        f" {periods[at - 1] if not late and at > 0 else periods[min(at, len(periods) - 1)]}): one of"
                        " the"
                        " four means is missing.",
                        column=spec.period,
                    )
    elif not ((start < 0).any() or start.max() > start[start >= 0].min()):
        raise DataProblem("Every row is treated from the first period on: there is no period before.", column=column)
