"""Widths of a table's columns on the page, one place for every kind of file that has pages."""

from yavik.core.answers import TableBlock

TEXT_MM = 160.0
TEXT_HIGH_MM = 205.0
"""Room for a figure with its caption on a page of its own."""


def column_widths(block: TableBlock, full: float = TEXT_MM, usual: float = 9.5) -> tuple[list[float], float]:
    """Widths in mm that fill the text, and the type size in pt: numbers are never broken, words may be.

    A table that is too wide at 9.5 pt is set at 7 pt; what is still too much is taken from the columns of words.
    """
    for size in (usual, 8.0, 7.0):
        mm = 0.5 * size * 25.4 / 72
        wide = [(_longest(block, i) + 0.8) * mm + 2.2 for i in range(len(block.columns))]
        if sum(wide) <= full:
            break
    words = [i for i, h in enumerate(block.columns) if h.align == "left"]
    over = sum(wide) - full
    if over > 0 and words:
        room = max(18.0 * len(words), sum(wide[i] for i in words) - over)
        share = room / sum(wide[i] for i in words)
        wide = [w * share if i in words else w for i, w in enumerate(wide)]
    return [w * full / sum(wide) for w in wide], size


def _longest(block: TableBlock, index: int) -> int:
    """Characters of the longest cell, and of the longest word of a heading over numbers (which may be broken)."""
    head = block.columns[index]
    title = len(head.title) if head.align == "left" else max(map(len, head.title.split()), default=0)
    return max(title, 3, *(max(map(len, row[head.key].lines)) if head.key in row else 0 for row in block.rows))


def fitted_mm(width: float, ratio: float, full: float = TEXT_MM) -> float:
    """Width at which a picture of this height over width stands on the page."""
    return min(width, full, TEXT_HIGH_MM / ratio if ratio > 0 else full)
