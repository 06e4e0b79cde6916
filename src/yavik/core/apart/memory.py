"""No work may take more memory than is free: it ends with a sentence, not with the machine. What one array leaves the
next one takes, and what no work needs is given back."""

import ctypes
import resource
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PAGE = resource.getpagesize()
TRIM_THRESHOLD, MMAP_THRESHOLD = -1, -3
"""What glibc's ``mallopt`` calls how much may lie free at the end, and from what size memory is asked of the system."""
MOST_LEFT, LARGE = 2**30, 2**25


def held() -> int:
    """Bytes of address space that this process has."""
    return int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * PAGE


def hold_on() -> None:
    """Keeps what arrays of less than 32 MB leave, for the next ones: the system hands memory out page by page and
    clears every page, which takes longer than adding the numbers that come to lie there. For processes that give it
    back between two pieces of work; does nothing where the C library is another one than glibc."""
    c = ctypes.CDLL(None)
    if hasattr(c, "mallopt") and hasattr(c, "malloc_trim"):
        c.mallopt(MMAP_THRESHOLD, LARGE)
        c.mallopt(TRIM_THRESHOLD, MOST_LEFT)


def give_back() -> None:
    """Gives the system what is free."""
    c = ctypes.CDLL(None)
    if hasattr(c, "malloc_trim"):
        c.malloc_trim(0)


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
