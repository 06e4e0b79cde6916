"""Only this computer, only our own page, nothing too large; and the contract is the one the client was made from."""

import json
import shutil
import subprocess
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.server.app import create_app
from yavik.store import files

ROOT = Path(__file__).resolve().parents[2]


@pytest.mark.parametrize(
    "host", ["evil.example", "127.0.0.1.evil.example", "192.168.1.4:8737", "", "localhost.evil:80"]
)
def test_other_hosts_are_refused(http: TestClient, host: str) -> None:
    assert http.get("/api/studies", headers={"host": host}).status_code == 403


@pytest.mark.parametrize("host", ["127.0.0.1:8737", "localhost", "localhost:5173", "[::1]:8737"])
def test_our_own_hosts_are_not(http: TestClient, host: str) -> None:
    assert http.get("/api/studies", headers={"host": host, "origin": f"http://{host}"}).status_code == 200


@pytest.mark.parametrize(
    "headers",
    [
        {"origin": "https://evil.example"},
        {"origin": "null"},
        {"origin": "http://127.0.0.1:9999"},
        {"sec-fetch-site": "cross-site"},
    ],
)
def test_other_pages_are_refused(http: TestClient, headers: dict[str, str]) -> None:
    assert http.post("/api/studies", json={"name": "x"}, headers=headers).status_code == 403
    assert http.get("/api/studies").json() == []


def test_policy_allows_no_foreign_script(http: TestClient) -> None:
    policy = http.get("/api/studies").headers["content-security-policy"]
    assert "script-src 'self'" in policy and "unsafe-eval" not in policy


def test_uploads_have_a_limit(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "MOST_BYTES", 1000)
    problem = client.call("POST", "/uploads", 413, content=b"a,b\n" + b"1,2\n" * 500, headers={"x-filename": "x.csv"})
    assert problem["title"] == "Too large"


def test_no_way_out_of_the_static_folder(http: TestClient) -> None:
    for path in ("/../app.py", "/%2e%2e/app.py", "/assets/../../app.py", "//etc/passwd"):
        assert "def create_app" not in http.get(path).text
        assert "root:" not in http.get(path).text


def test_another_studys_items_are_not_reached(http: TestClient, client: Client) -> None:
    table = client.bring(b"a,b\n1,2\n3,4\n")
    other = http.post("/api/studies", json={"name": "Other"}).json()["id"]
    assert http.get(f"/api/studies/{other}/tables/{table['id']}").status_code == 404


def test_the_contract_is_not_stale(tmp_path: Path) -> None:
    """Run `make client` when this fails."""
    present = json.loads((ROOT / "docs/openapi.json").read_text(encoding="utf-8"))
    assert create_app(tmp_path).openapi() == present


@pytest.mark.skipif(shutil.which("npx") is None, reason="needs Node")
def test_the_typescript_client_is_not_stale(tmp_path: Path) -> None:
    made = tmp_path / "schema.ts"
    command = ["npx", "openapi-typescript", str(ROOT / "docs/openapi.json"), "-o", str(made), "--alphabetize"]
    subprocess.run(command, cwd=ROOT / "ui", check=True, capture_output=True)
    assert made.read_text() == (ROOT / "ui/src/client/schema.gen.ts").read_text()
