"""Steps that put numbers on another scale, and scores of several items."""

from typing import Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from scipy import special

from yavik.core.ask import asked
from yavik.core.stats.ranks import mid_ranks
from yavik.core.steps.base import (
    ALONE,
    GROUPING,
    NUMBERS,
    Around,
    Outcome,
    Step,
    names_in_words,
    need,
    new_name,
    plural,
)
from yavik.core.steps.emptiness import measure_like
from yavik.core.steps.grouping import grouping, numbers_for
from yavik.core.steps.making import measure, words
from yavik.core.table import CODED, Column, DataProblem, Kind, Level, Table
from yavik.core.table.table import number_text
from yavik.core.table.written import written

IN_PLACE = {"false": "in new columns", "true": "in their place"}


def _put(table: Table, name: str, word: str, values: Any, replace: bool, unit: str | None = None) -> Table:
    column = table.column(name)
    fresh, array = measure(name if replace else new_name(table, f"{name} {word}"), values)
    label = f"{column.label} ({word})" if column.label else None
    return table.with_column(fresh.but(label=label, unit=unit), array)


class Standardise(Step):
    """Numbers less their mean, over their SD (n − 1), or from 0 to 1; of all rows or within groups."""

    step: Literal["standardise"] = "standardise"
    columns: list[str] = asked("columns", "Columns", kinds=NUMBERS, min_length=1)
    how: Literal["z", "centre", "range"] = asked(
        "choice", "To", "z", words={"z": "mean 0 and SD 1", "centre": "mean 0", "range": "the range 0 to 1"}
    )
    by: list[str] = asked("columns", "Within each", [], kinds=GROUPING)
    replace: bool = asked("choice", "The result stands", False, words=IN_PLACE)
    words = "Standardise {columns} to {how}"
    help = (
        "Puts numbers on a common scale: (x − mean) / SD with the SD of n − 1, x − mean, or (x − min) / (max − min)."
    )
    family = "Values"

    def title(self) -> str:
        within = f" within {names_in_words(self.by)}" if self.by else ""
        return f"Standardise {names_in_words(self.columns)}{within}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        groups, flat = grouping(table, self.by), 0
        for name in self.columns:
            values = table.numbers(name)
            fresh, lost = _standard(values, groups.codes, groups.count, self.how)
            flat += lost
            unit = table.column(name).unit if self.how == "centre" else None
            table = _put(
                table, name, {"z": "z", "centre": "centred", "range": "0 to 1"}[self.how], fresh, self.replace, unit
            )
        notes = (
            [
                f"{plural(flat, 'cell')} {'is' if flat == 1 else 'are'} empty: where all values are equal (or there"
                " is one) there is no spread to divide by."
            ]
            if flat
            else []
        )
        return Outcome(table, {"z": "mean 0, SD 1", "centre": "mean 0", "range": "0 to 1"}[self.how], notes)


def _standard(values: Any, codes: Any, count: int, how: str) -> tuple[Any, int]:
    """Standardised values and how many could not be (no spread). Deviations from the mean are squared, never the raw
    values."""
    if count == 1 and how != "range":
        return _standard_all(values, how)
    full = ~np.isnan(values)
    whole = full.all()
    own, x = (codes, values) if whole else (codes[full], values[full])
    out = np.full(len(values), np.nan)
    with np.errstate(invalid="ignore", divide="ignore"):
        if how == "range":
            low, high = np.full(count, np.inf), np.full(count, -np.inf)
            np.minimum.at(low, own, x)
            np.maximum.at(high, own, x)
            width = high - low
            fresh = (x - low[own]) / np.where(width > 0, width, np.nan)[own]
        else:
            n = np.bincount(own, minlength=count)
            fresh = x - (np.bincount(own, x, minlength=count) / n)[own]
            if how == "z":
                sd = np.sqrt(np.bincount(own, fresh * fresh, minlength=count) / (n - 1))
                scale = np.abs(x).max(initial=1.0)
                fresh = fresh / np.where(sd > 1e-14 * scale, sd, np.nan)[own]
    if whole:
        out = fresh
    else:
        out[full] = fresh
    return out, int(np.isnan(fresh).sum())


def _standard_all(values: Any, how: str) -> tuple[Any, int]:
    """The same for one group: nothing to look up."""
    full = values[~np.isnan(values)] if np.isnan(values).any() else values
    if not len(full):
        return values, 0
    fresh = values - full.mean()
    if how == "z":
        sd = full.std(ddof=1) if len(full) > 1 else 0.0
        if sd <= 1e-14 * np.abs(full).max(initial=1.0):
            return np.full(len(values), np.nan), len(full)
        fresh /= sd
    return fresh, 0


