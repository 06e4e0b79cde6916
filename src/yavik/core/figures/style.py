"""Colours, faces and sizes of figures: one place."""

from typing import Any

INK = "#2a3142"
MUTED = "#5f6677"
GRID = "#e3e3ea"
PALETTE = ("#7a3e8e", "#2a8194", "#c8871b", "#4d7fc4", "#b1493f")
"""The first five groups; safe for the common colour blindnesses in this order. Later groups change shape too."""
SHAPES = ("circle", "square", "triangle-up", "diamond")
FACE = "Commissioner"
PX_PER_MM = 96 / 25.4
PX_PER_PT = 96 / 72


def colour(index: int) -> str:
    """The colour of the group at a place."""
    return PALETTE[index % len(PALETTE)]


def shape(index: int) -> str:
    """The shape of the group at a place."""
    return SHAPES[index // len(PALETTE) % len(SHAPES)]


def config(type_pt: float, face: str = FACE, line_pt: float = 0.75, grid: bool = True) -> dict[str, Any]:
    """Faces, sizes and rules of a drawing."""
    size = round(type_pt * PX_PER_PT, 2)
    text = {"labelFont": face, "titleFont": face, "labelFontSize": size, "titleFontSize": size}
    line = round(line_pt * PX_PER_PT, 2)
    return {
        "font": face,
        "background": "transparent",
        "locale": {
            "number": {"decimal": ".", "thousands": "\u2009", "grouping": [3], "currency": ["", ""], "minus": "−"}
        },
        "view": {"stroke": None},
        "axis": {
            **text,
            "labelColor": INK,
            "titleColor": INK,
            "titleFontWeight": 600,
            "domainColor": INK,
            "tickColor": INK,
            "gridColor": GRID,
            **({} if grid else {"grid": False}),
            "domainWidth": line,
            "tickWidth": line,
            "gridWidth": line,
            "tickSize": 4,
            "labelPadding": 3,
            "titlePadding": 8,
        },
        "text": {"font": face, "fontSize": size, "color": INK},
        "legend": {**text, "labelColor": INK, "titleColor": INK, "titleFontWeight": 600},
    }
