"""What stands beside a comparison of groups: its checks, and its residuals."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yavik.core.answers import Check, FigureBlock
from yavik.core.methods.compare import _checks as checks
from yavik.core.methods.compare._group_more import pairs_check
from yavik.core.methods.compare._group_spec import CompareGroupsSpec
from yavik.core.methods.shared import residual_pictures
from yavik.core.stats.groups import Groups
from yavik.core.stats.oneway import anova, brown_forsythe, kruskal_wallis, levene, welch
from yavik.core.table import Table

if TYPE_CHECKING:
    from yavik.core.methods.compare.compare_groups import Results


def _p_without_outlying(g: Groups, test: str) -> float | None:
    """p of the same test without the outlying values; None where it then cannot be computed."""
    rest = g.subset(~g.outlying)
    if np.any(rest.n < 2) or not np.any(rest.ss > 0):
        return None
    if test == "kruskal_wallis":
        return kruskal_wallis(rest).p if np.ptp(rest.y) > 0 else None
    if test == "welch":
        return welch(rest).p if np.all(rest.ss > 0) else None
    return (brown_forsythe(rest) if test == "brown_forsythe" else anova(rest).test).p


def all_checks(table: Table, spec: CompareGroupsSpec, r: Results, note: str | None) -> list[Check]:
    g = r.data.groups
    out = []
    if note or np.any(g.n < 5) or g.n.max() > 4 * g.n.min():
        out.append(checks.group_sizes(r.data, note))
    by_median, by_mean = levene(g, "median"), levene(g, "mean")
    role = "anova" if r.test == "permutation" else r.test
    out.append(checks.equal_spread(r.data, by_median, by_mean, role))
    out.append(checks.normal_within(r.data, checks.shapiro(g), "kruskal_wallis" if r.permuted else r.test))
    without = _p_without_outlying(g, r.test) if g.outlying.any() else None
    out.append(checks.outlying(r.data, without, r.main.p, spec.alpha, spec.where, bool(spec.samples)))
    out.append(checks.independent(table, g.rows, bool(spec.samples)))
    if not any(c.id == "group_sizes" for c in out):
        out.append(checks.group_sizes(r.data, None))
    found = pairs_check(r)
    return [*out, found] if found else out


def group_residuals(r: Results) -> list[FigureBlock]:
    g = r.data.groups
    fitted = np.repeat(g.means, g.n)
    return residual_pictures(fitted, g.y - fitted, g.rows, r.data.unit)
