"""Every option of every method through the same calls that the interface makes."""

from typing import Any

from tests.conftest import Client
from tests.core.test_options import CASES, values_of
from tests.server.test_jobs import finished
from tests.tables import square_csv
from yavik.core.methods import methods
from yavik.core.methods.registry import parse_spec


def test_every_option_over_http(demo: Client) -> None:
    tables = {e["name"]: e["id"] for e in demo.entries("table")}
    tables["Square"] = demo.bring(square_csv())["id"]
    answered: set[str] = set()
    for method, table, spec, options in CASES:
        made = demo.call("POST", "/questions", 201, json={"table": tables[table], "method": method, "spec": spec})
        path = f"/questions/{made['id']}"
        for option, values in options.items():
            value: Any = (values or values_of(method, option))[-1]
            demo.call("PATCH", path, json={"spec": {**spec, option: value}})
            found = demo.http.post(f"/api/studies/{demo.study}{path}/answer")
            assert found.status_code in (200, 422), (method, option, found.text)
            if found.status_code == 200:
                state = found.json()
                if state["job"]:  # larger tables are answered by a worker
                    ended = finished(demo.http, state["job"])
                    assert ended["state"] in ("done", "problem"), (method, option, ended)
                    if ended["state"] == "problem":
                        continue
                    state = demo.call("GET", path)
                whole = parse_spec(method, {**spec, option: value}).model_dump(
                    mode="json"
                )  # with what was left unsaid
                assert state["answer"]["spec"][option] == whole[option] and state["answer"]["method"] == method
                answered.add(method)
            else:
                assert len(found.json()["detail"]) > 20
    assert answered == set(methods())


def test_a_typed_sample_that_is_none_is_refused_with_its_place(demo: Client) -> None:
    table = demo.entries("table")[0]["id"]
    spec = {"summaries": [{"label": "a", "n": 1, "mean": 2.0, "sd": 1.0}]}
    made = demo.call(
        "POST", "/questions", 201, json={"table": table, "method": "compare_two", "layout": "summaries", "spec": spec}
    )
    problem = demo.call("POST", f"/questions/{made['id']}/answer", 422)
    assert "summaries.0.n" in problem["detail"]


def test_questions_and_figures_are_called_by_labels_until_they_are_named(client: Client) -> None:
    table = client.bring(b"rm,min\nHall,12\nHall,14\nAlcove,13\nAlcove,16\n")["id"]
    steps = [
        {"step": "describe_column", "column": "rm", "label": "Reading room"},
        {"step": "describe_column", "column": "min", "label": "Minutes read"},
    ]
    client.steps(table, steps)
    spec = {"response": "min", "groups": "rm"}
    made = client.call("POST", "/questions", 201, json={"table": table, "method": "compare_groups", "spec": spec})
    assert made["name"] == "minutes read by reading room"
    figure = client.call("POST", "/figures", 201, json={"table": table, "figure": spec})
    assert figure["name"] == "minutes read by reading room"
    client.steps(table, [*steps[:1], {"step": "describe_column", "column": "min", "label": "Time"}])
    client.call("PATCH", f"/items/{made['id']}", json={"name": "My own name"})
    again = client.call("PATCH", f"/questions/{made['id']}", json={"spec": {**spec, "alpha": 0.01}})
    assert again["name"] == "My own name"
