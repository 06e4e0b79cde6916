"""A question as its sentence reads with its slots filled."""

import re
from typing import Any

from yavik.core.answers.wording import listing
from yavik.core.methods.registry import get
from yavik.core.table import Column

SLOT = re.compile(r"\{(\w+)\}")
ASIDE = re.compile(r"(, [^,{}]*|(?<=\}) (?:and|by|for|with) )\{(\w+)\}[^,{}?.]*")


def asked_words(method: str, layout: str, spec: dict[str, Any], columns: list[Column]) -> str:
    """'Does minutes read differ between reading room?': clauses whose slot is empty are left out."""
    m = get(method)
    sentence = next((x.sentence for x in m.layouts if x.id == layout), m.layouts[0].sentence)
    titles = {c.name: c.title for c in columns}
    sentence = ASIDE.sub(lambda found: found[0] if _filled(spec.get(found[2])) else "", sentence)
    return SLOT.sub(lambda found: _words(spec.get(found[1]), titles), sentence)


def _block(names: list[str], titles: dict[str, str]) -> str:
    """Many columns: a block that stands together in the table by its ends, wordings where they are short."""
    order = list(titles)
    first = order.index(names[0])
    if order[first : first + len(names)] == names:
        return f"{names[0]} to {names[-1]} ({len(names)} columns)"
    words = [_words(n, titles) for n in names]
    return listing(words if sum(map(len, words)) < 120 else names, 8)


def _filled(value: Any) -> bool:
    return value not in (None, "", [], {})


def _words(value: Any, titles: dict[str, str]) -> str:
    if isinstance(value, list):
        if len(value) > 4 and all(isinstance(v, str) and v in titles for v in value):
            return _block(value, titles)
        return listing([_words(v, titles) for v in value], 8)
    if isinstance(value, dict):
        return str(value.get("label") or value.get("name") or "what was typed in")
    text = "…" if value is None else str(value)
    whole = titles.get(text)
    if whole is None:
        for name, title in titles.items():  # terms such as minutes^2
            text = (
                re.sub(rf"(?<![\w]){re.escape(name)}(?![\w])", title.replace("\\", "\\\\"), text)
                if name in text
                else text
            )
        return text.replace("^2", "²").replace("^3", "³").replace("*", " × ")
    return whole[0].lower() + whole[1:] if whole[:1].isupper() and whole[1:2].islower() else whole
