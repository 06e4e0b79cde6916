"""DOCX: native headings, tables and captions; figures as 300 dpi images with alternative text."""

import io
from typing import Any

from docx import Document as new_document
from docx.enum.table import WD_TABLE_ALIGNMENT
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Mm, Pt, RGBColor

from yavik.core.answers import Span, TableBlock
from yavik.core.figures.images import png
from yavik.core.report.assemble import Document, Heading, Listing, Missing, NumberedFigure, NumberedTable, Paragraph

FACE = "Times New Roman"
"""On every machine that opens such a file; our own face is not, and would be replaced by chance."""
TEXT_MM = 160.0
INK = RGBColor(0x22, 0x2A, 0x3C)


def write_docx(document: Document) -> bytes:
    file: Any = new_document()
    _page(file)
    _styles(file)
    file.core_properties.title = document.title
    file.core_properties.author = ""
    for part in document.parts:
        _part(file, part)
    out = io.BytesIO()
    file.save(out)
    return out.getvalue()


def _page(file: Any) -> None:
    section = file.sections[0]
    section.page_width, section.page_height = Mm(210), Mm(297)
    section.left_margin = section.right_margin = Mm(25)
    section.top_margin = section.bottom_margin = Mm(24)


def _styles(file: Any) -> None:
    sizes = {
        "Normal": 10.5,
        "Heading 1": 18,
        "Heading 2": 13,
        "Heading 3": 11,
        "Caption": 9.5,
        "List Bullet": 10.5,
        "List Number": 10.5,
    }
    for name, size in sizes.items():
        style = file.styles[name]
        style.font.name, style.font.size = FACE, Pt(size)
        style.font.color.rgb = INK
        fonts = style.element.get_or_add_rPr().get_or_add_rFonts()
        for attribute in ("w:ascii", "w:hAnsi", "w:eastAsia", "w:cs"):
            fonts.set(qn(attribute), FACE)
        for theme in ("w:asciiTheme", "w:hAnsiTheme", "w:eastAsiaTheme", "w:cstheme"):
            if fonts.get(qn(theme)) is not None:
                del fonts.attrib[qn(theme)]
    file.styles["Caption"].font.bold = False
    file.styles["Normal"].paragraph_format.line_spacing = 1.2
    file.styles["Normal"].paragraph_format.space_after = Pt(7)


def _part(file: Any, part: Any) -> None:
    if isinstance(part, Heading):
        _runs(file.add_heading(level=part.level), part.spans)
    elif isinstance(part, Paragraph):
        _runs(file.add_paragraph(), part.spans)
    elif isinstance(part, Listing):
        for item in part.items:
            _runs(file.add_paragraph(style="List Number" if part.ordered else "List Bullet"), item)
    elif isinstance(part, NumberedTable):
        _table(file, part)
    elif isinstance(part, NumberedFigure):
        _figure(file, part)
    elif isinstance(part, Missing):
        file.add_paragraph().add_run(part.text).italic = True


def _runs(paragraph: Any, spans: list[Span]) -> None:
    for span in spans:
        run = paragraph.add_run(span.t)
        run.bold = True if span.style == "bold" else None
        run.italic = True if span.style == "italic" else None
        run.font.subscript = True if span.style == "sub" else None


def _table(file: Any, part: NumberedTable) -> None:
    block: TableBlock = part.block
    caption = file.add_paragraph(style="Caption")
    _runs(caption, part.caption)
    caption.paragraph_format.keep_with_next = True
    caption.paragraph_format.space_after = Pt(3)
    table = file.add_table(rows=1 + len(block.rows), cols=len(block.columns))
    table.alignment = WD_TABLE_ALIGNMENT.LEFT
    table.autofit = False
    widths, size = column_widths(block)
    _margins(table)
    for column, width in zip(table.columns, widths, strict=True):
        column.width = Mm(width)
    for c, head in enumerate(block.columns):
        _cell(table.cell(0, c), head.title, head.align, widths[c], size, italic=head.italic)
        for r, row in enumerate(block.rows, 1):
            found = row.get(head.key)
            bold = block.bold(r - 1, head.key)
            _cell(table.cell(r, c), "\n".join(found.lines) if found else "", head.align, widths[c], size, bold=bold)
    _rules(table)
    _repeat_head(table.rows[0])
    note = file.add_paragraph(style="Caption")
    note.add_run(block.note or "").font.size = Pt(8.5)


