"""A method's page, written in Markdown beside it."""

import re
from pathlib import Path

from yavik.core.methods.base import Page

SECTIONS = ("What it assumes", "Formulas", "How to read it", "Conventions", "References")
NAMED = re.compile(r"\*\*(.+?)\*\*: (.+)")


def read_page(module: str) -> Page:
    """The page of a method: ``page.md`` in its folder, or the file of its own name.

    It begins with what the method answers; then come the sections, in their order, as lists. Formulas and what is
    read
    are named: ``- **Welch**: t = …``.

    Args:
        module: the ``__file__`` of the method.

    Raises:
        ValueError: for a page that lacks a section, or a line that is none of its list.
    """
    own = Path(module)
    path = own.with_name("page.md") if own.name == "method.py" else own.with_suffix(".md")
    answers, *parts = re.split(r"^## (.+)$", path.read_text(encoding="utf-8"), flags=re.MULTILINE)
    if tuple(parts[::2]) != SECTIONS:
        raise ValueError(f"{path.name} needs the sections {', '.join(SECTIONS)}, in this order.")
    assumes, formulas, reading, conventions, references = (_list(path, text) for text in parts[1::2])
    return Page(answers.strip(), assumes, _named(path, formulas), _named(path, reading), conventions, references)


def _list(path: Path, text: str) -> list[str]:
    lines = [line for line in text.splitlines() if line.strip()]
    wrong = next((line for line in lines if not line.startswith("- ")), None)
    if wrong:
        raise ValueError(f"{path.name}: '{wrong[:60]}' begins no entry of a list.")
    return [line[2:].strip() for line in lines]


def _named(path: Path, entries: list[str]) -> list[tuple[str, str]]:
    found = [(entry, NAMED.fullmatch(entry)) for entry in entries]
    wrong = next((entry for entry, match in found if match is None), None)
    if wrong:
        raise ValueError(f"{path.name}: '{wrong[:60]}' has no name in front.")
    return [(match[1], match[2]) for _, match in found if match]
