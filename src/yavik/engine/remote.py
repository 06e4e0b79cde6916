"""The same call on an existing distributed engine (Dask), for answers: data and description travel, JSON comes
back."""

import threading
from typing import Any

import pyarrow as pa

from yavik.core.table import DataProblem
from yavik.engine.jobs import Job, State
from yavik.engine.needs import REVISION, answer_base, answer_key, needs
from yavik.engine.tasks import Ask, ask_pure, demand_columns, problem_data, problem_from, replayed
from yavik.store import Store
from yavik.store.columns import pack


class Remote:
    """
    Args:
        address: of the scheduler; the package ``distributed`` must be installed here, and Yavik on the workers.
    """

    def __init__(self, address: str, store: Store) -> None:
        from distributed import Client

        self.client: Any = Client(address, set_as_default=False)  # type: ignore[no-untyped-call]
        self.store = store
        self._futures: dict[str, Any] = {}

    def submit(self, job: Job) -> None:
        """Carries a job out elsewhere."""
        threading.Thread(target=self._carry, args=(job,), daemon=True).start()

    def _carry(self, job: Job) -> None:
        try:
            job.tell(state=State.running, what="Sending to the engine")
            job.tell(state=State.done, part=1.0, what="Done", result=self.ask(job.description, job))
        except Exception as trouble:  # noqa: BLE001 - whatever goes wrong far away must reach the watcher
            self._ended_badly(job, trouble)

    def _ended_badly(self, job: Job, trouble: Exception) -> None:
        if job.stop_asked:
            job.tell(state=State.stopped, what="Stopped")
        elif isinstance(trouble, DataProblem):
            job.tell(state=State.problem, problem=problem_data(trouble), what=trouble.message)
        else:
            job.tell(state=State.failed, what=f"The distributed engine could not do it: {trouble}")

    def ask(self, d: Ask, job: Job) -> dict[str, Any]:
        """An answer computed elsewhere."""
        snapshot = replayed(self.store, d)
        demand_columns(snapshot, d.method, d.spec)
        table = self.store.versions.table(snapshot, needs(snapshot, d.method, d.spec).columns)
        cells = [bytes(pack(a)[1]) for a in table.arrays]
        rows = bytes(pack(pa.array(table.rows))[1])
        columns = [c.model_dump(mode="json") for c in table.columns]
        about = table.about.model_dump(mode="json")
        future = self.client.submit(ask_pure, d.method, d.spec, columns, cells, rows, about, pure=False)
        self._futures[job.id] = future
        found = future.result()
        if "problem" in found:
            raise problem_from(found["problem"])
        key = answer_key(snapshot, d.method, d.spec)
        base = answer_base(snapshot, d.method, d.spec)
        self.store.keep_result(key, found["answer"], d.item, base, REVISION)
        return {"key": key}

    def stop(self, job: Job) -> None:
        """Stops a job that runs elsewhere."""
        job.stop_asked = True
        future = self._futures.pop(job.id, None)
        if future is not None:
            future.cancel()

    def close(self) -> None:
        """Lets go of the other engine."""
        self.client.close()
