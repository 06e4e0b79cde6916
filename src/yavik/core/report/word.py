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

FACE = "STIX Two Text"
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
    table.autofit = True
    for c, head in enumerate(block.columns):
        _cell(table.cell(0, c), head.title, head.align, italic=head.italic)
        for r, row in enumerate(block.rows, 1):
            found = row.get(head.key)
            bold = head.key in block.strong and (r - 1) in block.marked
            _cell(table.cell(r, c), found.s if found else "", head.align, bold=bold)
    _rules(table)
    _repeat_head(table.rows[0])
    note = file.add_paragraph(style="Caption")
    note.add_run(block.note or "").font.size = Pt(8.5)


def _cell(cell: Any, text: str, align: str, *, bold: bool = False, italic: bool = False) -> None:
    paragraph = cell.paragraphs[0]
    paragraph.alignment = WD_ALIGN_PARAGRAPH.LEFT if align == "left" else WD_ALIGN_PARAGRAPH.RIGHT
    paragraph.paragraph_format.space_after = Pt(1.5)
    paragraph.paragraph_format.space_before = Pt(1.5)
    paragraph.paragraph_format.line_spacing = 1.0
    run = paragraph.add_run(text)
    run.font.size, run.bold, run.italic = Pt(9.5), bold or None, italic or None


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
    _runs(file.add_paragraph(style="Caption"), part.caption)
