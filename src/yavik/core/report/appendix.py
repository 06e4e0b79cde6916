"""The appendix that is made for the researcher: how data were prepared, what columns mean, what was computed and
how."""

from dataclasses import dataclass
from typing import Any

from yavik import __version__
from yavik.core.answers import Answer, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, given, grouped, listing
from yavik.core.table import Column
from yavik.core.table.table import kind_words

PARTS = {
    "preparation": "How the data were prepared",
    "dictionary": "Columns",
    "methods": "Methods and their settings",
}


@dataclass(frozen=True)
class PreparedTable:
    """A table as the appendix tells it: ``steps`` are the path in words, each with what it did."""

    name: str
    source: str
    rows: int
    columns: list[Column]
    steps: list[tuple[str, str]]


@dataclass(frozen=True)
class Asked:
    name: str
    method: str
    table: str
    answer: Answer


@dataclass(frozen=True)
class Appendix:
    tables: list[PreparedTable]
    asked: list[Asked]


Told = tuple[str, Any]
"""('heading', words), ('text', words), ('list', items) or ('table', TableBlock)."""


def tell(found: Appendix, parts: list[str]) -> list[Told]:
    """The appendix, in the parts that are wanted."""
    out: list[Told] = [("heading1", "Appendix")]
    if "preparation" in parts:
        out.append(("heading", PARTS["preparation"]))
        for t in found.tables:
            out += _prepared(t)
    if "dictionary" in parts:
        out.append(("heading", PARTS["dictionary"]))
        out += [("table", _dictionary(t)) for t in found.tables]
    if "methods" in parts:
        out.append(("heading", PARTS["methods"]))
        out.append(("text", f"Everything was computed with Yavik {__version__}."))
        for a in found.asked:
            out += _asked(a)
    return out


def _prepared(t: PreparedTable) -> list[Told]:
    size = f"{counted(t.rows, 'row')} and {counted(len(t.columns), 'column')}"
    lead = f"{t.name}: from {t.source}. " + (
        f"{counted(len(t.steps), 'step')} lead to {size}." if t.steps else f"Used as it is: {size}."
    )
    made: list[Told] = [("text", lead)]
    if t.steps:
        made.append(
            ("list", [f"{plain_title(title)} ({said})" if said else plain_title(title) for title, said in t.steps])
        )
    return made


def plain_title(title: str) -> str:
    """A step's title without the marks that set its names off."""
    return title.replace("**", "").replace("`", "")


def _dictionary(t: PreparedTable) -> TableBlock:
    def of(c: Column) -> dict[str, str]:
        """A column's entry, by its heads."""
        empty = listing([_empty(c, x) for x in c.empty_codes], 6)
        return {"Column": c.name, "Label": c.label or "", "Kind": kind_words(c.kind), "Unit": c.unit or "", "Levels": _levels(c), "Empty codes": empty}  # fmt: skip

    told = [of(c) for c in t.columns]
    shown = [
        title for title in (told[0] if told else {}) if title in ("Column", "Kind") or any(x[title] for x in told)
    ]
    keys = {"Column": "name", "Empty codes": "empty"}
    rows = [{keys.get(title, title.lower()): q.name(x[title], title) for title in shown} for x in told]
    return q.table("dictionary", f"Columns of {t.name}", rows)


def _levels(c: Column) -> str:
    said = [f"{x.value} = {x.label}" if x.label and x.label != x.value else x.value for x in c.levels]
    return listing(said, 12)


def _empty(c: Column, code: str) -> str:
    meaning = c.empty_meanings.get(code)
    return f"{code} ({meaning})" if meaning else code


def _asked(a: Asked) -> list[Told]:
    spec = [f"{name.replace('_', ' ')}: {shown}" for name, value in a.answer.spec.items() if (shown := _value(value))]
    used = f"{grouped(a.answer.rows.used)} of {counted(a.answer.rows.total, 'row')} of {a.table}"
    seed = f", seed {a.answer.seed}" if a.answer.seed is not None else ""
    return [("text", f"{a.name}: {a.method}, version {a.answer.version}; {used}{seed}."), ("list", spec)]


def _value(value: Any) -> str:
    if value is None or value == "" or value == [] or value == {}:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return listing([_value(v) or "–" for v in value], 12)
    if isinstance(value, dict):
        return "; ".join(f"{k} {_value(v)}" for k, v in value.items())
    return (
        str(value).replace("_", " ")
        if isinstance(value, str)
        else given(value)
        if isinstance(value, float)
        else str(value)
    )
