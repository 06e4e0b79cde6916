"""Everything is reached through its study: with another study's ids, no route gives, changes or takes anything."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.store import Store

ROWS = b"room,minutes\nHall,12\nAlcove,14.5\nHall,13\nAlcove,16\nHall,11\nAlcove,15\n"
STEP = {"step": "compute", "name": "x", "expression": "minutes * 2"}


@pytest.fixture
def theirs(http: TestClient, client: Client) -> dict[str, Any]:
    """Ids of everything that a full study has; ``client`` is in another one."""
    other = Client(http, http.post("/api/studies", json={"name": "Theirs"}).json()["id"])
    upload = other.call("POST", "/uploads", 201, content=ROWS, headers={"x-filename": "a.csv"})
    options = upload["preview"]["options"]
    made = other.call("POST", "/tables", 202, json={"upload": upload["id"], "name": "T", "options": options})
    table = made["table"]["id"]
    question = other.ask(table, "linear", response="minutes", terms=["room"])
    figure = {"response": "minutes", "groups": "room"}
    report = other.call("POST", "/reports/add", 201, json={"kind": "answer", "ref": question["id"]})["id"]
    return {
        "study": other,
        "upload_id": upload["id"],
        "options": options,
        "table_id": table,
        "question": question["id"],
        "figure": other.call("POST", "/figures", 201, json={"table": table, "figure": figure})["id"],
        "report": report,
        "change_id": other.get("/changes")[0]["id"],
        "round_id": question["trail"][0]["id"],
        "saving": other.call("POST", f"/reports/{report}/files/md", 202)["id"],
    }


def bodies(t: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """What a request would send, by the end of its route."""
    table = {"upload": t["upload_id"], "name": "T", "options": t["options"]}
    return {
        "/moment": {"name": "m"},
        "/items/{item_id}": {"name": "n"},
        "/preview": t["options"],
        "POST /tables": table,
        "/tables/finish": table,
        "/derived": {"name": "d", "steps": [STEP]},
        "/steps": {"steps": [STEP], "label": "l"},
        "/try": {"step": STEP, "at": 0},
        "POST /paths": {"name": "p", "table": t["table_id"]},
        "/try-path": {"steps": [STEP]},
        "POST /questions": {"table": t["table_id"], "method": "linear"},
        "PATCH /questions/{item_id}": {"spec": {"response": "minutes"}},
        "PATCH /questions/{item_id}/trail/{round_id}": {"name": "m"},
        "POST /figures": {"table": t["table_id"], "figure": {"response": "minutes"}},
        "PATCH /figures/{item_id}": {"table": t["table_id"]},
        "PUT /reports/{item_id}": {"doc": {"type": "doc", "content": []}},
        "/reports/add": {"kind": "answer", "ref": t["question"]},
    }


OF_THE_STUDY = {
    *("", "/restore", "/duplicate", "/undo", "/redo", "/changes", "/renew", "/uploads", "/pack", "/jobs", "/paths"),
    "/statements",
    *("/figures/style", "/reports/templates", "POST /reports", "/archives/{name}/files/{file_id}"),
}
"""Routes that name nothing inside the study."""


def test_no_route_reaches_into_another_study(http: TestClient, client: Client, theirs: dict[str, Any]) -> None:
    other: Client = theirs["study"]
    before = other.get(), other.get("/changes")
    sent, known, tried = bodies(theirs), {}, 0
    for path, methods in http.get("/openapi.json").json()["paths"].items():
        if not path.startswith("/api/studies/{study_id}"):
            continue
        for method in (m.upper() for m in methods):
            end = path.removeprefix("/api/studies/{study_id}")
            names = [n for n in sent if f"{method} {end}" == n or (n.startswith("/") and end.endswith(n))]
            if not names and (end in OF_THE_STUDY or f"{method} {end}" in OF_THE_STUDY):
                continue
            item = next((theirs[k] for k in ("question", "figure", "report") if f"/{k}s" in end), theirs["table_id"])
            known = {**theirs, "item_id": item, "job_id": "0" * 12, "kind": "md" if "report" in end else "svg"}
            where = end.format(**{k: v for k, v in known.items() if isinstance(v, str | int)})
            query = {"what": "empty", "at": 0, "other": theirs["table_id"], "names": "room", "format": "csv"}
            body = {"json": sent[names[0]]} if names else {}
            found = http.request(method, f"/api/studies/{client.study}{where}", params=query, **body)
            assert found.status_code == 404, (method, path, found.status_code, found.text[:200])
            assert "Traceback" not in found.text and "minutes" not in found.text
            tried += 1
    assert tried > 40
    assert (other.get(), other.get("/changes")) == before


def test_a_table_of_another_study_is_none(http: TestClient, client: Client, theirs: dict[str, Any]) -> None:
    """Neither a step nor a kept description that names it by its id comes to its rows."""
    mine = client.bring(ROWS)["id"]
    state = client.steps(mine, [{"step": "append", "table": theirs["table_id"]}])["table"]
    assert state["rows"] == 6 and state["effects"][0]["problem"]
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    body = {"link": theirs["table_id"], "steps": []}
    taken = store.items.add(client.study, "table", "taken", body, "as a damaged file would bring it")
    client.call("GET", f"/tables/{taken.id}", 404)
    assert next(e["line"] for e in client.entries("table") if e["id"] == taken.id) == "cannot be read"


def test_jobs_are_their_studys(http: TestClient, client: Client, theirs: dict[str, Any]) -> None:
    from yavik.engine import Job

    engine = http.app.state.engine  # type: ignore[attr-defined]
    job = Job("Long work", None, theirs["study"].study)
    engine.jobs[job.id] = job
    assert [j["id"] for j in theirs["study"].get("/jobs")] == [job.id] and client.get("/jobs") == []
    for method, end in (("GET", ""), ("DELETE", ""), ("GET", "/events")):
        client.call(method, f"/jobs/{job.id}{end}", 404)
    assert not job.stop_asked


def test_a_copy_of_a_study_has_its_files(http: TestClient, theirs: dict[str, Any]) -> None:
    copy = Client(http, theirs["study"].call("POST", "/duplicate", 201)["id"])
    assert copy.get(f"/uploads/{theirs['upload_id']}/original") == ROWS
    assert len(copy.get("/pack")) > 500
