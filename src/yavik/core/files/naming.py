"""Column names from a file: one line, never empty, never twice."""

import re
from collections.abc import Sequence
from typing import Any

from yavik.core.files.options import Notice


def unique_names(raw: Sequence[Any]) -> tuple[list[str], list[Notice]]:
    """Names as they can be used, with what had to be changed."""
    notices: list[Notice] = []
    names: list[str] = []
    taken: set[str] = set()
    for i, given in enumerate(raw):
        text = "" if given is None else str(given)
        name = re.sub(r"\s+", " ", text.replace("\ufeff", "").replace("`", "'").replace("\x00", "")).strip()
        if not name:
            name = f"column {i + 1}"
            notices.append(
                Notice(text=f"Column {i + 1} has no name in the file; it is called '{name}'.", column=name)
            )
        if name in taken:
            fresh = next(f"{name} ({k})" for k in range(2, len(raw) + 2) if f"{name} ({k})" not in taken)
            notices.append(
                Notice(
                    text=f"The name '{name}' stands twice in the file; the later one is called '{fresh}'.",
                    column=fresh,
                )
            )
            name = fresh
        taken.add(name)
        names.append(name)
    folded: dict[str, str] = {}
    for name in names:
        like = folded.setdefault(name.casefold(), name)
        if like != name:
            notices.append(Notice(text=f"The names '{like}' and '{name}' differ only by case.", column=name))
    return names, notices
