"""Which columns of two tables may be the same: by name, by label, and by how alike these are."""

from difflib import SequenceMatcher

from pydantic import BaseModel

from yavik.core.table import Column

ALIKE = 0.72
"""Labels less alike than this are not suggested."""


class Likely(BaseModel):
    mine: str
    theirs: str | None
    why: str


def likely_matches(mine: list[Column], theirs: list[Column]) -> list[Likely]:
    """One suggestion for each column of mine; each of theirs is suggested once, the surest first."""
    found: dict[str, Likely] = {}
    used: set[str] = set()
    scored: list[tuple[float, str, str, str]] = []
    for a in mine:
        for b in theirs:
            score, why = _likeness(a, b)
            if score >= ALIKE:
                scored.append((score, a.name, b.name, why))
    for _score, own, other, why in sorted(scored, key=lambda s: -s[0]):
        if own not in found and other not in used:
            found[own] = Likely(mine=own, theirs=other, why=why)
            used.add(other)
    return [found.get(a.name, Likely(mine=a.name, theirs=None, why="in one only")) for a in mine]


def _likeness(a: Column, b: Column) -> tuple[float, str]:
    if a.name == b.name:
        return 3.0, "same name"
    if a.name.casefold() == b.name.casefold():
        return 2.5, "same name but for case"
    if a.label and b.label:
        if a.label.casefold() == b.label.casefold():
            return 2.0, "same label"
        score = SequenceMatcher(None, a.label.casefold(), b.label.casefold()).ratio()
        if score >= ALIKE:
            return score, f"labels {round(100 * score)}% alike"
    return 0.0, ""
