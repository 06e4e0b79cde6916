"""Answers: what a method says, in words, numbers, pictures and checks."""

from yavik.core.answers.answer import (
    Answer,
    Block,
    Cell,
    Check,
    FigureBlock,
    FittedLine,
    Head,
    Marks,
    NoteBlock,
    PairMark,
    Remedy,
    RowsUsed,
    Span,
    TableBlock,
    ValueMark,
    Verdict,
)

__all__ = [
    "Answer",
    "Block",
    "Cell",
    "Check",
    "FigureBlock",
    "FittedLine",
    "Head",
    "Marks",
    "NoteBlock",
    "PairMark",
    "Remedy",
    "RowsUsed",
    "Span",
    "TableBlock",
    "ValueMark",
    "Verdict",
]
