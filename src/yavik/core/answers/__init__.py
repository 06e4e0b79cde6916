"""Answers: what a method says, in words, numbers, pictures and checks."""

from yavik.core.answers.answer import (
    Answer,
    Block,
    Cell,
    Check,
    FigureBlock,
    Head,
    Marks,
    NoteBlock,
    Remedy,
    RowsUsed,
    Span,
    TableBlock,
    Verdict,
)

__all__ = [
    "Answer",
    "Block",
    "Cell",
    "Check",
    "FigureBlock",
    "Head",
    "Marks",
    "NoteBlock",
    "Remedy",
    "RowsUsed",
    "Span",
    "TableBlock",
    "Verdict",
]
