"""Every kind of option of every method through the same calls that the interface makes."""

from typing import Any

import pytest

from tests.conftest import Client
from tests.core.test_options import CASES, values_of
from tests.server.test_jobs import finished
from tests.tables import square_csv
from yavik.core.methods import methods
from yavik.core.methods.registry import parse_spec

SHARES = 6
"""Parts of the methods, for several workers."""
METHODS = sorted({method for method, *_ in CASES})


def test_every_method_has_options_to_be_tried() -> None:
    assert set(METHODS) == set(methods())


def values_tried(method: str, options: dict[str, list[Any]]) -> dict[str, Any]:
    return {option: (given or values_of(method, option))[-1] for option, given in options.items()}


def kinds_of_options(method: str, options: dict[str, list[Any]]) -> dict[str, Any]:
    """An option of each kind (a choice, a number, a list) with a value: what they answer is tried in the core."""
    return {type(value).__name__: (option, value) for option, value in values_tried(method, options).items()}


@pytest.mark.parametrize("share", range(SHARES))
def test_every_kind_of_option_over_http(demo: Client, share: int) -> None:
    """Kept and answered in one request: an answer to the spec that was asked, or a sentence."""
    tables = {e["name"]: e["id"] for e in demo.entries("table")}
    tables["Square"] = demo.bring(square_csv())["id"]
    wanted, answered = METHODS[share::SHARES], set()
    for method, table, spec, options in CASES:
        if method not in wanted:
            continue
        made = demo.call("POST", "/questions", 201, json={"table": tables[table], "method": method, "spec": spec})
        path = f"/questions/{made['id']}"
        tried = values_tried(method, options)  # every option is kept as it was asked, also where they do not fit
        kept = demo.call("PATCH", path, json={"spec": {**spec, **tried}})
        assert {option: kept["spec"][option] for option in tried} == tried, method
        for option, value in kinds_of_options(method, options).values():
            asked = {**spec, option: value}
            state = demo.call("PATCH", f"{path}?answer=true", json={"spec": asked})
            if state["job"]:  # larger tables are answered by a worker
                ended = finished(demo.http, state["job"])
                assert ended["state"] in ("done", "problem"), (method, option, ended)
                state = {**demo.call("GET", path), "problem": ended["problem"]}
            if state["problem"]:
                assert len(state["problem"]["message"]) > 20
                continue
            whole = parse_spec(method, asked).model_dump(mode="json")  # with what was left unsaid
            assert state["answer"]["spec"][option] == whole[option] and state["answer"]["method"] == method
            answered.add(method)
    assert answered == set(wanted)


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
