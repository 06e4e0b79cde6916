"""Jobs in worker processes: progress, stop, a killed worker, and the same answer everywhere."""

import os
import signal
import time
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

import numpy as np
import pytest

from yavik.core.apart.memory import bounded
from yavik.core.figures import Figure
from yavik.core.files.detect import detect
from yavik.core.files.options import ReadOptions
from yavik.core.methods import Run
from yavik.core.stats.in_parts import spread, spreading
from yavik.core.table.problem import Stopped
from yavik.engine import Engine, Job, State, worker
from yavik.engine.answering import answered
from yavik.engine.descriptions import Ask, ReadFile, Replay
from yavik.engine.drawing import Draw
from yavik.engine.remote import Remote, over_workers
from yavik.engine.tasks import carry_out
from yavik.store import Store

SMALL = b"g,y\n" + b"".join(b"%s,%d.5\n" % (b"abc"[i % 3 : i % 3 + 1], (i * 7) % 11 + i % 3) for i in range(90))


@pytest.fixture
def engine(store: Store) -> Iterator[Engine]:
    made = Engine(store, workers=1)
    yield made
    made.close()


def big(rows: int = 400_000) -> bytes:
    rng = np.random.default_rng(0)
    y = rng.normal(50, 9, rows).round(2)
    g = rng.integers(0, 5, rows)
    return b"g,y,a,b,c,d\n" + "\n".join(f"room{k},{v},{v},{v},{v},{v}" for k, v in zip(g, y, strict=True)).encode()


def until(true: Callable[[], Any], seconds: float = 120) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "waited too long"
        time.sleep(0.005)


def put(store: Store, data: bytes) -> ReadFile:
    study = store.items.new_study("S")
    return ReadFile(upload=store.files.put(study.id, "x.csv", data).id, options=detect(data[:10_000], whole=False))


def run(engine: Engine, description: Any) -> Job:
    job = engine.submit(description, "work")
    assert job.wait(90)
    return job


def test_work_that_turns_out_long_is_left_to_a_worker_and_shows_what_there_is(store: Store) -> None:
    rng = np.random.default_rng(1)
    x = rng.poisson(4, (160, 12)) + (rng.random((160, 12)) < 0.5)
    lines = [
        "plot," + ",".join(f"t{j}" for j in range(12)),
        *(f"p{i},{','.join(map(str, r))}" for i, r in enumerate(x)),
    ]
    read = put(store, "\n".join(lines).encode())
    engine = Engine(store, workers=1, patience=0.05)
    try:
        root = engine.do(read)["key"]
        spec = {"taxa": [f"t{j}" for j in range(12)], "starts": 30}
        ask = Ask(root=root, steps=[], method="ordination", spec=spec)
        assert engine.in_time(partial(answered, store, ask)) is None
        job = engine.submit(ask, "work")
        seen: list[Any] = []
        until(lambda: seen.append(job.seen()["shown"]) or job.ended)
        assert any(s and s["mark"]["type"] == "point" and len(s["data"]["values"]) == 160 for s in seen)
        assert job.state is State.done and job.seen()["shown"] is None
        quick = Ask(root=root, steps=[], method="describe", spec={"columns": ["t0"]})
        assert engine.in_time(partial(answered, store, quick)) is not None
    finally:
        engine.close()


def test_a_worker_gives_what_the_request_gives(engine: Engine, store: Store) -> None:
    read = put(store, SMALL)
    job = run(engine, read)
    assert job.state is State.done and job.result is not None
    ask = Ask(root=job.result["key"], steps=[], method="compare_groups", spec={"response": "y", "groups": "g"})
    far = run(engine, ask)
    assert far.result is not None
    there = store.result(far.result["key"])
    from sqlalchemy import delete

    from yavik.store.models import Result

    with store.engine.begin() as c:
        c.execute(delete(Result))
    here = store.result(engine.do(ask)["key"])
    assert here == there


def test_the_statement_comes_before_the_rest(engine: Engine, store: Store) -> None:
    data = put(store, big())
    root = engine.do(data)["key"]
    job = engine.submit(
        Ask(root=root, steps=[], method="compare_groups", spec={"response": "y", "groups": "g"}), "Rooms"
    )
    told: list[tuple[str, list[dict[str, Any]]]] = []
    tell = job.tell

    def watched(**values: Any) -> None:
        tell(**values)
        told.append((job.state.value, job.said))

    job.tell = watched  # type: ignore[method-assign]
    assert job.wait(90) and job.state is State.done and job.result
    kept = store.result(job.result["key"])
    assert kept is not None and job.seen()["said"] == kept["headline_spans"]
    assert ("running", kept["headline_spans"]) in told  # while tables and checks were still to come


