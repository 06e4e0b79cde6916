"""Figures: a typed description, drawn as Vega-Lite and rendered to images."""

from yavik.core.figures.describe import Figure, Look
from yavik.core.figures.draw import Drawing, Lent, answer_figure, draw, draw_figure, is_ready, reads
from yavik.core.figures.plot import Style

__all__ = ["Drawing", "Figure", "Lent", "Look", "Style", "answer_figure", "draw", "draw_figure", "is_ready", "reads"]
