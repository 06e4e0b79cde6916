"""Nobody else of this computer comes in, nothing else takes the folder, and what is wrong with it is said."""

import http.client
import os
import signal
import socket
import sqlite3
import stat
import subprocess
import time
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.conftest import BEARER, Client
from tests.server.test_crash import Server
from yavik.cli import main
from yavik.server import limits
from yavik.server.app import STATIC, create_app
from yavik.server.key import key_of_folder
from yavik.store import Store
from yavik.store.folder import Hold
from yavik.store.troubles import DAMAGED, FULL, FolderTrouble


@pytest.fixture
def keyed(tmp_path: Path) -> Any:
    app = create_app(tmp_path / "data", workers=0, warm=False, key="the-key")
    with TestClient(app, base_url="http://127.0.0.1", follow_redirects=False) as made:
        yield made


def test_nothing_answers_without_the_key(keyed: TestClient) -> None:
    for path in ("/", "/api/studies", "/openapi.json", "/assets/x.js", "/api/studies?key=", "/api/studies?key=other"):
        assert keyed.get(path).status_code == 401, path
    assert keyed.post("/api/studies", json={"name": "x"}).status_code == 401
    assert keyed.get("/api/studies", headers={"cookie": "yavik-80=other"}).status_code == 401
    assert keyed.get("/api/studies", headers={"authorization": "Bearer thekey"}).status_code == 401
    assert keyed.get("/api/studies", headers={"authorization": "Bearer the-key"}).json() == []


def test_the_address_of_the_start_is_kept_in_a_cookie(keyed: TestClient) -> None:
    found = keyed.get("/s/abc?key=the-key&view=rows")
    assert found.status_code == 303 and found.headers["location"] == "/s/abc?view=rows"
    kept = found.headers["set-cookie"]
    assert "HttpOnly" in kept and "SameSite=lax" in kept and found.headers["cache-control"] == "no-store"
    assert keyed.get("/api/studies").json() == []
    keyed.cookies.clear()
    assert keyed.get("http://127.0.0.1//evil.test/?key=the-key").headers["location"].startswith("/evil.test")


def test_the_key_and_the_data_are_their_owners_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("YAVIK_KEY")
    folder = tmp_path / "data"
    folder.mkdir(mode=0o755)
    (folder / "archives.json").write_text("[]")
    (folder / "archives.json").chmod(0o644)
    store = Store(folder)
    store.items.new_study("S")
    assert key_of_folder(folder) == key_of_folder(folder) and len(key_of_folder(folder)) >= 32
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    assert {p.name: stat.S_IMODE(p.stat().st_mode) & 0o077 for p in folder.iterdir()} == dict.fromkeys(
        (p.name for p in folder.iterdir()), 0
    )
    store.close()


@pytest.mark.parametrize("name", ["a?b", "100% mine", "a#b", "my data & more", "ä ö"])
def test_a_folder_may_have_any_name(tmp_path: Path, name: str) -> None:
    store = Store(tmp_path / name)
    store.items.new_study("Here")
    store.close()
    assert sorted(p.name for p in tmp_path.iterdir()) == [name]
    again = Store(tmp_path / name)
    assert [s.name for s in again.items.studies()] == ["Here"]
    again.close()


def test_a_second_server_is_told_where_the_first_is(tmp_path: Path, capsys: Any) -> None:
    hold = Hold(tmp_path / "data", "http://127.0.0.1:8737/?key=k")
    assert main(["serve", "--data-dir", str(tmp_path / "data"), "--port", "8990"]) == 1
    assert "It is at http://127.0.0.1:8737/?key=k" in capsys.readouterr().err
    hold.release()
    Hold(tmp_path / "data", "x").release()


def test_a_newer_database_is_left_alone(tmp_path: Path, capsys: Any) -> None:
    Store(tmp_path).close()
    with closing(sqlite3.connect(tmp_path / "yavik.sqlite")) as db:
        db.execute("update alembic_version set version_num = '9999'")
        db.commit()
    assert main(["serve", "--data-dir", str(tmp_path), "--port", "8991"]) == 1
    assert "written by a newer Yavik" in capsys.readouterr().err


@pytest.mark.parametrize("bytes_", [b"not a database at all" * 100, os.urandom(40_000)])
def test_a_damaged_database_is_said(tmp_path: Path, bytes_: bytes, capsys: Any) -> None:
    (tmp_path / "yavik.sqlite").write_bytes(bytes_)
    assert main(["serve", "--data-dir", str(tmp_path), "--port", "8992"]) == 1
    said = capsys.readouterr().err
    assert DAMAGED in said and "Traceback" not in said
    assert (tmp_path / "yavik.sqlite").read_bytes() == bytes_


