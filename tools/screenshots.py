"""Current pictures of the main views, made from the demo study into docs/screenshots/."""

import json
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Page, sync_playwright

OUT = Path(__file__).resolve().parents[1] / "docs/screenshots"
ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
PORT = 8790
BASE = f"http://127.0.0.1:{PORT}"
KEY = os.environ["YAVIK_KEY"] = "of-the-pictures"
BEARER = {"authorization": f"Bearer {KEY}"}


def get(path: str) -> Any:
    for _ in range(300):
        try:
            with urllib.request.urlopen(urllib.request.Request(BASE + path, headers=BEARER), timeout=5) as response:
                return json.loads(response.read())
        except OSError:
            time.sleep(0.1)
    raise TimeoutError(path)


def shoot(browser: Browser, name: str, path: str, *, dark: bool = False, act: Any = None) -> None:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800},
        color_scheme="dark" if dark else "light",
        extra_http_headers=BEARER,
    )
    page: Page = context.new_page()
    page.goto(BASE + path)
    page.wait_for_load_state("networkidle")
    if act:
        act(page)
        page.wait_for_load_state("networkidle")
    page.wait_for_function("[...document.querySelectorAll('[role=img]')].every(e => e.querySelector('svg'))")
    page.wait_for_timeout(400)  # fonts and figures settle; a picture, not a test
    page.screenshot(path=OUT / f"{name}.png")
    context.close()


def new_step(page: Page) -> None:
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.get_by_label("Find a step").fill("compute")
    page.locator('[data-step-kind="compute"]').click()
    page.get_by_label("Name of the new column").fill("pace")
    page.get_by_label("Expression").fill("pages / minutes")
    page.get_by_role("cell").first.wait_for()


def step_list(page: Page) -> None:
    page.get_by_role("button", name="Add a step", exact=True).click()
    page.locator("[data-step-kind]").first.wait_for()


def chip(page: Page) -> None:
    page.locator('[data-term="minutes"]').click()
    page.get_by_role("dialog").wait_for()


def by_room(page: Page) -> None:
    page.get_by_label("For each level of").select_option("room")
    page.get_by_text("Mean ± SD").first.wait_for()


def paste(page: Page) -> None:
    rows = [
        f"{t}\t{40 + i * 7 % 13},5\t{i % 28 + 1:02d}.11.2025\t{'closed' if i == 9 else 12 + i * 5 % 9}"
        for i, t in enumerate(["Corrin", "Hollin", "Isbury", "Garrow"] * 6)
    ]
    page.get_by_label("Or paste cells").fill("town\tminutes\tday\tvisits\n" + "\n".join(rows))
    page.get_by_role("button", name="Use the pasted cells").click()
    page.get_by_role("button", name="Make the table").wait_for()


def choose(page: Page) -> None:
    for name in ("room", "minutes"):
        page.get_by_role("checkbox", name=name).check()
    page.get_by_text("Fits best").wait_for()


def all_of_them(browser: Browser) -> None:
    study = get("/api/studies")[0]["id"]
    entries = get(f"/api/studies/{study}")["entries"]
    first = {}
    for e in entries:
        first.setdefault(e["type"], e["id"])
    s = f"/s/{study}"
    shoot(browser, "studies", "/")
    shoot(browser, "overview", s)
    shoot(browser, "bring", f"{s}/bring", act=paste)
    shoot(browser, "table", f"{s}/t/{first['table']}?column=pages")
    shoot(browser, "step", f"{s}/t/{first['table']}?column=pages", act=new_step)
    shoot(browser, "steps", f"{s}/t/{first['table']}", act=step_list)
    shoot(browser, "summary", f"{s}/t/{first['table']}?view=summary", act=by_room)
    shoot(browser, "dictionary", f"{s}/t/{first['table']}?view=dictionary")
    shoot(browser, "ask", f"{s}/ask/{first['table']}", act=choose)
    shoot(browser, "question", f"{s}/q/{first['question']}")
    questions = {e["name"]: e["id"] for e in entries if e["type"] == "question"}
    shoot(browser, "mixed", f"{s}/q/{questions['Lamps and noise in six halls']}")
    shoot(browser, "jump", f"{s}/q/{questions['Visits where the grant begins']}")
    shoot(browser, "forecasts", f"{s}/q/{questions['Loans to come']}")
    shoot(browser, "quiz", f"{s}/q/{questions['How the quiz measures']}")
    shoot(browser, "trail", f"{s}/q/{questions['Who finishes the challenge']}", dark=True, act=chip)
    shoot(browser, "lineup", f"{s}/q/{questions['Models of finishing']}")
    shoot(browser, "figure", f"{s}/f/{first['figure']}")
    shoot(browser, "report", f"{s}/r/{first['report']}")
    shoot(browser, "method", "/methods/compare_groups")


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as p:
        server = subprocess.Popen(
            [sys.executable, "-m", "yavik.cli", "demo", "--data-dir", folder, "--port", str(PORT)],
            stdout=subprocess.DEVNULL,
        )
        try:
            get("/api/studies")
            all_of_them(p.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS))
        finally:
            server.terminate()
            server.wait(20)
    print(f"{len(list(OUT.glob('*.png')))} pictures in {OUT.name}")


if __name__ == "__main__":
    main()
