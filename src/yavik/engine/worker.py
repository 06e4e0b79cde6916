"""What runs in a worker process: imports everything once, then carries out descriptions one at a time."""

import multiprocessing
import os
import threading
import traceback
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

NO_ROOM = (
    "This takes more memory than is free. Close other programs, or take fewer rows or columns; "
    "of a large file, bring it as CSV or Parquet. Nothing was changed."
)


def _end_with_the_server() -> None:
    """However the server ends, in the middle of a job too: nobody would take what this process works out."""
    server = multiprocessing.parent_process()
    if server is not None:
        server.join()
        os._exit(1)


def main(connection: Connection, folder: str, budget: int, workers: int) -> None:
    """Reads (job id, description) and answers with ('progress' | 'shown' | 'said' | 'done' | 'problem' | 'failed', …)
    until the pipe ends."""
    threading.Thread(target=_end_with_the_server, daemon=True).start()
    if hasattr(os, "nice"):
        os.nice(5)  # whoever clicks comes before what is worked out beside it
    os.environ.setdefault("OMP_NUM_THREADS", "1")  # skinny products are quicker on one BLAS thread
    import pyarrow as pa
    from pydantic import TypeAdapter

    from yavik.core.apart.forking import over_processes
    from yavik.core.apart.memory import bounded, give_back, hold_on
    from yavik.core.methods import Run, methods
    from yavik.core.stats.in_parts import spreading
    from yavik.core.table import DataProblem
    from yavik.engine.problems import problem_data
    from yavik.engine.tasks import Described, carry_out
    from yavik.store import Store
    from yavik.store.budget import of_a_worker, of_work

    hold_on()
    store = Store(Path(folder), upgrade=False, memory=of_a_worker(budget, workers))
    adapter: TypeAdapter[Any] = TypeAdapter(Described)
    methods()
    connection.send(("ready", None))
    while True:
        try:
            data = connection.recv()
        except (EOFError, OSError):
            return
        run = Run(
            report=lambda part, what: connection.send(("progress", (part, what))),
            show=lambda drawing: connection.send(("shown", drawing)),
            say=lambda spans: connection.send(("said", [s.model_dump() for s in spans])),
        )
        try:
            store.follow()
            with bounded(of_work(budget)), spreading(over_processes(os.cpu_count() or 1)):
                done = carry_out(store, adapter.validate_python(data), run)
            connection.send(("done", done))
        except DataProblem as problem:
            connection.send(("problem", problem_data(problem)))
        except MemoryError:
            connection.send(("problem", problem_data(DataProblem(NO_ROOM))))
        except Exception:  # noqa: BLE001 - whatever goes wrong in a job must reach its watcher, not end the worker
            connection.send(("failed", traceback.format_exc()))
        store.rest()
        pa.default_memory_pool().release_unused()
        give_back()
