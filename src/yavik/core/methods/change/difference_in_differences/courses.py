"""How the groups moved over the periods, and how the treated would have moved with the others."""

from dataclasses import dataclass

import numpy as np
from scipy import special

from yavik.core.methods.change.difference_in_differences.compute import Did, Mean


@dataclass(frozen=True)
class Moved:
    """Means of one group with the ends of their intervals; NaN where a period has none.

    Args:
        expected: with the others' change from the last period before the start, empty where it cannot be told.
    """

    name: str
    y: list[float]
    low: list[float]
    high: list[float]
    expected: list[float]


def courses_of(d: Did) -> list[Moved]:
    """Of the others and of every group by start."""
    reach = float(special.ndtri(1 - d.spec.alpha / 2))
    others = dict(d.courses).get("others")
    out = []
    for name, means in d.courses:
        y = np.array([np.nan if m is None else m.mean for m in means])
        wide = np.array([np.nan if m is None else reach * m.se for m in means])
        told = name == "treated" and len(d.study.starts) == 1 and others is not None
        expected = _expected(d, means, others) if told and others is not None else []
        out.append(Moved(name, y.tolist(), (y - wide).tolist(), (y + wide).tolist(), expected))
    return out[::-1] if len(d.study.starts) == 1 else out  # the treated first


def _expected(d: Did, means: list[Mean | None], others: list[Mean | None]) -> list[float]:
    """The treated's distance before the start kept, from the last period before on."""
    start, m = d.study.starts[0], d.four
    assert m is not None
    gap = m[1, 0].mean - m[0, 0].mean
    out = [np.nan] * len(means)
    own = means[start - 1]
    if own is not None:
        out[start - 1] = own.mean
    for t in range(start, len(means)):
        other = others[t]
        if other is not None:
            out[t] = other.mean + gap
    return out
