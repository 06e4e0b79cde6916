"""PDF by typst. Every text goes in as a quoted string, so nothing a researcher writes is taken as markup."""

import tempfile
from pathlib import Path

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

TEXT_MM = 160.0

HEAD = """
#set page(paper: "a4", margin: (x: 25mm, y: 24mm), numbering: "1", number-align: center)
#set text(font: ("STIX Two Text", "Commissioner"), size: 10.5pt, fill: rgb("#222a3c"), lang: "en")
#set par(justify: false, leading: 0.68em, spacing: 0.95em)
#show heading.where(level: 1): set text(size: 18pt, weight: 600)
#show heading.where(level: 2): set text(size: 13pt, weight: 600)
#show heading.where(level: 3): set text(size: 11pt, weight: 600)
#show heading: set block(above: 1.4em, below: 0.7em)
"""


def quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n") + '"'


def spans(found: list[Span]) -> str:
    out = []
    for s in found:
        q = quoted(s.t)
        out.append(
            {"italic": f"#emph({q})", "bold": f"#strong({q})", "sub": f"#sub({q})"}.get(s.style, f"#text({q})")
        )
    return "".join(out)


def write_pdf(document: Document) -> bytes:
    import typst

    with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        root = Path(folder)
        source = [HEAD, f"#set document(title: {quoted(document.title)})"]
        for part in document.parts:
            source.append(_part(part, root))
        (root / "main.typ").write_text("\n".join(source), encoding="utf-8")
        fonts = [str(FONTS)] if FONTS.is_dir() else []
        data: bytes = typst.compile(str(root / "main.typ"), root=str(root), font_paths=fonts)
        return data


def _part(part: Part, root: Path) -> str:
    if isinstance(part, Heading):
        return f"#heading(level: {part.level})[{spans(part.spans)}]"
    if isinstance(part, Paragraph):
        return f"#par[{spans(part.spans)}]\n"
    if isinstance(part, Listing):
        kind = "enum" if part.ordered else "list"
        return f"#{kind}({', '.join(f'[{spans(item)}]' for item in part.items)})"
    if isinstance(part, NumberedTable):
        return _table(part)
    if isinstance(part, NumberedFigure):
        name = f"figure-{part.number}.svg"
        (root / name).write_text(svg(part.vega), encoding="utf-8")
        width = min(part.width_mm, TEXT_MM)
        return (
            f"#block(breakable: false, above: 1.2em, below: 1.2em)[#image({quoted(name)}, width: {width}mm, alt: {quoted(part.alt)})"
            f"\n#v(2pt)#text(size: 9.5pt)[{spans(part.caption)}]]"
        )
    assert isinstance(part, Missing)
    return f"#emph({quoted(part.text)})"


def _table(part: NumberedTable) -> str:
    block = part.block
    aligns = ", ".join("left" if h.align == "left" else "right" for h in block.columns)
    widths = ", ".join("1fr" if i == 0 and len(block.columns) <= 8 else "auto" for i in range(len(block.columns)))
    small = 9.5 if len(block.columns) <= 8 else 7
    head = ", ".join(
        f'[#text(fill: rgb("#5f6677"))[{"#emph" if h.italic else "#text"}({quoted(h.title)})]]' for h in block.columns
    )
    lines = []
    for r, row in enumerate(block.rows):
        cells = []
        for h in block.columns:
            found = row.get(h.key)
            first, *more = found.lines if found else [""]
            made = f"#{'strong' if block.bold(r, h.key) else 'text'}({quoted(first)})"
            made += "".join(f" #linebreak() #text(size: 0.85em)[#text({quoted(line)})]" for line in more)
            cells.append(f"[{made}]")
        lines.append(", ".join(cells))
    body = ",\n".join(lines)
    hairlines = f'stroke: (_, y) => (top: if y == 0 {{ 1pt }} else if y == 1 {{ 0.6pt }} else {{ 0.3pt + rgb("#d5d6de") }}, bottom: if y == {len(block.rows)} {{ 1pt }} else {{ 0pt }})'
    note = f'\n#v(-3pt)#text(size: 8.5pt, fill: rgb("#5f6677"))[#text({quoted(block.note)})]' if block.note else ""
    return (
        f"#block(above: 1.2em, below: 1.2em)[#text(size: 9.5pt)[{spans(part.caption)}]\n#v(-2pt)"
        f"#text(size: {small}pt)[#table(columns: ({widths}), align: ({aligns},), inset: (x: {4 if len(block.columns) <= 8 else 2.5}pt, y: 3.5pt), {hairlines},\n"
        f"table.header({head}),\n{body})]{note}]"
    )
