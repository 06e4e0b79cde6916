"""Times of a series: read from dates, numbers or words, put in order, with their rhythm, gaps and doubles."""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, overload

import numpy as np

from yavik.core.answers.wording import counted, given, listing
from yavik.core.stats.groups import Floats
from yavik.core.stats.series.parts import box_cox, power_of
from yavik.core.table import Column, DataProblem, Kind, Table, rows_in_words

NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
MONTHS = tuple(n.lower() for n in NAMES)
QUARTER = (re.compile(r"(\d{4})\s*[-/.]?\s*[Qq]\s*([1-4])"), re.compile(r"[Qq]\s*([1-4])\s*[-/. ]?\s*(\d{4})"))
MONTH = (re.compile(r"(\d{4})\s*[-/.Mm]\s*(\d{1,2})"), re.compile(r"(\d{1,2})\s*[-/.]\s*(\d{4})"))
WORD = re.compile(r"(?:(\d{4})\s+)?([A-Za-z]{3,9})\.?\s*(\d{4})?")
DAY = (re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})"), re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})"))


NEVER = -(2**62)


class Labels(Sequence[str]):
    """The words of times, made where they are read: of long series hardly any are."""

    def __init__(self, word: Callable[[int], str], places: range) -> None:
        self._word, self._places = word, places

    @overload
    def __getitem__(self, k: int) -> str: ...
    @overload
    def __getitem__(self, k: slice) -> "Labels": ...
    def __getitem__(self, k: int | slice) -> "str | Labels":
        found = self._places[k]
        return Labels(self._word, found) if isinstance(found, range) else self._word(found)

    def __len__(self) -> int:
        return len(self._places)


@dataclass(frozen=True)
class Series:
    """Values at every time from the first to the last.

    Args:
        values: shape (n,), gaps bridged by straight lines. place: of each row of the table, −1 for rows not used.
        labels: of each time. every: what a step is, such as 'month'. season: points of a year, 1 for none.
        bridged: places without a value of their own. along: step of each row from the first value on, n and more
            after the last, ``NEVER`` where it has no time. label: of any step.
    """

    column: Column
    time: Column | None
    values: Floats
    place: Any
    labels: "Labels"
    every: str
    season: int
    bridged: Any
    along: Any
    label: Callable[[int], str]

    @property
    def n(self) -> int:
        """Times."""
        return len(self.values)

    def by_row(self, values: Floats) -> Floats:
        """Values of every time as the table's rows have them, NaN for rows not used."""
        return np.where(self.place >= 0, values[np.maximum(self.place, 0)], np.nan)

    @property
    def long(self) -> str:
        """'192 months', '10 times, every 5 years'."""
        if self.every[0].isdigit():
            return f"{counted(self.n, 'time')}, every {self.every}"
        return counted(self.n, self.every)


@dataclass(frozen=True)
class _Steps:
    """Times as steps of one length.

    Args:
        index: step of each row, −1 where empty. label: of a step.
    """

    index: Any
    every: str
    season: int
    label: Callable[[int], str]


def read_series(
    table: Table, value: str, time: str | None, least: int = 8, doubled: str = "refuse", within: str | None = None
) -> Series:
    """Args:
        within: a column of months or quarters beside years. doubled: where a time stands several times: 'refuse',
            'sum' or 'mean' of the values there.

    Raises DataProblem for times that cannot be read, or stand twice unasked, and for too few values.
    """
    y = table.numbers(value)
    column = table.column(value)
    steps = (
        _parted(table, time, within)
        if time and within
        else _read(table, time)
        if time
        else _Steps(np.arange(table.n_rows), "row", 1, lambda k: str(k + 1))
    )
    index, known = steps.index, steps.index >= 0
    there = known & ~np.isnan(y)
    if doubled == "refuse":
        _once(table, time, index, known)
    have = int(there.sum()) if doubled == "refuse" else len(np.unique(index[there]))
    if have < least:
        raise DataProblem(f"{value} has {counted(have, 'value')} over time; {least} are needed.", column=value)
    low, high = int(index[there].min()), int(index[there].max())
    n = high - low + 1
    if n > 50 * have:
        raise DataProblem(
            f"{time} leaves most times out ({counted(have, 'value')} over {n} steps): its steps are uneven."
            " Number them, or sum by month.",
            column=time,
        )
    at = index[there] - low
    count = np.bincount(at, minlength=n)
    with np.errstate(invalid="ignore", divide="ignore"):
        values = np.bincount(at, y[there], n) / np.where(doubled == "sum", np.minimum(count, 1), count)
    bridged = np.flatnonzero(np.isnan(values))
    if len(bridged):
        filled = np.flatnonzero(~np.isnan(values))
        values[bridged] = np.interp(bridged, filled, values[filled])
    labels = Labels(lambda k: steps.label(low + k), range(n))
    place = np.where(there, index - low, -1)
    along = np.where(known, index - low, NEVER)
    own = table.column(time) if time else None
    return Series(
        column, own, values, place, labels, steps.every, steps.season, bridged, along, lambda k: steps.label(low + k)
    )


