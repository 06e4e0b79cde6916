"""Names beside points that cover neither one another nor the points: the first free place of eight around each."""

from collections.abc import Sequence
from typing import Any

import numpy as np

PLACES = (
    (0.0, -1.0), (0.0, 1.0), (1.0, 0.0), (-1.0, 0.0), (1.0, -1.0), (-1.0, -1.0), (1.0, 1.0), (-1.0, 1.0),
)  # fmt: skip
"""Above, below, to the right, to the left, and the corners."""
LETTER, GAP, DOT = 0.55, 3.0, 4.0
"""Width of a letter by its height, pixels between a point and its name, and half a point."""


def names_apart(at: Any, names: Sequence[str], size: float, room: tuple[float, float]) -> list[int]:
    """Points that have room for their name keep it.

    Args:
        at: of each point in pixels from the upper left corner, shape (n, 2). size: height of letters, in pixels.
        room: width and height of the picture.

    Returns:
        Of each name its place among ``PLACES``, or −1 where it would cover something: those of a crowd are left out.
    """
    boxes: Any = np.column_stack([at - DOT, at + DOT])
    out = []
    for i, name in enumerate(names):
        if not name:
            out.append(-1)
            continue
        half = (len(name) * size * LETTER / 2, size / 2)
        out.append(-1)
        others = np.delete(boxes, i, axis=0) if i < len(at) else boxes
        for k, (a, b) in enumerate(PLACES):
            box = _box(at[i], half, a, b)
            if box[0] < 0 or box[1] < 0 or box[2] > room[0] or box[3] > room[1]:
                continue
            if not _covers(box, others):
                out[-1] = k
                boxes = np.vstack([boxes, box])
                break
    return out


def offset(place: int, letters: int, size: float) -> tuple[float, float]:
    """Pixels from a point to the middle of its name."""
    a, b = PLACES[place]
    return a * (DOT + GAP + letters * size * LETTER / 2), b * (DOT + GAP / 2 + size / 2)


def _box(point: Any, half: tuple[float, float], a: float, b: float) -> Any:
    middle = point + np.array([a * (DOT + GAP + half[0]), b * (DOT + GAP / 2 + half[1])])
    return np.array([middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1]])


def _covers(box: Any, others: Any) -> bool:
    apart = (
        (others[:, 0] >= box[2]) | (others[:, 2] <= box[0]) | (others[:, 1] >= box[3]) | (others[:, 3] <= box[1])
    )  # fmt: skip
    return not bool(apart.all())
