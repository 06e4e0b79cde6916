"""p values of a family."""

from typing import Literal

import numpy as np

from yavik.core.stats.groups import Floats

Adjust = Literal["holm", "none", "bonferroni", "sidak", "fdr"]


def adjust(p: Floats, method: Adjust) -> Floats:
    """p values of a family: Bonferroni, Šidák, Holm (1979), or the false discovery rate of Benjamini and Hochberg
    (1995)."""
    m = len(p)
    if method == "none" or m == 0:
        return p.copy()
    if method == "bonferroni":
        return np.minimum(p * m, 1.0)
    if method == "sidak":
        return np.asarray(-np.expm1(m * np.log1p(-p)))
    order = np.argsort(p, kind="stable")
    out = np.empty(m)
    if method == "holm":
        out[order] = np.maximum.accumulate((m - np.arange(m)) * p[order])
    else:
        raised = p[order] * m / np.arange(1, m + 1)
        out[order] = np.minimum.accumulate(raised[::-1])[::-1]
    return np.minimum(out, 1.0)
