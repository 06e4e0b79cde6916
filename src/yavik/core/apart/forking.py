"""Parts of one answer in processes of their own, on this machine.

A fork has all that its parent has at the moment it begins, so that nothing is sent to it: neither data nor code. Only
processes that do nothing else may be forked: a worker, the command line; never the server.
"""

import os
import signal
import threading
import time
from collections.abc import Sequence
from functools import partial
from multiprocessing.connection import Connection, Pipe

from yavik.core.stats.in_parts import Part, Parts, Spread, in_turn

LOOK_SECONDS = 0.5
WORTH_SECONDS = 0.4
"""What the parts must take in all, by the first of them, to be spread: beginning processes takes a tenth itself."""


def over_processes(processes: int) -> Spread:
    """A runner of parts in so many processes; where these cannot be had, or are not worth it, one after the other."""
    if processes < 2 or not hasattr(os, "fork"):
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
    hands: list[tuple[int, Connection]] = []
    try:
        for k in range(count):
            hands.append(_begun(rest[k::count]))
        for i in range(len(rest)):
            yield _result(hands[i % count][1])
    finally:
        for hand, ours in hands:
            ours.close()
            os.kill(hand, signal.SIGKILL)  # one that has ended already waits to be taken note of
            os.waitpid(hand, 0)


def _begun(parts: Sequence[Part]) -> tuple[int, Connection]:
    """A process that makes these parts, and where it sends them."""
    ours, theirs = Pipe(duplex=False)
    parent = os.getpid()
    hand = os.fork()
    if hand == 0:
        try:
            _work(theirs, parts, parent)
        finally:
            os._exit(0)  # nothing of the parent's is to be ended by its copy
    theirs.close()
    return hand, ours


def _result(pipe: Connection) -> object:
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
