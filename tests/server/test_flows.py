"""The server's part of the whole job, without a browser."""

import io
import re
from typing import Any

import pytest
from docx import Document as open_docx
from fastapi.testclient import TestClient
from sqlalchemy import text

from tests.conftest import Client
from yavik.demo.figures import DRAWN
from yavik.demo.questions import LINKED, TOLD

CSV = b"visitor,room,minutes,pages\n" + b"".join(
    b"V%d,%s,%d.5,%d\n"
    % (i, [b"Alcove", b"Gallery", b"Winter garden"][i % 3], 20 + (i * 7) % 13 + 6 * (i % 3), 5 + i % 9)
    for i in range(60)
)


def figures_in(data: bytes) -> int:
    return data.count(b"<svg")


def test_studies(http: TestClient) -> None:
    made = http.post("/api/studies", json={"name": "Corner visits"}).json()
    http.patch(f"/api/studies/{made['id']}", json={"name": "Corners"})
    copy = http.post(f"/api/studies/{made['id']}/duplicate").json()
    assert copy["name"] == "Corners (copy)"
    assert http.delete(f"/api/studies/{made['id']}").status_code == 204
    assert [s["name"] for s in http.get("/api/studies").json()] == ["Corners (copy)"]
    assert http.get(f"/api/studies/{made['id']}").status_code == 404
    http.post(f"/api/studies/{made['id']}/restore")
    assert {s["name"] for s in http.get("/api/studies").json()} == {"Corners (copy)", "Corners"}


def test_the_demo_study_is_finished_work(demo: Client) -> None:
    contents = demo.get()
    assert [e["name"] for e in contents["entries"] if e["type"] == "table"][:2] == ["Room trial", "Binding glue"]
    assert [e["name"] for e in contents["entries"] if e["type"] != "table"] == [
        "Minutes by room",
        "Curing of three glues",
        "Minutes, pages and seats by room",
        *(name for _, name, _, _ in TOLD),
        *(name for asked in LINKED.values() for name, _, _ in asked),
        "Shape of minutes read",
        "Who finishes the challenge",
        "Models of finishing",
        "Loans of branches over eight years",
        "Three models of loans",
        "Three models of the quiz",
        "Minutes by room",
        *(name for _, name, _ in DRAWN),
        "Draft for the board",
    ]
    assert contents["undo"] is None
    assert contents["entries"][0]["line"] == "108 rows · 9 columns"
    assert not any(e["out_of_date"] or "cannot" in e["line"] for e in contents["entries"])


