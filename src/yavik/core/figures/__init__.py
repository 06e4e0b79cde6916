"""Figures: a typed description, drawn as Vega-Lite and rendered to images."""

from yavik.core.figures.describe import Figure
from yavik.core.figures.draw import Drawing, draw

__all__ = ["Drawing", "Figure", "draw"]