def test_a_data_problem_travels_whole(engine: Engine, store: Store) -> None:
    root = engine.do(put(store, SMALL))["key"]
    job = run(engine, Ask(root=root, steps=[], method="compare_groups", spec={"response": "y", "groups": "x"}))
    assert job.state is State.problem
    assert job.problem is not None and job.problem["column"] == "x"


def test_progress_and_stop_and_the_next_job(engine: Engine, store: Store) -> None:
    job = engine.submit(put(store, big()), "reading")
    until(lambda: job.part > 0 or job.ended)
    assert not job.ended and job.what
    engine.stop(job)
    assert job.wait(90)
    assert job.state is State.stopped
    assert run(engine, put(store, SMALL)).state is State.done
    assert store.sound()


def test_a_waiting_job_can_be_stopped(engine: Engine, store: Store) -> None:
    first, second = engine.submit(put(store, big()), "one"), engine.submit(put(store, SMALL), "two")
    engine.stop(second)
    engine.stop(first)
    assert second.wait(90) and second.state is State.stopped


def test_a_stop_is_heard_before_and_while_its_process_begins(store: Store) -> None:
    root = carry_out(store, put(store, SMALL), Run())["key"]
    ask = Ask(root=root, steps=[], method="compare_groups", spec={"response": "y", "groups": "g"})
    cold = Engine(store, workers=1, warm=False)
    try:
        for moment in (0.0, 0.01, 0.05):
            job = cold.submit(ask, "Stopped")
            time.sleep(moment)
            cold.stop(job)
            assert job.wait(60) and job.state in (State.stopped, State.done)  # done where it was quicker
            assert job.state is State.stopped or moment
            assert run(cold, ask).state is State.done  # the next one does not suffer from it
    finally:
        cold.close()


def test_a_killed_worker_is_replaced_and_said(engine: Engine, store: Store) -> None:
    job = engine.submit(put(store, big()), "reading")
    until(lambda: job.part > 0)
    old = engine.pool.pids()[0]
    assert old is not None
    os.kill(old, signal.SIGKILL)
    assert job.wait(90)
    assert job.state is State.failed
    assert "ended by the system" in job.what
    assert run(engine, put(store, SMALL)).state is State.done
    assert engine.pool.pids()[0] != old
    assert store.sound()


def test_an_items_earlier_job_gives_way(engine: Engine, store: Store) -> None:
    first = engine.submit(put(store, big()), "one", item_id="q")
    until(lambda: first.state is State.running)
    second = engine.submit(put(store, SMALL), "two", item_id="q")
    assert first.wait(90) and first.state is State.stopped
    assert second.wait(90) and second.state is State.done


def test_replaying_is_a_job_too(engine: Engine, store: Store) -> None:
    root = engine.do(put(store, SMALL))["key"]
    steps = [{"step": "keep_rows", "where": "y > 3"}]
    job = run(engine, Replay(root=root, steps=steps))
    assert job.result is not None
    assert job.result["key"] == store.versions.keys(root, steps)[-1]


def test_read_options_are_part_of_the_key(store: Store) -> None:
    read = put(store, SMALL)
    other = read.model_copy(update={"options": ReadOptions(header=False)})
    assert read.root("sha") != other.root("sha")


@pytest.fixture(scope="module")
def cluster() -> Iterator[Any]:
    """Two workers of a distributed engine, processes of their own."""
    distributed = pytest.importorskip("distributed")
    with distributed.LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as made:
        yield made


@pytest.fixture
def far(store: Store, cluster: Any) -> Iterator[Engine]:
    made = Engine(store, workers=0, address=cluster.scheduler_address)
    yield made
    made.close()


def remote_of(engine: Engine) -> Remote:
    assert engine.remote is not None
    return engine.remote


