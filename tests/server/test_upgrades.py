"""After an upgrade: what other code computed is told as such, renewed when it is asked for, and compared."""

from typing import Any

from fastapi.testclient import TestClient
from sqlalchemy import update
from sqlalchemy.orm import Session

from tests.conftest import Client
from yavik.engine.needs import REVISION, needs
from yavik.server.upgrades import changes
from yavik.store import Store
from yavik.store.models import Result, Shown, now

ROWS = b"room,minutes,age\nHall,12,31\nAlcove,14.5,40\nHall,13,22\nAlcove,16,35\nHall,11,51\nAlcove,15,47\n"
OLD = "Yavik 0.0.1 · numpy 1.0"


def as_if_older(store: Store, question: str, **facts: float) -> None:
    """The answer shown as another version of the code would have kept it."""
    shown = store.shown(question)
    assert shown
    data = store.result(shown)
    assert data
    with Session(store.engine) as s, s.begin():
        s.execute(update(Result).where(Result.key == shown).values(key="older", revision=OLD, data={**data, "facts": {**data["facts"], **facts}}))  # fmt: skip
        s.execute(update(Shown).where(Shown.item_id == question).values(key="older"))


def test_an_upgrade_is_told_renewed_and_compared(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    asked = client.ask(client.bring(ROWS)["id"], response="minutes", groups="room")
    where, p = f"/questions/{asked['id']}", asked["answer"]["facts"]["welch.p"]
    assert asked["upgrade"] is None
    as_if_older(store, asked["id"], **{"welch.p": p * 1.01})
    told = client.get(where)
    assert told["out_of_date"] and told["upgrade"] == {"waiting": True, "by": OLD, "now": REVISION, "changed": [], "compared": 0}  # fmt: skip
    renewed = client.call("POST", f"{where}/answer")
    assert not renewed["out_of_date"] and not renewed["upgrade"]["waiting"]
    assert [c["name"] for c in renewed["upgrade"]["changed"]] == ["welch.p"] and renewed["upgrade"]["compared"] > 10
    assert renewed["upgrade"]["changed"][0]["after"] == f"{p:.10g}"
    assert renewed["answer"]["facts"]["welch.p"] == p
    # Another question is another answer: nothing is compared with it.
    client.call("PATCH", where, json={"spec": {**asked["spec"], "response": "age"}})
    assert client.call("POST", f"{where}/answer")["upgrade"] is None


def test_changed_data_is_no_upgrade(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    table = client.bring(ROWS)["id"]
    asked = client.ask(table, response="minutes", groups="room")
    as_if_older(store, asked["id"])
    client.steps(table, [{"step": "keep_rows", "where": "age > 30"}])
    told = client.get(f"/questions/{asked['id']}")
    assert told["out_of_date"] and told["upgrade"] is None
    assert client.call("POST", f"/questions/{asked['id']}/answer")["upgrade"] is None


def test_an_answer_that_cannot_be_read_is_renewed(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    table = client.bring(ROWS)["id"]
    asked = client.ask(table, response="minutes", groups="room")
    report = client.call("POST", "/reports/add", 201, json={"kind": "answer", "ref": asked["id"]})["id"]
    figure = client.call(
        "POST", "/figures", 201, json={"table": table, "figure": {"response": "minutes", "groups": "room"}}
    )
    for item in (asked["id"], figure["id"]):
        key = store.shown(item)
        assert key
        data: dict[str, Any] = dict(store.result(key) or {})
        with Session(store.engine) as s, s.begin():
            data.pop("blocks" if item == asked["id"] else "vega")
            s.execute(update(Result).where(Result.key == key).values(data=data))
    told = client.get(f"/questions/{asked['id']}")
    assert told["answer"] is None and told["out_of_date"]
    assert client.get(f"/reports/{report}")["embeds"]
    assert client.get(f"/reports/{report}/file.md")
    assert client.call("POST", f"/figures/{figure['id']}/draw")["drawing"]["vega"]
    assert client.get()["entries"]
    # Asked for, it is worked out anew and not found again as it was.
    assert client.call("POST", f"/questions/{asked['id']}/answer")["answer"]["facts"] == asked["answer"]["facts"]


def test_a_model_of_another_time_leaves_the_others_on_the_trail(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    asked = client.ask(client.bring(ROWS)["id"], "linear", response="minutes", terms=["room"])
    store.trail.put(
        {"item_id": asked["id"], "key": "k", "spec": {}, "card": {"said": "?"}, "at": now(), "name": None}
    )
    assert [line["current"] for line in client.get(f"/questions/{asked['id']}")["trail"]] == [True]


def test_what_an_answer_needs_is_said_in_one_place(client: Client, http: TestClient) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    table = client.bring(b"unit,year,y,w\na,1,2,1\na,2,3,2\nb,1,1,1\nb,2,4,2\n")["id"]
    client.steps(table, [{"step": "panel", "unit": "unit", "time": "year"}, {"step": "design", "weight": "w"}])
    snapshot = store.tables(client.study).replay(store.tables(client.study).body(table))[0]
    weighed = needs(snapshot, "survey_estimate", {"columns": ["y"]})
    assert "w" in weighed.columns and set(weighed.about) == {"design"}
    over_time = needs(snapshot, "describe", {"columns": ["y"], "by": "year"})
    assert "w" not in over_time.columns and set(over_time.about) == {"design", "panel"}
    model = {"method": "linear", "spec": {"response": "y", "terms": ["year"]}, "name": "m"}
    assert set(needs(snapshot, "line_up", {"models": [model]}).methods) >= {"linear"}


def test_numbers_that_are_the_same_but_for_the_last_places_are_not_told() -> None:
    assert changes({"a": 1.0, "b": "x"}, {"a": 1.0 + 1e-12, "b": "x"}) == []
    assert [c.name for c in changes({"a": 1.0, "c": 2}, {"a": 1.1, "b": True})] == ["a", "b", "c"]
