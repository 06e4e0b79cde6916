"""What an answer lends to a figure: its own marks, and p for pairs from its table of pairs."""

from typing import Any

from yavik.core.answers.answer import Answer, Marks, PairMark, TableBlock
from yavik.core.answers.wording import italic, p_words, say


def lent_marks(answer: Answer) -> Marks:
    """The answer's marks; pairs are read from its table, or, of two groups, from the test itself."""
    marks = answer.marks
    if marks.pairs:
        return marks
    found, note = _from_pairs(_table(answer, "pairs"))
    if not found:
        found, note = _from_two(answer)
    return marks.model_copy(update={"pairs": found, "pairs_note": note})


def _table(answer: Answer, id: str) -> TableBlock | None:
    return next((b for b in answer.blocks if isinstance(b, TableBlock) and b.id == id), None)


def _from_pairs(table: TableBlock | None) -> tuple[list[PairMark], str]:
    found = []
    for row in table.rows if table else []:
        p = row.get("p_adjusted") or row.get("p")
        a, b = row.get("group_a"), row.get("group_b")
        if a and b and p and isinstance(p.v, int | float):
            found.append(_mark(str(a.v), str(b.v), float(p.v)))
    if not table or not found:
        return [], ""
    return found, f"Brackets show p by {table.by or table.title}."


def _from_two(answer: Answer) -> tuple[list[PairMark], str]:
    groups, p = _table(answer, "groups"), answer.facts.get("p")
    if groups is None or len(groups.rows) != 2 or not isinstance(p, int | float):
        return [], ""
    names: list[Any] = [row["group"].v for row in groups.rows if "group" in row]
    if len(names) != 2:
        return [], ""
    how = str(answer.facts.get("test_words", "")) or "the test of the answer"
    return [_mark(str(names[0]), str(names[1]), float(p))], f"The bracket shows p by {how}."


def _mark(a: str, b: str, p: float) -> PairMark:
    return PairMark(a=a, b=b, p=p, text=say(italic("p"), f" {p_words(p)}"))
