"""How far work is, told to whoever waits for it."""

from collections.abc import Callable

Told = Callable[[float, str], None]
"""Progress: the part done, from 0 to 1, and what is being done. Raises where the work was stopped."""


def silent(_part: float, _what: str) -> None:
    """For those who wait in silence."""
