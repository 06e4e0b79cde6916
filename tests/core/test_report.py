"""Reports: assembling, numbering, and what each kind of file holds."""

import io
import re
import zipfile
from typing import Any

import pytest
from docx import Document as open_docx

from yavik.core.answers import Answer
from yavik.core.files.delimited import read
from yavik.core.methods import answer
from yavik.core.report import EMPTY_DOC, Embed, ReportDoc, assemble
from yavik.core.report.assemble import Document, Missing, NumberedFigure, NumberedTable
from yavik.core.report.describe import Node
from yavik.core.report.markdown import write_markdown
from yavik.core.report.pdf import quoted, write_pdf
from yavik.core.report.web import write_html
from yavik.core.report.widths import TEXT_MM, column_widths
from yavik.core.report.word import write_docx

TABLE = read(
    b"g,y\n"
    + b"".join(b"%s,%d.5\n" % ([b"Alcove", b"Gallery"][i % 2], (i * 37) % 23 + 9 * (i % 2)) for i in range(60))
)[0]
ANSWER = answer("compare_groups", TABLE, {"response": "y", "groups": "g"})


def text(words: str, *marks: str) -> dict[str, Any]:
    return {"type": "text", "text": words, "marks": [{"type": m} for m in marks]}


def node(kind: str, *content: dict[str, Any], **attrs: Any) -> dict[str, Any]:
    return {"type": kind, "attrs": attrs, "content": list(content)}


def embed(uid: str, *parts: str, question: str = "q") -> dict[str, Any]:
    return node("answer", uid=uid, question=question, parts=list(parts))


def made(*nodes: dict[str, Any], found: Answer | None = ANSWER, **more: Any) -> Document:
    def lookup(kind: str, ref: str) -> Embed | None:
        if ref == "gone":
            return None
        if kind == "figure":
            block = ANSWER.block("figure")
            return Embed("Figure", vega=block.drawing, caption=block.caption, alt=block.alt, width_mm=85, **more)
        return Embed("Minutes by room", answer=found, **more)

    return assemble(Node.model_validate(node("doc", *nodes)), lookup)


WHOLE = made(
    node("heading", text("A title & <b>more</b>"), level=1),
    node("paragraph", text("Plain, "), text("bold", "bold"), text(" and "), text("italic", "italic"), text(".")),
    node(
        "bulletList",
        node("listItem", node("paragraph", text("one"))),
        node("listItem", node("paragraph", text("two"))),
    ),
    node("orderedList", node("listItem", node("paragraph", text("first")))),
    embed("a", "headline", "groups", "pairs", "figure"),
    node("blockquote", node("paragraph", text("quoted"))),
    node("figure", uid="f", figure="f"),
)


def test_numbers_in_order_of_the_text() -> None:
    document = made(embed("a", "groups"), node("figure", uid="f", figure="x"), embed("b", "pairs", "figure"))
    tables = [p.number for p in document.parts if isinstance(p, NumberedTable)]
    figures = [p.number for p in document.parts if isinstance(p, NumberedFigure)]
    assert (tables, figures) == ([1, 2], [1, 2])
    assert [type(p).__name__ for p in document.embeds["b"]] == ["NumberedFigure", "NumberedTable"]


def test_parts_follow_the_answers_order_whatever_the_order_of_choosing() -> None:
    document = made(embed("a", "pairs", "groups"))
    assert [p.block.id for p in document.embeds["a"] if isinstance(p, NumberedTable)] == ["groups", "pairs"]


def test_what_is_gone_or_unanswered_is_said() -> None:
    assert [p.text for p in made(embed("a", "headline", question="gone")).embeds["a"] if isinstance(p, Missing)] == [
        "This answer is no longer in the study."
    ]
    waiting = made(embed("a", "headline"), found=None).embeds["a"][0]
    assert isinstance(waiting, Missing) and "has no answer yet" in waiting.text


