"""What is kept for a while because it is asked for again: the last few, by what they are of."""

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, Generic, TypeVar

import numpy as np

T = TypeVar("T")


class Kept(Generic[T]):
    """The last so many, made when they are not there; those asked for last stay longest."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._kept: OrderedDict[Hashable, T] = OrderedDict()

    def of(self, key: Hashable, make: Callable[[], T]) -> T:
        """What is kept under a key."""
        if key not in self._kept:
            self._kept[key] = make()
        self._kept.move_to_end(key)
        while len(self._kept) > self.most:
            self._kept.popitem(last=False)
        return self._kept[key]

    def clear(self) -> None:
        """Forgets everything."""
        self._kept.clear()


def content(*arrays: Any) -> bytes:
    """The same for the same numbers; None counts as nothing."""
    made = hashlib.blake2b(digest_size=16)
    for a in arrays:
        made.update(b"" if a is None else np.ascontiguousarray(a).tobytes())
    return made.digest()


def fingerprint(rows: Any) -> str:
    """The same for the same rows, by their numbers."""
    return hashlib.blake2b(np.ascontiguousarray(rows, np.int64).tobytes(), digest_size=8).hexdigest()
