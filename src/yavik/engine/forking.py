"""Parts of one answer in processes of their own, on this machine.

A fork has all that its parent has at the moment it begins, so that nothing is sent to it: neither data nor code. Only
processes that do nothing else may be forked: a worker, the command line; never the server.
"""

import multiprocessing
import os
import threading
import time
from collections.abc import Sequence
from functools import partial
from multiprocessing.connection import Connection
from typing import Any

from yavik.core.stats.in_parts import Part, Parts, Spread, in_turn

LOOK_SECONDS = 0.5
WORTH_SECONDS = 0.4
"""What the parts must take in all, by the first of them, to be spread: beginning processes takes a tenth itself."""


def over_processes(processes: int) -> Spread:
    """A runner of parts in so many processes; where these cannot be had, or are not worth it, one after the other."""
    if processes < 2 or "fork" not in multiprocessing.get_all_start_methods():
        return in_turn
    return partial(_spread, processes)


def _spread(processes: int, parts: Sequence[Part]) -> Parts:
    """The first part is made here: it tells whether the rest is worth processes, and what it makes for all parts (fits
    that are remembered, compiled tables) the others have from it."""
    began = time.monotonic()
    yield parts[0]()
    rest = parts[1:]
    if len(rest) < 2 or (time.monotonic() - began) * len(rest) < WORTH_SECONDS:
        yield from in_turn(rest)
        return
    count = min(processes, len(rest))
    context = multiprocessing.get_context("fork")
    hands: list[tuple[Any, Connection]] = []
    try:
        for k in range(count):
            ours, theirs = context.Pipe(duplex=False)
            hand = context.Process(target=_work, args=(theirs, rest[k::count], os.getpid()), daemon=True)
            hand.start()
            theirs.close()
            hands.append((hand, ours))
        for i in range(len(rest)):
            yield _result(hands[i % count][1])
    finally:
        for hand, ours in hands:
            ours.close()
            hand.terminate()
            hand.join()


def _result(pipe: Connection) -> Any:
    try:
        ended, value = pipe.recv()
    except EOFError:
        raise MemoryError("a process that made a part of the answer was ended by the system") from None
    if not ended:
        raise value
    return value


def _work(pipe: Connection, parts: Sequence[Part], parent: int) -> None:
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
    try:
        for part in parts:
            pipe.send((True, part()))
    except BaseException as trouble:  # noqa: BLE001 - whatever goes wrong is raised again where the parts are awaited
        pipe.send((False, trouble))


def _end_with(parent: int) -> None:
    """A worker that is stopped is ended at once; what it had begun beside itself ends soon after."""
    while os.getppid() == parent:
        time.sleep(LOOK_SECONDS)
    os._exit(1)
