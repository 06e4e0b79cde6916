"""How a writer tells how far it is."""

from collections.abc import Callable

Tell = Callable[[float], None]
"""Called with the share that is done, 0 to 1."""


def silent(_share: float) -> None:
    """For callers that do not wait to hear."""
