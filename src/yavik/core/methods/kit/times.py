"""Times of a series: read from dates, numbers or words, put in order, with their rhythm, gaps and doubles."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, DataProblem, Kind, Table, rows_in_words

MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
SEASONS = {"month": 12, "quarter": 4, "week": 52, "day": 7, "half-year": 2}
QUARTER = (re.compile(r"(\d{4})\s*[-/.]?\s*[Qq]\s*([1-4])"), re.compile(r"[Qq]\s*([1-4])\s*[-/. ]?\s*(\d{4})"))
MONTH = (re.compile(r"(\d{4})\s*[-/.Mm]\s*(\d{1,2})"), re.compile(r"(\d{1,2})\s*[-/.]\s*(\d{4})"))
WORD = re.compile(r"(?:(\d{4})\s+)?([A-Za-z]{3,9})\.?\s*(\d{4})?")
DAY = (re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})"), re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})"))


@dataclass(frozen=True)
class Series:
    """Values at every time from the first to the last.

    Args:
        values: shape (n,), gaps bridged by straight lines. place: of each row of the table, −1 for rows not used.
        labels: of each time. every: what a step is, such as 'month'. season: points of a year, 1 for none.
        bridged: places without a value of their own. trimmed: rows without a value at the ends.
    """

    column: Column
    time: Column | None
    values: Floats
    place: Any
    labels: list[str]
    every: str
    season: int
    bridged: Any
    trimmed: int

    @property
    def n(self) -> int:
        """Times."""
        return len(self.values)

    @property
    def long(self) -> str:
        """'192 months', '10 times, every 5 years'."""
        if self.every[0].isdigit():
            return f"{counted(self.n, 'time')}, every {self.every}"
        return counted(self.n, self.every)


def read_series(table: Table, value: str, time: str | None, least: int = 8) -> Series:
    """Raises DataProblem for times that cannot be read or stand twice, and for too few values."""
    y = table.numbers(value)
    column = table.column(value)
    if time is None:
        index, every, labels = np.arange(table.n_rows), "row", None
    else:
        index, every, labels = _read(table, time)
    known = index >= 0
    _once(table, time, index, known)
    there = known & ~np.isnan(y)
    if int(there.sum()) < least:
        raise DataProblem(
            f"{value} has {counted(int(there.sum()), 'value')} over time; {least} are needed.", column=value
        )
    low, high = int(index[there].min()), int(index[there].max())
    n = high - low + 1
    if n > 50 * int(there.sum()):
        raise DataProblem(
            f"{time} leaves most times out ({counted(int(there.sum()), 'value')} over {n} steps): its steps are"
            " uneven. Number them,"
            " or sum by month.",
            column=time,
        )
    values = np.full(n, np.nan)
    values[index[there] - low] = y[there]
    bridged = np.flatnonzero(np.isnan(values))
    if len(bridged):
        filled = np.flatnonzero(~np.isnan(values))
        values[bridged] = np.interp(bridged, filled, values[filled])
    inside = there & (index >= low) & (index <= high)
    place = np.where(inside, index - low, -1)
    told = [_label(every, low + k, labels) for k in range(n)]
    trimmed = int((known & np.isnan(y) & ((index < low) | (index > high))).sum())
    return Series(
        column,
        table.column(time) if time else None,
        values,
        place,
        told,
        every,
        SEASONS.get(every, 1),
        bridged,
        trimmed,
    )


def _once(table: Table, time: str | None, index: Any, known: Any) -> None:
    seen, counts = np.unique(index[known], return_counts=True)
    if not (counts > 1).any():
        return
    at = int(seen[int(np.argmax(counts > 1))])
    rows = table.rows[known][index[known] == at]
    raise DataProblem(
        f"A time stands {int((index[known] == at).sum())} times in {time}"
        f" ({rows_in_words([int(r) for r in rows[:6]])}), and"
        f" {counted(int((counts > 1).sum()), 'time')} do so in all: a series has one value at each. Keep one unit by"
        " “Only rows"
        " where”, or sum by time first.",
        column=time,
        rows=[int(r) for r in rows],
    )


def _read(table: Table, name: str) -> tuple[Any, str, list[str] | None]:
    """Step number of each row, −1 where empty; what a step is; labels of steps where they have words of their own."""
    column = table.column(name)
    if column.kind is Kind.date:
        array = table.array(name)
        days = array.cast("timestamp[s]").cast("int64").to_numpy(zero_copy_only=False)
        empty = np.asarray(array.is_null().to_numpy(zero_copy_only=False), bool)
        return _of_days(np.where(empty, 0, np.nan_to_num(days.astype(float)) // 86400).astype(np.int64), ~empty)
    if column.kind in (Kind.count, Kind.measure):
        return _of_numbers(table, name)
    coded = table.codes(name)
    parsed = [_parsed(w) for w in coded.levels]
    if parsed and all(p is not None for p in parsed):
        return _of_words(coded, [p for p in parsed if p is not None])
    if column.kind is Kind.ordered:
        return np.where(coded.codes < 0, -1, coded.codes).astype(np.int64), "step", list(coded.levels)
    wrong = [w for w, p in zip(coded.levels, parsed, strict=True) if p is None]
    raise DataProblem(
        f"{listing([f'“{w}”' for w in wrong], 3)} in {name} {'is' if len(wrong) == 1 else 'are'} no time that can be"
        " read. Write years,"
        " 2024-03, 2024Q1, March 2024 or dates.",
        column=name,
    )


def _of_days(days: Any, known: Any) -> tuple[Any, str, list[str] | None]:
    own = days[known].astype("datetime64[D]")
    months = own.astype("datetime64[M]").astype(np.int64)
    day = (own - own.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64)
    last = ((own + 1).astype("datetime64[M]").astype(np.int64) != months).all()
    out = np.full(len(days), -1, np.int64)
    if len(own) and (len(np.unique(day)) == 1 or last):
        step = _step(months)
        every = {1: "month", 3: "quarter", 6: "half-year", 12: "year"}.get(step)
        if every:
            base = {"month": months, "quarter": months // 3, "half-year": months // 6, "year": months // 12}[every]
            out[known] = base + OFFSET
            return out, every, None
    number = own.astype(np.int64)
    step = _step(number)
    if step % 7 == 0 and step:
        low = int(number.min())
        out[known] = (number - low) // 7
        return out, "week", [str(np.datetime64(low + 7 * k, "D")) for k in range(int(out.max()) + 1)]
    out[known] = number + OFFSET
    return out, "day", None


OFFSET = 1 << 20
"""Added so that step numbers are never negative."""


def _step(numbers: Any) -> int:
    seen = np.unique(numbers)
    return int(np.gcd.reduce(np.diff(seen))) if len(seen) > 1 else 0


def _of_numbers(table: Table, name: str) -> tuple[Any, str, list[str] | None]:
    x = table.numbers(name)
    known = ~np.isnan(x)
    whole = x[known]
    if len(whole) and not (whole == np.round(whole)).all():
        raise DataProblem(f"{name} is not in whole steps; times are dates, years or whole numbers.", column=name)
    number = whole.astype(np.int64)
    step = max(_step(number), 1)
    low = int(number.min()) if len(number) else 0
    out = np.full(len(x), -1, np.int64)
    out[known] = (number - low) // step
    year = bool(len(number)) and low >= 1000 and int(number.max()) < 3000
    labels = [str(low + step * k) for k in range(int(out.max()) + 1)]
    return out, ("year" if step == 1 else f"{step} years") if year else "step", labels


def _parsed(word: str) -> tuple[str, int] | None:
    """('month', 24290): what a word says of time."""
    word = word.strip()
    if re.fullmatch(r"\d{4}", word):
        return "year", int(word)
    if m := QUARTER[0].fullmatch(word):
        return "quarter", int(m[1]) * 4 + int(m[2]) - 1
    if m := QUARTER[1].fullmatch(word):
        return "quarter", int(m[2]) * 4 + int(m[1]) - 1
    for pattern, order in zip(DAY, ((1, 2, 3), (3, 2, 1)), strict=True):
        if m := pattern.fullmatch(word):
            try:
                return "day", int(
                    np.datetime64(f"{int(m[order[0]]):04}-{int(m[order[1]]):02}-{int(m[order[2]]):02}", "D").astype(
                        int
                    )
                )
            except ValueError:
                return None
    for pattern, (y, k) in zip(MONTH, ((1, 2), (2, 1)), strict=True):
        if (m := pattern.fullmatch(word)) and 1 <= int(m[k]) <= 12:
            return "month", int(m[y]) * 12 + int(m[k]) - 1
    if (m := WORD.fullmatch(word)) and m[2][:3].lower() in MONTHS and (m[1] or m[3]):
        return "month", int(m[1] or m[3]) * 12 + MONTHS.index(m[2][:3].lower())
    return None


def _of_words(coded: Any, parsed: list[tuple[str, int]]) -> tuple[Any, str, list[str] | None]:
    kinds = {k for k, _ in parsed}
    if len(kinds) > 1:
        raise DataProblem(f"Times are written as {listing(sorted(kinds), 4)} side by side; write them one way.")
    every = next(iter(kinds))
    steps = np.array([v for _, v in parsed], np.int64)
    if every == "day":
        of_day = _of_days(np.append(steps, 0)[coded.codes], coded.codes >= 0)
        return of_day
    offset = OFFSET - (1970 * {"month": 12, "quarter": 4, "year": 1}[every])
    own = np.append(steps + offset, -1)
    return own[coded.codes], every, None


def _label(every: str, number: int, labels: list[str] | None) -> str:
    """'Mar 2024', '2024 Q1', '2024-03-24', '2024'; of rows their number."""
    if labels is not None:
        return labels[number] if 0 <= number < len(labels) else str(number)
    if every == "row":
        return str(number + 1)
    number -= OFFSET
    if every == "month":
        return f"{NAMES[number % 12]} {1970 + number // 12}"
    if every == "quarter":
        return f"{1970 + number // 4} Q{number % 4 + 1}"
    if every == "half-year":
        return f"{1970 + number // 2} half {number % 2 + 1}"
    if every == "year":
        return str(1970 + number)
    return str(np.datetime64(number, "D"))