def test_from_a_file_to_a_document(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    assert state["answer"]["facts"]["n"] == 60
    figure = client.call("POST", "/figures", 201, json={"table": table["id"], "from_question": state["id"]})
    assert figure["figure"]["marks_from"] == state["id"]
    client.call(
        "POST",
        "/reports/add",
        201,
        json={"kind": "answer", "ref": state["id"], "parts": ["headline", "groups", "pairs"]},
    )
    report = client.call("POST", "/reports/add", 201, json={"kind": "figure", "ref": figure["id"]})
    assert [e["kind"] for e in report["embeds"]] == ["answer", "figure"]
    assert [t["number"] for t in report["embeds"][0]["tables"]] == [1, 2]
    document = open_docx(io.BytesIO(client.get(f"/reports/{report['id']}/file.docx")))
    assert [len(t.rows) for t in document.tables] == [4, 4]
    assert document.tables[0].cell(1, 0).text == "Alcove"
    assert any(p.text.startswith("Figure 1. ") for p in document.paragraphs)
    described = document.element.xpath("//wp:docPr/@descr")
    assert len(described) == 1 and "median" in described[0]
    pdf = client.get(f"/reports/{report['id']}/file.pdf")
    assert pdf.startswith(b"%PDF-")
    html = client.get(f"/reports/{report['id']}/file.html")
    assert figures_in(html) == 1
    assert not re.search(rb"(src|href)=[\"']https?:", html)
    assert b"<script" not in html
    assert client.get(f"/reports/{report['id']}/file.md").startswith(b"# Untitled report")


def test_texts_are_never_taken_as_markup(client: Client) -> None:
    table = client.bring(
        b'g,y\n<b>x</b>,1\n<b>x</b>,2\n<b>x</b>,4\n"#eval(""1"") $a$",5\n"#eval(""1"") $a$",6\n"#eval(""1"") $a$",9\n'
    )
    state = client.ask(table["id"], response="y", groups="g")
    doc = {
        "type": "doc",
        "content": [
            {
                "type": "paragraph",
                "content": [{"type": "text", "text": '<img src=x onerror=alert(1)> #panic() "quoted" \\ end'}],
            },
            {
                "type": "answer",
                "attrs": {"uid": "u1", "question": state["id"], "parts": ["headline", "groups", "figure"]},
            },
        ],
    }
    report = client.call("POST", "/reports", 201, json={"name": "R"})
    client.call("PUT", f"/reports/{report['id']}", json={"doc": doc})
    html = client.get(f"/reports/{report['id']}/file.html").decode()
    assert "<img src=x" not in html and "&lt;img src=x" in html and "<b>x</b>" not in html
    assert client.get(f"/reports/{report['id']}/file.pdf").startswith(b"%PDF-")
    assert client.get(f"/reports/{report['id']}/file.docx").startswith(b"PK")


def test_an_answer_goes_out_of_date_only_when_its_columns_change(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    where = f"/questions/{state['id']}"
    client.steps(table["id"], [{"step": "compute", "name": "pages", "expression": "pages * 2"}])
    assert client.get(where)["out_of_date"] is False
    client.steps(table["id"], [{"step": "keep_rows", "where": "minutes < 40"}])
    old = client.get(where)
    assert old["out_of_date"] is True
    assert old["answer"]["facts"]["n"] == 60  # the last answer stays visible
    assert client.entries("question")[0]["line"] == "out of date"
    new = client.call("POST", f"{where}/answer")
    assert new["out_of_date"] is False
    assert new["answer"]["facts"]["n"] < 60
    client.call("POST", "/undo")
    assert client.get(where)["out_of_date"] is True


def test_a_figure_keeps_in_step_with_its_answer(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    figure = client.call("POST", "/figures", 201, json={"table": table["id"], "from_question": state["id"]})
    letters = state["answer"]["marks"]["letters"]
    assert "Games–Howell" in "".join(s["t"] for s in figure["drawing"]["caption"])
    client.call(
        "PATCH",
        f"/questions/{state['id']}",
        json={"spec": {"response": "minutes", "groups": "room", "test": "kruskal_wallis"}},
    )
    again = client.call("POST", f"/figures/{figure['id']}/draw")
    assert "Dunn" in "".join(s["t"] for s in again["drawing"]["caption"])
    assert set(letters) == {"Alcove", "Gallery", "Winter garden"}


def test_a_report_marks_what_is_out_of_date_and_renews(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    report = client.call("POST", "/reports/add", 201, json={"kind": "answer", "ref": state["id"]})
    client.steps(table["id"], [{"step": "keep_rows", "where": "minutes < 40"}])
    assert client.get(f"/reports/{report['id']}")["embeds"][0]["out_of_date"] is True
    assert client.call("POST", "/renew", 202) == []
    assert client.get(f"/reports/{report['id']}")["embeds"][0]["out_of_date"] is False


def test_numbers_follow_the_order_in_the_report(client: Client) -> None:
    table = client.bring(CSV)
    a, b = (
        client.ask(table["id"], response="minutes", groups="room"),
        client.ask(table["id"], response="pages", groups="room"),
    )
    report = client.call("POST", "/reports", 201, json={"name": "R"})

    def node(question: dict[str, Any]) -> dict[str, Any]:
        return {
            "type": "answer",
            "attrs": {"uid": question["id"][:6], "question": question["id"], "parts": ["groups"]},
        }

    for order in ([a, b], [b, a]):
        saved = client.call(
            "PUT", f"/reports/{report['id']}", json={"doc": {"type": "doc", "content": [node(q) for q in order]}}
        )
        assert [(e["ref"], e["tables"][0]["number"]) for e in saved["embeds"]] == [
            (order[0]["id"], 1),
            (order[1]["id"], 2),
        ]


def test_a_slot_whose_column_was_deleted(client: Client) -> None:
    table = client.bring(CSV)
    client.steps(table["id"], [{"step": "compute", "name": "rate", "expression": "pages / minutes"}])
    state = client.ask(table["id"], response="rate", groups="room")
    client.steps(table["id"], [])
    problem = client.call("POST", f"/questions/{state['id']}/answer", 422)
    assert problem["column"] == "rate"
    assert "There is no column 'rate'" in problem["detail"]
    kept = client.get(f"/questions/{state['id']}")
    assert kept["spec"]["response"] == "rate" and kept["answer"] is not None
    client.call("POST", "/undo")
    assert client.call("POST", f"/questions/{state['id']}/answer")["out_of_date"] is False


def test_a_table_that_was_deleted_comes_back_with_undo(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    client.call("DELETE", f"/items/{table['id']}", 204)
    assert client.call("POST", f"/questions/{state['id']}/answer", 404)["title"] == "Not here"
    client.call("POST", "/undo")
    assert client.call("POST", f"/questions/{state['id']}/answer")["answer"]["facts"]["n"] == 60


def test_renaming_ordering_and_duplicating(client: Client) -> None:
    first, second = client.bring(CSV, "a.csv"), client.bring(CSV, "b.csv")
    client.call("PATCH", f"/items/{second['id']}", json={"name": "Second", "before": first["id"]})
    assert [e["name"] for e in client.entries("table")] == ["Second", "a.csv"]
    client.call("POST", f"/items/{first['id']}/duplicate", 201)
    assert [e["name"] for e in client.entries("table")] == ["Second", "a.csv", "a.csv (copy)"]


def test_a_question_named_by_its_sentence_follows_it(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    assert state["name"] == "minutes by room"
    client.call("PATCH", f"/questions/{state['id']}", json={"spec": {"response": "pages", "groups": "room"}})
    assert client.entries("question")[0]["name"] == "pages by room"
    client.call("PATCH", f"/items/{state['id']}", json={"name": "Mine"})
    client.call("PATCH", f"/questions/{state['id']}", json={"spec": {"response": "minutes", "groups": "room"}})
    assert client.entries("question")[0]["name"] == "Mine"


def test_trying_a_step_changes_nothing(client: Client) -> None:
    table = client.bring(CSV)
    tried = client.call(
        "POST",
        f"/tables/{table['id']}/try",
        json={"step": {"step": "compute", "name": "rate", "expression": "pages / minutes"}, "at": 0},
    )
    assert tried["columns"][0] == "rate"
    problem = client.call(
        "POST",
        f"/tables/{table['id']}/try",
        422,
        json={"step": {"step": "compute", "name": "rate", "expression": "pages / minuts"}, "at": 0},
    )
    assert problem["position"] == 8
    assert len(client.get(f"/tables/{table['id']}")["table"]["columns"]) == 4


def test_windows(client: Client) -> None:
    table = client.bring(CSV)
    window = client.get(f"/tables/{table['id']}/rows", params={"start": 58, "count": 10, "first": 1, "columns": 2})
    assert window["numbers"] == [59, 60]
    assert [r[0] for r in window["rows"]] == ["Gallery", "Winter garden"]
    assert all(len(r) == 2 for r in window["rows"])


def test_the_original_comes_back(client: Client) -> None:
    upload = client.call("POST", "/uploads", 201, content=CSV, headers={"x-filename": "r%C3%A4ume.csv"})
    assert upload["filename"] == "räume.csv"
    assert client.get(f"/uploads/{upload['id']}/original") == CSV


def test_correcting_how_a_file_is_read(client: Client) -> None:
    upload = client.call("POST", "/uploads", 201, content=b"a;b\n1,5;2\n", headers={"x-filename": "x.csv"})
    options = {**upload["preview"]["options"], "delimiter": ",", "decimal": "."}
    again = client.call("POST", f"/uploads/{upload['id']}/preview", json=options)
    assert next(c["name"] for c in again["columns"]) == "a;b"


@pytest.mark.parametrize("data", [b"", b"\x00\x01\x02\x03" * 50])
def test_a_bad_file_is_refused_and_forgotten(client: Client, data: bytes) -> None:
    problem = client.call("POST", "/uploads", 422, content=data, headers={"x-filename": "x.csv"})
    assert problem["status"] == 422 and problem["detail"]
    assert client.get()["entries"] == []


def test_images(client: Client) -> None:
    table = client.bring(CSV)
    figure = client.call(
        "POST",
        "/figures",
        201,
        json={
            "table": table["id"],
            "figure": {"response": "minutes", "groups": "room", "show": ["box", "mean"], "whiskers": "percentiles"},
        },
    )
    image = client.get(f"/figures/{figure['id']}/image.png")
    width = int.from_bytes(image[16:20], "big")
    assert abs(width - 85 / 25.4 * 300) < 4  # 85 mm at 300 dots per inch
    assert client.get(f"/figures/{figure['id']}/image.svg").lstrip().startswith(b"<svg")


def test_a_figure_is_drawn_without_marks_that_cannot_be_had(client: Client) -> None:
    table = client.bring(CSV)
    state = client.ask(table["id"], response="minutes", groups="room")
    figure = client.call("POST", "/figures", 201, json={"table": table["id"], "from_question": state["id"]})
    assert figure["marks_problem"] is None
    client.call("PATCH", f"/questions/{state['id']}", json={"spec": {"response": "pages", "groups": "room"}})
    again = client.call("POST", f"/figures/{figure['id']}/draw")
    assert again["drawing"] is not None
    assert "asks about other columns" in again["marks_problem"]
    assert [m["id"] for m in again["marks_sources"]] == [state["id"]]
    assert "share a letter" not in "".join(s["t"] for s in again["drawing"]["caption"])


def test_a_report_shows_a_figure_that_was_never_opened(demo: Client) -> None:
    report = demo.get(f"/reports/{demo.entries('report')[0]['id']}")
    assert [len(e["figures"]) for e in report["embeds"]] == [0, 1, 0]
    assert not any(e["problem"] or e["out_of_date"] for e in report["embeds"])


def test_what_all_answers_say_comes_at_once(demo: Client) -> None:
    said = {s["id"]: s["spans"] for s in demo.get("/statements")}
    questions = demo.entries("question")
    assert set(said) == {q["id"] for q in questions}
    for question in questions[::6]:
        assert said[question["id"]] == demo.get(f"/questions/{question['id']}")["answer"]["headline_spans"]
    # One that cannot be read says nothing, and keeps no other from being read.
    store = demo.http.app.state.store  # type: ignore[attr-defined]
    first, second = questions[0]["id"], questions[1]["id"]
    for item, broken in ((first, "{half"), (second, '{"headline_spans": 3}')):
        with store.engine.begin() as connection:
            statement = "update results set data = :d where key = (select key from shown where item_id = :i)"
            connection.execute(text(statement), {"d": broken, "i": item})
    assert set(said) - {s["id"] for s in demo.get("/statements")} == {first, second}
