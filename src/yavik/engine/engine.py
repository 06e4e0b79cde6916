"""One thing: submit a description, get a job with progress, stop and result."""

import os
import threading
from collections import OrderedDict
from collections.abc import Callable
from time import monotonic
from typing import Any, TypeVar

from yavik.core.methods import Run
from yavik.core.table.problem import Stopped
from yavik.engine.jobs import Job
from yavik.engine.pool import Pool, size_for
from yavik.engine.remote import Remote
from yavik.engine.tasks import Description, carry_out
from yavik.store import Store

Done = TypeVar("Done")
SMALL_CELLS = 60_000
"""Rows × columns up to which an answer takes well under 50 ms."""
REMEMBERED = 200
PATIENCE = 0.8
"""Seconds after which work that looked small is begun again in a worker, where it is told of and can be stopped."""


class Engine:
    """
    Args:
        workers: processes for work that is not small; None for as many as cores, at most four.
        address: of a distributed engine for answers, where there is one.
        patience: seconds that work may take in a request.
        warm: begin the processes at once, not with the first work for them.
    """

    def __init__(
        self, store: Store, workers: int | None = None, address: str | None = None, patience: float = PATIENCE,
        warm: bool = True,
    ) -> None:  # fmt: skip
        self.store, self.patience = store, patience
        self.pool = Pool(store.folder, size_for(os.cpu_count() or 1) if workers is None else workers, warm)
        self.remote = Remote(address, store) if address else None
        self.jobs: OrderedDict[str, Job] = OrderedDict()
        self._lock = threading.Lock()

    def submit(self, description: Description, title: str, study_id: str = "", item_id: str | None = None) -> Job:
        """Starts a description, unless it is under way for its item; what else the item waited for is stopped, for it
        would be old."""
        job = Job(title, description, study_id, item_id)
        with self._lock:
            for old in [j for j in self.jobs.values() if item_id and j.item_id == item_id and not j.ended]:
                if old.description == description and not old.stop_asked:
                    return old
                self.stop(old)
            self.jobs[job.id] = job
            while len(self.jobs) > REMEMBERED:
                self.jobs.popitem(last=False)
        if self.remote and self.remote.takes(description):
            self.remote.submit(job, self.pool.submit)
        else:
            self.pool.submit(job)
        return job

    def do(self, description: Description) -> dict[str, Any]:
        """Small work, in this thread. Raises DataProblem."""
        return carry_out(self.store, description, Run())

    def in_time(self, work: Callable[[Run], Done]) -> Done | None:
        """Work that looks small, in this thread; None where it turned out long and is to be submitted. Raises
        DataProblem."""
        began = monotonic()
        try:
            return work(Run(stopped=lambda: monotonic() - began > self.patience))
        except Stopped:
            return None

    def stop(self, job: Job) -> None:
        """Stops a job, wherever it runs."""
        if self.remote:
            self.remote.stop(job)
        self.pool.stop(job)

    def small(self, rows: int, columns: int) -> bool:
        """Whether work is little enough for the request."""
        return rows * max(1, columns) <= SMALL_CELLS

    def busy(self) -> bool:
        """Whether anything is being worked out or waits for its turn."""
        with self._lock:
            return any(not job.ended for job in self.jobs.values())

    def close(self) -> None:
        """Ends the workers."""
        self.pool.close()
        if self.remote:
            self.remote.close()