def transformed(table: Table, series: Series, how: str, season: int) -> tuple[Floats, float]:
    """Values on the scale they are looked at, and the power: 1 as they are, 0 for logarithms.

    Raises DataProblem for values that have no logarithm.
    """
    y = series.values
    if how == "none":
        return y, 1.0
    if y.min() <= 0:
        low = int(np.argmin(y))
        name = series.column.name
        raise DataProblem(
            f"Logarithms and powers need values above 0; {name} is {given(y[low])} at {series.labels[low]}.",
            column=name,
            rows=[int(r) for r in table.rows[series.place == low]],
        )
    power = 0.0 if how == "log" else power_of(y, season)
    return box_cox(y, power), power


def season_of(series: Series, asked: int | str) -> int:
    """Points of a season: as asked, or found from the times where two of them fit in. Raises DataProblem."""
    if asked == "auto":
        return series.season if series.n >= 2 * series.season else 1
    season = int(asked)
    if season > 1 and series.n < 2 * season:
        raise DataProblem(
            f"A season of {season} points needs {2 * season} at least; there are {series.n}.",
            column=series.column.name,
        )
    return season


def _once(table: Table, time: str | None, index: Any, known: Any) -> None:
    own = np.sort(index[known], kind="stable")
    if not (own[1:] == own[:-1]).any():
        return
    seen, counts = np.unique(own, return_counts=True)
    at = int(seen[int(np.argmax(counts > 1))])
    rows = table.rows[known][index[known] == at]
    raise DataProblem(
        f"A time stands {int((index[known] == at).sum())} times in {time}"
        f" ({rows_in_words([int(r) for r in rows[:6]])}), and"
        f" {counted(int((counts > 1).sum()), 'time')} do so in all: a series has one value at each. Keep one unit by"
        " “Only rows where”, or take the sum or mean of a time in the settings.",
        column=time,
        rows=[int(r) for r in rows],
    )


