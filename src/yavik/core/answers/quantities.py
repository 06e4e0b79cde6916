"""Quantities: numbers that know how they are printed, headed and quoted.

A row of a table is made of quantities, and everything else is a view of them: the cell, the column's head with its
alignment and unit, which column is bold, and what a report can quote. Nobody reads a number's meaning from its text.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

from yavik.core.answers.answer import Cell, Head, Role, Span, TableBlock
from yavik.core.answers.wording import df as df_words
from yavik.core.answers.wording import (
    grouped,
    italic,
    level_words,
    number,
    p_bare,
    p_words,
    percent,
    say,
    share,
    share_fine,
    span,
    statistic,
    sub,
)

LINES = 2000
"""The longest table of an answer; what has more lines shows the first of them."""
ESTIMATES = {"difference", "estimate", "odds_ratio", "rate_ratio", "b", "mean", "median", "r", "share", "value"}
"""Columns whose numbers answer a question by themselves."""
HERE = "cannot be computed here"
NONE = "has none"
LETTERS = {"p", "t", "F", "z", "r", "U", "W", "H", "V", "d", "g", "Q", "S", "S⁺", "W⁺"}
"""Titles that are a letter standing for a number are set in italics, as in print."""
SYMBOLS = LETTERS | {"χ²", "ρ", "τ"}
"""Titles under which a number is told beside its p."""


@dataclass(frozen=True)
class Quantity:
    """A value, its words, and what it is.

    Args:
        title: head of its column; None for a value that is kept for others to read and has no column.
        role: what a report takes it for.
        lowered: what stands below the letter of a statistic, as W in Welch's F.
        below: a second line of the cell.
    """

    v: float | int | str | None
    s: str
    title: str | None = None
    role: Role = "value"
    """``value`` under a key that names an estimate is one."""
    why: str | None = None
    unit: str = ""
    lowered: str = ""
    below: str | None = None
    strong: bool = False

    @property
    def cell(self) -> Cell:
        """What the table shows."""
        return Cell(v=self.v, s=self.s, why=self.why, sub=self.below, strong=self.strong)

    def head(self, key: str) -> Head:
        """The head of a column of such values."""
        title = self.title or ""
        shown = f"{title} ({self.unit})" if self.unit and title else title
        letter = title in LETTERS
        role: Role = "estimate" if self.role == "value" and key in ESTIMATES else self.role
        return Head(
            key=key, title=shown, align="left" if role in ("name", "said") else "right", italic=letter, role=role,
            unit=self.unit, lowered=self.lowered,
        )  # fmt: skip

    @property
    def bold(self) -> "Quantity":
        """The same in bold."""
        return replace(self, strong=True)

    def under(self, title: str | None) -> "Quantity":
        """The same below another head; None for no column at all."""
        return replace(self, title=title)


Row = dict[str, Quantity]
"""Keys are those of ``architecture.md``: ``f df1 p estimate ci_low …``."""


def row(**cells: Quantity) -> Row:
    """A table's row, its columns in the order given."""
    return cells


def table(id: str, title: str, rows: Iterable[Mapping[str, Quantity]], *, of: int = 0, **more: Any) -> TableBlock:
    """A table of quantities: its heads come from the first of each column that has a title.

    Args:
        of: how many lines there would be, where ``rows`` are only the first of them; the note says so.
        more: ``note``, ``folded``, ``marked``, ``control``, ``picked``, ``by`` of a TableBlock; ``strong``, which is
            the columns of p unless said otherwise; ``order``, keys of the columns where rows do not give it.
    """
    made = [dict(r) for r in rows]
    heads: dict[str, Head] = {}
    for cells in made:
        for key, quantity in cells.items():
            if key not in heads and quantity.title is not None:
                heads[key] = quantity.head(key)
    order: Sequence[str] = more.pop("order", list(heads))
    columns = [heads[key] for key in order if key in heads]
    if of > len(made):
        first = f"The first {grouped(len(made))} of {grouped(of)} lines."
        more["note"] = f"{more['note']} {first}" if more.get("note") else first
    strong = more.pop("strong", [h.key for h in columns if h.role == "p"])
    return TableBlock(
        id=id, title=title, columns=columns, rows=[{k: q.cell for k, q in cells.items()} for cells in made],
        strong=strong, **more,
    )  # fmt: skip


