"""kill -9 in the middle of an import: everything acknowledged is there, and the database is sound."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any

import numpy as np

from tests.conftest import BEARER
from yavik.store import Store


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port: int = s.getsockname()[1]
        return port


class Server:
    def __init__(self, folder: Path, limits: dict[str, float] | None = None) -> None:
        self.port = free_port()
        start = "import sys\nfrom yavik.server import limits\nfrom yavik.cli import main\n"
        start += "".join(f"limits.{name} = {value}\n" for name, value in (limits or {}).items())
        arguments = ["serve", "--data-dir", str(folder), "--port", str(self.port)]
        command = [sys.executable, "-c", f"{start}if __name__ == '__main__': sys.exit(main({arguments}))"]
        self.process = subprocess.Popen(command, start_new_session=True, stdout=subprocess.DEVNULL)
        end = time.monotonic() + 120
        while True:
            try:
                self.call("GET", "/api/studies")
                return
            except OSError:  # refused, reset or slow: not there yet
                assert time.monotonic() < end, "the server did not start"
                time.sleep(0.05)

    def call(self, method: str, path: str, data: Any = None, headers: dict[str, str] | None = None) -> Any:
        raw = data if isinstance(data, bytes) else None if data is None else json.dumps(data).encode()
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}",
            raw,
            {"content-type": "application/json", **BEARER, **(headers or {})},
            method=method,
        )
        with urllib.request.urlopen(request, timeout=120) as response:
            return json.loads(response.read() or b"null")

    def kill(self) -> None:
        os.killpg(self.process.pid, signal.SIGKILL)  # the server and its workers at once, as a power cut would
        self.process.wait()


def test_kill_in_the_middle_of_an_import(tmp_path: Path) -> None:
    server = Server(tmp_path)
    study = server.call("POST", "/api/studies", {"name": "Kept"})["id"]
    base = f"/api/studies/{study}"
    small = server.call("POST", f"{base}/uploads", b"g,y\na,1\na,2\nb,5\nb,7\n", {"x-filename": "small.csv"})
    table = server.call(
        "POST", f"{base}/tables", {"upload": small["id"], "name": "Small", "options": small["preview"]["options"]}
    )["table"]
    question = server.call(
        "POST",
        f"{base}/questions",
        {"table": table["id"], "method": "compare_groups", "spec": {"response": "y", "groups": "g"}},
    )
    server.call("POST", f"{base}/questions/{question['id']}/answer")
    values = np.random.default_rng(0).normal(50, 9, 250_000).round(2)
    data = b"a,b,c\n" + "\n".join(f"{v},{v},x{i % 7}" for i, v in enumerate(values)).encode()
    large = server.call("POST", f"{base}/uploads", data, {"x-filename": "large.csv"})
    job = server.call(
        "POST", f"{base}/tables", {"upload": large["id"], "name": "Large", "options": large["preview"]["options"]}
    )["job"]
    end = time.monotonic() + 120
    while server.call("GET", f"/api/studies/{job['study_id']}/jobs/{job['id']}")["part"] == 0:
        assert time.monotonic() < end
    server.kill()

    store = Store(tmp_path)
    assert store.sound()
    store.close()
    again = Server(tmp_path)
    try:
        contents = again.call("GET", base)
        assert [e["name"] for e in contents["entries"]] == ["Small", "y by g"]
        state = again.call("GET", f"{base}/questions/{question['id']}")
        assert state["answer"]["facts"]["n"] == 4 and not state["out_of_date"]
        # The large file was acknowledged too: the table can be made from it now.
        job = again.call(
            "POST", f"{base}/tables", {"upload": large["id"], "name": "Large", "options": large["preview"]["options"]}
        )["job"]
        while again.call("GET", f"/api/studies/{job['study_id']}/jobs/{job['id']}")["state"] in (
            "waiting",
            "running",
        ):
            time.sleep(0.05)
        done = again.call(
            "PUT",
            f"{base}/tables/finish",
            {"upload": large["id"], "name": "Large", "options": large["preview"]["options"]},
        )
        assert done["table"]["rows"] == 250_000
    finally:
        again.kill()
