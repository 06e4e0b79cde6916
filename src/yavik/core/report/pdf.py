"""PDF by typst, tagged. Every text goes in as a quoted string, so nothing a researcher writes is taken as markup."""

import tempfile
from pathlib import Path

from yavik.core.answers import TableBlock
from yavik.core.figures.images import page, size_of, svg
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
from yavik.core.report.widths import column_widths, fitted_mm
from yavik.core.table.texts import cleaned

HEAD = """
#set page(paper: "{paper}", margin: (x: {margin}mm, y: 24mm), numbering: "1", number-align: center)
#set text(font: ("STIX Two Text", "Commissioner"), size: {size}pt, fill: rgb("#222a3c"), lang: "en")
#set par(justify: false, leading: {leading}em, spacing: 0.95em)
#show heading.where(level: 1): set text(size: 1.7em, weight: 600)
#show heading.where(level: 2): set text(size: 1.25em, weight: 600)
#show heading.where(level: 3): set text(size: 1.05em, weight: 600)
#show heading: set block(above: 1.4em, below: 0.7em)
#show figure: set block(breakable: true)
#set table.cell(breakable: false)
#set figure(gap: 0.5em, numbering: none, supplement: none)
#show figure.caption: set align(left)
#show figure: set align(left)
#show figure.where(kind: "t"): set figure.caption(position: top)
"""


def quoted(text: str) -> str:
    """A text as the typesetter has it."""
    return '"' + cleaned(text).replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n") + '"'


STYLES = {"italic": "#emph({})", "bold": "#strong({})", "sub": "#sub({})", "sup": "#super({})"}


def spans(found: list[Run]) -> str:
    """A sentence for the typesetter."""
    out = []
    for s in found:
        if isinstance(s, Footnote):
            out.append(f"#footnote[#text({quoted(s.text)})]")
        elif isinstance(s, Reference):
            shown = f"#text({quoted(s.text)})"
            out.append(f"#link(<{s.target}>)[{shown}]" if s.target else shown)
        else:
            out.append(STYLES.get(s.style, "#text({})").format(quoted(s.t)))
    return "".join(out)


def write_pdf(document: Document, tell: Tell = silent) -> bytes:
    """The document as PDF."""
    with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        root = Path(folder)
        source = [_head(document.look), f"#set document(title: {quoted(document.title)})"]
        for i, part in enumerate(document.parts):
            tell(0.7 * i / max(1, len(document.parts)))
            source.append(_part(part, root, document.look))
        (root / "main.typ").write_text("\n".join(source), encoding="utf-8")
        return page(root / "main.typ", root)


def _head(look: ReportLook) -> str:
    wide = 210 if look.paper == "a4" else 215.9
    made = HEAD
    for key, value in (
        ("paper", "a4" if look.paper == "a4" else "us-letter"), ("margin", f"{(wide - 160) / 2:.2f}"),
        ("size", f"{look.type_pt:g}"), ("leading", f"{0.68 * look.leading / 1.2:.3f}"),
    ):  # fmt: skip
        made = made.replace(f"{{{key}}}", value)
    return made


def _part(part: Part, root: Path, look: ReportLook) -> str:
    if isinstance(part, Heading):
        return f"#heading(level: {part.level})[{spans(part.spans)}]"
    if isinstance(part, Paragraph):
        hanging = "hanging-indent: 8mm" if part.reference else ""
        return f"#par({hanging})[{spans(part.spans)}]\n" if part.spans else ""
    if isinstance(part, Listing):
        kind = "enum" if part.ordered else "list"
        return f"#{kind}({', '.join(f'[{spans(item)}]' for item in part.items)})"
    if isinstance(part, PageBreak):
        return "#pagebreak(weak: true)"
    if isinstance(part, NumberedTable):
        return _table(part, look)
    if isinstance(part, NumberedFigure):
        name = f"figure-{part.number}.svg"
        (root / name).write_text(svg(part.vega), encoding="utf-8")
        wide, high = size_of(part.vega)
        width = fitted_mm(part.width_mm, high / wide)
        caption = f"[#text(size: 0.9em)[{spans(list(part.caption))}]]"
        image = f"image({quoted(name)}, width: {width:.2f}mm, alt: {quoted(part.alt)})"
        return (
            f"#block(breakable: false, above: 1.2em, below: 1.2em)[#figure({image}, kind: image, caption: {caption})"
            f" <{part.target}>]"
        )
    assert isinstance(part, Missing)
    return f"#emph({quoted(part.text)})"


def _table(part: NumberedTable, look: ReportLook) -> str:
    block = part.block
    aligns = ", ".join("left" if h.align == "left" else "right" for h in block.columns)
    widths, size = column_widths(block, usual=round(look.type_pt * 0.9, 1))
    plain = look.tables == "plain"
    weight = ', weight: "semibold"' if plain else ""
    head = ", ".join(
        f'[#text(fill: rgb("#5f6677"){weight})[{"#emph" if h.italic else "#text"}({quoted(h.title)})]]'
        for h in block.columns
    )
    body = ",\n".join(_line(block, r) for r in range(len(block.rows)))
    note = f'\n#v(-3pt)#text(size: 0.81em, fill: rgb("#5f6677"))[#text({quoted(block.note)})]' if block.note else ""
    caption = f"[#text(size: 0.9em)[{spans(list(part.caption))}]]"
    table = (
        f"table(columns: ({', '.join(f'{w:.2f}mm' for w in widths)},), align: ({aligns},), inset: (x: 3pt, y: 3.5pt),"
        f" {_rules(len(block.rows), plain)},\ntable.header({head}),\n{body})"
    )
    return (
        f"#block(above: 1.2em, below: 1.2em)[#figure([#set text(size: {size}pt)\n#set par(leading: 0.5em)\n#{table}],"
        f' kind: "t", caption: {caption}) <{part.target}>{note}]'
    )


def _rules(rows: int, plain: bool) -> str:
    hair = '0.3pt + rgb("#d5d6de")'
    if plain:
        return f"stroke: (_, y) => (top: {hair}, bottom: if y == {rows} {{ {hair} }} else {{ 0pt }})"
    return (
        f"stroke: (_, y) => (top: if y == 0 {{ 1pt }} else if y == 1 {{ 0.6pt }} else {{ {hair} }}, bottom: if y =="
        f" {rows} {{ 1pt }} else {{ 0pt }})"
    )


def _line(block: TableBlock, r: int) -> str:
    row = block.rows[r]
    cells = []
    for h in block.columns:
        found = row.get(h.key)
        first, *more = found.lines if found else [""]
        made = f"#{'strong' if block.bold(r, h.key) else 'text'}({quoted(first)})"
        made += "".join(f" #linebreak() #text(size: 0.85em)[#text({quoted(line)})]" for line in more)
        cells.append(f"[{made}]")
    return ", ".join(cells)
