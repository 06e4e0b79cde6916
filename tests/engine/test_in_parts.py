"""Answers made in parts: the same numbers however many processes or machines made them."""

import os
import signal
import time
from collections.abc import Sequence
from functools import partial
from typing import Any

import numpy as np
import pytest

from tests.hostile import CASES, Case
from tests.tables import demo_tables
from yavik.core.apart import forking
from yavik.core.apart.forking import over_processes
from yavik.core.methods import Run, answer
from yavik.core.methods.kit import draws
from yavik.core.stats.in_parts import Part, Parts, in_turn, spread, spreading
from yavik.core.table import DataProblem
from yavik.core.table.problem import Stopped

IN_PARTS = ("line_up", "ordination", "community_test", "factor_analysis")
"""Methods whose answers on the demo tables are made in parts."""
WINTER = {"response": "finished", "terms": ["minutes", "card"]}


@pytest.fixture(autouse=True)
def always(monkeypatch: pytest.MonkeyPatch) -> None:
    """Parts are spread however little they take, and nothing is remembered from before."""
    monkeypatch.setattr(forking, "WORTH_SECONDS", 0.0)
    monkeypatch.setattr(draws, "_kept", draws.Kept(40))


def asked() -> list[tuple[str, str, dict[str, Any]]]:
    """A question for each kind of part: draws, models side by side, starts."""
    taxa = [c for c in demo_tables()["Genre loans"].names if demo_tables()["Genre loans"].column(c).kind == "count"][
        :8
    ]
    models = [
        {"method": "logistic", "spec": {**WINTER, "terms": t}} for t in (["minutes"], ["card"], ["minutes", "card"])
    ]
    return [
        ("community_test", "Genre loans", {"taxa": taxa, "groups": "site", "permutations": 499}),
        ("line_up", "Winter challenge", {"models": models}),
        ("ordination", "Genre loans", {"taxa": taxa, "starts": 6}),
    ]


@pytest.mark.parametrize("place", range(3))
@pytest.mark.parametrize("processes", [2, 3])
def test_the_numbers_are_those_of_one_process(place: int, processes: int, monkeypatch: pytest.MonkeyPatch) -> None:
    method, table, spec = asked()[place]
    alone = answer(method, demo_tables()[table], spec)
    monkeypatch.setattr(draws, "_kept", draws.Kept(40))
    begun: list[int] = []
    fork = os.fork
    monkeypatch.setattr(os, "fork", lambda: begun.append(1) or fork())
    with spreading(over_processes(processes)):
        spread_out = answer(method, demo_tables()[table], spec)
    assert spread_out.model_dump() == alone.model_dump() and len(begun) >= processes - 1


def test_results_come_in_order_however_long_each_takes() -> None:
    def part(i: int) -> int:
        time.sleep(0.02 * (5 - i))
        return i * i

    with spreading(over_processes(3)):
        assert list(spread([partial(part, i) for i in range(6)])) == [0, 1, 4, 9, 16, 25]


def test_a_problem_in_a_part_is_raised_where_it_is_awaited() -> None:
    def part(i: int) -> int:
        if i == 3:
            raise DataProblem("The third is wrong.", column="x", rows=[3])
        return i

    with spreading(over_processes(2)):
        made = spread([partial(part, i) for i in range(5)])
        assert [next(made) for _ in range(3)] == [0, 1, 2]
        with pytest.raises(DataProblem, match="third") as told:
            next(made)
    assert (told.value.column, told.value.rows) == ("x", [3])


def test_a_part_that_the_system_ends_is_want_of_memory() -> None:
    def part(i: int) -> int:
        if i == 2:
            os.kill(os.getpid(), signal.SIGKILL)
        return i

    with spreading(over_processes(2)), pytest.raises(MemoryError):
        list(spread([partial(part, i) for i in range(4)]))


def test_what_is_stopped_ends_everywhere(monkeypatch: pytest.MonkeyPatch) -> None:
    def part(i: int) -> int:
        time.sleep(60 if i > 1 else 0)
        return i

    begun: list[int] = []
    fork = os.fork

    def forked() -> int:
        begun.append(fork())
        return begun[-1]

    monkeypatch.setattr(os, "fork", forked)
    with spreading(over_processes(2)):
        made = spread([partial(part, i) for i in range(5)])
        assert [next(made), next(made)] == [0, 1]
        began = time.monotonic()
        made.close()
    assert time.monotonic() - began < 10 and len(begun) == 2
    for process in begun:
        with pytest.raises(ProcessLookupError):
            os.kill(process, 0)


def test_draws_that_are_stopped_leave_no_process_and_go_on_later() -> None:
    def batch(rng: np.random.Generator, count: int) -> np.ndarray:
        return rng.normal(size=count)

    run = Run(stopped=iter([False, False, True]).__next__)
    with spreading(over_processes(2)):
        with pytest.raises(Stopped):
            draws.drawn(900, 5, batch, key=b"stopped", told=run.progress)
        whole = draws.drawn(900, 5, batch, key=b"stopped")
    assert np.array_equal(whole, draws.drawn(900, 5, batch))


def test_one_process_is_one_after_the_other() -> None:
    assert over_processes(1) is in_turn
    seen: list[int] = []
    assert list(spread([partial(seen.append, 1)])) == [None] and seen == [1]


@pytest.mark.parametrize("case", [c for c in CASES if c.method in IN_PARTS], ids=lambda c: c.id)
def test_parts_can_travel(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    """Packed and unpacked, as on their way to another machine, parts make the same answer; none is heavy."""
    packer = pytest.importorskip("cloudpickle")
    sizes: list[int] = []

    def wire(parts: Sequence[Part]) -> Parts:
        for part in parts:
            packed = packer.dumps(part)
            sizes.append(len(packed))
            yield packer.loads(packed)()

    alone = answer(case.method, case.data(), case.asked())
    monkeypatch.setattr(draws, "_kept", draws.Kept(40))
    with spreading(wire):
        sent = answer(case.method, case.data(), case.asked())
    assert sent.facts == alone.facts and sizes and max(sizes) < 1_000_000
