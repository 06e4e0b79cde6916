"""Figures: a typed description, drawn as Vega-Lite and rendered to images."""

from yavik.core.figures.describe import Figure, Look
from yavik.core.figures.draw import Drawing, Lent, answer_figure, draw, draw_figure, is_ready, reads

__all__ = ["Drawing", "Figure", "Lent", "Look", "answer_figure", "draw", "draw_figure", "is_ready", "reads"]
