"""Work in parts that know nothing of one another: draws, starts, models side by side.

A method says what the parts are; where they are carried out is the runner's business. The results come in the order of
the parts, so the numbers are the same wherever they were made.
"""

from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

Part = Callable[[], Any]
Parts = Generator[Any, None, None]
Spread = Callable[[Sequence[Part]], Parts]


def in_turn(parts: Sequence[Part]) -> Parts:
    """One after the other, here."""
    for part in parts:
        yield part()


_runner: ContextVar[Spread] = ContextVar("runner", default=in_turn)


def spread(parts: Sequence[Part]) -> Parts:
    """The results of all parts, in their order; each as soon as it and those before it are there. To be closed
    (``contextlib.closing``), so that what was begun elsewhere ends where the work is stopped."""
    return _runner.get()(parts) if len(parts) > 1 else in_turn(parts)


@contextmanager
def spreading(runner: Spread) -> Iterator[None]:
    """Within it, parts are carried out by another runner."""
    before = _runner.set(runner)
    try:
        yield
    finally:
        _runner.reset(before)