TRANSFORMS = {
    "log": "logarithm",
    "log1p": "logarithm of x + 1",
    "sqrt": "square root",
    "fourth_root": "fourth root",
    "rank": "rank",
    "box_cox": "Box–Cox power",
    "presence": "presence (0 or 1)",
}


class Transform(Step):
    """Another scale for single numbers. What has no value there is empty, counted and said."""

    step: Literal["transform"] = "transform"
    columns: list[str] = asked("columns", "Columns", kinds=NUMBERS, min_length=1)
    how: Literal["log", "log1p", "sqrt", "fourth_root", "rank", "box_cox", "presence"] = asked(
        "choice", "By", "log", words=TRANSFORMS
    )
    base: Literal["e", "10", "2"] = asked(
        "choice", "Logarithm to base", "e", words={"e": "e", "10": "10", "2": "2"}, when={"how": ["log", "log1p"]}
    )
    replace: bool = asked("choice", "The result stands", False, words=IN_PLACE)
    words = "Take the {how} of {columns}"
    help = (
        "Logarithm, roots, ranks (ties share their mean rank), the Box–Cox power of largest likelihood, or presence"
        " (1 where x > 0)."
    )
    family = "Values"

    def title(self) -> str:
        return f"{TRANSFORMS[self.how].capitalize()} of {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        notes = []
        for name in self.columns:
            values = table.numbers(name)
            fresh, note = self._transformed(name, values)
            lost = 0 if np.isfinite(fresh).all() else int((~np.isfinite(fresh) & ~np.isnan(values)).sum())
            if note:
                notes.append(note)
            if lost:
                notes.append(
                    f"{name}: {plural(lost, 'cell')} {'has' if lost == 1 else 'have'} no {TRANSFORMS[self.how]} and"
                    f" {'is' if lost == 1 else 'are'} empty."
                )
            table = _put(table, name, self._word(), fresh, self.replace)
        return Outcome(table, "; ".join(notes)[:60] or TRANSFORMS[self.how], notes)

    def _word(self) -> str:
        base = "" if self.base == "e" else self.base
        return {
            "log": f"log{base}",
            "log1p": f"log{base} of x + 1",
            "sqrt": "root",
            "fourth_root": "fourth root",
            "rank": "rank",
            "box_cox": "Box–Cox",
            "presence": "presence",
        }[self.how]

    def _transformed(self, name: str, x: Any) -> tuple[Any, str | None]:
        with np.errstate(invalid="ignore", divide="ignore"):
            divisor = {"e": 1.0, "10": np.log(10), "2": np.log(2)}[self.base]
            if self.how == "log":
                return np.log(x) if divisor == 1 else np.log(x) / divisor, None
            if self.how == "log1p":
                return np.log1p(x) if divisor == 1 else np.log1p(x) / divisor, None
            if self.how == "sqrt":
                return np.sqrt(x), None
            if self.how == "fourth_root":
                return np.where(x >= 0, x, np.nan) ** 0.25, None
            if self.how == "presence":
                return np.where(np.isnan(x), np.nan, (x > 0).astype(float)), None
        if self.how == "rank":
            out, full = np.full(len(x), np.nan), ~np.isnan(x)
            out[full] = mid_ranks(x[full])
            return out, None
        return _box_cox(name, x)


def _box_cox(name: str, x: Any) -> tuple[Any, str]:
    """(x^λ − 1) / λ with the λ of largest likelihood (Box & Cox, 1964)."""
    from scipy.stats import boxcox_normmax  # takes longer to load than most answers to work out

    positive = x > 0
    if positive.sum() < 3 or np.ptp(x[positive]) == 0:
        raise DataProblem(f"{name} has too few different positive values for a Box–Cox power.", column=name)
    power = float(boxcox_normmax(x[positive], method="mle"))
    out = np.full(len(x), np.nan)
    out[positive] = special.boxcox(x[positive], power)
    return out, f"{name}: λ = {number_text(power, 3)}."