def column_widths(block: TableBlock) -> tuple[list[float], float]:
    """Widths in mm that fill the text, and the type size in pt: numbers are never broken, words may be.

    A table that is too wide at 9.5 pt is set at 7 pt; what is still too much is taken from the columns of words.
    """
    for size in (9.5, 8.0, 7.0):
        mm = 0.5 * size * 25.4 / 72
        wide = [(_longest(block, i) + 0.8) * mm + 2.2 for i in range(len(block.columns))]
        if sum(wide) <= TEXT_MM:
            break
    words = [i for i, h in enumerate(block.columns) if h.align == "left"]
    over = sum(wide) - TEXT_MM
    if over > 0 and words:
        room = max(18.0 * len(words), sum(wide[i] for i in words) - over)
        share = room / sum(wide[i] for i in words)
        wide = [w * share if i in words else w for i, w in enumerate(wide)]
    return [w * TEXT_MM / sum(wide) for w in wide], size


def _longest(block: TableBlock, index: int) -> int:
    """Characters of the longest cell, and of the longest word of a heading over numbers (which may be broken)."""
    head = block.columns[index]
    title = len(head.title) if head.align == "left" else max(map(len, head.title.split()), default=0)
    return max(title, 3, *(max(map(len, row[head.key].lines)) if head.key in row else 0 for row in block.rows))


def _margins(table: Any) -> None:
    """Narrow cell margins: 1.1 mm on either side."""
    margins = OxmlElement("w:tblCellMar")
    for side in ("w:left", "w:right"):
        edge = OxmlElement(side)
        edge.set(qn("w:w"), "62")
        edge.set(qn("w:type"), "dxa")
        margins.append(edge)
    table._tbl.tblPr.append(margins)


def _cell(
    cell: Any, text: str, align: str, width: float, size: float, *, bold: bool = False, italic: bool = False
) -> None:
    cell.width = Mm(width)
    paragraph = cell.paragraphs[0]
    paragraph.alignment = WD_ALIGN_PARAGRAPH.LEFT if align == "left" else WD_ALIGN_PARAGRAPH.RIGHT
    paragraph.paragraph_format.space_after = Pt(1.5)
    paragraph.paragraph_format.space_before = Pt(1.5)
    paragraph.paragraph_format.line_spacing = 1.0
    run = paragraph.add_run(text)
    run.font.size, run.bold, run.italic = Pt(size), bold or None, italic or None


def _rules(table: Any) -> None:
    """A rule above and below, one under the head, hairlines between: as in a journal."""
    last = len(table.rows) - 1
    for r, row in enumerate(table.rows):
        for cell in row.cells:
            borders = OxmlElement("w:tcBorders")
            top = ("w:top", 8) if r == 0 else ("w:top", 4 if r == 1 else 2)
            for name, size in (top, ("w:bottom", 8 if r == last else 4 if r == 0 else 2)):
                edge = OxmlElement(name)
                for key, value in (
                    ("w:val", "single"),
                    ("w:sz", str(size)),
                    ("w:color", "222A3C" if size > 2 else "C9CBD3"),
                ):
                    edge.set(qn(key), value)
                borders.append(edge)
            cell._tc.get_or_add_tcPr().append(borders)


def _repeat_head(row: Any) -> None:
    mark = OxmlElement("w:tblHeader")
    mark.set(qn("w:val"), "true")
    row._tr.get_or_add_trPr().append(mark)


def _figure(file: Any, part: NumberedFigure) -> None:
    paragraph = file.add_paragraph()
    paragraph.paragraph_format.keep_with_next = True
    picture = paragraph.add_run().add_picture(io.BytesIO(png(part.vega)), width=Mm(min(part.width_mm, TEXT_MM)))
    described = picture._inline.docPr
    described.set("descr", part.alt)
    described.set("title", f"Figure {part.number}")
    caption = file.add_paragraph(style="Caption")
    caption.paragraph_format.keep_together = True
    _runs(caption, part.caption)
