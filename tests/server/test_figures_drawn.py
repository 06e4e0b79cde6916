"""Figures are descriptions: drawn once, kept under what they depend on, never drawn or written by being looked at."""

import time
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.exc import OperationalError

from tests.conftest import Client
from tests.server.test_together import ROWS
from yavik.store import Store

Figures = dict[str, Any]


@pytest.fixture
def drawings(monkeypatch: pytest.MonkeyPatch) -> list[Any]:
    """Every drawing that is made."""
    from yavik.engine import drawing

    made: list[Any] = []
    draw = drawing.draw_figure
    monkeypatch.setattr(drawing, "draw_figure", lambda *a: made.append(a) or draw(*a))
    return made


def of(client: Client, table: str, **figure: Any) -> Figures:
    described = {"response": "minutes", "groups": "room", **figure}
    made: Figures = client.call("POST", "/figures", 201, json={"table": table, "figure": described})
    return made


def test_looking_neither_draws_nor_writes(http: TestClient, client: Client, drawings: list[Any]) -> None:
    table = client.bring(ROWS)["id"]
    made = of(client, table)
    assert len(drawings) == 1 and not made["out_of_date"]
    client.steps(table, [{"step": "keep_rows", "where": "age > 30"}])
    client.get(f"/tables/{table}")
    written: list[str] = []
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    event.listen(store.engine, "before_cursor_execute", lambda _c, _k, text, *_: written.append(text.split()[0]))
    old = client.get(f"/figures/{made['id']}")
    assert old["out_of_date"] and old["drawing"] == made["drawing"] and len(drawings) == 1
    # A file that is saved is of the data as they are, and is kept nowhere.
    assert (
        "svg" in http.get(f"/api/studies/{client.study}/figures/{made['id']}/image.svg").text and len(drawings) == 2
    )
    assert not {"INSERT", "UPDATE", "DELETE"} & set(written)
    new = client.call("POST", f"/figures/{made['id']}/draw")
    assert not new["out_of_date"] and new["drawing"] != old["drawing"] and len(drawings) == 3
    assert client.get(f"/figures/{made['id']}")["drawing"] == new["drawing"] and len(drawings) == 3


def test_nothing_is_out_of_date_in_a_copy_of_a_study(demo: Client, drawings: list[Any]) -> None:
    before = {e["name"]: e["out_of_date"] for e in demo.get()["entries"]}
    assert set(before.values()) == {False}
    copy = Client(demo.http, demo.call("POST", "/duplicate", 201)["id"])
    after = {e["name"]: e["out_of_date"] for e in copy.get()["entries"]}
    assert after == before
    for entry in copy.entries("figure"):
        own = next(e for e in demo.entries("figure") if e["name"] == entry["name"])
        drawing = copy.get(f"/figures/{entry['id']}")["drawing"]
        assert drawing and drawing == demo.get(f"/figures/{own['id']}")["drawing"]
    assert drawings == []


def test_what_was_drawn_before_is_shown_again_without_drawing(client: Client, drawings: list[Any]) -> None:
    table = client.bring(ROWS)["id"]
    made = of(client, table)
    wide = client.call("PATCH", f"/figures/{made['id']}", json={"figure": {**made["figure"], "width_mm": 130}})
    assert wide["drawing"] != made["drawing"] and len(drawings) == 2
    client.call("POST", "/undo")
    assert client.get(f"/figures/{made['id']}")["out_of_date"]
    assert client.call("POST", f"/figures/{made['id']}/draw")["drawing"] == made["drawing"] and len(drawings) == 2


