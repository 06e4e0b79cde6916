"""Markdown with pipe tables; figures as SVG inside the text, or as files beside it in a zip."""

import base64
import io
import re
import zipfile
from collections.abc import Callable

from yavik.core.figures.images import svg
from yavik.core.report.assemble import (
    Document,
    Footnote,
    Heading,
    Listing,
    Missing,
    NumberedFigure,
    NumberedTable,
    PageBreak,
    Paragraph,
    Part,
    Reference,
    Run,
)
from yavik.core.report.telling import Tell, silent

MEANING = re.compile(r"([\\`*_\[\]<>#|~])")


def plain(text: str) -> str:
    """A text with what would mean something taken at its word."""
    return MEANING.sub(r"\\\1", text)


MARKS = {"italic": ("*", "*"), "bold": ("**", "**"), "sub": ("<sub>", "</sub>"), "sup": ("<sup>", "</sup>")}


def spans(found: list[Run]) -> str:
    """A sentence as Markdown."""
    out = []
    for s in found:
        if isinstance(s, Footnote):
            out.append(f"[^{s.number}]")
        elif isinstance(s, Reference):
            out.append(plain(s.text))
        else:
            before, after = MARKS.get(s.style, ("", ""))
            inner = plain(s.t.strip()) if before else plain(s.t)
            gap = " " if before and s.t.endswith(" ") else ""
            out.append(f"{before}{inner}{after}{gap}" if inner else gap)
    return "".join(out)


Place = Callable[[NumberedFigure], str]
"""Where a picture is found."""


def write_markdown(document: Document, tell: Tell = silent) -> bytes:
    """One file with its pictures inside."""
    return _text(document, _inside, tell).encode()


def write_markdown_zip(document: Document, tell: Tell = silent) -> bytes:
    """report.md and its pictures as SVG files beside it."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:

        def beside(part: NumberedFigure) -> str:
            """A figure put beside the text, and its name."""
            name = f"images/figure-{part.number}.svg"
            archive.writestr(name, svg(part.vega))
            return name

        archive.writestr("report.md", _text(document, beside, tell))
    return out.getvalue()


def _inside(part: NumberedFigure) -> str:
    return f"data:image/svg+xml;base64,{base64.b64encode(svg(part.vega).encode()).decode()}"


def _text(document: Document, place: Place, tell: Tell) -> str:
    made = []
    for i, part in enumerate(document.parts):
        tell(i / max(1, len(document.parts)))
        made.append(_part(part, place))
    made += [f"[^{n.number}]: {plain(n.text)}" for n in document.footnotes]
    return "\n\n".join(filter(None, made)) + "\n"


def _part(part: Part, place: Place) -> str:
    if isinstance(part, Heading):
        return f"{'#' * part.level} {spans(part.spans)}"
    if isinstance(part, Paragraph):
        return spans(part.spans)
    if isinstance(part, Listing):
        return "\n".join(f"{f'{i}.' if part.ordered else '-'} {spans(item)}" for i, item in enumerate(part.items, 1))
    if isinstance(part, PageBreak):
        return '<div style="page-break-before: always"></div>'
    if isinstance(part, NumberedTable):
        return _table(part)
    if isinstance(part, NumberedFigure):
        return f"![{plain(part.alt)}]({place(part)})\n\n{spans(list(part.caption))}"
    assert isinstance(part, Missing)
    return f"*{plain(part.text)}*"


def _table(part: NumberedTable) -> str:
    block = part.block
    lines = [
        f"| {' | '.join(plain(h.title) for h in block.columns)} |",
        f"|{'|'.join(':--' if h.align == 'left' else '--:' for h in block.columns)}|",
    ]
    lines += [
        f"| {' | '.join(plain(row[h.key].text) if h.key in row else '' for h in block.columns)} |"
        for row in block.rows
    ]
    return "\n\n".join(filter(None, [spans(list(part.caption)), "\n".join(lines), plain(block.note or "")]))
