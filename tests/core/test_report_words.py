"""Live words, write-ups, references, notes, the appendix, and the same content in every kind of file."""

import io
import re
import zipfile
from html import unescape
from typing import Any

import pytest
from docx import Document as open_docx
from pypdf import PdfReader

from tests.core.test_report import embed, node, text
from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Span, TableBlock
from yavik.core.answers.wording import plain, say
from yavik.core.figures import Figure, draw_figure
from yavik.core.methods import answer
from yavik.core.methods.asking import asked_words
from yavik.core.report import Document, Embed, ReportLook, assemble
from yavik.core.report.appendix import Appendix, Asked, PreparedTable
from yavik.core.report.assemble import NumberedFigure, NumberedTable, Paragraph, words_of
from yavik.core.report.describe import Node
from yavik.core.report.markdown import write_markdown, write_markdown_zip
from yavik.core.report.numbers import comma, comma_vega
from yavik.core.report.pdf import write_pdf
from yavik.core.report.phrases import holds, phrase, phrases, sentences
from yavik.core.report.templates import TEMPLATES
from yavik.core.report.web import write_html
from yavik.core.report.word import write_docx
from yavik.core.report.writing import write_up

T = demo_tables()
SPEC = {"response": "minutes", "groups": "room"}
ANSWER = answer("compare_groups", T["Room trial"], SPEC)
FIGURE = draw_figure(Figure(response="minutes", groups="room"), T["Room trial"])
PREPARED = PreparedTable(
    "Room trial",
    "room-trial.csv",
    108,
    list(T["Room trial"].columns),
    [("Keep the rows where **consent** is yes", "112 → 108 rows")],
)
APPENDIX = Appendix([PREPARED], [Asked("Minutes by room", "Compare groups", "Room trial", ANSWER)])


def live(key: str, uid: str = "w", **more: Any) -> dict[str, Any]:
    return node("live", uid=uid, question="q", key=key, **more)


def refer(target: str, part: str = "") -> dict[str, Any]:
    return node("crossReference", target=target, part=part)


def made(*nodes: dict[str, Any], found: Answer = ANSWER, **look: Any) -> Document:
    def lookup(kind: str, ref: str) -> Embed | None:
        if kind == "figure":
            return Embed("Drawn", vega=FIGURE.vega, caption=FIGURE.caption, alt=FIGURE.alt)
        return Embed("Minutes by room", answer=found) if ref == "q" else None

    return assemble(Node.model_validate(node("doc", *nodes)), lookup, ReportLook(**look), lambda: APPENDIX)


WHOLE = (
    node("heading", text("A section"), level=1),
    node(
        "paragraph", text("Means differ, "), live("test|test|Welch"), text(" ("), refer("a", "pairs"), text(", "), refer("f", "figure"),
        text("); x"), text("2", "superscript"), text(" and H"), text("2", "subscript"), text("O."), node("footnote", text="A “note” & <more>."),
    ),
    embed("a", "headline", "groups", "pairs"),
    node("figure", uid="f", figure="x"),
    node("pageBreak"),
    node("reference", text("Author, A. (2020). Title. Journal, 1, 2.")),
    node("appendix", uid="x", parts=["preparation", "dictionary", "methods"]),
)  # fmt: skip


def test_a_live_word_reads_as_the_answer_does() -> None:
    document = made(node("paragraph", live("test|test|Welch")))
    assert plain(document.live["w"].spans) == "FW(2, 68.7) = 12.55, p < .001"
    assert plain(document.live["w"].spans) in ANSWER.headline
    gone = made(node("paragraph", live("test|test|Gone", said="t = 1"))).live["w"]
    assert gone.missing and plain(gone.spans) == "t = 1"  # the words it had stay in the text


