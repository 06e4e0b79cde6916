"""How much memory processes hold that look at one table: of their own, and of files that they share."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pyarrow as pa

from yavik.core.steps.base import Effect
from yavik.core.table import Column, Kind
from yavik.core.table.table import make_table
from yavik.store import Store

ROWS, COLUMNS, PROCESSES = 1_000_000, 20, 5
LOOK = """
import json, re, sys
from pathlib import Path
import pyarrow.compute as pc
from yavik.core.methods import methods
from yavik.store import Store

def held():
    text = Path("/proc/self/smaps_rollup").read_text()
    return {k: int(n) * 1024 for k, n in re.findall(r"^(Anonymous|Pss):\\s+(\\d+)", text, re.M)}

store = Store(Path(sys.argv[1]), upgrade=False)
methods()
before = held()
table = store.versions.table(store.versions.find("root"))
for a in table.arrays:
    pc.sum(a)
sys.stdout.write("ready\\n"); sys.stdout.flush(); sys.stdin.readline()
after = held()
print(json.dumps({k: after[k] - before[k] for k in after}), flush=True)
sys.stdin.readline()
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        rng = np.random.default_rng(0)
        arrays = [pa.array(rng.normal(size=ROWS)) for _ in range(COLUMNS)]
        table = make_table([Column(name=f"c{i}", kind=Kind.measure) for i in range(COLUMNS)], arrays)
        store = Store(Path(folder))
        store.versions.save("root", table, Effect(title="", said="", rows_in=ROWS, rows_out=ROWS))
        store.rest()
        found = store.versions.find("root")
        assert found is not None
        store.versions.table(found)
        size = sum(a.nbytes for a in arrays)
        looking = [
            subprocess.Popen(
                [sys.executable, "-c", LOOK, folder], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
            )
            for _ in range(PROCESSES)
        ]
        for p in looking:
            assert p.stdout and p.stdout.readline() == "ready\n"
        told = [_say(p) for p in looking]
        for p in looking:
            p.communicate("\n")
        own = max(t["Anonymous"] for t in told)
        shared = sum(t["Pss"] for t in told)
        print(f"a table of {size / 1e6:.0f} MB, {PROCESSES} processes that look at all of it:")
        print(
            f"  memory of its own, the most of them      {own / 1e6:8.1f} MB   (a copy each would be {size / 1e6:.0f} MB)"
        )
        print(f"  all of them together, files counted once {shared / 1e6:8.1f} MB")
        store.close()


def _say(p: "subprocess.Popen[str]") -> dict[str, int]:
    assert p.stdin and p.stdout
    p.stdin.write("\n")
    p.stdin.flush()
    found: dict[str, int] = json.loads(p.stdout.readline())
    return found


if __name__ == "__main__":
    main()