def test_an_unknown_node_is_refused() -> None:
    with pytest.raises(ValueError, match="type"):
        ReportDoc.model_validate({"doc": {"type": "doc", "content": [{"type": "script"}]}})
    assert ReportDoc.model_validate({"doc": EMPTY_DOC}).doc.content[0].type == "heading"


def test_docx() -> None:
    document = open_docx(io.BytesIO(write_docx(WHOLE)))
    styles = [p.style.name for p in document.paragraphs]
    assert styles[0] == "Heading 1" and "List Bullet" in styles and "List Number" in styles and "Caption" in styles
    bold = [r.text for p in document.paragraphs[:3] for r in p.runs if r.bold]
    assert "bold" in bold
    assert [len(t.rows) for t in document.tables] == [3, 2]
    assert document.tables[0].rows[0]._tr.xpath("./w:trPr/w:tblHeader")
    pictures = document.element.xpath("//wp:docPr")
    assert len(pictures) == 2 and all("median" in p.get("descr") for p in pictures)
    assert document.core_properties.title == "A title & <b>more</b>"
    with zipfile.ZipFile(io.BytesIO(write_docx(WHOLE))) as file:
        assert sum(name.endswith(".png") for name in file.namelist()) >= 1


def test_docx_columns_fill_the_text_and_keep_numbers_whole() -> None:
    narrow, size = column_widths(ANSWER.block("groups"))
    assert sum(narrow) == pytest.approx(TEXT_MM) and size == 9.5
    wide = answer("describe", TABLE, {"columns": ["y"], "by": "g"}).block("groups")
    widths, small = column_widths(wide)
    assert sum(widths) == pytest.approx(TEXT_MM) and small < 9.5
    ci = next(i for i, h in enumerate(wide.columns) if h.key == "ci_low")
    assert widths[ci] > 0.45 * small * 25.4 / 72 * max(len(r["ci_low"].s) for r in wide.rows)


def test_pdf() -> None:
    data = write_pdf(WHOLE)
    assert data.startswith(b"%PDF-") and len(data) > 5000
    assert quoted('a "b" \\ c\nd') == '"a \\"b\\" \\\\ c\\nd"'


def test_html() -> None:
    page = write_html(WHOLE).decode()
    assert "<h1>A title &amp; &lt;b&gt;more&lt;/b&gt;</h1>" in page
    assert "<strong>bold</strong>" in page and "<em>italic</em>" in page and "<li>two</li>" in page
    assert page.count("<svg") == 2 and page.count("<table>") == 2
    assert "F<sub>W</sub>" in page.replace("<em>F</em>", "F")
    assert not re.search(r"https?://(?!www\.w3\.org)", re.sub(r"base64,[^)]*", "", page))
    assert "<script" not in page


def test_markdown() -> None:
    page = write_markdown(WHOLE).decode()
    assert page.startswith("# A title & \\<b\\>more\\</b\\>")
    assert "Plain, **bold** and *italic*." in page and "- one\n- two" in page and "1. first" in page
    assert "| g | n | Mean |" in page
    assert "|:--|--:|" in page
    assert page.count("data:image/svg+xml;base64,") == 2


@pytest.mark.parametrize("write", [write_docx, write_pdf, write_html, write_markdown])
def test_an_empty_report_is_a_file(write: Any) -> None:
    assert write(made(node("paragraph")))
    assert write(made())


@pytest.mark.parametrize("write", [write_pdf, write_html, write_docx])
@pytest.mark.parametrize(
    "words",
    [
        "#panic()",
        "$x$ *y* _z_",
        '"); panic("',
        "\\",
        "`raw`",
        "<script>alert(1)</script>",
        "= heading",
        "@ref",
        "σ² − μ × ½",
    ],
)
def test_any_text_is_only_text(write: Any, words: str) -> None:
    assert write(made(node("heading", text(words), level=2), node("paragraph", text(words, "bold"))))
