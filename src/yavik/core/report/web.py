"""Self-contained HTML: one file with its faces and pictures inside, no script, no outside address."""

import base64
from html import escape

from yavik.core.figures.images import FONTS, svg
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
from yavik.core.report.describe import ReportLook
from yavik.core.report.telling import Tell, silent

STYLE = """
body{margin:0;background:#f3f3f6;color:#222a3c;font:17px/1.5 "STIX Two Text",Georgia,serif}
main{max-width:42rem;margin:2rem auto;background:#fff;padding:3.2rem 3.6rem}
h1{font-size:1.75rem;line-height:1.2;margin:0 0 1rem}h2{font-size:1.25rem;margin:1.8rem 0 .5rem}h3{font-size:1.05rem;margin:1.4rem 0 .4rem}
h1,h2,h3{font-weight:600}p{margin:.6rem 0}
table{border-collapse:collapse;width:100%;font-size:.92rem;font-variant-numeric:tabular-nums}
caption{text-align:left;padding-bottom:.35rem}
th{font-weight:400;color:#5f6677;border-top:1.5px solid #222a3c;border-bottom:1px solid #222a3c;padding:.25rem .5rem;text-align:right;vertical-align:bottom}
td{padding:.25rem .5rem;text-align:right;border-bottom:1px solid #e2e3ea}
th.l,td.l{text-align:left}th:first-child,td:first-child{padding-left:0}tbody tr:last-child td{border-bottom:1.5px solid #222a3c}
.note{font-size:.85rem;color:#5f6677;margin:.3rem 0 0}.scroll{overflow-x:auto;margin:1.4rem 0}
figure{margin:1.6rem 0}figure svg{max-width:100%;height:auto;display:block}figcaption{font-size:.92rem;margin-top:.4rem}
a{color:inherit}.ref{padding-left:1.6em;text-indent:-1.6em}.notes{font-size:.85rem;border-top:1px solid #d5d6de;margin-top:2.5rem;padding-top:.6rem}
.break{break-before:page;height:0;border-top:1px dashed #d5d6de;margin:2rem 0}thead{display:table-header-group}
@media print{.break{border:0;margin:0}body{background:#fff}main{margin:0;padding:0;max-width:none}figure,tr{break-inside:avoid}}
@media(max-width:44rem){main{padding:1.5rem}}
"""
NARROW = "\u00a0"
"""Keeps an interval on its line."""


PLAIN = """
th{border:0;border-bottom:1px solid #d5d6de;font-weight:600}tbody tr:last-child td{border-bottom:1px solid #d5d6de}
"""


def write_html(document: Document, tell: Tell = silent) -> bytes:
    """The document as one HTML file."""
    made = []
    for i, p in enumerate(document.parts):
        tell(i / max(1, len(document.parts)))
        made.append(_part(p))
    body = "\n".join(made)
    text = (
        '<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><meta name="viewport"'
        ' content="width=device-width,initial-scale=1">'
        f"<title>{escape(document.title)}</title><style>{_faces()}{STYLE}{_look(document.look)}</style></head><body><main>\n{body}\n{_notes(document)}</main></body></html>\n"
    )
    return text.encode()


def _look(look: ReportLook) -> str:
    size = round(17 * look.type_pt / 10.5, 1)
    plain = PLAIN if look.tables == "plain" else ""
    paper = "A4" if look.paper == "a4" else "letter"
    return (
        f"body{{font-size:{size}px;line-height:{1.25 * look.leading:.2f}}}@page{{size:{paper};margin:24mm"
        f" 25mm}}{plain}"
    )


def _notes(document: Document) -> str:
    if not document.footnotes:
        return ""
    items = "".join(
        f'<li id="note-{n.number}">{escape(n.text)} <a href="#to-note-{n.number}" aria-label="Back to the'
        ' text">↩</a></li>'
        for n in document.footnotes
    )
    return f'<section class="notes" aria-label="Notes"><ol>{items}</ol></section>\n'