def test_the_same_call_on_a_distributed_engine(far: Engine, store: Store) -> None:
    root = far.do(put(store, SMALL))["key"]
    ask = Ask(root=root, steps=[], method="compare_groups", spec={"response": "y", "groups": "g"})
    job = run(far, ask)
    assert job.state is State.done and job.result is not None, job.what
    there = store.result(job.result["key"])
    assert there is not None and there["facts"]["n"] == 90
    wrong = run(far, ask.model_copy(update={"spec": {"response": "y", "groups": "x"}}))
    assert wrong.state is State.problem
    # The same numbers as at home.
    store.drop_result(job.result["key"])
    here = store.result(far.do(ask)["key"])
    assert here is not None and here["facts"] == there["facts"]


def test_columns_travel_once_and_the_longest_unused_go(far: Engine, store: Store, monkeypatch: Any) -> None:
    remote = remote_of(far)
    root = far.do(put(store, SMALL))["key"]
    sent: list[str] = []
    packed = store.cells.packed
    monkeypatch.setattr(store.cells, "packed", lambda hashes: sent.extend(hashes) or packed(hashes))
    for alpha in (0.05, 0.01, 0.001):
        spec = {"response": "y", "groups": "g", "alpha": alpha}
        assert run(far, Ask(root=root, steps=[], method="compare_groups", spec=spec)).state is State.done
    assert len(sent) == len(set(sent)) == 3  # two columns and the numbers of the rows
    assert remote._futures == {} and len(remote._columns) == 3
    remote.most = 1
    step = {"step": "compute", "name": "z", "expression": "y * 2"}
    spec = {"response": "z", "groups": "g"}
    assert run(far, Ask(root=root, steps=[step], method="compare_groups", spec=spec)).state is State.done
    assert len(remote._columns) == 3 and len(sent) == 4


def test_far_work_tells_how_far_it_is_and_is_stopped(far: Engine, store: Store) -> None:
    counts = np.random.default_rng(1).poisson(4, (300, 4))
    lines = "\n".join(f"{'abc'[i % 3]},{','.join(map(str, row))}" for i, row in enumerate(counts))
    root = far.do(put(store, f"g,s,t,u,v\n{lines}\n".encode()))["key"]
    spec = {"taxa": ["s", "t", "u", "v"], "groups": "g", "permutations": 99_999}
    job = far.submit(Ask(root=root, steps=[], method="community_test", spec=spec), "Long")
    end = time.monotonic() + 60
    while not 0 < job.part < 1:
        assert time.monotonic() < end and not job.ended, job.what
        time.sleep(0.05)
    far.stop(job)
    assert job.wait(30) and job.state is State.stopped
    assert remote_of(far)._futures == {}
    quick = Ask(root=root, steps=[], method="compare_groups", spec={"response": "s", "groups": "g"})
    assert run(far, quick).state is State.done  # the worker is free again


def test_the_answer_that_lends_a_figure_its_marks_is_worked_out_far_away(store: Store, cluster: Any) -> None:
    far = Engine(store, workers=1, address=cluster.scheduler_address)
    root = far.do(put(store, SMALL))["key"]
    spec = {"response": "y", "groups": "g"}
    ask = Ask(root=root, steps=[], method="compare_groups", spec=spec)
    figure = Figure(kind="groups", response="y", groups="g", marks_from="lender")
    draw = Draw(root=root, steps=[], figure=figure, ask=ask, asked="Lender")
    asked: list[Ask] = []
    remote, there = remote_of(far), remote_of(far).ask
    remote.ask = lambda d, job, of=1.0: asked.append(d) or there(d, job, of)  # type: ignore[method-assign,func-returns-value]
    try:
        job = run(far, draw)
        assert job.state is State.done and job.result is not None, job.what
        drawn = store.result(job.result["key"])
        assert asked == [ask] and drawn is not None and drawn["missing"] is None
        # The answer is there now: another drawing with its marks asks for nothing, and draws what is drawn at home.
        again = draw.model_copy(update={"figure": figure.model_copy(update={"title": "Again"})})
        assert run(far, again).state is State.done and len(asked) == 1
        store.drop_result(job.result["key"])
        assert store.result(far.do(draw)["key"]) == drawn
        # One that cannot be answered lends nothing, and the drawing says so.
        wrong = draw.model_copy(update={"ask": ask.model_copy(update={"spec": {**spec, "where": "y > 1000"}})})
        job = run(far, wrong)
        drawn = store.result((job.result or {}).get("key", ""))
        assert job.state is State.done and drawn is not None and "No row has y > 1000." in drawn["missing"]
    finally:
        far.close()


