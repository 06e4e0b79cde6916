"""Compact letters for pairwise comparisons: groups that share a letter were not found to differ."""

from collections.abc import Iterable, Sequence

import numpy as np

ALPHABET = "abcdefghijklmnopqrstuvwxyz"


def letters(order: Sequence[int], differ: Iterable[tuple[int, int]]) -> list[str]:
    """Letters per group by insertion and absorption (Piepho, 2004).

    Right for any set of differing pairs, also when middling groups differ while outer ones do not; walking
    down the sorted means and stopping at the first difference goes wrong there.

    Args:
        order: the groups in the order in which letters are handed out; the first gets 'a'.
        differ: pairs of groups that differ.

    Returns:
        One text per group, indexed as the groups are (not as ``order``).
    """
    k = len(order)
    place = {g: i for i, g in enumerate(order)}
    sets = [frozenset(range(k))]
    for pair in differ:
        i, j = place[pair[0]], place[pair[1]]
        split: list[frozenset[int]] = []
        for s in sets:
            split += [s - {i}, s - {j}] if i in s and j in s else [s]
        sets = _absorb(split)
    sets.sort(key=sorted)
    out = [""] * k
    for number, s in enumerate(sets):
        for i in sorted(s):
            out[order[i]] += _letter(number)
    return out


def _absorb(sets: list[frozenset[int]]) -> list[frozenset[int]]:
    """Drops every set that lies within another."""
    kept: list[frozenset[int]] = []
    for s in sorted(set(sets), key=len, reverse=True):
        if not any(s <= other for other in kept):
            kept.append(s)
    return kept


def _letter(number: int) -> str:
    """a … z, then a′, b′ …: one sign a set, however many there are."""
    return ALPHABET[number % 26] + "′" * (number // 26)


def letters_from_pairs(
    means: Sequence[float], a: Sequence[int], b: Sequence[int], p: Sequence[float], alpha: float, *, up: bool
) -> list[str]:
    """Letters with 'a' at the lowest mean (``up``) or the highest."""
    order = np.argsort(np.asarray(means) if up else -np.asarray(means), kind="stable")
    differ = [(int(i), int(j)) for i, j, q in zip(a, b, p, strict=True) if q < alpha]
    return letters([int(i) for i in order], differ)