def gone(why: str, title: str | None = "", role: Role = "value", unit: str = "", lowered: str = "") -> Quantity:
    """A dash with the reason why there is no number."""
    return Quantity(None, "–", title, role, why, unit, lowered)


def blank(title: str | None = "", role: Role = "value") -> Quantity:
    """A cell that has nothing to say: not a number that could not be computed."""
    return Quantity(None, "", title, role)


def name(text: str, title: str | None = "") -> Quantity:
    """A word that says whose row this is, on the left."""
    return Quantity(text, text, title, "name")


def said(text: str, title: str | None = "") -> Quantity:
    """Words that say something of the row, on the left."""
    return Quantity(text, text, title, "said")


def word(text: str, title: str | None = "") -> Quantity:
    """A short word where numbers stand, on the right."""
    return Quantity(text, text, title, "word")


def count(n: float, title: str | None = "n") -> Quantity:
    """A whole number of rows, levels, wins."""
    return Quantity(int(n), grouped(int(n)), title, "count")


def num(
    value: float, decimals: int, title: str | None = "", *, why: str = HERE, role: Role = "value",
    unit: str | None = None
) -> Quantity:  # fmt: skip
    """A number with fixed decimals; NaN and infinities become a dash with the reason."""
    if not math.isfinite(value):
        return gone(why, title, role, unit or "")
    return Quantity(float(value), number(value, decimals), title, role, unit=unit or "")


def est(value: float, decimals: int, title: str | None, unit: str | None = None, why: str = HERE) -> Quantity:
    """What a report quotes with its unit and interval: a difference, a slope, a ratio."""
    return num(value, decimals, title, why=why, role="estimate", unit=unit)


def texted(value: float, text: str, title: str | None = "", role: Role = "value") -> Quantity:
    """A number with words of its own."""
    return Quantity(float(value), text, title, role)


def size(value: float, title: str | None = "", why: str = HERE, role: Role = "value") -> Quantity:
    """A size between −1 and 1, two decimals without the leading zero: R², η², a correlation."""
    return Quantity(float(value), share(value), title, role) if math.isfinite(value) else gone(why, title, role)


def fine(value: float, title: str | None = "", why: str = HERE, role: Role = "value") -> Quantity:
    """A size with three decimals, where two are told apart."""
    return Quantity(float(value), share_fine(value), title, role) if math.isfinite(value) else gone(why, title, role)


def part(value: float, title: str | None = "", why: str = HERE, role: Role = "value") -> Quantity:
    """A share in per cent."""
    return Quantity(float(value), percent(value), title, role) if math.isfinite(value) else gone(why, title, role)


def stat(value: float, letter: str | None, why: str = HERE, lowered: str = "") -> Quantity:
    """A test's statistic under its letter."""
    if not math.isfinite(value):
        return gone(why, letter, "statistic", lowered=lowered)
    return Quantity(float(value), statistic(value), letter, "statistic", lowered=lowered)


def df(value: float, title: str | None = "df", why: str = NONE) -> Quantity:
    """Degrees of freedom."""
    return Quantity(float(value), df_words(value), title, "df") if math.isfinite(value) else gone(why, title, "df")


def p(value: float, title: str | None = "p", why: str = HERE) -> Quantity:
    """A p value: .083, < .001."""
    return Quantity(float(value), p_bare(value), title, "p") if math.isfinite(value) else gone(why, title, "p")


def ci(
    low: float, high: float, decimals: int, alpha: float | None, *, why: str = HERE, what: str = "CI",
    key: str = "ci",
    unit: str | None = None,
) -> Row:  # fmt: skip
    """An interval: one column of words, kept under ``ci_low``, with the upper end beside it for whoever computes.

    Args:
        alpha: None for a column without a head.
    """
    title = f"{level_words(alpha)} {what}" if alpha is not None else None
    return ends(low, high, lambda x: number(x, decimals), title, why, key)


def size_ci(low: float, high: float, alpha: float | None, why: str = HERE) -> Row:
    """The interval of a size between −1 and 1."""
    return ends(low, high, share, f"{level_words(alpha)} CI" if alpha is not None else None, why, "ci")


