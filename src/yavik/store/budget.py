"""One memory budget for the whole program: what the server and its workers may hold between two pieces of work, and
what one piece of work may take."""

import os
from contextlib import suppress

from yavik.core.files.room import available

SETTING = "YAVIK_MEMORY"
"""In GB; half of what is free where it is not set."""
UNKNOWN = 4 << 30
LEAST = 256 << 20
OF_THE_SERVER = 0.5
"""The server's part of what may be held; the workers share the rest, which is little: they begin anew each time."""


def total() -> int:
    """Bytes that the whole program may use."""
    with suppress(ValueError):
        return max(LEAST, int(float(os.environ.get(SETTING, "")) * 1e9))
    return max(LEAST, (available() or UNKNOWN) // 2)


def of_the_server(whole: int) -> int:
    """Bytes that the server may keep in memory of tables."""
    return int(whole * OF_THE_SERVER / 2)


def of_a_worker(whole: int, workers: int) -> int:
    """Bytes that each worker may keep in memory of tables."""
    return int(whole * (1 - OF_THE_SERVER) / 2 / max(1, workers))


def of_work(whole: int) -> int | None:
    """Bytes that one piece of work may take: the budget, or what is free where that is less."""
    free = available()
    return whole if free is None else min(free, whole)
