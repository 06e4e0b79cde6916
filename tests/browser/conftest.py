"""A real server with the demo study, and headless Chromium."""

import json
import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from tests.conftest import BEARER, KEY
from yavik.demo.study import DEMO_NAME

ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = Path(__file__).resolve().parents[2] / "ui/node_modules/axe-core/axe.min.js"

expect.set_options(timeout=30_000)  # a busy machine is no failure


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if "tests/browser" in str(item.fspath):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory, made_demo: Path) -> Iterator[str]:
    """One server for all tests of a worker: each test has a study of its own in it."""
    folder = tmp_path_factory.mktemp("server") / "data"
    shutil.copytree(made_demo, folder)
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    command = [sys.executable, "-m", "yavik.cli", "demo", "--data-dir", str(folder), "--port", str(port)]
    process = subprocess.Popen(command, env={**os.environ, "OMP_NUM_THREADS": "1"}, stdout=subprocess.DEVNULL)
    where = f"http://127.0.0.1:{port}"
    end = time.monotonic() + 180
    while True:
        try:
            urllib.request.urlopen(urllib.request.Request(f"{where}/api/studies", headers=BEARER), timeout=5).read()
            break
        except OSError:  # refused, reset or slow: not there yet
            assert time.monotonic() < end, "the server did not start"
            time.sleep(0.1)
    yield where
    process.terminate()
    process.wait(60)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as p:
        made = p.chromium.launch(executable_path="/usr/bin/chromium", headless=True, args=ARGS)
        yield made
        made.close()


def cookie(address: str) -> Any:
    """What the start-up address leaves in a browser."""
    return {"name": f"yavik-{address.rsplit(':', 1)[1]}", "value": KEY, "url": address}


@pytest.fixture(scope="session")
def context(browser: Browser, address: str) -> BrowserContext:
    """One for all tests of a worker, as fetching and compiling the scripts anew takes longer than most tests."""
    made = browser.new_context(
        reduced_motion="reduce",
        viewport={"width": 1280, "height": 800},
        base_url=address,
        permissions=["clipboard-read", "clipboard-write"],
        accept_downloads=True,
    )
    made.add_cookies([cookie(address)])
    return made


@pytest.fixture
def blank(context: BrowserContext, address: str, pristine: str) -> Iterator[Page]:
    """A page of a browser that remembers nothing; it fails the test on an error in its console or script, before it
    goes anywhere."""
    made = context.new_page()
    kept = {"origin": address, "storageTypes": "local_storage"}
    context.new_cdp_session(made).send("Storage.clearDataForOrigin", kept)
    troubles: list[str] = []
    made.on("pageerror", lambda e: troubles.append(str(e)))
    made.on(
        "console",
        lambda m: (
            troubles.append(m.text)
            if m.type == "error" and not any(s in m.text for s in ("404", "409", "422"))
            else None
        ),
    )
    yield made
    for page in context.pages:
        page.close()
    assert troubles == []


@pytest.fixture
def page(blank: Page) -> Page:
    """The page of all studies."""
    blank.goto("/")
    return blank


def asked(address: str, method: str, path: str, body: Any = None) -> bytes:
    """A request with a connection of its own: one that is kept may be closed by the server as the next is sent."""
    sent = body if body is None or isinstance(body, bytes) else json.dumps(body).encode()
    headers = {**BEARER, "origin": address, "content-type": "application/json", "x-filename": "x.csv"}
    request = urllib.request.Request(f"{address}{path}", sent, headers, method=method)
    with urllib.request.urlopen(request, timeout=60) as response:
        return bytes(response.read())


def ask(address: str, method: str, path: str, body: Any = None) -> Any:
    return json.loads(asked(address, method, path, body))


def answered(page: Page, method: str, path: str, body: Any = None) -> bytes:
    """What the server of a page answers to a request beside it; `path` may be the whole address."""
    address = "/".join(page.url.split("/")[:3])
    return asked(address, method, path.removeprefix(address), body)


def call(page: Page, method: str, path: str, body: Any = None) -> Any:
    return json.loads(answered(page, method, path, body))


@pytest.fixture(scope="session")
def pristine(address: str) -> str:
    """The demo study that the server began with: it is copied, and never changed."""
    return str(next(s["id"] for s in ask(address, "GET", "/api/studies") if s["demo"]))


@pytest.fixture
def demo(blank: Page, pristine: str, address: str) -> Page:
    """A copy of the demo study, opened, so that tests do not see each other's changes."""
    made = ask(address, "POST", f"/api/studies/{pristine}/duplicate")
    ask(address, "PATCH", f"/api/studies/{made['id']}", {"name": DEMO_NAME})
    blank.goto(f"/s/{made['id']}")
    blank.get_by_role("heading", name="What it says so far").wait_for()
    return blank
