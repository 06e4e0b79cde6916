"""Widths of a table's columns on the page, one place for every kind of file that has pages."""

from yavik.core.answers import TableBlock

TEXT_MM = 160.0
TEXT_HIGH_MM = 205.0
"""Room for a figure with its caption on a page of its own."""


def column_widths(block: TableBlock, full: float = TEXT_MM, usual: float = 9.5) -> tuple[list[float], float]:
    """Widths in mm that fill the text, and the type size in pt: numbers are never broken, words may be between words.

    A table that is too wide at its usual size is set smaller, down to 7 pt; what is still too much is taken from the
    columns of words, from each as much as it can give before a word of its own would break.
    """
    columns = range(len(block.columns))
    for size in (usual, 8.0, 7.0):
        mm = 0.5 * size * 25.4 / 72
        wide = [(_longest(block, i) + 0.8) * mm + 2.2 for i in columns]
        if sum(wide) <= full:
            break
    over = sum(wide) - full
    if over > 0:
        least = [
            min(w, (_longest_word(block, i) + 0.8) * mm + 2.2) if block.columns[i].align == "left" else w
            for i, w in enumerate(wide)
        ]
        spare = [w - m for w, m in zip(wide, least, strict=True)]
        share = min(1.0, over / sum(spare)) if sum(spare) > 0 else 0.0
        wide = [w - share * s for w, s in zip(wide, spare, strict=True)]
    return [w * full / sum(wide) for w in wide], size


def _longest(block: TableBlock, index: int) -> int:
    """Characters of the longest cell, and of the longest word of a heading over numbers (which may be broken)."""
    head = block.columns[index]
    title = len(head.title) if head.align == "left" else max(map(len, head.title.split()), default=0)
    return max(title, 3, *(max(map(len, row[head.key].lines)) if head.key in row else 0 for row in block.rows))


LONGEST_WORD = 24
"""Beyond, a word is broken wherever it stands."""


def _longest_word(block: TableBlock, index: int) -> int:
    head = block.columns[index]
    cells = [head.title, *(line for row in block.rows if head.key in row for line in row[head.key].lines)]
    return max(3, min(LONGEST_WORD, max((len(w) for c in cells for w in c.split()), default=3)))


def fitted_mm(width: float, ratio: float, full: float = TEXT_MM) -> float:
    """Width at which a picture of this height over width stands on the page."""
    return min(width, full, TEXT_HIGH_MM / ratio if ratio > 0 else full)