def test_the_name_of_the_answer_that_lends_marks_is_part_of_the_drawing(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    question = client.ask(table, response="minutes", groups="room")
    made = of(client, table, marks_from=question["id"])
    client.call("PATCH", f"/items/{question['id']}", json={"name": "Minutes, as planned"})
    assert client.get(f"/figures/{made['id']}")["out_of_date"]


def test_large_figures_are_jobs_and_one_of_them_is_enough(
    http: TestClient, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("yavik.server.figures_view.LARGE_CELLS", 5)
    monkeypatch.setattr("yavik.engine.jobs.SOON", 0.0)
    table = client.bring(ROWS)["id"]
    made = of(client, table)
    assert made["job"] and made["drawing"] is None and made["out_of_date"]
    again = client.call("POST", f"/figures/{made['id']}/draw")
    for _ in range(600):
        if (state := client.get(f"/figures/{made['id']}"))["drawing"]:
            break
        time.sleep(0.05)
    assert state["drawing"]["caption"] and not state["out_of_date"]
    assert again["job"] is None or again["job"]["id"] == made["job"]["id"]


@pytest.mark.parametrize(
    ("figure", "says"),
    [({"response": None}, "Fill the slots"), ({"groups": "roomm"}, "roomm"), ({"y_min": 5000.0}, "")],
)
def test_what_cannot_be_drawn_says_why_beside_no_drawing(client: Client, figure: Figures, says: str) -> None:
    table = client.bring(ROWS)["id"]
    made = of(client, table)
    now = client.call("PATCH", f"/figures/{made['id']}", json={"figure": {**made["figure"], **figure}})
    assert says in now["problem"]["message"] and now["drawing"] is None
    asked = client.call("POST", f"/figures/{made['id']}/draw")
    assert asked["problem"] == now["problem"] and asked["job"] is None


def test_a_report_shows_what_is_drawn_and_a_saved_one_has_all(http: TestClient, client: Client) -> None:
    table = client.bring(ROWS)["id"]
    made = of(client, table)
    report = client.call("POST", "/reports/add", 201, json={"kind": "figure", "ref": made["id"]})
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    with store.engine.begin() as connection:
        connection.exec_driver_sql("DELETE FROM shown WHERE item_id = ?", (made["id"],))
    embed = client.get(f"/reports/{report['id']}")["embeds"][0]
    assert embed["out_of_date"] and "not been drawn" in embed["problem"]
    assert "<svg" in http.get(f"/api/studies/{client.study}/reports/{report['id']}/file.html").text
    client.call("POST", f"/figures/{made['id']}/draw")
    assert not client.get(f"/reports/{report['id']}")["embeds"][0]["out_of_date"]


def test_a_large_table_is_described_where_it_is_read(http: TestClient, client: Client) -> None:
    rows = "".join(f"{i % 7},{i}\n" for i in range(230_000))
    upload = client.call("POST", "/uploads", 201, content=f"g,x\n{rows}".encode(), headers={"x-filename": "l.csv"})
    new = {"upload": upload["id"], "name": "l", "options": upload["preview"]["options"]}
    job = client.call("POST", "/tables", 202, json=new)["job"]
    for _ in range(600):
        if client.get(f"/jobs/{job['id']}")["state"] == "done":
            break
        time.sleep(0.05)
    table = client.call("PUT", "/tables/finish", 201, json=new)["table"]["id"]
    written: list[str] = []
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    event.listen(store.engine, "before_cursor_execute", lambda _c, _k, text, *_: written.append(text.split()[0]))
    found = client.get(f"/tables/{table}/columns?names=g&names=x")
    assert [c["column"]["name"] for c in found] == ["g", "x"] and set(written) == {"SELECT"}


def test_a_full_disk_does_not_keep_a_column_from_being_looked_at(
    http: TestClient, client: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    table = client.bring(ROWS)["id"]
    store: Store = http.app.state.store  # type: ignore[attr-defined]

    def full(*_: Any) -> Any:
        raise OperationalError("INSERT", {}, Exception("database or disk is full"))

    monkeypatch.setattr(store.profiles.engine, "begin", full)
    assert client.get(f"/tables/{table}/columns?names=minutes")[0]["profile"]