class Reverse(Step):
    """Reverse-scored items: min + max − x."""

    step: Literal["reverse"] = "reverse"
    columns: list[str] = asked("columns", "Items", kinds=(*NUMBERS, Kind.ordered, Kind.category), min_length=1)
    low: float = asked("number", "Lowest possible answer", 1)
    high: float = asked("number", "Highest possible answer", 5)
    ending: str = asked(
        "text", "New columns are called like the old ones with", "", placeholder="nothing: in their place"
    )
    words = "Reverse the items {columns}, scored {low} to {high}"
    help = (
        "Turns items that ask the other way round: lowest + highest − answer. Give the scale's ends, not those that"
        " happen to occur."
    )
    family = "Scales"

    def title(self) -> str:
        return f"Reverse {names_in_words(self.columns)}"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        if self.low >= self.high:
            raise DataProblem("The lowest possible answer must be under the highest.")
        for name in self.columns:
            if (turned := self._whole(table, name)) is not None:
                table = table.with_column(table.column(name).but(name=self._place(table, name)), turned)
                continue
            values = numbers_for(table, name)
            outside = (values < self.low) | (values > self.high)
            if outside.any():
                rows = table.rows[outside]
                raise DataProblem(
                    f"{name} holds {plural(len(rows), 'answer')} outside {number_text(self.low, 0)} to"
                    f" {number_text(self.high, 0)} (such as in row {rows[0]}).",
                    column=name,
                    rows=rows,
                )
            fresh, array = self._turned(table, name, values)
            table = table.with_column(fresh.but(name=self._place(table, name)), array)
        return Outcome(table, f"{number_text(self.low + self.high, 0)} − x")

    def _place(self, table: Table, name: str) -> str:
        return new_name(table, f"{name} {self.ending.strip()}") if self.ending.strip() else name

    def _whole(self, table: Table, name: str) -> Any | None:
        """Whole numbers stay whole numbers throughout; None where that is not so, or an answer lies outside."""
        if table.column(name).kind is not Kind.count or not (
            float(self.low).is_integer() and float(self.high).is_integer()
        ):
            return None
        ends = pc.min_max(table.array(name)).as_py()
        if ends["min"] is not None and (ends["min"] < self.low or ends["max"] > self.high):
            return None
        return pc.subtract(pa.scalar(int(self.low + self.high), pa.int64()), table.array(name))

    def _turned(self, table: Table, name: str, values: Any) -> tuple[Column, Any]:
        column = table.column(name)
        turned = self.low + self.high - values
        if column.kind not in CODED:
            return measure_like(column, turned)
        # A coded item keeps its levels and their words: an answer '1' becomes the level whose value is '5'.
        known = {float(lv.value.replace("−", "-")): i for i, lv in enumerate(column.levels)}
        levels = list(column.levels)
        for value in np.unique(turned[~np.isnan(turned)]).tolist():
            if value not in known:
                known[value] = len(levels)
                levels.append(Level(value=written(value)))
        order = sorted(known, key=lambda v: v)
        place = {v: i for i, v in enumerate(order)}
        codes = np.array([place[v] if not np.isnan(v) else -1 for v in turned.tolist()], np.int32)
        fresh, array = words(name, codes, [levels[known[v]] for v in order], column.kind)
        return column.but(levels=fresh.levels), array


class Score(Step):
    """Mean or sum of items, where at least so many are answered."""

    step: Literal["score"] = "score"
    columns: list[str] = asked("columns", "Items", kinds=(*NUMBERS, *CODED), min_length=1)
    name: str = asked("text", "Name of the score", placeholder="a name")
    how: Literal["mean", "sum"] = asked("choice", "Score", "mean", words={"mean": "mean", "sum": "sum"})
    at_least: int | None = asked("number", "Items that must be answered", None, placeholder="all", ge=1)
    words = "Score {name} as the {how} of {columns}"
    help = (
        "A scale's score. With fewer items required than there are, a sum is the mean of the answered items times the"
        " number of items, so that rows stay comparable."
    )
    family = "Scales"

    def title(self) -> str:
        return f"Score **{self.name}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, self.columns)
        k = len(self.columns)
        required = k if self.at_least is None else self.at_least
        if required > k:
            raise DataProblem(f"{required} items must be answered, but there are {k}.")
        total, answered, always = np.zeros(table.n_rows), np.zeros(table.n_rows, np.int32), 0
        for name in self.columns:
            values = numbers_for(table, name)
            full = ~np.isnan(values)
            if full.all():
                total += values
                always += 1
            else:
                total += np.where(full, values, 0)
                answered += full
        answered += always
        with np.errstate(invalid="ignore", divide="ignore"):
            mean = total / answered
        score = np.where(
            answered >= required, np.where(answered == k, total, mean * k) if self.how == "sum" else mean, np.nan
        )
        short = int(np.isnan(score).sum())
        partial = int(((answered < k) & (answered >= required)).sum())
        notes = (
            [
                f"{plural(short, 'row')} answered fewer than {required} items and {'has' if short == 1 else 'have'}"
                " no score."
            ]
            if short
            else []
        )
        notes += (
            [f"{plural(partial, 'row')} {'has a score' if partial == 1 else 'have scores'} from some of the items."]
            if partial
            else []
        )
        fresh, array = measure(new_name(table, self.name), score)
        return Outcome(
            table.with_column(fresh, array), f"{self.how} of {k} items" + (f", {short} empty" if short else ""), notes
        )
