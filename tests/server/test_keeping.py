"""The server looks after its folder by itself, and does so when it is told to."""

import time
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from tests.conftest import Client
from tests.server.test_crash import Server
from yavik.cli import main
from yavik.engine import Job
from yavik.server.keeping import MARK, Keeper
from yavik.store import Store

ROWS = b"room,minutes\nHall,12\nAlcove,14.5\nHall,13\nAlcove,16\nHall,11\nAlcove,15\n"


def test_once_a_day_and_never_under_work(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    engine = http.app.state.engine  # type: ignore[attr-defined]
    job = Job("Long work", None, client.study)
    engine.jobs[job.id] = job
    keeper = Keeper(store, engine, first=0.01, between=0.05)
    keeper.start()
    end = time.monotonic() + 20
    while not list((store.folder / "backups").glob("*.sqlite")):
        assert time.monotonic() < end
        time.sleep(0.02)
    assert not (store.folder / MARK).exists()
    del engine.jobs[job.id]
    while not (store.folder / MARK).exists():
        assert time.monotonic() < end
        time.sleep(0.02)
    keeper.close()


def test_tidying_while_the_study_is_open_loses_nothing(http: TestClient, client: Client) -> None:
    table = client.bring(ROWS)["id"]
    state = client.ask(table, response="minutes", groups="room")
    client.steps(table, [{"step": "compute", "name": "x", "expression": "minutes * 2"}])
    client.steps(table, [])
    assert "Thrown away" in http.post("/api/tidy").json()["said"]
    assert client.get(f"/questions/{state['id']}")["answer"]["facts"] == state["answer"]["facts"]
    client.call("POST", "/undo")
    assert client.get(f"/tables/{table}")["table"]["columns"][-1]["name"] == "x"


def test_the_command_has_the_running_server_do_it(tmp_path: Path, capsys: Any) -> None:
    server = Server(tmp_path)
    try:
        assert main(["tidy", "--data-dir", str(tmp_path)]) == 0
        assert "The database:" in capsys.readouterr().out
    finally:
        server.kill()
    assert main(["tidy", "--data-dir", str(tmp_path)]) == 0