@pytest.mark.parametrize(
    ("method", "table", "spec"),
    [
        ("compare_groups", "Room trial", SPEC), ("compare_two", "Page tint", {"response": "brightness", "groups": "mill"}),
        ("linear", "Branches", {"response": "visits", "terms": ["floor_area", "district"]}),
        ("crosstab", "Winter challenge", {"rows": "card", "columns": "finished"}),
        ("correlate", "Reading pace", {"columns": ["pace", "span", "recall"]}),
        ("logistic", "Winter challenge", {"response": "finished", "terms": ["minutes", "card"]}),
        ("describe", "Room trial", {"columns": ["minutes"], "by": "room"}),
    ],
)  # fmt: skip
def test_every_number_that_can_be_quoted_is_the_answers(method: str, table: str, spec: dict[str, Any]) -> None:
    found = answer(method, T[table], spec)
    cells = {c.text for b in found.blocks if isinstance(b, TableBlock) for r in b.rows for c in r.values()}
    known = phrases(found)
    assert len({p.key for p in known}) == len(known) > 5
    for p in known:
        assert phrase(found, p.key) == p.spans
        if p.key.startswith("cell|"):
            assert p.text in {c.replace("\u00a0", " ") for c in cells}
        if p.key.startswith(("test|", "estimate|")):
            numbers = re.findall(r"[−-]?[\d\u2009]*\.?\d+", re.sub(r"\d+% CI", "", p.text))
            printed = " ".join(cells)
            assert all(n.strip() in printed for n in numbers), p.text
    written = write_up(found, "q", "Is it so?")
    text_of = "".join(n.get("text", "") or n["attrs"]["said"] for para in written for n in para["content"])
    assert found.headline in text_of.replace("\u00a0", " ") and "nan" not in text_of.lower()
    assert "prove" not in text_of and f"{found.rows.used}" in text_of.replace("\u2009", "")


def test_phrases_are_found_again_when_rows_change_places() -> None:
    table = next(b for b in ANSWER.blocks if b.id == "groups")
    turned = ANSWER.model_copy(update={"blocks": [table.model_copy(update={"rows": table.rows[::-1]})]})
    assert phrase(turned, "estimate|groups|Gallery") == phrase(ANSWER, "estimate|groups|Gallery")


def test_sentences_end_where_they_do_whatever_their_style() -> None:
    spans = [Span(t="One is .05. Two "), Span(t="p", style="italic"), Span(t=" < .001). "), Span(t="Three, 1.5 m.")]
    assert [plain(s) for s in sentences(spans)] == ["One is .05.", "Two p < .001).", "Three, 1.5 m."]
    assert plain(sentences(ANSWER.headline_spans)[0]).endswith("p < .001.")


def test_evidence_that_changes_sides_is_told() -> None:
    no = answer(
        "compare_groups", table_from(g=["a", "b"] * 20, y=[1.0, 1.1, 2.0, 2.1] * 10), {"response": "y", "groups": "g"}
    )
    assert holds(ANSWER) is True and holds(no) is False
    word = live("test|test|Welch", holds=True)
    assert not made(node("paragraph", word)).live["w"].flipped
    assert made(node("paragraph", word), found=no).live["w"].flipped


def test_references_follow_what_they_point_to() -> None:
    def labels(document: Document) -> str:
        first = next(p for p in document.parts if isinstance(p, Paragraph))
        return plain(words_of(first.spans))

    para = node("paragraph", refer("a", "pairs"), text(" "), refer("b", "groups"), text(" "), refer("gone"))
    assert (
        labels(made(para, embed("a", "pairs"), embed("b", "groups"))) == "Table 1 Table 2 (what stood here is gone)"
    )
    assert (
        labels(made(para, embed("b", "groups"), embed("a", "pairs"))) == "Table 2 Table 1 (what stood here is gone)"
    )


def test_captions_of_ones_own() -> None:
    own = node("answer", uid="a", question="q", parts=["groups"], captions={"groups": "Minutes, by the kind of room"})
    table = next(p for p in made(own).parts if isinstance(p, NumberedTable))
    assert plain(table.caption) == "Table 1. Minutes, by the kind of room"


@pytest.mark.parametrize(
    ("point", "with_comma"),
    [
        ("F(2, 69.8) = 15.2, p < .001", "F(2; 69,8) = 15,2, p < 0,001"), ("−.24 to .31", "−0,24 to 0,31"), ("1234.5 m.", "1234,5 m."),
        ("version 2. Next", "version 2. Next"), ("n = 30, 40 and 38", "n = 30, 40 and 38"), (".05", "0,05"),
    ],
)  # fmt: skip
def test_a_decimal_comma(point: str, with_comma: str) -> None:
    assert comma(point) == with_comma


