"""The trail of a model and its line-up through the same calls that the interface makes; nothing of it is lost."""

import io
import zipfile
from typing import Any

from tests.conftest import Client


def ask(demo: Client, method: str, table: str, spec: dict[str, Any]) -> dict[str, Any]:
    tables = {e["name"]: e["id"] for e in demo.entries("table")}
    made = demo.call("POST", "/questions", 201, json={"table": tables[table], "method": method, "spec": spec})
    return demo.call("POST", f"/questions/{made['id']}/answer")


def again(demo: Client, id: str, spec: dict[str, Any]) -> dict[str, Any]:
    demo.call("PATCH", f"/questions/{id}", json={"spec": spec})
    return demo.call("POST", f"/questions/{id}/answer")


SPEC = {"response": "visits", "terms": ["floor_area"]}


def test_each_model_is_a_line_once(demo: Client) -> None:
    state = ask(demo, "linear", "Branches", SPEC)
    assert [x["changed"] for x in state["trail"]] == ["Floor area"]
    state = again(demo, state["id"], {**SPEC, "terms": ["floor_area", "district"]})
    state = again(demo, state["id"], {**SPEC, "terms": ["district"]})
    assert [x["changed"] for x in state["trail"]] == ["Floor area", "+\u00a0district", "−\u00a0Floor area"]
    assert [x["current"] for x in state["trail"]] == [False, False, True]
    fit = {f["key"]: f["v"] for f in state["trail"][2]["fit"]}
    assert fit["r2"] == state["answer"]["facts"]["r2"]
    # Another look at the same model is no other model; robust errors are.
    state = again(
        demo, state["id"], {**SPEC, "terms": ["district"], "alpha": 0.01, "predict_at": [{"district": "Lakeside"}]}
    )
    assert len(state["trail"]) == 3 and state["trail"][2]["current"]
    state = again(demo, state["id"], {**SPEC, "terms": ["district"], "se": "hc3"})
    assert [x["changed"] for x in state["trail"]][3] == "other settings"
    # Undo takes back the sentence and leaves the trail.
    demo.call("POST", "/undo")
    state = demo.call("GET", f"/questions/{state['id']}")
    assert len(state["trail"]) == 4 and [x["current"] for x in state["trail"]] == [False, False, True, False]
    # Going back is taking the spec of a line.
    state = again(demo, state["id"], state["trail"][0]["spec"])
    assert state["trail"][0]["current"] and state["spec"]["terms"] == ["floor_area"]


def test_a_line_is_named_and_taken_off(demo: Client) -> None:
    state = ask(demo, "linear", "Branches", SPEC)
    state = again(demo, state["id"], {**SPEC, "terms": ["bus"]})
    first, second = (x["id"] for x in state["trail"])
    state = demo.call("PATCH", f"/questions/{state['id']}/trail/{first}", json={"name": " Area alone "})
    assert state["trail"][0]["name"] == "Area alone"
    state = demo.call("DELETE", f"/questions/{state['id']}/trail/{first}")
    assert [x["id"] for x in state["trail"]] == [second]
    demo.call("DELETE", f"/questions/{state['id']}/trail/{first}", 404)


def test_a_line_up_is_out_of_date_when_its_table_changes(demo: Client) -> None:
    models = [
        {"method": "linear", "spec": SPEC},
        {"method": "linear", "spec": {**SPEC, "terms": ["floor_area", "bus"]}},
    ]
    state = ask(demo, "line_up", "Branches", {"models": models})
    assert state["trail"] == [] and not state["out_of_date"]
    table = state["table"]
    steps = demo.call("GET", f"/tables/{table}")["table"]["steps"]
    step = {"step": "keep_rows", "where": "bus < 400"}
    demo.call("PUT", f"/tables/{table}/steps", json={"steps": [*steps, step], "label": "Near the bus"})
    state = demo.call("GET", f"/questions/{state['id']}")
    assert state["out_of_date"]
    fresh = demo.call("POST", f"/questions/{state['id']}/answer")
    assert fresh["answer"]["rows"]["used"] < 120
    # A step that touches no column of its models leaves it.
    step2 = {"step": "compute", "name": "twice", "expression": "books * 2"}
    demo.call("PUT", f"/tables/{table}/steps", json={"steps": [*steps, step, step2], "label": "Twice"})
    assert not demo.call("GET", f"/questions/{state['id']}")["out_of_date"]


def test_the_trail_is_packed_unpacked_and_copied(demo: Client) -> None:
    packed = demo.http.get(f"/api/studies/{demo.study}/pack")
    assert packed.status_code == 200
    with zipfile.ZipFile(io.BytesIO(packed.content)) as archive:
        assert '"trail"' in archive.read("study.json").decode()
    made = demo.http.post("/api/unpack", content=packed.content)
    assert made.status_code == 201, made.text
    copy = demo.http.post(f"/api/studies/{demo.study}/duplicate").json()
    for study in (made.json()["id"], copy["id"]):
        entries = demo.http.get(f"/api/studies/{study}").json()["entries"]
        question = next(e["id"] for e in entries if e["name"] == "Who finishes the challenge")
        trail = demo.http.get(f"/api/studies/{study}/questions/{question}").json()["trail"]
        assert len(trail) >= 4 and sum(x["current"] for x in trail) == 1