def _faces() -> str:
    out = []
    for file, family, weight, style in (
        ("STIXTwoText-Regular", "STIX Two Text", 400, "normal"),
        ("STIXTwoText-SemiBold", "STIX Two Text", 600, "normal"),
        ("STIXTwoText-Italic", "STIX Two Text", 400, "italic"),
        ("Commissioner-Regular", "Commissioner", 400, "normal"),
        ("Commissioner-SemiBold", "Commissioner", 600, "normal"),
    ):
        path = FONTS / f"{file}.ttf"
        if path.exists():
            data = base64.b64encode(path.read_bytes()).decode()
            out.append(
                f'@font-face{{font-family:"{family}";font-weight:{weight};font-style:{style};src:url(data:font/ttf;base64,{data})}}'
            )
    return "".join(out)


TAGS = {"italic": "em", "bold": "strong", "sub": "sub", "sup": "sup"}


def spans(found: list[Run]) -> str:
    """A sentence as HTML."""
    return "".join(map(_run, found))


def _run(s: Run) -> str:
    if isinstance(s, Footnote):
        return f'<sup><a id="to-note-{s.number}" href="#note-{s.number}">{s.number}</a></sup>'
    if isinstance(s, Reference):
        return f'<a href="#{s.target}">{escape(s.text)}</a>' if s.target else escape(s.text)
    if s.style in TAGS:
        return f"<{TAGS[s.style]}>{escape(s.t)}</{TAGS[s.style]}>"
    return escape(s.t).replace("\n", "<br>")


def _part(part: Part) -> str:
    if isinstance(part, Heading):
        return f"<h{part.level}>{spans(part.spans)}</h{part.level}>"
    if isinstance(part, Paragraph):
        reference = ' class="ref"' if part.reference else ""
        return f"<p{reference}>{spans(part.spans)}</p>" if part.spans else ""
    if isinstance(part, Listing):
        tag = "ol" if part.ordered else "ul"
        return f"<{tag}>{''.join(f'<li>{spans(i)}</li>' for i in part.items)}</{tag}>"
    if isinstance(part, PageBreak):
        return '<div class="break" role="separator"></div>'
    if isinstance(part, NumberedTable):
        return _table(part)
    if isinstance(part, NumberedFigure):
        picture = svg(part.vega).replace("<svg ", f'<svg role="img" aria-label="{escape(part.alt, quote=True)}" ', 1)
        return f'<figure id="{part.target}">{picture}<figcaption>{spans(list(part.caption))}</figcaption></figure>'
    assert isinstance(part, Missing)
    return f"<p><em>{escape(part.text)}</em></p>"


def _table(part: NumberedTable) -> str:
    block = part.block

    def side(align: str) -> str:
        """The class of a column on the left."""
        return ' class="l"' if align == "left" else ""

    heads = "".join(
        f'<th scope="col"{side(h.align)}>{f"<em>{escape(h.title)}</em>" if h.italic else escape(h.title)}</th>'
        for h in block.columns
    )
    rows = []
    for r, row in enumerate(block.rows):
        cells = []
        for h in block.columns:
            found = row.get(h.key)
            first, *more = (escape(line) for line in found.lines) if found else [""]
            text = f"<strong>{first}</strong>" if block.bold(r, h.key) else first
            text += "".join(f"<br><small>{line.replace(' ', NARROW)}</small>" for line in more)
            cells.append(f"<td{side(h.align)}>{text}</td>")
        rows.append(f"<tr>{''.join(cells)}</tr>")
    note = f'<p class="note">{escape(block.note)}</p>' if block.note else ""
    return (
        '<div class="scroll"'
        f' id="{part.target}"><table><caption>{spans(list(part.caption))}</caption><thead><tr>{heads}</tr></thead><tbody>{"".join(rows)}</tbody></table>{note}</div>'
    )
