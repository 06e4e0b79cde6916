"""A design as a picture: units within units, each level with its count and with what changes there."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from yavik.core.answers.wording import listing
from yavik.core.figures.plots import Drawn, frame
from yavik.core.figures.style import MUTED, colour

ROW = 50
MOST_BOXES = 12


@dataclass(frozen=True)
class LevelOfUnits:
    """One level of a design.

    Args:
        count: '6 halls'. each: how many of the level below a unit has, '3 in each'; empty for the last.
        changes: what changes from unit to unit here: terms in words.
        boxes: units, for the drawing; never more than a dozen are drawn.
    """

    count: str
    each: str
    changes: str
    boxes: int


def hierarchy(levels: Sequence[LevelOfUnits], width: int = 330) -> Drawn:
    """A row of boxes for each level, the widest units on top."""
    boxes: list[dict[str, Any]] = []
    words: list[dict[str, Any]] = []
    for row, level in enumerate(levels):
        n = max(1, min(level.boxes, MOST_BOXES * (row + 1)))
        gap = min(4.0, 0.2 * width / n)
        size = (width - gap * (n - 1)) / n
        for i in range(n):
            x = i * (size + gap)
            boxes.append({"x": x, "x2": x + size, "y": row * ROW + 20, "y2": row * ROW + 34, "level": level.count})
        words.append({"x": 0, "y": row * ROW + 11, "said": level.count, "what": "level"})
        if level.changes:
            words.append({"x": width, "y": row * ROW + 11, "said": level.changes, "what": "changes"})
        if level.each:
            words.append({"x": 0, "y": row * ROW + 44, "said": level.each, "what": "each"})
    height = ROW * len(levels) - 12
    axis: dict[str, Any] = {"type": "quantitative", "axis": None}
    across, down = (
        {**axis, "scale": {"domain": [0, width], "nice": False}},
        {**axis, "scale": {"domain": [height, 0], "nice": False}},
    )

    def text(what: str, align: str, **more: Any) -> dict[str, Any]:
        """The words of one kind."""
        mark = {"type": "text", "align": align, "baseline": "middle", "fontSize": 10.5, "limit": width * 0.62, **more}
        encoding = {"x": {"field": "x", **across}, "y": {"field": "y", **down}, "text": {"field": "said"}}
        return {"data": {"values": [w for w in words if w["what"] == what]}, "mark": mark, "encoding": encoding}

    layers: list[dict[str, Any]] = [
        {
            "data": {"values": boxes},
            "mark": {"type": "rect", "color": colour(0), "opacity": 0.28, "stroke": colour(0), "strokeWidth": 0.7},
            "encoding": {
                "x": {"field": "x", **across}, "x2": {"field": "x2"},
                "y": {"field": "y", **down}, "y2": {"field": "y2"},
            },
        },
        text("level", "left", fontWeight="bold"),
        text("changes", "right"),
        text("each", "left", color=MUTED, fontSize=9.5),
    ]  # fmt: skip
    said = [f"{x.count}{f', {x.each}' if x.each else ''}{f' ({x.changes})' if x.changes else ''}" for x in levels]
    return frame({"layer": layers, "view": {"stroke": None}}, f"The design: {listing(said, 6)}.", width, height)
