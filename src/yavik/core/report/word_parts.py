"""Parts of a DOCX that the library has no words for: fields, bookmarks, footnotes."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any
from xml.sax.saxutils import escape

from docx.enum.style import WD_STYLE_TYPE
from docx.opc.packuri import PackURI
from docx.opc.part import Part
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Pt

from yavik.core.report.assemble import Footnote

W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
FOOTNOTES = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/footnotes"
FOOTNOTES_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml.footnotes+xml"


def field(paragraph: Any, code: str, shown: str, *, bold: bool = False) -> None:
    """A field that the word processor can renew, with what it shows until then."""
    for kind, text in (("begin", ""), ("code", code), ("separate", ""), ("text", shown), ("end", "")):
        run = paragraph.add_run(text if kind == "text" else "")
        run.bold = True if bold else None
        if kind == "code":
            made = OxmlElement("w:instrText")
            made.set(qn("xml:space"), "preserve")
            made.text = f" {text} "
            run._r.append(made)
        elif kind != "text":
            made = OxmlElement("w:fldChar")
            made.set(qn("w:fldCharType"), kind)
            run._r.append(made)


@contextmanager
def bookmark(paragraph: Any, number: int, name: str) -> Iterator[None]:
    """What is added to the paragraph inside has this name."""
    start = OxmlElement("w:bookmarkStart")
    start.set(qn("w:id"), str(number))
    start.set(qn("w:name"), name)
    paragraph._p.append(start)
    yield
    end = OxmlElement("w:bookmarkEnd")
    end.set(qn("w:id"), str(number))
    paragraph._p.append(end)


def footnote_mark(paragraph: Any, number: int) -> None:
    """The number of a footnote in its text."""
    run = paragraph.add_run()
    run.font.superscript = True
    made = OxmlElement("w:footnoteReference")
    made.set(qn("w:id"), str(number))
    run._r.append(made)


def add_footnotes(file: Any, notes: Sequence[Footnote]) -> None:
    """The part of the file that holds the notes' words; the first two entries are the lines above them."""
    style = file.styles.add_style("Footnote Text", WD_STYLE_TYPE.PARAGRAPH)
    style.base_style, style.font.size = file.styles["Normal"], Pt(9)
    style.paragraph_format.space_after = Pt(2)
    separators = "".join(
        f'<w:footnote w:type="{kind}" w:id="{id}"><w:p><w:r><w:{mark}/></w:r></w:p></w:footnote>'
        for kind, id, mark in (("separator", -1, "separator"), ("continuationSeparator", 0, "continuationSeparator"))
    )
    words = "".join(
        f'<w:footnote w:id="{n.number}"><w:p><w:pPr><w:pStyle w:val="{style.style_id}"/></w:pPr>'
        '<w:r><w:rPr><w:vertAlign w:val="superscript"/></w:rPr><w:footnoteRef/></w:r>'
        f'<w:r><w:t xml:space="preserve"> {escape(n.text)}</w:t></w:r></w:p></w:footnote>'
        for n in notes
    )
    text = (
        '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<w:footnotes'
        f' xmlns:w="{W}">{separators}{words}</w:footnotes>'
    )
    part = Part(PackURI("/word/footnotes.xml"), FOOTNOTES_TYPE, text.encode(), file.part.package)
    file.part.relate_to(part, FOOTNOTES)
