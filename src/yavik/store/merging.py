"""What two people changed in different places, put together: a merge of JSON descriptions by what both began with."""

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any

NOTHING = object()
"""Stands for a field that is not there."""
WORDS = re.compile(r"\s+|[^\s]+")
DECIDING = ("method", "kind", "step", "type")
"""Fields that decide what the others mean: where they differ, a description is one or the other, never a mixture."""
TEXT = "text"
"""The field of a report's words: inside it words are put together, not the whole."""


@dataclass(frozen=True)
class Place:
    """A place that both changed, each otherwise. None where one of them took it away."""

    path: tuple[str | int, ...]
    base: Any
    theirs: Any
    mine: Any


class Apart(Exception):
    """Both changed the same places.

    Args:
        places: where, with both.
        merged: both changes together, with mine at those places.
    """

    def __init__(self, places: list[Place], merged: Any) -> None:
        super().__init__("changed in two places at once")
        self.places, self.merged = places, merged


def merge(base: Any, theirs: Any, mine: Any) -> Any:
    """One description with both changes in it. Lists are merged by their elements: what both put in at one place
    stands there twice, theirs first. Raises Apart with every place that cannot be decided."""
    apart: list[Place] = []
    merged = _any(base, theirs, mine, (), apart)
    if apart:
        raise Apart(apart, merged)
    return merged


def _any(base: Any, theirs: Any, mine: Any, path: tuple[str | int, ...], apart: list[Place]) -> Any:
    if _same(theirs, mine) or _same(base, mine):
        return theirs
    if _same(base, theirs):
        return mine
    if isinstance(theirs, dict) and isinstance(mine, dict) and _alike(base, theirs, mine):
        return _fields(base if isinstance(base, dict) else {}, theirs, mine, path, apart)
    if isinstance(base, list) and isinstance(theirs, list) and isinstance(mine, list):
        return _elements(base, theirs, mine, path, apart)
    if path and path[-1] == TEXT and all(isinstance(x, str) for x in (base, theirs, mine)):
        return _words(base, theirs, mine, path, apart)
    apart.append(Place(path, *(None if x is NOTHING else x for x in (base, theirs, mine))))
    return mine


def _same(a: Any, b: Any) -> bool:
    return a is b or (a is not NOTHING and b is not NOTHING and _key(a) == _key(b))


def _alike(*found: Any) -> bool:
    known = [x for x in found if isinstance(x, dict)]
    return all(_same(x.get(n), known[0].get(n)) for n in DECIDING for x in known[1:])


def _key(value: Any) -> str:
    return json.dumps(value, sort_keys=True, default=str)


def _fields(
    base: dict[str, Any],
    theirs: dict[str, Any],
    mine: dict[str, Any],
    path: tuple[str | int, ...],
    apart: list[Place],
) -> dict[str, Any]:
    found = {}
    for name in dict.fromkeys([*theirs, *mine, *base]):
        b, t, m = (x.get(name, NOTHING) for x in (base, theirs, mine))
        one = _any(b, t, m, (*path, name), apart)
        if one is not NOTHING:
            found[name] = one
    return found


@dataclass(frozen=True)
class _Edit:
    """Elements ``first`` to ``last`` of the base became others."""

    first: int
    last: int
    now: list[Any]
    mine: bool


def _elements(
    base: list[Any], theirs: list[Any], mine: list[Any], path: tuple[str | int, ...], apart: list[Place]
) -> list[Any]:
    found: list[Any] = []
    at = 0
    for first, last, other, ours in _together(base, theirs, mine):
        found += base[at:first]
        at = last
        if ours is None or other is None or _same(ours, other):
            found += (ours if other is None else other) or []
        elif len(ours) == len(other) == last - first:
            found += [
                _any(b, t, m, (*path, first + i), apart)
                for i, (b, t, m) in enumerate(zip(base[first:last], other, ours, strict=True))
            ]
        elif first == last:
            found += [*other, *ours]
        else:
            apart.append(Place((*path, first), base[first:last], other, ours))
            found += ours
    return [*found, *base[at:]]


def _words(base: str, theirs: str, mine: str, path: tuple[str | int, ...], apart: list[Place]) -> str:
    """Words inside a text; where both wrote at one place they must have written the same, or one of them on."""
    b, t, m = (WORDS.findall(x) for x in (base, theirs, mine))
    found: list[str] = []
    at = 0
    for first, last, other, ours in _together(b, t, m):
        found += b[at:first]
        at = last
        if ours is None or (other is not None and ours == other[: len(ours)]):
            found += other or []
        elif other is None or other == ours[: len(other)]:
            found += ours
        else:
            apart.append(Place(path, base, theirs, mine))
            return mine
    return "".join([*found, *b[at:]])


def _together(
    base: Sequence[Any], theirs: Sequence[Any], mine: Sequence[Any]
) -> Iterable[tuple[int, int, list[Any] | None, list[Any] | None]]:
    """The stretches of the base that were changed, in order, each as theirs and as mine; None for whoever left it."""
    edits = sorted([*_edits(base, theirs, False), *_edits(base, mine, True)], key=lambda e: (e.first, e.last))
    held: list[_Edit] = []
    for edit in edits:
        last = max((e.last for e in held), default=-1)
        same_point = any(e.first == e.last == edit.first == edit.last for e in held)
        if held and not same_point and edit.first >= last:
            yield _stretch(base, held)
            held = []
        held.append(edit)
    if held:
        yield _stretch(base, held)


def _stretch(base: Sequence[Any], edits: list[_Edit]) -> tuple[int, int, list[Any] | None, list[Any] | None]:
    first, last = min(e.first for e in edits), max(e.last for e in edits)
    theirs, mine = ([e for e in edits if e.mine is side] for side in (False, True))
    now = [_applied(base, first, last, own) if own else None for own in (theirs, mine)]
    return first, last, now[0], now[1]


def _edits(base: Sequence[Any], now: Sequence[Any], mine: bool) -> list[_Edit]:
    matcher = SequenceMatcher(None, [_key(x) for x in base], [_key(x) for x in now], autojunk=False)
    return [_Edit(i, j, list(now[k:m]), mine) for tag, i, j, k, m in matcher.get_opcodes() if tag != "equal"]


def _applied(base: Sequence[Any], first: int, last: int, edits: list[_Edit]) -> list[Any]:
    found: list[Any] = []
    at = first
    for edit in edits:
        found += [*base[at : edit.first], *edit.now]
        at = edit.last
    return [*found, *base[at:last]]