def _parted(table: Table, years: str, name: str) -> _Steps:
    """Years in one column, months or quarters of them in another."""
    year = _whole(table, years)
    part, most = _part(table, name)
    known = ~np.isnan(year) & ~np.isnan(part)
    months = np.where(known, (np.nan_to_num(year) - 1970) * 12 + (np.nan_to_num(part) - 1) * (12 // most), 0)
    return _of_months(months.astype(np.int64), known)


def _whole(table: Table, name: str) -> Floats:
    """Years as numbers, also where they stand as text."""
    if table.column(name).kind in (Kind.count, Kind.measure):
        return table.numbers(name)
    if table.column(name).kind is Kind.date:
        raise DataProblem(f"Dates of {name} tell their months: leave the other column out.", column=name)
    coded = table.codes(name)
    wrong = [w for w in coded.levels if not re.fullmatch(r"\d{4}", w.strip())]
    if wrong:
        raise DataProblem(f"{listing([f'“{w}”' for w in wrong], 3)} in {name} is no year.", column=name)
    return np.array([*(float(w) for w in coded.levels), np.nan])[coded.codes]


def _part(table: Table, name: str) -> tuple[Floats, int]:
    """Months 1 … 12 or quarters 1 … 4 as numbers, and how many make a year. Raises DataProblem."""
    if table.column(name).kind in (Kind.count, Kind.measure):
        part = table.numbers(name)
        own = part[~np.isnan(part)]
        if not len(own) or own.min() < 1 or own.max() > 12 or (own != np.round(own)).any():
            raise DataProblem(f"{name} is no month from 1 to 12 and no quarter from 1 to 4.", column=name)
        return part, 4 if own.max() <= 4 else 12
    coded = table.codes(name)
    read = [_named(w.strip().lower()) for w in coded.levels]
    wrong = [w for w, found in zip(coded.levels, read, strict=True) if found is None]
    kinds = {found[1] for found in read if found}
    if wrong or len(kinds) != 1:
        told = listing([f"“{w}”" for w in wrong], 3) if wrong else f"What stands in {name}"
        raise DataProblem(f"{told} is no month or quarter: write Jan, January, 1 … 12 or Q1 … Q4.", column=name)
    return np.array([*(float(found[0]) for found in read if found), np.nan])[coded.codes], kinds.pop()


def _named(word: str) -> tuple[int, int] | None:
    """(3, 12) for 'march', (2, 4) for 'q2'."""
    if m := re.fullmatch(r"q\s*([1-4])", word):
        return int(m[1]), 4
    if word.isdigit() and 1 <= int(word) <= 12:
        return int(word), 12
    return (MONTHS.index(word[:3]) + 1, 12) if word[:3] in MONTHS else None


def _read(table: Table, name: str) -> _Steps:
    column = table.column(name)
    if column.kind is Kind.date:
        array = table.array(name)
        empty = np.asarray(array.is_null().to_numpy(zero_copy_only=False), bool)
        seconds = array.cast("timestamp[s]").cast("int64").fill_null(0).to_numpy(zero_copy_only=False)
        return _of_days(seconds // 86400, ~empty)
    if column.kind in (Kind.count, Kind.measure):
        return _of_numbers(table, name)
    coded = table.codes(name)
    if not (coded.codes >= 0).any():
        raise DataProblem(f"{name} is empty in every row: there are no times.", column=name)
    parsed = [_parsed(w) for w in coded.levels]
    wrong = [w for w, p in zip(coded.levels, parsed, strict=True) if p is None]
    if not wrong:
        return _of_words(name, coded, [p for p in parsed if p is not None])
    if column.kind is Kind.ordered:
        levels = coded.levels
        return _Steps(coded.codes.astype(np.int64), "step", 1, lambda k: levels[k])
    raise DataProblem(
        f"{listing([f'“{w}”' for w in wrong], 3)} in {name} {'is' if len(wrong) == 1 else 'are'} no time that can be"
        " read. Write years, 2024-03, 2024Q1, March 2024 or dates.",
        column=name,
    )


def _stepped(numbers: Any, known: Any) -> tuple[Any, int, int]:
    """Steps from the first on, −1 where not known; the first number, and how long a step is."""
    own = numbers[known]
    seen = np.sort(own, kind="stable")
    step = (int(np.gcd.reduce(np.diff(seen))) if len(seen) > 1 else 1) or 1
    low = int(seen[0]) if len(seen) else 0
    return np.where(known, (numbers - low) // step, -1), low, step


def _of_months(months: Any, known: Any) -> _Steps:
    """Months counted from 1970."""
    index, low, step = _stepped(months, known)
    every = {1: "month", 3: "quarter", 6: "half-year", 12: "year"}.get(step)
    if every is None:
        every = f"{step // 12} years" if step % 12 == 0 else f"{step} months"
    season = 12 // step if step < 12 and 12 % step == 0 else 1

    def label(k: int) -> str:
        """'Mar 2024', '2024 Q1', '2024'."""
        year, month = 1970 + (low + step * k) // 12, (low + step * k) % 12
        if step % 12 == 0:
            return str(year)
        return {3: f"{year} Q{month // 3 + 1}", 6: f"{year} half {month // 6 + 1}"}.get(
            step, f"{NAMES[month]} {year}"
        )

    return _Steps(index, every, season, label)


def _of_days(days: Any, known: Any) -> _Steps:
    """Days counted from 1970: months where all fall on one day of the month, or on its last."""
    own = days.astype("datetime64[D]")
    months = own.astype("datetime64[M]")
    day = (own - months.astype("datetime64[D]"))[known]
    last = ((own + 1).astype("datetime64[M]") != months)[known]
    if len(day) and (len(np.unique(day)) == 1 or last.all()) and len(np.unique(months[known])) > 1:
        return _of_months(months.astype(np.int64), known)
    index, low, step = _stepped(days, known)
    every = {1: "day", 7: "week"}.get(step) or (f"{step // 7} weeks" if step % 7 == 0 else f"{step} days")
    season = {1: 7, 7: 52}.get(step, 1)
    return _Steps(index, every, season, lambda k: str(np.datetime64(low + step * k, "D")))


def _of_numbers(table: Table, name: str) -> _Steps:
    x = table.numbers(name)
    known = ~np.isnan(x)
    number = np.where(known, x, 0.0)
    if not (number == np.round(number)).all() or np.abs(number).max(initial=0.0) > 2**53:
        raise DataProblem(f"{name} is not in whole steps; times are dates, years or whole numbers.", column=name)
    index, low, step = _stepped(number.astype(np.int64), known)
    year = known.any() and x[known].min() >= 1000 and x[known].max() < 3000
    every = ("year" if step == 1 else f"{step} years") if year else "step"
    return _Steps(index, every, 1, lambda k: str(low + step * k))


def _parsed(word: str) -> tuple[str, int] | None:
    """('month', 651): what a word says of time; days and months are counted from 1970."""
    word = word.strip()
    if re.fullmatch(r"\d{4}", word):
        return "month", (int(word) - 1970) * 12
    if m := QUARTER[0].fullmatch(word):
        return "month", (int(m[1]) - 1970) * 12 + 3 * int(m[2]) - 3
    if m := QUARTER[1].fullmatch(word):
        return "month", (int(m[2]) - 1970) * 12 + 3 * int(m[1]) - 3
    for pattern, order in zip(DAY, ((1, 2, 3), (3, 2, 1)), strict=True):
        if m := pattern.fullmatch(word):
            try:
                year, month, day = (int(m[k]) for k in order)
                return "day", int(np.datetime64(f"{year:04}-{month:02}-{day:02}", "D").astype(int))
            except ValueError:
                return None
    for pattern, (y, k) in zip(MONTH, ((1, 2), (2, 1)), strict=True):
        if (m := pattern.fullmatch(word)) and 1 <= int(m[k]) <= 12:
            return "month", (int(m[y]) - 1970) * 12 + int(m[k]) - 1
    if (m := WORD.fullmatch(word)) and m[2][:3].lower() in MONTHS and (m[1] or m[3]):
        return "month", (int(m[1] or m[3]) - 1970) * 12 + MONTHS.index(m[2][:3].lower())
    return None


def _of_words(name: str, coded: Any, parsed: list[tuple[str, int]]) -> _Steps:
    kinds = {k for k, _ in parsed}
    if len(kinds) > 1:
        raise DataProblem(f"{name} holds days beside months, quarters or years; write times one way.", column=name)
    numbers = np.array([*(v for _, v in parsed), 0], np.int64)[coded.codes]
    return {"month": _of_months, "day": _of_days}[next(iter(kinds))](numbers, coded.codes >= 0)


def over_times(table: Table, spec: dict[str, Any], rank: float) -> tuple[float, str] | None:
    """How well a question over time fits: a measure over dates, or over times that each stand once."""
    time = spec.get("time")
    if not spec.get("value") or not time:
        return -30, ""
    column = table.column(time)
    try:
        found = read_series(table, spec["value"], time)
    except (DataProblem, ValueError, TypeError):
        return _many(table, spec["value"], time, rank)
    if column.kind is Kind.date or found.every in ("month", "quarter", "year", "week", "day"):
        return rank, f"a value for every {found.every}"
    return -20, ""


def _many(table: Table, value: str, time: str, rank: float) -> tuple[float, str] | None:
    """Times that stand several times make a series by their sums or means, which is rarely what was meant."""
    try:
        found = read_series(table, value, time, doubled="mean")
    except (DataProblem, ValueError, TypeError):
        return None if table.column(time).kind is Kind.date else (-40, "")
    return rank - 60, f"several rows for every {found.every}, which can be summed"