def test_a_file_for_a_folder_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("x")
    with pytest.raises(FolderTrouble, match="is a file"):
        Store(tmp_path / "file")


def test_a_full_disk_is_said_and_nothing_is_lost(http: TestClient, client: Client) -> None:
    store: Store = http.app.state.store  # type: ignore[attr-defined]
    made = client.call("POST", "/reports", 201, json={"name": "Kept", "template": "empty"})
    with store.engine.connect() as connection:
        pages = connection.exec_driver_sql("PRAGMA page_count").scalar()
    from sqlalchemy import event

    def full(connection: sqlite3.Connection, *_: Any) -> None:
        connection.execute(f"PRAGMA max_page_count={pages}")

    store.engine.dispose()
    event.listen(store.engine, "connect", full)
    text = {"type": "paragraph", "content": [{"type": "text", "text": "word " * 40_000}]}
    told = client.call("PUT", f"/reports/{made['id']}", 507, json={"doc": {"type": "doc", "content": [text]}})
    assert told["detail"] == FULL
    assert client.get(f"/reports/{made['id']}")["revision"] == made["revision"]


def test_mistakes_of_ours_are_not_told_as_deleted(http: TestClient, client: Client, monkeypatch: Any) -> None:
    from yavik.server.routes import studies

    def broken(*_: Any) -> None:
        raise KeyError("field")

    monkeypatch.setattr(studies, "contents_sent", broken)
    quiet = TestClient(http.app, base_url="http://127.0.0.1", raise_server_exceptions=False)
    told = quiet.get(f"/api/studies/{client.study}")
    assert told.status_code == 500 and "log has the details" in told.json()["detail"]
    assert told.headers["content-type"] == "application/problem+json"


def test_files_that_are_named_by_their_hash_are_kept_by_browsers_and_the_page_is_not(http: TestClient) -> None:
    name = next((STATIC / "assets").glob("*.js")).name
    assert http.get(f"/assets/{name}").headers["cache-control"].endswith("immutable")
    assert http.get("/").headers["cache-control"] == "no-cache"


def test_a_text_without_measure_is_refused(http: TestClient, client: Client) -> None:
    large = b'{"doc": {"type": "doc", "text": "' + b"x" * (limits.MOST_BODY + 10) + b'"}}'
    client.call("PUT", "/reports/x", 413, content=large, headers={"content-type": "application/json"})

    def pieces() -> Any:
        yield from (large[i : i + (1 << 20)] for i in range(0, len(large), 1 << 20))

    client.call("PUT", "/reports/x", 413, content=pieces(), headers={"content-type": "application/json"})


def test_half_requests_do_not_stop_the_service(tmp_path: Path) -> None:
    server = Server(tmp_path, {"HEAD_SECONDS": 1.0, "CONNECTIONS": 60})
    held = []
    try:
        for _ in range(80):
            s = socket.create_connection(("127.0.0.1", server.port), timeout=30)
            s.sendall(b"GET /api/studies HTTP/1.1\r\nHost: 127.0.0.1\r\n")
            held.append(s)
        end = time.monotonic() + 30
        while True:  # the places of those that do not go on are given to others
            try:
                assert server.call("GET", "/api/studies") == []
                break
            except OSError:
                assert time.monotonic() < end
                time.sleep(0.1)
        held[0].settimeout(20)
        assert held[0].recv(10) == b""
    finally:
        for s in held:
            s.close()
        server.kill()


def test_workers_end_with_their_server_however_it_ends(tmp_path: Path) -> None:
    server = Server(tmp_path)
    workers = children(server.process.pid)
    assert workers
    os.kill(server.process.pid, signal.SIGKILL)
    server.process.wait()
    end = time.monotonic() + 20
    while alive := [p for p in workers if Path(f"/proc/{p}").exists() and state(p) != "Z"]:
        assert time.monotonic() < end, alive
        time.sleep(0.1)
    with closing(http.client.HTTPConnection("127.0.0.1", server.port, timeout=2)) as gone, pytest.raises(OSError):
        gone.request("GET", "/", headers=BEARER)


def children(pid: int) -> list[int]:
    found = subprocess.run(["pgrep", "-P", str(pid)], capture_output=True, text=True, check=False).stdout
    return [int(x) for x in found.split()]


def state(pid: int) -> str:
    return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