def ends(low: float, high: float, words: Any, title: str | None, why: str = HERE, key: str = "ci") -> Row:
    """An interval whose ends have words of their own; an open end is written as such."""
    below, above = f"{key}_low", f"{key}_high"
    if math.isnan(low) or math.isnan(high) or (math.isinf(low) and math.isinf(high)):
        return {below: gone(why, title, "interval"), above: gone(why, None)}
    told = span(low, high, words)
    return {
        below: Quantity(None if math.isinf(low) else float(low), told, title, "interval"),
        above: gone("open: one-sided", None) if math.isinf(high) else Quantity(float(high), words(high), None),
    }


class F(Protocol):
    """A test by F."""

    @property
    def f(self) -> float: ...
    @property
    def df1(self) -> float: ...
    @property
    def df2(self) -> float: ...
    @property
    def p(self) -> float: ...


class T(Protocol):
    """A test by t."""

    @property
    def t(self) -> float: ...
    @property
    def df(self) -> float: ...
    @property
    def p(self) -> float: ...


class Chi2(Protocol):
    """A test by χ²."""

    @property
    def chi2(self) -> float: ...
    @property
    def df(self) -> float: ...
    @property
    def p(self) -> float: ...


F_KEYS = ("f", "df1", "df2", "p")


def f_cells(test: F | str | None, *keys: str, why: str = HERE, lowered: str = "") -> Row:
    """F with its df and p; a text says why there is none.

    Args:
        keys: which of ``f df1 df2 p``, in this order; all unless said.
    """
    nan = math.nan
    why = test if isinstance(test, str) else why
    f, df1, df2, value = (test.f, test.df1, test.df2, test.p) if test and not isinstance(test, str) else (nan,) * 4
    made = {
        "f": stat(f, "F", why, lowered),
        "df1": df(df1, why=why),
        "df2": df(df2, "df of error", why),
        "p": p(value, why=why),
    }
    return {k: made[k] for k in keys or F_KEYS}


def t_cells(test: T | str, why: str = HERE, lowered: str = "") -> Row:
    """t with its df and p; a text says why there is none."""
    if isinstance(test, str):
        return {"t": gone(test, "t", "statistic"), "df": gone(test, "df", "df"), "p": gone(test, "p", "p")}
    return {"t": stat(test.t, "t", why, lowered), "df": df(test.df), "p": p(test.p, why=why)}


def chi2_cells(test: Chi2 | str | None, why: str = HERE, letter: str = "χ²") -> Row:
    """χ² with its df and p; a text says why there is none."""
    why = test if isinstance(test, str) else why
    chi2, own, value = (test.chi2, test.df, test.p) if test and not isinstance(test, str) else (math.nan,) * 3
    return {"chi2": stat(chi2, letter, why), "df": df(own, why=why), "p": p(value, why=why)}


def tested(
    letter: str, value: float, df: Sequence[float] = (), p: float | None = None, *, lowered: str = "",
    after: str = "",
    text: str | None = None, n: int | None = None,
) -> list[Span]:  # fmt: skip
    """'F_W(2, 68.7) = 12.55, p < .001': a test in a sentence.

    Args:
        lowered: stands below the letter. after: stands behind p, such as ' (exact)'.
        text: the statistic in words of its own.
        n: the number of rows, where a statistic is told with it.
    """
    symbol = italic(letter) if letter.isascii() else Span(t=letter)
    below = [sub(lowered)] if lowered else []
    rows: list[str | Span] = [", ", italic("n"), f"\u00a0= {grouped(n)}"] if n is not None else []
    inside = ", ".join(df_words(d) for d in df)
    brackets: list[str | Span] = [f"({inside}", *rows, ")"] if inside else []
    tail: list[str | Span] = [", ", *p_said(p, after)] if p is not None else []
    return say(symbol, *below, *brackets, f"\u00a0= {text or statistic(value)}", *tail)


def tested_f(test: F, lowered: str = "", after: str = "") -> list[Span]:
    """'F(2, 68.7) = 12.55, p < .001'."""
    return tested("F", test.f, (test.df1, test.df2), test.p, lowered=lowered, after=after)


def p_said(value: float, after: str = "") -> list[Span]:
    """'p = .012', as a mark on a figure or in a sentence has it."""
    return say(italic("p"), f"\u00a0{p_words(value)}{after}")
