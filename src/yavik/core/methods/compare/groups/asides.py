"""What stands beside a comparison of groups: its checks, and its residuals."""

from dataclasses import replace

import numpy as np

from yavik.core.answers import Check, FigureBlock
from yavik.core.methods.base import Run
from yavik.core.methods.compare.groups.compute import GroupsResults, choose_test, demand_groups, results
from yavik.core.methods.compare.groups.more import pairs_check
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.stats.oneway import levene
from yavik.core.table import DataProblem, Table


def _without_outlying(spec: CompareGroupsSpec, r: GroupsResults) -> GroupsResults | None:
    """The very same answer without the outlying values; None where it then cannot be computed."""
    data = replace(r.data, groups=r.data.groups.subset(~r.data.groups.outlying))
    asked = spec.model_copy(update={"test": r.test, "pairs": r.pair_method})
    try:
        demand_groups(data, asked)
        test, _ = choose_test(data, asked)
        return results(data, asked, test, Run(), asides=False)
    except DataProblem:
        return None


def _pairs_changed(r: GroupsResults, other: GroupsResults) -> list[str]:
    """Pairs whose conclusion is another one without the outlying values."""
    if r.pairs is None or other.pairs is None or len(r.pairs.p) != len(other.pairs.p) or len(r.pairs.p) < 2:
        return []
    moved = (r.pairs.p_adjusted < r.alpha) != (other.pairs.p_adjusted < r.alpha)
    names = r.data.groups.names
    return [f"{names[r.pairs.a[i]]} – {names[r.pairs.b[i]]}" for i in np.flatnonzero(moved)]


def all_checks(table: Table, spec: CompareGroupsSpec, r: GroupsResults, note: str | None) -> list[Check]:
    """Whether the answer can be relied on, in the order in which it matters."""
    g = r.data.groups
    out = []
    if note or np.any(g.n < 5) or g.n.max() > 4 * g.n.min():
        out.append(checks.group_sizes(r.data, note))
    by_median, by_mean = levene(g, "median"), levene(g, "mean")
    role = "anova" if r.test == "permutation" else r.test
    out.append(checks.equal_spread(r.data, by_median, by_mean, role))
    out.append(checks.normal_within(r.data, checks.shapiro(g), "kruskal_wallis" if r.permuted else r.test))
    other = _without_outlying(spec, r) if g.outlying.any() else None
    changed = _pairs_changed(r, other) if other else []
    without = other.main.p if other else None
    out.append(checks.outlying(r.data, without, r.main.p, spec.alpha, spec.where, bool(spec.samples), changed))
    out.append(checks.independent(table, g.rows, bool(spec.samples)))
    if not any(c.id == "group_sizes" for c in out):
        out.append(checks.group_sizes(r.data, None))
    found = pairs_check(r)
    return [*out, found] if found else out


def group_residuals(r: GroupsResults) -> list[FigureBlock]:
    """Pictures of the values' distances from their group's mean."""
    g = r.data.groups
    fitted = np.repeat(g.means, g.n)
    return residual_pictures(fitted, g.y - fitted, g.rows, r.data.unit)
