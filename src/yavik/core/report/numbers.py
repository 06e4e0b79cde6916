"""The language of numbers: a report in which every number that Yavik wrote has a decimal comma."""

import copy
import re
from typing import Any

from yavik.core.answers import Cell, Span, TableBlock

BARE = re.compile(r"(?<![\w.,])([−-]?)\.(\d)")
POINT = re.compile(r"(?<=\d)\.(?=\d)")
TOGETHER = re.compile(r"\(([\d\u2009.]+), ([\d\u2009.]+)(?:, ([\d\u2009.]+))?\)")


def comma(text: str) -> str:
    """'F(2, 69.8) = 15.2, p < .001' → 'F(2; 69,8) = 15,2, p < 0,001'."""
    text = TOGETHER.sub(lambda m: "(" + "; ".join(x for x in m.groups() if x) + ")", text)
    return POINT.sub(",", BARE.sub(r"\g<1>0,\2", text))


def comma_spans(spans: list[Span]) -> list[Span]:
    """Runs of one style are read together where a number is cut by a change of style: it never is inside its
    digits."""
    return [s.model_copy(update={"t": comma(s.t)}) for s in spans]


def comma_table(block: TableBlock) -> TableBlock:
    def cell(c: Cell) -> Cell:
        return (
            c.model_copy(update={"s": comma(c.s), "sub": comma(c.sub) if c.sub else None})
            if isinstance(c.v, int | float) or c.v is None
            else c
        )

    return block.model_copy(
        update={
            "title": comma(block.title),
            "note": comma(block.note) if block.note else None,
            "rows": [{k: cell(c) for k, c in row.items()} for row in block.rows],
        }
    )


STATED = re.compile(r"^(p|adjusted p|R²|[a-z ]+: y =|y =|.*R² =)")


def comma_vega(vega: dict[str, Any]) -> dict[str, Any]:
    """The drawing with a decimal comma at its axes and in the tests and equations that stand in it."""
    made = copy.deepcopy(vega)
    made.setdefault("config", {}).setdefault("locale", {}).setdefault("number", {})["decimal"] = ","
    _walk(made)
    return made


def _walk(node: Any) -> None:
    if isinstance(node, list):
        for x in node:
            _walk(x)
    elif isinstance(node, dict):
        words = node.get("text")
        if isinstance(words, str) and STATED.match(words):
            node["text"] = comma(words)
        for key, value in node.items():
            if key != "config":
                _walk(value)
