"""How large differences between groups are, and how far the tests agree."""

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.kit.analysis import effect
from yavik.core.methods.kit.checks import shapiro
from yavik.core.methods.kit.claims import at_alpha
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.oneway import FTest, eta2_interval

ONE = "one value has no spread"


def effects(r: GroupsResults) -> TableBlock:
    """Shares of the variation; where no group has any spread only ranks can be measured."""
    a, title = r.classical, "How large is it?"

    def line(term: str, size: float, low: float = np.nan, high: float = np.nan, why: str = q.HERE) -> q.Row:
        """A size between 0 and 1 with its interval, or why it has none."""
        return effect(term, Size(size, low, high), r.alpha, decimals=None, why_ci=why)

    def of_ranks() -> q.Row:
        """ε² of the ranks."""
        return line("ε², share of variation of ranks between groups", r.epsilon2, why="has none here")

    if not np.isfinite(a.test.f):
        return q.table("effects", title, [of_ranks()])
    rows = [
        line("η², share of variation between groups", a.eta2, *eta2_interval(a.test, 1 - r.alpha)),
        line("ω², the same without its upward bias", a.omega2, why="given for η²"),
    ]
    if r.test == "kruskal_wallis" and r.ranked:
        rows.insert(0, of_ranks())
    note = "From the classical sums of squares; interval from the noncentral F distribution."
    return q.table("effects", title, rows, note=note)


def conclusions(r: GroupsResults) -> TableBlock:
    """How the conclusion fares under each test."""
    ranked = (
        FTest(r.ranked.h, r.ranked.df, np.nan, r.ranked.p)
        if r.ranked
        else "not computed beside more than 200 000 rows"
        if len(r.data.groups.y)
        else "needs the values themselves"
    )

    def line(name: str, t: FTest | str, shown: str = "differ") -> q.Row:
        """One test with what it says at α; a text says why there is none."""
        cells = q.f_cells(t, why=q.NONE)
        why = t if isinstance(t, str) else q.HERE
        statistic, p = (q.gone(why), q.gone(why, "p", "p")) if isinstance(t, str) else (q.stat(t.f, ""), q.p(t.p))
        return q.row(
            term=q.name(name, "Test"), statistic=statistic.under("F, H or z"), df1=cells["df1"], df2=cells["df2"],
            p=p,
            said=at_alpha(float("nan") if isinstance(t, str) else t.p, r.alpha, shown, why),
        )  # fmt: skip

    rows = [line("Classical F", r.classical.test), line("Welch", r.welch), line("Brown–Forsythe", r.brown_forsythe)]
    rows.append(line("Kruskal–Wallis", ranked))
    permuted = r.permuted or r.permuted_aside
    if permuted:
        rows.append(line("Permutation", FTest(r.classical.test.f, np.nan, np.nan, permuted.p)))
    if r.trend:
        t = FTest(r.trend.z, np.nan, np.nan, r.trend.p)
        rows.append(line("Jonckheere–Terpstra, trend over the levels' order, z", t, "trend"))
    return q.table("tests", "The same question by other tests", rows, folded=True)


def variances(r: GroupsResults) -> TableBlock:
    """Spread and shape within each group."""
    g, d, rows = r.data.groups, r.data.decimals, []
    for i, result in enumerate(shapiro(g)):
        w, p = (float("nan"),) * 2 if isinstance(result, str) else result
        why = result if isinstance(result, str) else q.HERE
        rows.append(
            q.row(
                group=q.name(g.names[i], "Group"), variance=q.num(float(g.variances[i]), d + 1, "Variance", why=ONE),
                w=q.num(w, 3, "Shapiro–Wilk W", why=why), p=q.p(p, why=why),
                outlying=q.count(int(g.outlying[g.starts[i] : g.starts[i + 1]].sum()), "Outlying"),
                min=q.num(float(g.ordered[i][0]), d, "Min"), median=q.num(float(g.quartiles[i, 1]), d, "Median"),
                max=q.num(float(g.ordered[i][-1]), d, "Max"),
            )
        )  # fmt: skip
    return q.table("variances", "Spread and shape within groups", rows, folded=True, strong=[])
