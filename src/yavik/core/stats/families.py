"""p values and intervals of a family of pairwise comparisons, from differences and their standard errors.

Groups of a one-way comparison, estimated means of a factorial one and treatments within blocks all come here.
"""

from typing import Literal

import numpy as np
import numpy.typing as npt

from yavik.core.stats import distributions as laws
from yavik.core.stats import many_to_one, studentized_range
from yavik.core.stats.adjusting import Adjust, adjust
from yavik.core.stats.groups import Floats

Family = Literal["lsd", "tukey", "bonferroni", "holm", "sidak", "scheffe", "dunnett", "snk", "duncan"]
STEPWISE = ("snk", "duncan")
"""Methods that test range after range and so have no intervals."""
Index = npt.NDArray[np.intp]


def of_family(
    a: Index, b: Index, means: Floats, variances: Floats, t: Floats, df: float, method: Family, alpha: float
) -> tuple[Floats, Floats, float]:
    """Single p, adjusted p, and the reach of an interval in standard errors (NaN where the method has none).

    Args:
        a, b: the pairs' groups; for dunnett b is the control throughout.
        means: one per group: their order decides the ranges of snk and duncan.
        variances: of each mean, up to a common factor; only dunnett reads them.
        t: the pairs' t statistics.

    lsd: Fisher (1935), no protection. tukey: studentised range, standard errors as Kramer (1956) has them.
    scheffe: Scheffé (1953), all contrasts. snk: Newman (1939), Keuls (1952): range by range, a pair may differ
    only if every wider range around it does. duncan: the same with level 1 − (1 − α)^(r−1) (Duncan, 1955).
    """
    k, m = len(means), len(a)
    size = np.abs(t)
    p = np.asarray(2 * laws.t.sf(size, df))
    if method == "tukey":
        reach = float(studentized_range.isf(alpha, k, np.array([df]))[0]) / np.sqrt(2)
        return p, studentized_range.sf(size * np.sqrt(2), k, df), float(reach)
    if method == "scheffe":
        adjusted = laws.f.sf(t**2 / (k - 1), k - 1, df)
        return p, np.asarray(adjusted), float(np.sqrt((k - 1) * laws.f.isf(alpha, k - 1, df)))
    if method == "dunnett":
        lam = np.sqrt(variances[b] / (variances[a] + variances[b]))
        return p, many_to_one.sf(size, lam, df), many_to_one.critical(alpha, lam, df)
    if method in STEPWISE:
        return p, _ranges(a, b, means, size, df, method), np.nan
    how: Adjust = {"lsd": "none", "bonferroni": "bonferroni", "holm": "holm", "sidak": "sidak"}[method]  # type: ignore[assignment]
    share = {"lsd": alpha, "sidak": float(-np.expm1(np.log1p(-alpha) / m))}.get(method, alpha / m)
    return p, adjust(p, how), float(laws.t.isf(share / 2, df))


def _ranges(a: Index, b: Index, means: Floats, size: Floats, df: float, method: str) -> Floats:
    place = np.argsort(np.argsort(means, kind="stable"), kind="stable")
    low, high = np.minimum(place[a], place[b]), np.maximum(place[a], place[b])
    width = high - low + 1
    out = np.empty(len(a))
    for r in np.unique(width):
        own = width == r
        tail = studentized_range.sf(size[own] * np.sqrt(2), int(r), df)
        out[own] = tail if method == "snk" else -np.expm1(np.log1p(-np.minimum(tail, 1 - 1e-16)) / (r - 1))
    # A range inside one that does not differ is not tested: its p is at least that of every range around it.
    k = len(means)
    table = np.zeros((k, k))
    table[low, high] = out
    table = np.maximum.accumulate(table, axis=0)  # from wider starts …
    table = np.maximum.accumulate(table[:, ::-1], axis=1)[:, ::-1]  # … and wider ends
    return np.asarray(table[low, high])
