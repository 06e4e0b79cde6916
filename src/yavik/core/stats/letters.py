"""Compact letters for pairwise comparisons: groups that share a letter were not found to differ."""

from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt

ALPHABET = "abcdefghijklmnopqrstuvwxyz"


def letters(order: Sequence[int], differ: Iterable[tuple[int, int]]) -> list[str]:
    """Letters per group: a cover of all pairs that do not differ by sets within which nobody does (Piepho, 2004).

    Right for any set of differing pairs, also when middling groups differ while outer ones do not; walking
    down the sorted means and stopping at the first difference goes wrong there. Sets are grown greedily around
    pairs that no set holds yet, so that sixty groups take no longer than a moment whatever the pattern; sets whose
    pairs all stand in others are left out.

    Args:
        order: the groups in the order in which letters are handed out; the first gets 'a'.
        differ: pairs of groups that differ.

    Returns:
        One text per group, indexed as the groups are (not as ``order``).
    """
    k = len(order)
    place = {g: i for i, g in enumerate(order)}
    same = np.ones((k, k), bool)
    for a, b in differ:
        same[place[a], place[b]] = same[place[b], place[a]] = False
    times = np.zeros((k, k), int)
    sets: list[list[int]] = []
    for i in range(k):
        for j in range(i + 1, k):
            if same[i, j] and not times[i, j]:
                sets.append(_grown(i, j, same, times))
                held = np.array(sets[-1])
                times[np.ix_(held, held)] += 1
    for s in sorted(sets, key=len):
        own = np.ix_(np.array(s), np.array(s))
        inside = times[own][~np.eye(len(s), dtype=bool)]
        if (inside > 1).all():
            sets.remove(s)
            times[own] -= 1
    alone = set(range(k)) - {i for s in sets for i in s}
    sets = sorted([*sets, *([i] for i in alone)])
    out = [""] * k
    for number, s in enumerate(sets):
        for i in s:
            out[order[i]] += _letter(number)
    return out


def _grown(i: int, j: int, same: npt.NDArray[np.bool_], times: npt.NDArray[np.int_]) -> list[int]:
    """The pair with every group that fits, first those that bring most pairs not yet held, then the nearest."""
    members = [i, j]
    able = same[i] & same[j]
    able[members] = False
    while able.any():
        rest = np.flatnonzero(able)
        fresh = (times[np.ix_(rest, np.array(members))] == 0).sum(axis=1)
        near = np.abs(rest - (i + j) / 2)
        best = int(rest[np.lexsort((near, -fresh))[0]])
        members.append(best)
        able &= same[best]
        able[best] = False
    return sorted(members)


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
