"""Speed, as ratios against plain library use on the same data in the same run.

Each line: what is timed, plain seconds, our seconds, the ratio, and the mark it is held to. Best of a few runs.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import combinations
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import csv as pa_csv
from scipy import stats

from yavik.core.files.delimited import read
from yavik.core.files.detect import detect
from yavik.core.methods import Run, answer
from yavik.core.stats import studentized_range
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table
from yavik.engine.descriptions import ReadFile
from yavik.engine.tasks import carry_out
from yavik.server.routes.tables import window
from yavik.store import Store

ROWS, COLUMNS = 1_000_000, 20


def best(job: Callable[[], object], runs: int = 3) -> float:
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        job()
        times.append(time.perf_counter() - start)
    return min(times)


def line(what: str, plain: float | None, ours: float, mark: str) -> None:
    ratio = f"{ours / plain:5.2f} ×" if plain else "       "
    shown = f"{1000 * plain:8.0f} ms" if plain else "          –"
    print(f"{what:58} {shown} {1000 * ours:8.0f} ms  {ratio}  {mark}", flush=True)


def write_csv(path: Path) -> None:
    rng = np.random.default_rng(1)
    data: dict[str, object] = {f"m{i}": rng.normal(50, 10, ROWS).round(2) for i in range(10)}
    data |= {f"c{i}": rng.integers(0, 500, ROWS) for i in range(5)}
    words = np.array(["Alcove", "Gallery", "Winter garden", "Reading hall", "Terrace"])
    data |= {f"g{i}": words[rng.integers(0, 5, ROWS)] for i in range(4)}
    data["id"] = np.arange(ROWS)
    assert len(data) == COLUMNS
    pa_csv.write_csv(pa.table(data), path)


def reading(folder: Path) -> Store:
    path = folder / "million.csv"
    write_csv(path)
    size = path.stat().st_size / 1e6
    plain = best(lambda: pa_csv.read_csv(path))
    times = []
    store = Store(folder / "store0")
    for i in range(3):
        store.close()
        store = Store(folder / f"store{i}")

        def job(store: Store = store) -> None:
            with path.open("rb") as file:
                options = detect(file.read(1 << 18), whole=False)
            table, _ = read(path, options)
            from yavik.core.steps.base import Effect

            store.versions.save("root", table, Effect(title="", said="", rows_in=0, rows_out=0))

        times.append(best(job, 1))
    line(f"CSV {ROWS:,} × {COLUMNS} ({size:.0f} MB) into a stored table", plain, min(times), "≤ 2.5")
    return store


def upload(folder: Path) -> None:
    """The same file as it comes through the interface: kept whole, laid out, read and stored."""
    path = folder / "million.csv"
    data = path.read_bytes()
    plain = best(lambda: pa_csv.read_csv(path), 1)
    store = Store(folder / "uploaded")
    study = store.items.new_study("S")
    start = time.perf_counter()
    kept = store.files.put(study.id, "million.csv", data)
    carry_out(store, ReadFile(upload=kept.id, options=detect(data[: 1 << 18], whole=False)), Run())
    line("  the same with the original kept byte for byte", plain, time.perf_counter() - start, "")
    store.close()


def windows(store: Store) -> None:
    snapshot = store.versions.find("root")
    assert snapshot is not None
    wide = store.versions.table(snapshot)
    names = wide.names
    columns = [c.but(name=f"{c.name}_{k}") for k in range(3) for c in wide.columns][:50]
    table = Table(tuple(columns), tuple((wide.arrays * 3)[:50]), wide.rows)
    ours = max(
        best(lambda s=start: window(table, table.names, s, 200).model_dump_json(), 2)
        for start in (0, 512_345, ROWS - 200)
    )
    line("grid window 200 × 50 of it, worst of three places", None, ours, "≤ 50 ms")
    fresh = Store(store.folder)
    found = fresh.versions.find("root")
    assert found is not None
    line(
        "  the first window after a restart",
        None,
        best(lambda: window(fresh.versions.table(found), names, 0, 200), 1),
        "",
    )
    fresh.close()


def comparison_table() -> tuple[Table, list[np.ndarray]]:
    rng = np.random.default_rng(2)
    codes = rng.integers(0, 20, ROWS).astype(np.int32)
    y = rng.normal(50, 10, ROWS) + 0.05 * codes
    words = [f"room {i}" for i in range(20)]
    column = Column(name="g", kind=Kind.category, levels=tuple(Level(value=w) for w in words))
    array = pa.DictionaryArray.from_arrays(pa.array(codes), pa.array(words))
    return make_table([Column(name="y", kind=Kind.measure, decimals=2), column], [pa.array(y), array]), [
        y[codes == k] for k in range(20)
    ]


def plain_comparison(y: np.ndarray, g: np.ndarray) -> None:
    """The numbers compare_groups gives, by plain numpy and scipy."""
    samples = [y[g == k] for k in range(20)]
    n = np.array([len(s) for s in samples])
    for s in samples:
        np.quantile(s, [0, 0.25, 0.5, 0.75, 1])
        q1, q3 = np.quantile(s, [0.25, 0.75])
        ((s < q1 - 1.5 * (q3 - q1)) | (s > q3 + 1.5 * (q3 - q1))).sum()
    means, variances = np.array([s.mean() for s in samples]), np.array([s.var(ddof=1) for s in samples])
    stats.f_oneway(*samples)
    stats.f_oneway(*samples, equal_var=False)
    total, grand = n.sum(), y.mean()
    (n * (means - grand) ** 2).sum() / ((1 - n / total) * variances).sum()
    stats.levene(*samples, center="median")
    stats.levene(*samples, center="mean")
    for a, b in combinations(range(20), 2):
        se = np.sqrt(variances[a] / n[a] + variances[b] / n[b])
        df = se**4 / ((variances[a] / n[a]) ** 2 / (n[a] - 1) + (variances[b] / n[b]) ** 2 / (n[b] - 1))
        # Our own vectorised tail, one pair at a time: scipy's would make this side thirty times slower.
        studentized_range.sf(abs(means[a] - means[b]) / se * np.sqrt(2), 20, df)
    # The answer without the outlying rows, as the check gives it.
    inside = [
        s[
            (s >= np.quantile(s, 0.25) - 1.5 * np.subtract(*np.quantile(s, [0.75, 0.25])))
            & (s <= np.quantile(s, 0.75) + 1.5 * np.subtract(*np.quantile(s, [0.75, 0.25])))
        ]
        for s in samples
    ]
    stats.f_oneway(*inside, equal_var=False)


def comparing() -> None:
    table, _ = comparison_table()
    y, g = table.numbers("y"), table.codes("g").codes
    plain = best(lambda: plain_comparison(y, g))

    def job() -> None:
        fresh = Table(table.columns, table.arrays, table.rows)
        answer("compare_groups", fresh, {"response": "y", "groups": "g"})

    line("compare_groups, 1,000,000 rows × 20 groups, all pairs, checks", plain, best(job), "≤ 2")


def pairs_scipy() -> None:
    rng = np.random.default_rng(3)
    q, df = rng.uniform(1, 6, 40), rng.uniform(20, 300, 40)
    plain = best(lambda: [stats.studentized_range.sf(a, 50, b) for a, b in zip(q, df, strict=True)], 1)
    ours = best(lambda: studentized_range.sf(q, 50, df))
    line("studentised range p, 40 pairs of 50 groups", plain, ours, "")


def describing() -> None:
    import pandas as pd

    rng = np.random.default_rng(4)
    data = {f"m{i}": rng.normal(50, 10, ROWS) for i in range(20)}
    frame = pd.DataFrame(data)
    table = make_table(
        [Column(name=n, kind=Kind.measure, decimals=2) for n in data], [pa.array(v) for v in data.values()]
    )
    plain = best(lambda: (frame.describe(), frame.skew(), frame.kurt()), 1)
    ours = best(
        lambda: answer("describe", Table(table.columns, table.arrays, table.rows), {"columns": list(data)}), 1
    )
    line("describe 20 columns × 1,000,000 rows, with pictures", plain, ours, "")


KEY = "of-the-bench"
BEARER = {"authorization": f"Bearer {KEY}"}


def slot(folder: Path) -> None:
    """From the click on a column in a slot's list to the new statement on the page, in headless Chromium."""
    from playwright.sync_api import sync_playwright

    port = 8791
    command = [sys.executable, "-m", "yavik.cli", "demo", "--data-dir", str(folder / "demo"), "--port", str(port)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, env={**os.environ, "YAVIK_KEY": KEY})
    try:
        base = f"http://127.0.0.1:{port}"
        study = wait_for(f"{base}/api/studies")[0]["id"]
        entries = wait_for(f"{base}/api/studies/{study}")["entries"]
        question = next(e["id"] for e in entries if e["name"] == "Minutes by room" and e["type"] == "question")
        with sync_playwright() as p:
            page = p.chromium.launch(
                executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
            ).new_page(extra_http_headers=BEARER)
            page.goto(f"{base}/s/{study}/q/{question}")
            page.get_by_test_id("headline").wait_for()
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(10_000)  # the workers of a server that has just begun load what they will need
            times = sorted(clicked(page, name) for name in ("pages", "lux", "minutes") * 12)
        line(
            "changed slot on the demo table, click to new statement", None, times[len(times) // 2], "≤ 100 ms, median"
        )
        line("  95th of 100 such clicks", None, times[int(len(times) * 0.95)], "≤ 150 ms")
        line("  the slowest of 36 (first time each is computed)", None, times[-1], "")
        overview(f"{base}/api/studies/{study}")
    finally:
        server.terminate()
        server.wait(20)


def overview(url: str, people: int = 20) -> None:
    """Twenty people open one study at once, again and again."""

    def opened(_: int) -> float:
        start = time.perf_counter()
        wait_for(url)
        return time.perf_counter() - start

    with ThreadPoolExecutor(people) as pool:
        times = sorted(pool.map(opened, range(people * 10)))
    line(f"contents of the demo study, {people} people at once", None, times[len(times) // 2], "median")
    line("  95th of 100", None, times[int(len(times) * 0.95)], "≤ 300 ms")


def clicked(page: Any, column: str) -> float:
    """Seconds, by the page's own clock."""
    page.locator('[data-slot="Measurement"]').click()
    option = page.locator(f'[data-column="{column}"]')
    option.wait_for()
    milliseconds: float = page.evaluate(
        """column => new Promise(done => {
            const line = document.querySelector('[data-testid="headline"]').parentElement.parentElement.parentElement;
            const before = document.querySelector('[data-testid="headline"]').textContent;
            const start = performance.now();
            const watch = new MutationObserver(() => {
                const now = document.querySelector('[data-testid="headline"]')?.textContent;
                if (now && now !== before) { watch.disconnect(); requestAnimationFrame(() => done(performance.now() - start)); }
            });
            watch.observe(line, {subtree: true, childList: true, characterData: true});
            document.querySelector(`[data-column="${column}"]`).click();
        })""",
        column,
    )
    page.wait_for_timeout(300)
    return milliseconds / 1000


def wait_for(url: str) -> Any:
    for _ in range(300):
        try:
            with urllib.request.urlopen(urllib.request.Request(url, headers=BEARER), timeout=5) as response:
                return json.loads(response.read())
        except OSError:
            time.sleep(0.1)
    raise TimeoutError(url)


def main() -> int:
    print(f"{'':58} {'plain':>11} {'ours':>11}  ratio    mark")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        store = reading(folder)
        upload(folder)
        windows(store)
        store.close()
        comparing()
        pairs_scipy()
        describing()
        slot(folder)
    return 0


if __name__ == "__main__":
    sys.exit(main())