def test_a_report_with_decimal_commas_leaves_the_writers_words() -> None:
    document = made(
        node("paragraph", text("We paid 1.50 each. "), live("test|test|Welch")),
        embed("a", "groups"),
        node("figure", uid="f", figure="x"),
        decimal="comma",
    )
    page = write_markdown(document).decode()
    assert "We paid 1.50 each." in page and "68,7" in page and "68.7" not in page and "35,8 to 40,5" in page
    figure = next(p for p in document.parts if isinstance(p, NumberedFigure))
    assert figure.vega["config"]["locale"]["number"]["decimal"] == ","
    assert FIGURE.vega["config"]["locale"]["number"]["decimal"] == "."  # the study's own drawing is not touched
    assert comma_vega({"layer": [{"data": {"values": [{"text": "p = .05"}, {"text": "at 1.5 m"}]}}]})["layer"][0][
        "data"
    ]["values"][1] == {"text": "at 1.5 m"}


def squeezed(words: str) -> str:
    return re.sub(r"[\s\u00a0\u2009-]+", "", words)


def in_docx(data: bytes) -> str:
    file = open_docx(io.BytesIO(data))
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        notes = re.sub(r"<[^>]+>", "", archive.read("word/footnotes.xml").decode())
    body = "".join(
        t.text or ""
        for t in file.element.body.iter("{http://schemas.openxmlformats.org/wordprocessingml/2006/main}t")
    )
    return body + unescape(notes)


def in_html(data: bytes) -> str:
    page = re.sub(r"<style>.*?</style>|<svg.*?</svg>", "", data.decode(), flags=re.S)
    return unescape(re.sub(r"<[^>]+>", "", page))


def in_markdown(data: bytes) -> str:
    page = re.sub(r"!\[[^\]]*\]\([^)]*\)", "", data.decode())
    return re.sub(r"[\\*|]|:?--:?|</?su[bp]>", "", page)


def in_pdf(data: bytes) -> str:
    return "".join(page.extract_text() for page in PdfReader(io.BytesIO(data)).pages)


READERS = [(write_docx, in_docx), (write_html, in_html), (write_markdown, in_markdown), (write_pdf, in_pdf)]


@pytest.mark.parametrize("look", [{}, {"decimal": "comma", "tables": "plain", "paper": "letter", "type_pt": 12}])
@pytest.mark.parametrize(("write", "read"), READERS)
def test_every_kind_of_file_holds_the_same_words_and_numbers(write: Any, read: Any, look: dict[str, Any]) -> None:
    document = made(*WHOLE, **look)
    page = squeezed(read(write(document)))
    for part in document.parts:
        if isinstance(part, Paragraph):
            assert squeezed(plain(words_of(part.spans))) in re.sub(r"\[\^\d+\]", "", page) or (
                part.spans and "note" in str(part.spans)
            )
        if isinstance(part, NumberedTable):
            assert squeezed(plain(part.caption)) in page
            for row in part.block.rows:
                for head in part.block.columns:
                    cell = row.get(head.key)
                    assert cell is None or all(squeezed(line) in page for line in cell.lines)
        if isinstance(part, NumberedFigure):
            assert squeezed(plain(part.caption)) in page
    for words in (
        "Table2",
        "Figure1",
        "A“note”&<more>.",
        "Author,A.(2020)",
        "Howthedatawereprepared",
        "TableA1",
        "112→108rows",
    ):
        assert words in page, words


def test_docx_counts_and_refers_by_fields() -> None:
    data = write_docx(made(*WHOLE))
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        body = archive.read("word/document.xml").decode()
        assert "footnotes+xml" in archive.read("[Content_Types].xml").decode()
    codes = re.findall(r"<w:instrText[^>]*>([^<]*)", body)
    assert [c.split()[1] for c in codes if c.strip().startswith("SEQ")] == ["Table", "Table", "Figure", "TableA"]
    marks = set(re.findall(r'w:bookmarkStart [^>]*w:name="([^"]+)"', body))
    wanted = [c.split()[1] for c in codes if c.strip().startswith("REF")]
    assert len(wanted) == 2 and set(wanted) <= marks
    assert 'w:footnoteReference w:id="1"' in body and 'w:br w:type="page"' in body and "w:cantSplit" in body
    assert 'w:vertAlign w:val="superscript"' in body


