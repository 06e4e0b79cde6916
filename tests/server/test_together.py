"""Two windows, twelve windows: nothing that was said to be kept is lost, and both are told where they disagree."""

import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.server import contents
from yavik.server.once import Once
from yavik.server.routes import reports
from yavik.store import Store
from yavik.store.models import now

ROWS = b"room,minutes,age\nHall,12,31\nAlcove,14.5,40\nHall,13,22\nAlcove,16,35\nHall,11,51\nAlcove,15,47\n"


def written(*lines: str) -> dict[str, Any]:
    texts = [{"type": "paragraph", "content": [{"type": "text", "text": line}]} for line in lines]
    return {"type": "doc", "content": texts}


def lines_of(doc: dict[str, Any]) -> list[str]:
    return [n["content"][0]["text"] for n in doc["content"] if n.get("content")]


def at(state: dict[str, Any]) -> dict[str, str]:
    return {"If-Match": f'"{state["revision"]}"'}


def report(client: Client, *lines: str) -> tuple[str, dict[str, Any]]:
    made = client.call("POST", "/reports", 201, json={"name": "R", "template": "empty"})
    where = f"/reports/{made['id']}"
    return where, client.call("PUT", where, json={"doc": written(*lines)})


def test_two_tabs_on_a_report_lose_nothing(client: Client) -> None:
    where, seen = report(client, "Methods", "Results")
    client.call("PUT", where, json={"doc": written("Methods, longer", "Results")}, headers=at(seen))
    client.call(
        "PUT", where, json={"doc": written("Methods, longer still", "Results")}, headers=at(client.get(where))
    )
    merged = client.call("PUT", where, json={"doc": written("Methods", "Results of mine")}, headers=at(seen))
    assert lines_of(merged["doc"]) == ["Methods, longer still", "Results of mine"]
    # Each window's writing is a change of its own: undo takes the last one back, and not the other's with it.
    client.call("POST", "/undo")
    assert lines_of(client.get(where)["doc"]) == ["Methods, longer still", "Results"]


def test_a_disagreement_shows_both_and_keeps_what_is_there(client: Client) -> None:
    where, seen = report(client, "We found nothing", "End")
    theirs = client.call("PUT", where, json={"doc": written("We found much", "End")}, headers=at(seen))
    told = client.call("PUT", where, 409, json={"doc": written("We found little", "End")}, headers=at(seen))
    assert (
        lines_of(told["present"]["doc"])[0] == "We found much"
        and lines_of(told["mine"]["doc"])[0] == "We found little"
    )
    assert told["revision"] == theirs["revision"] and len(told["places"]) == 1 and told["places"][0]["mine"]
    assert lines_of(client.get(where)["doc"])[0] == "We found much"
    mine = {"json": {"doc": written("We found little", "End")}, "headers": at(seen) | {"keep": "mine"}}
    assert lines_of(client.call("PUT", where, **mine)["doc"])[0] == "We found little"
    assert client.call("POST", "/undo")["label"] == "Write in the report"


def test_a_revision_from_before_a_restart_is_known_by_its_change(client: Client, http: TestClient) -> None:
    where, seen = report(client, "One", "Two")
    client.call("PATCH", f"/items/{seen['id']}", json={"name": "Renamed"})
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    client.call("PUT", where, json={"doc": written("One, theirs", "Two")}, headers=at(client.get(where)))
    store.items._bodies.clear()
    merged = client.call("PUT", where, json={"doc": written("One", "Two, mine")}, headers=at(seen))
    assert lines_of(merged["doc"]) == ["One, theirs", "Two, mine"] and merged["name"] == "Renamed"
    # One that nothing knows any more is told, never guessed.
    client.call("PUT", where, 409, json={"doc": written("Else")}, headers={"If-Match": '"9999"'})
    client.call("PUT", where, 422, json={"doc": written("Else")}, headers={"If-Match": "seven"})


