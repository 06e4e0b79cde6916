"""Markdown with pipe tables; figures as SVG inside the text."""

import base64
import re

from yavik.core.answers import Span
from yavik.core.figures.images import svg
from yavik.core.report.assemble import (
    Document,
    Heading,
    Listing,
    Missing,
    NumberedFigure,
    NumberedTable,
    Paragraph,
    Part,
)

MEANING = re.compile(r"([\\`*_\[\]<>#|~])")


def plain(text: str) -> str:
    return MEANING.sub(r"\\\1", text)


def spans(found: list[Span]) -> str:
    marks = {"italic": ("*", "*"), "bold": ("**", "**"), "sub": ("<sub>", "</sub>")}
    out = []
    for s in found:
        before, after = marks.get(s.style, ("", ""))
        inner = plain(s.t.strip()) if before else plain(s.t)
        gap = " " if before and s.t.endswith(" ") else ""
        out.append(f"{before}{inner}{after}{gap}")
    return "".join(out)


def write_markdown(document: Document) -> bytes:
    return ("\n\n".join(filter(None, map(_part, document.parts))) + "\n").encode()


def _part(part: Part) -> str:
    if isinstance(part, Heading):
        return f"{'#' * part.level} {spans(part.spans)}"
    if isinstance(part, Paragraph):
        return spans(part.spans)
    if isinstance(part, Listing):
        return "\n".join(f"{f'{i}.' if part.ordered else '-'} {spans(item)}" for i, item in enumerate(part.items, 1))
    if isinstance(part, NumberedTable):
        block = part.block
        lines = [
            f"| {' | '.join(plain(h.title) for h in block.columns)} |",
            f"|{'|'.join(':--' if h.align == 'left' else '--:' for h in block.columns)}|",
        ]
        lines += [
            f"| {' | '.join(plain(row[h.key].text) if h.key in row else '' for h in block.columns)} |"
            for row in block.rows
        ]
        return "\n\n".join(filter(None, [spans(part.caption), "\n".join(lines), plain(block.note or "")]))
    if isinstance(part, NumberedFigure):
        data = base64.b64encode(svg(part.vega).encode()).decode()
        return f"![{plain(part.alt)}](data:image/svg+xml;base64,{data})\n\n{spans(part.caption)}"
    assert isinstance(part, Missing)
    return f"*{plain(part.text)}*"
