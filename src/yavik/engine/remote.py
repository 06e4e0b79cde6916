"""The same call on an existing distributed engine (Dask), for answers, and for those that lend a figure its marks: data
and description travel, JSON comes back. What is drawn with them is drawn at home.

A column travels once: its packed bytes lie on the engine under their hash and are asked about as often as one likes;
the longest unused go when they are too many. How far the work is comes back while it goes on, and stopping reaches it.
"""

import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from typing import Any

from yavik.core.answers import Span
from yavik.core.methods import Run
from yavik.core.stats.in_parts import Part, Parts, spreading
from yavik.core.table import DataProblem
from yavik.core.table.problem import Stopped
from yavik.engine.answering import ask_pure, demand_columns, kept_answer
from yavik.engine.descriptions import Ask, replayed
from yavik.engine.drawing import Draw
from yavik.engine.jobs import Job, State
from yavik.engine.needs import REVISION, answer_base, answer_key, needs
from yavik.engine.problems import problem_data, problem_from
from yavik.store import Store

log = logging.getLogger("yavik.engine")
MOST_FAR = 4 << 30
"""Bytes of columns that lie on the engine at a time."""
SHARES = 4
"""Of the parts of one answer that each worker gets."""
AN_ANSWER = 0.9
"""The part of a drawing that its answer takes."""
LOOK_SECONDS = 0.5
"""Between two looks of a far worker at whether it is to stop."""


