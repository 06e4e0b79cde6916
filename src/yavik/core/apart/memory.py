"""No work may take more memory than is free: it ends with a sentence, not with the machine."""

import resource
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PAGE = resource.getpagesize()


def held() -> int:
    """Bytes of address space that this process has."""
    return int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * PAGE


@contextmanager
def bounded(free: int | None) -> Iterator[None]:
    """What is done inside may take ``free`` bytes more than there are now; beyond, MemoryError is raised.

    Only for a process that does one thing at a time, since the bound is the whole process's. Nothing is bounded where
    the system does not tell what is free.
    """
    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    if free is None:
        yield
        return
    resource.setrlimit(resource.RLIMIT_AS, (held() + free if hard < 0 else min(held() + free, hard), hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_AS, (soft, hard))
