"""Long work over HTTP: jobs, their events, stopping, and large tables."""

import itertools
import json
import time
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.engine import jobs
from yavik.server import figures_view


def large(rows: int = 120_000) -> bytes:
    rng = np.random.default_rng(6)
    y = rng.normal(50, 9, rows).round(2)
    return b"room,y,z,w,v\n" + "\n".join(f"r{i % 4},{v},{v},{v},{v}" for i, v in enumerate(y)).encode()


def finished(http: TestClient, job: dict[str, Any]) -> dict[str, Any]:
    end = time.monotonic() + 180
    while True:
        found: dict[str, Any] = http.get(f"/api/studies/{job['study_id']}/jobs/{job['id']}").json()
        if found["state"] not in ("waiting", "running"):
            return found
        assert time.monotonic() < end
        time.sleep(0.02)  # what is waited for needs the processor
        time.sleep(0.02)


@pytest.fixture
def brought(client: Client) -> dict[str, Any]:
    upload = client.call("POST", "/uploads", 201, content=large(), headers={"x-filename": "large.csv"})
    body = {"upload": upload["id"], "name": "Large", "options": upload["preview"]["options"]}
    assert upload["preview"]["whole"] is False
    job = client.call("POST", "/tables", 202, json=body)["job"]
    assert finished(client.http, job)["state"] == "done"
    table: dict[str, Any] = client.call("PUT", "/tables/finish", 201, json=body)["table"]
    return table


def test_a_large_file_is_a_job(brought: dict[str, Any]) -> None:
    assert brought["rows"] == 120_000


def test_quick_work_of_a_worker_comes_with_the_request(
    client: Client, brought: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "SOON", 60.0)
    spec = {"response": "y", "groups": "room"}
    made = client.call(
        "POST", "/questions", 201, json={"table": brought["id"], "method": "compare_groups", "spec": spec}
    )
    state = client.call("POST", f"/questions/{made['id']}/answer")
    assert state["job"] is None and state["answer"]["headline"] and not state["out_of_date"]


def test_events_tell_until_the_end(client: Client, brought: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(jobs, "SOON", 0.0)
    made = client.call(
        "POST",
        "/questions",
        201,
        json={"table": brought["id"], "method": "compare_groups", "spec": {"response": "y", "groups": "room"}},
    )
    state = client.call("POST", f"/questions/{made['id']}/answer")
    assert state["answer"] is None and state["job"]["title"] == "y by room"
    with client.http.stream(
        "GET", f"/api/studies/{state['job']['study_id']}/jobs/{state['job']['id']}/events"
    ) as stream:
        told = [json.loads(line.removeprefix("data: ")) for line in stream.iter_lines() if line]
    assert told[-1]["state"] == "done" and told[-1]["part"] == 1
    assert all(a["part"] <= b["part"] for a, b in itertools.pairwise(told))
    again = client.get(f"/questions/{made['id']}")
    assert again["answer"]["facts"]["n"] == 120_000 and not again["out_of_date"]
    # Asked once more, the kept answer comes in the request.
    assert client.call("POST", f"/questions/{made['id']}/answer")["job"] is None


def test_a_step_on_a_large_table_is_a_job(client: Client, brought: dict[str, Any]) -> None:
    steps = [{"step": "keep_rows", "where": "y > 50"}]
    state = client.steps(brought["id"], steps)
    assert state["table"] is None
    assert client.entries("table")[0]["line"] in ("being prepared", client.entries("table")[0]["line"])
    assert finished(client.http, state["job"])["state"] == "done"
    table = client.get(f"/tables/{brought['id']}")["table"]
    assert 0 < table["rows"] < 120_000
    assert table["effects"][0]["said"].startswith("120 000 → ")


def test_trying_a_step_on_a_large_table_says_on_how_much(client: Client, brought: dict[str, Any]) -> None:
    tried = client.call(
        "POST",
        f"/tables/{brought['id']}/try",
        json={"step": {"step": "compute", "name": "half", "expression": "y / 2"}, "at": 0},
    )
    assert tried["columns"][:2] == ["half", "y"]
    assert tried["note"] is None or tried["note"].startswith("Tried on the first")


def test_a_problem_in_a_job_is_told(client: Client, brought: dict[str, Any]) -> None:
    made = client.call(
        "POST",
        "/questions",
        201,
        json={
            "table": brought["id"],
            "method": "compare_groups",
            "spec": {"response": "y", "groups": "room", "where": "y > 1000"},
        },
    )
    job = finished(client.http, client.call("POST", f"/questions/{made['id']}/answer")["job"])
    assert job["state"] == "problem" and job["problem"]["message"] == "No row has y > 1000."


def test_stopping(client: Client) -> None:
    upload = client.call("POST", "/uploads", 201, content=large(1_200_000), headers={"x-filename": "large.csv"})
    body = {"upload": upload["id"], "name": "Large", "options": upload["preview"]["options"]}
    job = client.call("POST", "/tables", 202, json=body)["job"]
    client.http.delete(f"/api/studies/{job['study_id']}/jobs/{job['id']}")
    assert finished(client.http, job)["state"] == "stopped"
    assert client.call("PUT", "/tables/finish", 422, json=body)["detail"] == "The file has not been read yet."
    assert client.entries("table") == []


def test_jobs_that_are_not_there(http: TestClient, client: Client) -> None:
    assert http.get(f"/api/studies/{client.study}/jobs/nothing").status_code == 404
    assert http.get(f"/api/studies/{client.study}/jobs").json() == []


def test_a_figure_of_a_large_table_sends_few_points(client: Client, brought: dict[str, Any]) -> None:
    figure = client.call(
        "POST", "/figures", 201, json={"table": brought["id"], "figure": {"response": "y", "groups": "room"}}
    )
    assert len(json.dumps(figure["drawing"])) < 500_000
    assert "Points are a random 2000 of 120\u2009000 values" in "".join(s["t"] for s in figure["drawing"]["caption"])


@pytest.mark.parametrize("soon", [0.0, 60.0])
def test_a_drawing_of_a_worker_comes_with_the_request_where_it_is_quick(
    client: Client, brought: dict[str, Any], monkeypatch: pytest.MonkeyPatch, soon: float
) -> None:
    monkeypatch.setattr(jobs, "SOON", soon)
    monkeypatch.setattr(figures_view, "LARGE_CELLS", 1000)
    described = {"response": "y", "groups": "room"}
    figure = client.call("POST", "/figures", 201, json={"table": brought["id"], "figure": described})
    assert (figure["job"] is None) == (figure["drawing"] is not None) == (soon > 0)
    if figure["job"]:
        assert finished(client.http, figure["job"])["state"] == "done"
    assert client.get(f"/figures/{figure['id']}")["drawing"] is not None
