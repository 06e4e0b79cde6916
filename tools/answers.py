"""Keeps every answer that the tests ask for, and says what a change of the code changed in them.

    python tools/answers.py keep answers.json.gz       # before
    python tools/answers.py compare answers.json.gz    # after: each difference on a line; exit code 1 where there are any

Numbers are the same to a part in 10⁹, words to the letter.
"""

import argparse
import gzip
import json
import math
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.core.test_options import CASES, COMMON, TRIED
from tests.hostile import CASES as HOSTILE
from tests.tables import demo_tables

from yavik.core.methods import answer
from yavik.core.table import DataProblem


def asked() -> Iterator[tuple[str, str, dict[str, Any]]]:
    """Method, table and spec of every question, with each of the values that its options are tried with."""
    yield from ((method, table, spec) for method, table, spec, _ in CASES)
    yield from TRIED
    yield from COMMON
    for case in HOSTILE:
        yield case.method, case.table, case.asked()


def answers() -> dict[str, Any]:
    tables, found = demo_tables(), {}
    for method, table, spec in asked():
        key = f"{method} of {table}: {json.dumps(spec, sort_keys=True)}"
        try:
            found[key] = answer(method, tables[table], spec).model_dump(mode="json")
        except DataProblem as problem:
            found[key] = {"refused": problem.message}
    return found


def differences(one: Any, two: Any, where: str = "") -> Iterator[str]:
    if isinstance(one, dict) and isinstance(two, dict):
        for key in sorted(one.keys() | two.keys()):
            yield from differences(one.get(key), two.get(key), f"{where}.{key}")
    elif isinstance(one, list) and isinstance(two, list) and len(one) == len(two):
        for i, (a, b) in enumerate(zip(one, two, strict=True)):
            yield from differences(a, b, f"{where}[{i}]")
    elif isinstance(one, float) and isinstance(two, float):
        if not math.isclose(one, two, rel_tol=1e-9, abs_tol=1e-12):
            yield f"{where}: {one!r} is now {two!r}"
    elif one != two:
        yield f"{where}: {str(one)[:200]!r} is now {str(two)[:200]!r}"


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["keep", "compare"])
    parser.add_argument("file", type=Path)
    args = parser.parse_args()
    now = answers()
    if args.what == "keep":
        args.file.write_bytes(gzip.compress(json.dumps(now).encode()))
        print(f"{len(now)} answers kept")
        return 0
    before = json.loads(gzip.decompress(args.file.read_bytes()))
    changed = 0
    for key in before:
        lines = list(differences(before[key], json.loads(json.dumps(now.get(key)))))
        changed += bool(lines)
        for line in lines[:12]:
            print(f"{key}\n   {line}")
    print(f"{changed} of {len(before)} answers differ")
    return 1 if changed else 0


if __name__ == "__main__":
    raise SystemExit(main())
