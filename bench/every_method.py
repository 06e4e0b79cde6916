"""Every method on its demo table, then on that table grown to many rows, and spoilt in every way: what each says.

    python -m bench.every_method [--rows 200000]

Prints for each method the seconds of an answer on the demo table and on the grown one, how many of the spoilt tables it
answers and refuses, and whatever it raises that is no sentence. Exit code 1 when there is any.
"""

import argparse
import time
import warnings

import numpy as np
from tests.hostile import CASES, Case, ruined, tried

from yavik.core.table import Table


def grown(table: Table, rows: int) -> Table:
    """Rows drawn from the table with replacement; what tells rows apart stays with them."""
    return table.take(np.random.default_rng(1).integers(0, table.n_rows, rows))


def seconds(case: Case, table: Table) -> str:
    start = time.perf_counter()
    said = tried(case, table)
    took = time.perf_counter() - start
    return f"{took:7.2f}" if said == "answered" else f"{took:7.2f} ({said[:60]})"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rows", type=int, default=200_000)
    rows = parser.parse_args().rows
    warnings.simplefilter("error", RuntimeWarning)
    defects = 0
    print(f"{'question':34} {'demo s':>7} {f'{rows} rows, s':>18}  answered refused")
    for case in CASES:
        table = case.data()
        answered = refused = 0
        for what, spoilt in ruined(table):
            try:
                said = tried(case, spoilt)
            except Exception as trouble:  # noqa: BLE001 - whatever comes is what is looked for
                defects += 1
                print(f"{case.id}, {what}: {type(trouble).__name__}: {trouble}")
                continue
            answered += said == "answered"
            refused += said != "answered"
        print(
            f"{case.id:34} {seconds(case, table):>7} {seconds(case, grown(table, rows)):>18}  {answered:8}"
            f" {refused:7}"
        )
    return 1 if defects else 0


if __name__ == "__main__":
    raise SystemExit(main())
