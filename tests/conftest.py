"""Shared: a store in a folder of its own, and a server without a network."""

import fcntl
import os
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

os.environ.setdefault("OMP_NUM_THREADS", "1")

from yavik.demo.study import make_demo
from yavik.server.app import create_app
from yavik.store import Store

KEY = os.environ["YAVIK_KEY"] = "of-the-tests"
"""The key of servers that tests start."""
BEARER = {"authorization": f"Bearer {KEY}"}


@pytest.fixture(scope="session")
def made_demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with the demo study, made once for all workers of a run. To be copied, never used itself."""
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base) / "made-demo"
    with (folder.parent / "made-demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (folder / "done").exists():
            made = Store(folder)
            make_demo(made)
            made.close()
            (folder / "done").touch()
    return folder


DRAWN: dict[str, Any] = {}


@pytest.fixture(autouse=True)
def draws_of_its_own(request: pytest.FixtureRequest) -> None:
    """A test draws the same numbers whichever tests ran before it: a module's generator starts anew for each."""
    generator = getattr(request.module, "RNG", None)
    if generator is not None:
        generator.bit_generator.state = DRAWN.setdefault(request.module.__name__, generator.bit_generator.state)


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = Store(tmp_path / "data")
    yield made
    made.close()


class Client:
    """A study over HTTP, with the few calls that tests repeat."""

    def __init__(self, http: TestClient, study: str) -> None:
        self.http, self.study = http, study

    def call(self, method: str, path: str, status: int = 200, **more: Any) -> Any:
        found = self.http.request(method, f"/api/studies/{self.study}{path}", **more)
        assert found.status_code == status, f"{method} {path}: {found.status_code} {found.text[:400]}"
        kind = found.headers.get("content-type", "")
        return found.json() if "json" in kind and found.content else found.content

    def get(self, path: str = "", **more: Any) -> Any:
        return self.call("GET", path, **more)

    def entries(self, type: str) -> list[dict[str, Any]]:
        return [e for e in self.get()["entries"] if e["type"] == type]

    def bring(self, data: bytes, name: str = "data.csv") -> dict[str, Any]:
        upload = self.call("POST", "/uploads", 201, content=data, headers={"x-filename": name})
        made = self.call(
            "POST",
            "/tables",
            202,
            json={"upload": upload["id"], "name": name, "options": upload["preview"]["options"]},
        )
        table: dict[str, Any] = made["table"]
        return table

    def steps(self, table: str, steps: list[dict[str, Any]], status: int = 200) -> Any:
        return self.call("PUT", f"/tables/{table}/steps", status, json={"steps": steps, "label": "Change the path"})

    def ask(self, table: str, method: str = "compare_groups", **spec: Any) -> dict[str, Any]:
        made = self.call("POST", "/questions", 201, json={"table": table, "method": method, "spec": spec})
        state: dict[str, Any] = self.call("POST", f"/questions/{made['id']}/answer")
        return state


@pytest.fixture
def http(tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[TestClient]:
    if "demo" in request.fixturenames:
        shutil.copytree(request.getfixturevalue("made_demo"), tmp_path / "data")
    with TestClient(create_app(tmp_path / "data", workers=1, warm=False), base_url="http://127.0.0.1") as client:
        yield client


@pytest.fixture
def client(http: TestClient) -> Client:
    return Client(http, http.post("/api/studies", json={"name": "Trial"}).json()["id"])


@pytest.fixture
def demo(http: TestClient) -> Client:
    return Client(http, next(s["id"] for s in http.get("/api/studies").json() if s["demo"]))