def test_twelve_additions_at_once_are_twelve(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    question = client.ask(table, response="minutes", groups="room")["id"]
    with ThreadPoolExecutor(12) as pool:
        add = lambda _: client.call("POST", "/reports/add", 201, json={"kind": "answer", "ref": question})  # noqa: E731
        list(pool.map(add, range(12)))
    [only] = client.entries("report")
    doc = client.get(f"/reports/{only['id']}")["doc"]
    assert sum(n["type"] == "answer" for n in doc["content"]) == 12
    uids = [n["attrs"]["uid"] for n in doc["content"] if n["type"] == "answer"]
    assert len(set(uids)) == 12


def test_different_fields_of_a_question_are_both_changed(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    seen = client.ask(table, response="minutes", groups="room")
    where = f"/questions/{seen['id']}"
    client.call("PATCH", where, json={"spec": {**seen["spec"], "alpha": 0.01}}, headers=at(seen))
    both = client.call("PATCH", where, json={"spec": {**seen["spec"], "response": "age"}}, headers=at(seen))
    assert both["spec"]["alpha"] == 0.01 and both["spec"]["response"] == "age"
    told = client.call("PATCH", where, 409, json={"spec": {**seen["spec"], "alpha": 0.1}}, headers=at(seen))
    assert told["places"] == [{"path": ["spec", "alpha"], "base": None, "theirs": 0.01, "mine": 0.1}]


def test_steps_added_in_two_windows_are_both_there(client: Client) -> None:
    table = client.bring(ROWS)
    where = f"/tables/{table['id']}/steps"
    first = {"step": "compute", "name": "half", "expression": "minutes / 2"}
    second = {"step": "compute", "name": "old", "expression": "age > 40"}
    client.call("PUT", where, json={"steps": [first], "label": "A"}, headers=at(table))
    both = client.call("PUT", where, json={"steps": [second], "label": "B"}, headers=at(table))["table"]
    assert [s["name"] for s in both["steps"]] == ["half", "old"]
    assert client.call("POST", "/undo")["label"] == "B"
    assert [s["name"] for s in client.get(f"/tables/{table['id']}")["table"]["steps"]] == ["half"]


def test_a_figure_changed_in_two_windows(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    seen = client.call(
        "POST", "/figures", 201, json={"table": table, "figure": {"response": "minutes", "groups": "room"}}
    )
    where, figure = f"/figures/{seen['id']}", seen["figure"]
    client.call("PATCH", where, json={"figure": {**figure, "width_mm": 120}}, headers=at(seen))
    both = client.call("PATCH", where, json={"figure": {**figure, "type_pt": 9}}, headers=at(seen))["figure"]
    assert both["width_mm"] == 120 and both["type_pt"] == 9
    client.call("PATCH", where, 409, json={"figure": {**figure, "width_mm": 90}}, headers=at(seen))


def test_one_request_keeps_and_answers_and_changes_one_line(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    asked = client.ask(table, response="minutes", groups="room")
    where = f"/questions/{asked['id']}?answer=true"
    done = client.call("PATCH", where, json={"spec": {**asked["spec"], "response": "age"}}, headers=at(asked))
    assert not done["out_of_date"] and done["answer"]["spec"]["response"] == "age" and done["problem"] is None
    whole = client.get()
    [line] = [e for e in whole["entries"] if e["id"] == asked["id"]]
    assert done["around"] == {"entry": line, "undo": whole["undo"], "redo": whole["redo"]}
    # What cannot be answered is kept all the same, and says why.
    told = client.call("PATCH", where, json={"spec": {**asked["spec"], "where": "age > 1000"}})
    assert told["problem"]["message"] and client.get(f"/questions/{asked['id']}")["spec"]["where"] == "age > 1000"


def test_the_contents_ask_the_database_a_few_times_however_long_they_are(client: Client, http: TestClient) -> None:
    from sqlalchemy import event

    table = client.bring(ROWS)["id"]
    for i in range(12):
        client.ask(table, response="minutes", groups="room", alpha=0.01 + i / 1000)
    before = client.get()
    asked: list[str] = []
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    event.listen(store.engine, "before_cursor_execute", lambda _c, _k, text, *_: asked.append(text))
    assert client.get() == before and asked == [], "nothing was written since"
    last = before["entries"][-1]
    client.call("PATCH", f"/items/{last['id']}", json={"name": "the last"})
    asked.clear()
    after = client.get()
    assert after["entries"][-1]["name"] == "the last" and after["undo"] == f"Rename {last['name']}"
    assert 0 < len(asked) <= 12, "one line anew, with what it needs"


def test_the_contents_tell_at_once_what_another_process_wrote(client: Client, http: TestClient) -> None:
    table = client.bring(ROWS)
    held: Store = http.app.state.store  # type: ignore[attr-defined]
    before, moment = client.get(), held.watch.moment()
    assert held.watch.moment() == moment
    other = Store(held.folder)
    other.items.change(client.study, table["id"], "Rename", name="Rooms")
    assert held.watch.moment() != moment
    assert [e["name"] for e in client.get()["entries"]] == ["Rooms"] != [e["name"] for e in before["entries"]]
    held.watch.close()  # where SQLite cannot tell, the contents are read each time
    other.items.change(client.study, table["id"], "Rename", name="Halls")
    assert held.watch.moment() != held.watch.moment()
    assert [e["name"] for e in client.get()["entries"]] == ["Halls"]
    other.items.set_study(client.study, deleted=now())
    other.close()
    client.call("GET", "", 404)


def test_lines_that_are_kept_say_what_lines_made_anew_would(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    rooms = client.bring(ROWS, "rooms.csv")
    derived = {"name": "Old visitors", "steps": []}
    linked = client.call("POST", f"/tables/{rooms['id']}/derived", 201, json=derived)["table"]
    asked = client.ask(rooms["id"], response="minutes", groups="room")
    other = client.ask(linked["id"], response="age", groups="room")
    for question in (asked, other):
        client.call("POST", f"/questions/{question['id']}/answer")
    figure = {"kind": "groups", "response": "minutes", "groups": "room", "show": ["box"], "marks_from": asked["id"]}
    drawn = client.call("POST", "/figures", 201, json={"table": rooms["id"], "figure": figure})
    for kind, ref in (("answer", asked["id"]), ("figure", drawn["id"]), ("answer", other["id"])):
        report = client.call("POST", "/reports/add", 201, json={"kind": kind, "ref": ref})
    steps = {"steps": [{"step": "compute", "name": "half", "expression": "minutes / 2"}], "label": "Half"}
    fewer = {"steps": [*steps["steps"], {"step": "keep_rows", "where": "age > 31"}], "label": "Fewer"}
    edits: list[tuple[str, str, Any]] = [
        ("PUT", f"/tables/{rooms['id']}/steps", steps),
        ("PUT", f"/tables/{rooms['id']}/steps", fewer),
        ("POST", f"/questions/{asked['id']}/answer", None),
        ("PUT", "/figures/style", {"preset": "slide", "all": True}),
        ("PATCH", f"/items/{linked['id']}", {"name": "Visitors"}),
        ("POST", "/undo", None),
        ("POST", "/undo", None),
        ("PATCH", f"/questions/{other['id']}", {"spec": {"response": "minutes", "groups": "room"}}),
        ("POST", f"/questions/{other['id']}/answer", None),
        ("DELETE", f"/items/{rooms['id']}", None),
        ("POST", "/undo", None),
        ("DELETE", f"/items/{asked['id']}", None),
        ("PATCH", f"/items/{drawn['id']}", {"before": None, "name": "Boxes"}),
    ]
    seen, pages = set(), set()
    for method, path, body in edits:
        answer = client.http.request(method, f"/api/studies/{client.study}{path}", json=body)
        assert answer.status_code < 300, (path, answer.text)
        kept, page = client.get(), client.call("GET", f"/reports/{report['id']}")
        assert client.call("GET", f"/reports/{report['id']}") == page
        monkeypatch.setattr(contents, "_kept", {})
        monkeypatch.setattr(contents, "_once", Once())
        monkeypatch.setattr(reports, "_once", Once())
        assert client.get() == kept, (method, path)
        assert client.call("GET", f"/reports/{report['id']}") == page, (method, path)
        pages.add(str(page["embeds"]))
        seen |= {(e["type"], e["out_of_date"]) for e in kept["entries"]}
    assert {("question", True), ("question", False), ("figure", False)} <= seen
    assert len(pages) > 6, "the report follows what it shows"


def test_twenty_who_ask_after_one_change_wait_for_one_answer(store: Store) -> None:
    made, once = [], Once()

    def make() -> tuple[bytes, bool]:
        made.append(1)
        time.sleep(0.05)
        return f"{len(made)}".encode(), len(made) != 2

    def asked() -> set[bytes]:
        with ThreadPoolExecutor(20) as people:
            return set(people.map(lambda _: once.get(store, "s", "contents", make), range(20)))

    assert asked() == {b"1"} and once.get(store, "other", "contents", make) == b"2"
    # What is not true for long, such as a table that is being prepared, is made for the next one anew.
    assert once.get(store, "other", "contents", make) == b"3"
    store.items.new_study("written meanwhile")
    assert asked() == {b"4"}
