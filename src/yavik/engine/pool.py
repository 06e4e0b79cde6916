"""A pool of warm worker processes. A stopped job's process is ended and replaced."""

import logging
import multiprocessing
import queue
import threading
from multiprocessing.context import ForkServerContext, SpawnContext
from multiprocessing.process import BaseProcess
from pathlib import Path

from yavik.engine.jobs import Job, State
from yavik.engine.worker import main
from yavik.store.budget import total

LOOK_SECONDS = 1.0
"""Between two looks at an idle process."""
log = logging.getLogger("yavik.engine")


def _context() -> ForkServerContext | SpawnContext:
    """How workers begin: forked from a process that has loaded what they need, which takes a moment; elsewhere each
    loads it for itself, which takes seconds."""
    if "forkserver" not in multiprocessing.get_all_start_methods():
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["yavik.engine.loaded"])
    return context


class Worker:
    """One process and the thread that feeds it. Where it is not to be kept warm, it begins with its first job."""

    def __init__(self, folder: Path, jobs: "queue.Queue[Job | None]", budget: int, workers: int, warm: bool) -> None:
        self.folder, self.jobs, self.budget, self.workers = folder, jobs, budget, workers
        self.job: Job | None = None
        self.process: BaseProcess | None = None
        self.warm, self.torn = warm, False
        self.thread = threading.Thread(target=self._feed, daemon=True)
        self.thread.start()

    def _start(self) -> None:
        context = _context()
        self.pipe, theirs = context.Pipe()
        process = context.Process(
            target=main, args=(theirs, str(self.folder), self.budget, self.workers), daemon=True
        )
        process.start()
        theirs.close()
        self.process, self.torn = process, False

    def _feed(self) -> None:
        if self.warm:
            self._start()  # here, for it takes seconds where nothing is loaded yet
        while (job := self._next()) is not None:
            self.job = job  # from now on a stop ends the process
            try:
                self._carry(job)
            except (EOFError, OSError, BrokenPipeError):
                self._lost(job)
            self.job = None
        self.end()

    def _next(self) -> Job | None:
        """The next job; a process that died while it was idle is replaced before one comes."""
        while True:
            try:
                return self.jobs.get(timeout=LOOK_SECONDS)
            except queue.Empty:
                if self.process is not None and not self.process.is_alive():
                    if not self.torn:
                        log.warning("an idle worker ended (%s) and is replaced", self.process.exitcode)
                    self.end()
                    self._start()

    def _carry(self, job: Job) -> None:
        if self.torn:  # what was stopped had just ended, or not begun
            self.end()
            self._start()
        if not job.stop_asked:
            job.tell(state=State.running, what="Starting")
            if self.process is None:
                self._start()
        if job.stop_asked:  # while it waited, or while its process began
            return job.tell(state=State.stopped, what="Stopped before it began")
        self.pipe.send(job.description.model_dump(mode="json"))
        while True:
            kind, data = self.pipe.recv()
            if kind == "progress":
                job.tell(part=data[0], what=data[1])
            elif kind == "shown":
                job.tell(shown=data)
            elif kind == "said":
                job.tell(said=data)
            elif kind == "done":
                return job.tell(state=State.done, part=1.0, what="Done", result=data)
            elif kind == "problem":
                return job.tell(state=State.problem, problem=data, what=data["message"])
            elif kind == "failed":
                log.error("a job failed: %s", data)
                return job.tell(
                    state=State.failed,
                    what="Something went wrong inside Yavik; the log has the details. Nothing was changed.",
                )

    def _lost(self, job: Job) -> None:
        """The process is gone: stopped on purpose, or ended by the system. Either way a new one takes its place."""
        self.end()
        if job.stop_asked:
            job.tell(state=State.stopped, what="Stopped")
        else:
            job.tell(
                state=State.failed,
                what=(
                    "The process that did this work was ended by the system, perhaps for lack of memory. Nothing was"
                    " changed; try again."
                ),
            )
        self._start()

    def stop(self) -> None:
        """Ends what the process is doing, and the process with it."""
        if self.process is not None:
            self.torn = True
            self.process.terminate()

    def end(self) -> None:
        """Ends the process."""
        if self.process is not None:
            self.process.terminate()
            self.process.join(5)
            self.pipe.close()


class Pool:
    def __init__(self, folder: Path, size: int, warm: bool = True) -> None:
        budget = total()
        self.queue: queue.Queue[Job | None] = queue.Queue()
        self.workers = [Worker(folder, self.queue, budget, size, warm) for _ in range(size)]

    def submit(self, job: Job) -> None:
        """Puts a job into the queue."""
        self.queue.put(job)

    def stop(self, job: Job) -> None:
        """Stops a job; its process is replaced."""
        job.stop_asked = True
        for worker in self.workers:
            if worker.job is job:
                worker.stop()

    def close(self) -> None:
        """Ends all workers."""
        for _ in self.workers:
            self.queue.put(None)
        for worker in self.workers:
            if worker.job is not None:
                worker.job.stop_asked = True
                worker.stop()
        for worker in self.workers:
            worker.thread.join(5)

    def pids(self) -> list[int | None]:
        """Processes of the workers."""
        return [w.process.pid if w.process else None for w in self.workers]


def size_for(cores: int) -> int:
    """Workers for so many cores."""
    return max(1, min(4, cores))
