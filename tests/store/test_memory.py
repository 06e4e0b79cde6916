"""Processes that look at one table hold it once, and a process holds no more than its part."""

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest

from yavik.core.steps.base import Effect
from yavik.core.table import Column, Kind
from yavik.core.table.table import make_table
from yavik.store import Store, budget
from yavik.store.mapped import LARGE, Mapped
from yavik.store.tidy import tidy

ROWS, COLUMNS = 1_000_000, 8
LOOK = """
import json, re, sys
from pathlib import Path
from yavik.store import Store
import pyarrow.compute as pc

def own():
    text = Path("/proc/self/smaps_rollup").read_text()
    return sum(int(n) for n in re.findall(r"^Anonymous:\\s+(\\d+)", text, re.M)) * 1024

store = Store(Path(sys.argv[1]), upgrade=False)
before = own()
table = store.versions.table(store.versions.find("root"))
total = sum(pc.sum(a).as_py() for a in table.arrays)
print(json.dumps([own() - before, total]), flush=True)
sys.stdin.read()
"""


def large(folder: Path) -> tuple[Store, int]:
    rng = np.random.default_rng(3)
    arrays = [pa.array(rng.normal(size=ROWS)) for _ in range(COLUMNS)]
    table = make_table([Column(name=f"c{i}", kind=Kind.measure) for i in range(COLUMNS)], arrays)
    store = Store(folder)
    store.versions.save("root", table, Effect(title="", said="", rows_in=ROWS, rows_out=ROWS))
    return store, sum(a.nbytes for a in arrays)


def test_processes_that_look_at_one_table_hold_it_once(tmp_path: Path) -> None:
    store, size = large(tmp_path)
    store.rest()
    snapshot = store.versions.find("root")
    assert snapshot is not None
    store.versions.table(snapshot)  # lays it out
    looking = [
        subprocess.Popen(
            [sys.executable, "-c", LOOK, str(tmp_path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        for _ in range(3)
    ]
    told = [json.loads(p.stdout.readline()) for p in looking if p.stdout]
    for p in looking:
        p.communicate("")
    assert len({total for _, total in told}) == 1
    # Memory of its own (not pages of a file) of each, above what it had with everything imported: a part of the table's size, not all of it.
    assert all(own < 0.4 * size for own, _ in told), (told, size)
    store.close()


def test_a_column_that_is_laid_out_is_the_same(tmp_path: Path) -> None:
    mapped = Mapped(tmp_path)
    words = pa.array([None if i % 7 == 0 else f"word {i % 50}" for i in range(400_000)]).dictionary_encode()
    truths = pa.array([i % 3 == 0 for i in range(10_000_000)])
    for h, array in (("a", words), ("b", truths)):
        assert array.nbytes > LARGE and mapped.put(h, array).equals(array) and mapped.get(h).equals(array)
    small = pa.array([1, 2])
    assert mapped.put("c", small) is small and mapped.get("c") is None
    (tmp_path / "cells" / "a").write_bytes((tmp_path / "cells" / "a").read_bytes()[:1000])
    assert mapped.get("a") is None  # half a file is none: the database has the column


def test_where_there_is_no_room_the_column_stays_in_memory(tmp_path: Path) -> None:
    (tmp_path / "cells").write_text("in the way")
    array = pa.array(np.arange(500_000))
    assert Mapped(tmp_path).put("h", array) is array


def test_files_of_columns_go_with_them_and_beyond_the_room(tmp_path: Path) -> None:
    store, size = large(tmp_path)
    store.rest()
    snapshot = store.versions.find("root")
    assert snapshot is not None
    store.versions.table(snapshot)
    files = tmp_path / "cells"
    assert len(list(files.iterdir())) == COLUMNS + 1  # and the rows' numbers
    store.cells.mapped.most = size // 2
    kept = {*snapshot.hashes, snapshot.rows_hash}
    assert store.cells.mapped.sweep(kept) > 0 and 0 < sum(p.stat().st_size for p in files.iterdir()) <= size // 2
    from datetime import timedelta

    tidy(store, young=timedelta(0))
    assert list(files.iterdir()) == []
    store.close()


def test_the_budget_is_set_or_half_of_what_is_free(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(budget, "available", lambda: 8_000_000_000)
    monkeypatch.delenv(budget.SETTING, raising=False)
    assert budget.total() == 4_000_000_000
    monkeypatch.setenv(budget.SETTING, "2.5")
    assert budget.total() == 2_500_000_000
    whole = budget.total()
    held = budget.of_the_server(whole) + 4 * budget.of_a_worker(whole, 4)
    assert held <= whole and budget.of_work(whole) == whole and budget.of_work(10**12) == 8_000_000_000
    monkeypatch.setenv(budget.SETTING, "nonsense")
    assert budget.total() == 4_000_000_000
    store = Store(tmp_path, memory=3_000)
    hashes = store.cells.put([pa.array(np.arange(1000) + i) for i in range(5)])
    assert len(store.cells._kept) <= 2 and len(store.cells.get(hashes)) == 5
    store.close()


LEAVE = """
import re
from pathlib import Path
import numpy as np
from yavik.core.apart.memory import give_back, hold_on

def own():
    text = Path("/proc/self/smaps_rollup").read_text()
    return sum(int(n) for n in re.findall(r"^Anonymous:\\s+(\\d+)", text, re.M)) / 2**10

hold_on()
before = own()
made = [np.ones(2**20) for _ in range(20)]
del made
held = own() - before
give_back()
print(held, own() - before)
"""


def test_what_arrays_leave_is_held_until_it_is_given_back() -> None:
    said = subprocess.run([sys.executable, "-c", LEAVE], check=True, capture_output=True, text=True).stdout
    held, after = (float(x) for x in said.split())
    assert held > 100 and after < 10