class Remote:
    """
    Args:
        address: of the scheduler; the package ``distributed`` must be installed here, and Yavik on the workers.
    """

    def __init__(self, address: str, store: Store, most: int = MOST_FAR) -> None:
        from distributed import Client

        self.client: Any = Client(address, set_as_default=False)  # type: ignore[no-untyped-call]
        self.store, self.most = store, most
        self._futures: dict[str, Any] = {}
        self._columns: OrderedDict[str, tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()

    def takes(self, d: Any) -> bool:
        """Whether a description holds an answer that is to be worked out here."""
        return isinstance(d, Ask) or (isinstance(d, Draw) and d.ask is not None)

    def submit(self, job: Job, home: Callable[[Job], None]) -> None:
        """Carries a job out elsewhere.

        Args:
            home: does what is left of it, of a drawing once its answer is there.
        """
        threading.Thread(target=self._carry, args=(job, home), daemon=True).start()

    def _carry(self, job: Job, home: Callable[[Job], None]) -> None:
        try:
            job.tell(state=State.running, what="Sending to the engine")
            if isinstance(job.description, Draw):
                self.lend(job.description, job)
                home(job)
            else:
                job.tell(state=State.done, part=1.0, what="Done", result=self.ask(job.description, job))
        except Exception as trouble:  # noqa: BLE001 - whatever goes wrong far away must reach the watcher
            self._ended_badly(job, trouble)

    def _ended_badly(self, job: Job, trouble: Exception) -> None:
        if job.stop_asked or isinstance(trouble, Stopped):
            job.tell(state=State.stopped, what="Stopped")
        elif isinstance(trouble, DataProblem):
            job.tell(state=State.problem, problem=problem_data(trouble), what=trouble.message)
        else:
            job.tell(state=State.failed, what=f"The distributed engine could not do it: {trouble}")

    def lend(self, d: Draw, job: Job) -> None:
        """Has the answer at hand whose marks are drawn. Where there is none, the drawing says why."""
        try:
            if d.ask and not self._kept(d.ask):
                self.ask(d.ask, job, AN_ANSWER)
        except DataProblem as problem:
            log.info("an answer lends no marks: %s", problem.message)

    def _kept(self, d: Ask) -> bool:
        key = answer_key(replayed(self.store, d), d.method, d.spec)
        return kept_answer(self.store.result(key)) is not None

    def ask(self, d: Ask, job: Job, of: float = 1.0) -> dict[str, Any]:
        """An answer computed elsewhere.

        Args:
            of: the part of the job that it is.
        """
        snapshot = replayed(self.store, d)
        demand_columns(snapshot, d.method, d.spec)
        wanted = set(needs(snapshot, d.method, d.spec).columns)
        places = [i for i, c in enumerate(snapshot.columns) if c.name in wanted]
        columns = [snapshot.columns[i].model_dump(mode="json") for i in places]
        *cells, rows = self.there([*(snapshot.hashes[i] for i in places), snapshot.rows_hash])
        if job.stop_asked:
            raise Stopped
        topic, about = f"yavik-{job.id}", snapshot.about.model_dump(mode="json")
        self.client.subscribe_topic(topic, lambda told: job.tell(**_scaled(told[1], of)))
        try:
            asked = self.client.submit(ask_far, topic, d.method, d.spec, columns, cells, rows, about, pure=False)
            self._futures[job.id] = asked
            found = asked.result()
        finally:
            self._free(job, topic)
        if "problem" in found:
            raise problem_from(found["problem"])
        if "stopped" in found:
            raise Stopped
        key, base = answer_key(snapshot, d.method, d.spec), answer_base(snapshot, d.method, d.spec)
        self.store.keep_result(key, found["answer"], d.item, base, REVISION)
        return {"key": key}

    def there(self, hashes: list[str]) -> list[Any]:
        """Columns as they lie on the engine, sent where they do not yet."""
        with self._lock:
            lacking = [h for h in dict.fromkeys(hashes) if h not in self._columns or self._columns[h][0].cancelled()]
            for h, data in self.store.cells.packed(lacking).items():
                self._columns[h] = (self.client.scatter(data, hash=False), len(data))
            for h in hashes:
                self._columns.move_to_end(h)
            found = [self._columns[h][0] for h in hashes]
            while sum(size for _, size in self._columns.values()) > self.most and len(self._columns) > len(
                set(hashes)
            ):
                self._columns.popitem(last=False)  # with its last reference here it goes there
        return found

    def _free(self, job: Job, topic: str) -> None:
        self.client.unsubscribe_topic(topic)
        future = self._futures.pop(job.id, None)
        if future is not None:
            future.release()

    def stop(self, job: Job) -> None:
        """Stops a job that runs elsewhere, or waits there for its turn."""
        from distributed import Event

        job.stop_asked = True
        future = self._futures.get(job.id)
        if future is not None:
            Event(f"yavik-{job.id}", client=self.client).set()  # type: ignore[no-untyped-call]
            future.cancel()

    def close(self) -> None:
        """Lets go of the other engine, and of what lies there."""
        self._columns.clear()
        self.client.close()


def _scaled(told: dict[str, Any], of: float) -> dict[str, Any]:
    return {**told, "part": told["part"] * of} if "part" in told else told


def ask_far(
    topic: str, method: str, spec: dict[str, Any], columns: list[dict[str, Any]], cells: list[bytes], rows: bytes,
    about: dict[str, Any],
) -> dict[str, Any]:  # fmt: skip
    """What runs on a far worker: an answer from bytes, telling how far it is and looking whether it is to stop."""
    from distributed import Event, get_worker

    worker: Any = get_worker()
    stop: Any = Event(topic)  # type: ignore[no-untyped-call]
    looked, told = time.monotonic(), 0.0

    def stopped() -> bool:
        nonlocal looked
        if time.monotonic() - looked < LOOK_SECONDS:
            return False
        looked = time.monotonic()
        return bool(stop.is_set())

    def report(part: float, what: str) -> None:
        nonlocal told
        if time.monotonic() - told > LOOK_SECONDS / 2:
            told = time.monotonic()
            worker.log_event(topic, {"part": part, "what": what})

    def say(spans: list[Span]) -> None:
        worker.log_event(topic, {"said": [s.model_dump() for s in spans]})

    try:
        with spreading(over_workers):
            return ask_pure(method, spec, columns, cells, rows, about, Run(report, stopped, say=say))
    except Stopped:
        return {"stopped": True}


def over_workers(parts: Sequence[Part]) -> Parts:
    """Parts of one answer on all workers of the cluster, some shares for each so that none waits long for the last.
    The worker that asks takes part: while it waits, its place is another task's."""
    from distributed import worker_client

    with worker_client() as client:
        shares = min(len(parts), SHARES * max(1, len(client.scheduler_info()["workers"])))
        begun = [client.submit(_made, parts[k::shares], pure=False) for k in range(shares)]
        try:
            for i in range(len(parts)):
                yield begun[i % shares].result()[i // shares]
        finally:
            client.cancel(begun)


def _made(parts: Sequence[Part]) -> list[Any]:
    return [part() for part in parts]