def test_parts_of_an_answer_are_made_on_every_far_worker(far: Engine, store: Store) -> None:
    counts = np.random.default_rng(1).poisson(4, (60, 4))
    lines = "\n".join(f"{'abc'[i % 3]},{','.join(map(str, row))}" for i, row in enumerate(counts))
    root = far.do(put(store, f"g,s,t,u,v\n{lines}\n".encode()))["key"]
    spec = {"taxa": ["s", "t", "u", "v"], "groups": "g", "permutations": 4999}
    ask = Ask(root=root, steps=[], method="community_test", spec=spec)
    job = run(far, ask)
    assert job.state is State.done and job.result is not None, job.what
    there = store.result(job.result["key"])
    store.drop_result(job.result["key"])
    here = store.result(far.do(ask)["key"])
    assert there is not None and here is not None and here["facts"] == there["facts"]
    where = remote_of(far).client.submit(where_parts_are_made, pure=False).result()
    assert len(where) == 40 and len(set(where)) == 2


def where_parts_are_made() -> list[int]:
    """Runs on one worker of the cluster: the processes in which the parts of its work are made."""
    with spreading(over_workers):
        return list(spread([os.getpid] * 40))


def test_small_questions_stay_at_home(far: Engine) -> None:
    assert far.small(90, 2) and not far.small(1_000_000, 2)


class OneJob:
    """The pipe of a worker that is given one job."""

    def __init__(self, description: Any) -> None:
        self.waiting, self.said = [description.model_dump(mode="json")], list[tuple[str, Any]]()

    def recv(self) -> Any:
        if not self.waiting:
            raise EOFError
        return self.waiting.pop()

    def send(self, told: tuple[str, Any]) -> None:
        self.said.append(told)


def test_work_beyond_the_memory_there_is_ends_with_a_sentence(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    description = put(store, SMALL)
    monkeypatch.setattr("yavik.store.budget.available", lambda: 4_000_000_000)

    def swells(*_: Any) -> dict[str, Any]:
        return {"size": len(bytearray(50_000_000_000))}

    with monkeypatch.context() as patched:
        patched.setattr("yavik.engine.tasks.carry_out", swells)
        pipe = OneJob(description)
        worker.main(pipe, str(store.folder), 4_000_000_000, 1)  # type: ignore[arg-type]
    kind, told = pipe.said[-1]
    assert (kind, told["message"]) == ("problem", worker.NO_ROOM)
    pipe = OneJob(description)
    worker.main(pipe, str(store.folder), 4_000_000_000, 1)  # type: ignore[arg-type]
    assert pipe.said[-1][0] == "done" and pipe.said[-1][1]["rows"] == 90


def test_the_bound_is_what_is_free_and_is_lifted_again() -> None:
    with bounded(300_000_000):
        assert len(bytearray(50_000_000)) == 50_000_000
        with pytest.raises(MemoryError):
            bytearray(900_000_000)
    assert len(bytearray(900_000_000)) == 900_000_000
    with bounded(None):
        assert len(bytearray(1000)) == 1000


def test_replaying_tells_how_far_it_is_and_is_stopped_between_columns(store: Store) -> None:
    root = carry_out(store, put(store, SMALL), Run())["key"]
    steps = [
        {"step": "compute", "name": "z", "expression": "y * 2"},
        {"step": "summarise", "by": ["g"], "columns": ["y", "z"], "what": ["mean", "median"]},
    ]
    told: list[tuple[float, str]] = []
    carry_out(store, Replay(root=root, steps=steps), Run(report=lambda part, what: told.append((part, what))))
    assert [part for part, _ in told] == sorted(part for part, _ in told) and told[-1][0] < 1
    assert [what for _, what in told][1:] == [
        "Step 1 of 2", "Step 2 of 2", "Step 2 of 2: Summarising y", "Step 2 of 2: Summarising z",
    ]  # fmt: skip
    stopped = iter([False] * 2 + [True] * 9)
    other = [{**steps[1], "what": ["sd"], "columns": ["y"]}]
    with pytest.raises(Stopped):
        carry_out(store, Replay(root=root, steps=other), Run(stopped=lambda: next(stopped)))