def test_pdf_is_tagged_and_its_pictures_have_words() -> None:
    reader = PdfReader(io.BytesIO(write_pdf(made(*WHOLE))))
    root: Any = reader.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"] and root["/StructTreeRoot"]
    assert reader.metadata is not None and reader.metadata.title == "A section"
    assert "/Figure" in str(structure(root["/StructTreeRoot"]))


def structure(node_of: Any, depth: int = 0) -> list[str]:
    node_of = node_of.get_object()
    if not hasattr(node_of, "get") or depth > 12:
        return []
    kids = node_of.get("/K", [])
    kids = kids if isinstance(kids, list) else [kids]
    return [str(node_of.get("/S")), *(s for k in kids if not isinstance(k, int) for s in structure(k, depth + 1))]


def test_long_tables_break_across_pages_with_their_heads() -> None:
    rows = table_from(g=[f"Room {i % 12}" for i in range(360)], y=[float(i % 37 + i % 12) for i in range(360)])
    many = answer("compare_groups", rows, {"response": "y", "groups": "g"})
    reader = PdfReader(io.BytesIO(write_pdf(made(embed("a", "pairs"), found=many))))
    heads = [page.extract_text().count("Difference") for page in reader.pages]
    assert len(heads) >= 2 and all(heads)
    wide = float(reader.pages[0].mediabox.width)
    edges: list[float] = []
    for page in reader.pages:
        page.extract_text(visitor_text=lambda t, _cm, tm, _font, _size: edges.append(tm[4]) if t.strip() else None)
    assert max(edges) < wide - 25 / 25.4 * 72


def test_the_appendix_can_be_told_in_part() -> None:
    page = in_markdown(write_markdown(made(node("appendix", uid="x", parts=["dictionary"]))))
    assert "Columns of Room trial" in page and "How the data were prepared" not in page


def test_markdown_with_its_pictures_beside_it() -> None:
    with zipfile.ZipFile(io.BytesIO(write_markdown_zip(made(*WHOLE)))) as archive:
        assert sorted(archive.namelist()) == ["images/figure-1.svg", "report.md"]
        assert "](images/figure-1.svg)" in archive.read("report.md").decode()
        assert archive.read("images/figure-1.svg").startswith(b"<svg")


def test_a_question_in_words_leaves_out_what_is_not_asked() -> None:
    columns = list(T["Room trial"].columns)
    assert asked_words("compare_groups", "stacked", SPEC, columns) == "Does minutes read differ between reading room?"
    with_block = asked_words("compare_groups", "stacked", {**SPEC, "block": "town"}, columns)
    assert "allowing for" in with_block and "town" in with_block


@pytest.mark.parametrize("template", TEMPLATES)
def test_templates_are_reports(template: str) -> None:
    t = TEMPLATES[template]
    document = assemble(Node.model_validate(t.doc()), lambda _kind, _ref: None, t.look)
    assert document.title and write_html(document) and write_pdf(document)


def test_hostile_words_stay_words() -> None:
    bad = '"); #panic() <script>alert(1)</script> | * _ ` \\ $x$'
    document = made(
        node("paragraph", text(bad, "superscript")),
        node("paragraph", node("footnote", text=bad)),
        node("reference", text(bad)),
    )
    assert b"<script>" not in write_html(document)
    assert "panic" in in_pdf(write_pdf(document)) and write_docx(document) and write_markdown(document)
    assert plain(say(bad)) == bad


def test_attributes_of_the_wrong_kind_do_not_stop_the_report() -> None:
    odd = [
        node("heading", text("x"), level="two"),
        node("answer", uid=None, question=3, parts=None),
        node("live", uid=[], key=None),
        node("appendix", parts="all"),
        node("crossReference"),
        node("footnote"),
    ]
    assert write_html(made(*odd[:1], odd[1], node("paragraph", *odd[2:3], *odd[4:]), odd[3]))
