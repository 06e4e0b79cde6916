"""Yavik: prepare study data, ask it questions, draw the figures, print the report."""

__version__ = "0.1.0"
