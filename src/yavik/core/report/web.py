"""Self-contained HTML: one file with its faces and pictures inside, no script, no outside address."""

import base64
from html import escape

from yavik.core.answers import Span
from yavik.core.figures.images import FONTS, svg
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
@media print{body{background:#fff}main{margin:0;padding:0;max-width:none}figure,tr{break-inside:avoid}}
@media(max-width:44rem){main{padding:1.5rem}}
"""
NARROW = "\u00a0"
"""Keeps an interval on its line."""


def write_html(document: Document) -> bytes:
    body = "\n".join(_part(p) for p in document.parts)
    text = (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1">'
        f"<title>{escape(document.title)}</title><style>{_faces()}{STYLE}</style></head><body><main>\n{body}\n</main></body></html>\n"
    )
    return text.encode()


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


def spans(found: list[Span]) -> str:
    tags = {"italic": "em", "bold": "strong", "sub": "sub"}
    return "".join(
        f"<{tags[s.style]}>{escape(s.t)}</{tags[s.style]}>" if s.style in tags else escape(s.t).replace("\n", "<br>")
        for s in found
    )


def _part(part: Part) -> str:
    if isinstance(part, Heading):
        return f"<h{part.level}>{spans(part.spans)}</h{part.level}>"
    if isinstance(part, Paragraph):
        return f"<p>{spans(part.spans)}</p>" if part.spans else ""
    if isinstance(part, Listing):
        tag = "ol" if part.ordered else "ul"
        return f"<{tag}>{''.join(f'<li>{spans(i)}</li>' for i in part.items)}</{tag}>"
    if isinstance(part, NumberedTable):
        return _table(part)
    if isinstance(part, NumberedFigure):
        picture = svg(part.vega).replace("<svg ", f'<svg role="img" aria-label="{escape(part.alt, quote=True)}" ', 1)
        return f"<figure>{picture}<figcaption>{spans(part.caption)}</figcaption></figure>"
    assert isinstance(part, Missing)
    return f"<p><em>{escape(part.text)}</em></p>"


def _table(part: NumberedTable) -> str:
    block = part.block

    def side(align: str) -> str:
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
    return f'<div class="scroll"><table><caption>{spans(part.caption)}</caption><thead><tr>{heads}</tr></thead><tbody>{"".join(rows)}</tbody></table>{note}</div>'
