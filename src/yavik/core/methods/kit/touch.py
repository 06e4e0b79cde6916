"""Touch: what of an answer can be moved or clicked to change its question. A method declares it; the interface does it.

``handle`` puts a line on a picture, ``pick`` makes a table's rows clickable and ``points`` a picture's points,
``taken`` offers small pictures to choose from, ``tabs`` shows parts one at a time.
"""

from collections.abc import Sequence
from typing import Any, Literal

import numpy as np

from yavik.core.answers.answer import Change, FigureBlock, Handle, Pick, Rename, Tab, TableBlock

STEPS = 200
"""About how many places a handle has from one end to the other."""


def handle(
    picture: FigureBlock, field: str, title: str, at: float, ends: tuple[float, float], *, key: str | None = None,
    axis: Literal["x", "y"] = "x", words: str = "", unit: str = "", decimals: int | None = None,
) -> FigureBlock:  # fmt: skip
    """The picture with a line across one of its axes, which sets a number of the spec.

    Args:
        field: of the spec; key: its entry, where it holds a number for each of several names.
        ends: how far the line may be moved, in the axis' numbers.
        decimals: that the number is told with; as many as the line's steps need unless given.
    """
    low, high = sorted(map(float, ends))
    if not np.isfinite([at, low, high]).all() or high <= low:
        return picture
    step = step_of(low, high)
    shown = max(0, -int(np.floor(np.log10(step) + 1e-9)))
    if decimals is not None and decimals < shown:
        step, shown = 10.0**-decimals, decimals
    made = Handle(
        field=field,
        key=key,
        axis=axis,
        title=title,
        words=words,
        at=float(at),
        low=low,
        high=high,
        step=step,
        decimals=shown,
        unit=unit,
    )
    return picture.model_copy(update={"handles": [*picture.handles, made]})


def step_of(low: float, high: float) -> float:
    """A round step: 1, 2 or 5 times a power of ten, of which about two hundred lie between the ends."""
    rough = (high - low) / STEPS
    power = 10.0 ** np.floor(np.log10(rough))
    return float(next(m * power for m in (1.0, 2.0, 5.0, 10.0) if m * power >= rough * (1 - 1e-9)))


def pick(table: TableBlock, field: str, key: str, title: str, most: int = 0) -> TableBlock:
    """The table with rows that are clicked to put their value under ``key`` into a list of the spec, or out of it."""
    return table.model_copy(update={"pick": Pick(field=field, key=key, title=title, most=most)})


def choose(table: TableBlock, field: str, key: str, title: str) -> TableBlock:
    """The table with rows that are clicked to make their value under ``key`` that of a field of the spec."""
    return table.model_copy(update={"pick": Pick(field=field, key=key, title=title, single=True)})


def rename(table: TableBlock, field: str, key: str, title: str, rows: int) -> TableBlock:
    """The table with names in its first cells that are changed in place: ``field`` holds them by the value under
    ``key``."""
    return table.model_copy(update={"rename": Rename(field=field, key=key, title=title, rows=rows)})


def points(picture: FigureBlock, field: str, key: str, title: str, most: int) -> FigureBlock:
    """The picture with points that are clicked to put their value under ``key`` into a list of the spec, ``most`` of
    them."""
    return picture.model_copy(update={"pick": Pick(field=field, key=key, title=title, most=most)})


def taken(picture: FigureBlock, label: str, spec: dict[str, Any], now: bool) -> FigureBlock:
    """The picture as one of several that stand side by side, a click on which sets fields of the spec."""
    return picture.model_copy(update={"takes": Change(label=label, spec=spec, now=now)})


def offering(picture: FigureBlock, changes: Sequence[Change]) -> FigureBlock:
    """The picture with clicks under it that set fields of the spec."""
    return picture.model_copy(update={"changes": list(changes)})


def opening(
    table: TableBlock, specs: Sequence[dict[str, Any] | None], method: str | None = None, adds: bool = False
) -> TableBlock:
    """The table with rows that are clicked to ask what they answer as a question of its own, of another method where
    one is given; ``adds``: the answer's columns are added to the table first."""
    return table.model_copy(update={"opens": list(specs), "opens_as": method, "opens_adds": adds})


def tabs(
    group: str, parts: Sequence[tuple[str, Sequence[TableBlock | FigureBlock]]]
) -> list[TableBlock | FigureBlock]:
    """Blocks of several parts, each part under a tab of its own; a single part has none."""
    if len(parts) == 1:
        return list(parts[0][1])
    return [
        block.model_copy(update={"tab": Tab(group=group, title=title)}) for title, blocks in parts for block in blocks
    ]
