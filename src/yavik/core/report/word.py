"""DOCX: native headings and tables, captions as fields with cross-references, footnotes, figures with alternative
text."""

import io
from typing import Any

from docx import Document as new_document
from docx.enum.table import WD_TABLE_ALIGNMENT
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_BREAK
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Mm, Pt, RGBColor

from yavik.core.answers import Span, TableBlock
from yavik.core.figures.images import png
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
    Reference,
    Run,
)
from yavik.core.report.telling import Tell, silent
from yavik.core.report.widths import column_widths, fitted_mm
from yavik.core.report.word_parts import add_footnotes, bookmark, field, footnote_mark
from yavik.core.table.texts import cleaned

FACE = "Times New Roman"
"""On every machine that opens such a file; our own face is not, and would be replaced by chance."""
INK = RGBColor(0x22, 0x2A, 0x3C)


def write_docx(document: Document, tell: Tell = silent) -> bytes:
    """The document as a word-processor file."""
    file: Any = new_document()
    writer = _Writer(file, document)
    for i, part in enumerate(document.parts):
        tell(i / max(1, len(document.parts)))
        writer.part(part)
    if document.footnotes:
        add_footnotes(file, document.footnotes)
    out = io.BytesIO()
    file.save(out)
    return out.getvalue()


class _Writer:
    def __init__(self, file: Any, document: Document) -> None:
        self.file, self.look, self.marks = file, document.look, 0
        self._page()
        self._styles()
        file.core_properties.title = cleaned(document.title)[:255]
        file.core_properties.author = ""

    def _page(self) -> None:
        section = self.file.sections[0]
        wide, high = (210, 297) if self.look.paper == "a4" else (215.9, 279.4)
        section.page_width, section.page_height = Mm(wide), Mm(high)
        section.left_margin = section.right_margin = Mm((wide - 160) / 2)
        section.top_margin = section.bottom_margin = Mm(24)
        foot = section.footer.paragraphs[0]
        foot.alignment = WD_ALIGN_PARAGRAPH.CENTER
        field(foot, "PAGE", "1")

    def _styles(self) -> None:
        base = self.look.type_pt
        sizes = {
            "Normal": base,
            "Heading 1": round(base * 1.7, 1),
            "Heading 2": round(base * 1.25, 1),
            "Heading 3": round(base * 1.05, 1),
            "Caption": round(base * 0.9, 1),
            "List Bullet": base,
            "List Number": base,
        }
        for name, size in sizes.items():
            style = self.file.styles[name]
            style.font.name, style.font.size = FACE, Pt(size)
            style.font.color.rgb = INK
            fonts = style.element.get_or_add_rPr().get_or_add_rFonts()
            for attribute in ("w:ascii", "w:hAnsi", "w:eastAsia", "w:cs"):
                fonts.set(qn(attribute), FACE)
            for theme in ("w:asciiTheme", "w:hAnsiTheme", "w:eastAsiaTheme", "w:cstheme"):
                if fonts.get(qn(theme)) is not None:
                    del fonts.attrib[qn(theme)]
        self.file.styles["Caption"].font.bold = False
        self.file.styles["Normal"].paragraph_format.line_spacing = self.look.leading
        self.file.styles["Normal"].paragraph_format.space_after = Pt(7)

    def part(self, part: Any) -> None:
        """Writes one part."""
        if isinstance(part, Heading):
            self.runs(self.file.add_heading(level=part.level), part.spans)
        elif isinstance(part, Paragraph):
            made = self.file.add_paragraph()
            if part.reference:
                made.paragraph_format.left_indent = Mm(8)
                made.paragraph_format.first_line_indent = Mm(-8)
            self.runs(made, part.spans)
        elif isinstance(part, Listing):
            for item in part.items:
                self.runs(self.file.add_paragraph(style="List Number" if part.ordered else "List Bullet"), item)
        elif isinstance(part, PageBreak):
            self.file.add_paragraph().add_run().add_break(WD_BREAK.PAGE)
        elif isinstance(part, NumberedTable):
            self.table(part)
        elif isinstance(part, NumberedFigure):
            self.figure(part)
        elif isinstance(part, Missing):
            self.file.add_paragraph().add_run(cleaned(part.text)).italic = True

    def runs(self, paragraph: Any, runs: list[Run]) -> None:
        """Writes a sentence with its styles."""
        for run in runs:
            if isinstance(run, Footnote):
                footnote_mark(paragraph, run.number)
            elif isinstance(run, Reference):
                if run.target:
                    field(paragraph, f"REF {run.target} \\h", run.text)
                else:
                    paragraph.add_run(cleaned(run.text))
            else:
                _run(paragraph, run)

    def caption(self, part: NumberedTable | NumberedFigure, words: list[Span]) -> Any:
        """'Table 2. …': the number is a field that counts, inside a bookmark that references point to."""
        caption = self.file.add_paragraph(style="Caption")
        kind = "Table" if isinstance(part, NumberedTable) else "Figure"
        prefix = part.prefix if isinstance(part, NumberedTable) else ""
        self.marks += 1
        with bookmark(caption, self.marks, part.target):
            caption.add_run(f"{kind} {prefix}").bold = True
            field(caption, f"SEQ {kind}{prefix} \\* ARABIC", str(part.number), bold=True)
        caption.add_run(". ").bold = True
        for span in words:
            _run(caption, span)
        return caption

    def table(self, part: NumberedTable) -> None:
        """Writes a table with its caption and note."""
        block: TableBlock = part.block
        caption = self.caption(part, part.title)
        caption.paragraph_format.keep_with_next = True
        caption.paragraph_format.space_after = Pt(3)
        table = self.file.add_table(rows=1 + len(block.rows), cols=len(block.columns))
        table.alignment = WD_TABLE_ALIGNMENT.LEFT
        table.autofit = False
        widths, size = column_widths(block, usual=round(self.look.type_pt * 0.9, 1))
        _margins(table)
        for column, width in zip(table.columns, widths, strict=True):
            column.width = Mm(width)
        plain = self.look.tables == "plain"
        cells = [row.cells for row in table.rows]
        for c, head in enumerate(block.columns):
            _cell(cells[0][c], head.title, head.align, widths[c], size, italic=head.italic, bold=plain)
            for r, row in enumerate(block.rows, 1):
                found = row.get(head.key)
                bold = block.bold(r - 1, head.key)
                _cell(cells[r][c], "\n".join(found.lines) if found else "", head.align, widths[c], size, bold=bold)
        _rules(cells, plain)
        _repeat_head(table.rows[0])
        for row in table.rows:
            mark = OxmlElement("w:cantSplit")
            row._tr.get_or_add_trPr().append(mark)
        note = self.file.add_paragraph(style="Caption")
        note.add_run(cleaned(block.note or "")).font.size = Pt(round(self.look.type_pt * 0.81, 1))

    def figure(self, part: NumberedFigure) -> None:
        """Writes a figure with its caption."""
        paragraph = self.file.add_paragraph()
        paragraph.paragraph_format.keep_with_next = True
        paragraph.paragraph_format.line_spacing = 1.0
        image = png(part.vega)
        wide, high = (int.from_bytes(image[i : i + 4], "big") for i in (16, 20))
        width = fitted_mm(part.width_mm, high / wide)
        picture = paragraph.add_run().add_picture(io.BytesIO(image), width=Mm(width))
        described = picture._inline.docPr
        described.set("descr", cleaned(part.alt))
        described.set("title", cleaned(part.label))
        caption = self.caption(part, part.own_caption)
        caption.paragraph_format.keep_together = True


def _run(paragraph: Any, span: Span) -> None:
    run = paragraph.add_run(cleaned(span.t))
    run.bold = True if span.style == "bold" else None
    run.italic = True if span.style == "italic" else None
    if span.style in ("sub", "sup"):  # one setting of the file: to clear one of the two would take the other away
        run.font.subscript = span.style == "sub"
        if span.style == "sup":
            run.font.superscript = True


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
    run = paragraph.add_run(cleaned(text))
    run.font.size, run.bold, run.italic = Pt(size), bold or None, italic or None


def _rules(cells: list[Any], plain: bool) -> None:
    """A rule above and below, one under the head, hairlines between: as in a journal; plain has only the
    hairlines."""
    last = len(cells) - 1
    for r, row in enumerate(cells):
        for cell in row:
            borders = OxmlElement("w:tcBorders")
            top = ("w:top", 8) if r == 0 else ("w:top", 4 if r == 1 else 2)
            for name, size in (top, ("w:bottom", 8 if r == last else 4 if r == 0 else 2)):
                edge = OxmlElement(name)
                size = 2 if plain else size
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
