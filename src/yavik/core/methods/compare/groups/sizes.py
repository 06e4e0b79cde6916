"""How large differences between groups are, and how far the tests agree."""

from __future__ import annotations

import numpy as np

from yavik.core.answers import Cell, Head, TableBlock
from yavik.core.answers.make import head, share_ci
from yavik.core.answers.wording import (
    df_cell,
    level_words,
    missing,
    num,
    p_cell,
    share,
    stat,
    whole,
    word,
)
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.kit.checks import shapiro
from yavik.core.stats.oneway import FTest, eta2_interval

ONE = "one value has no spread"


def f_row(name: str, t: FTest | str, shown: str = "f") -> dict[str, Cell]:
    if isinstance(t, str):
        return {"term": word(name), **{k: missing(t) for k in (shown, "df1", "df2", "p")}}
    return {"term": word(name), shown: stat(t.f), "df1": df_cell(t.df1), "df2": df_cell(t.df2), "p": p_cell(t.p)}


def effects(r: GroupsResults) -> TableBlock:
    a = r.classical
    columns = [
        head("term", "Effect size", left=True),
        head("estimate", "Estimate"),
        head("ci_low", f"{level_words(r.alpha)} CI"),
    ]
    if not np.isfinite(a.test.f):
        return _rank_effects(r, columns)
    low, high = eta2_interval(a.test, 1 - r.alpha)
    rows = [
        {
            "term": word("η², share of variation between groups"),
            "estimate": Cell(v=a.eta2, s=share(a.eta2)),
            **share_ci(low, high),
        },
        {
            "term": word("ω², the same without its upward bias"),
            "estimate": Cell(v=a.omega2, s=share(a.omega2)),
            "ci_low": missing("given for η²"),
            "ci_high": missing("given for η²"),
        },
    ]
    note = "From the classical sums of squares; interval from the noncentral F distribution."
    if r.test == "kruskal_wallis" and r.ranked:
        rows.insert(0, _epsilon(r))
    return TableBlock(id="effects", title="How large is it?", columns=columns, rows=rows, note=note)


def _epsilon(r: GroupsResults) -> dict[str, Cell]:
    return {
        "term": word("ε², share of variation of ranks between groups"),
        "estimate": Cell(v=r.epsilon2, s=share(r.epsilon2)),
        "ci_low": missing("has none here"),
        "ci_high": missing("has none here"),
    }


def _rank_effects(r: GroupsResults, columns: list[Head]) -> TableBlock:
    """Where no group has any spread only ranks can be measured."""
    return TableBlock(id="effects", title="How large is it?", columns=columns, rows=[_epsilon(r)])


def conclusions(r: GroupsResults) -> TableBlock:
    """How the conclusion fares under each test."""
    ranked = (
        FTest(r.ranked.h, r.ranked.df, np.nan, r.ranked.p)
        if r.ranked
        else "not computed beside more than 200 000 rows"
        if len(r.data.groups.y)
        else "needs the values themselves"
    )
    rows = []
    for name, t in (
        ("Classical F", r.classical.test),
        ("Welch", r.welch),
        ("Brown–Forsythe", r.brown_forsythe),
        ("Kruskal–Wallis", ranked),
    ):
        row = f_row(name, t, "statistic")
        row["said"] = missing(t) if isinstance(t, str) else _said(t.p, r.alpha)
        rows.append(row)
    permuted = r.permuted or r.permuted_aside
    if permuted:
        t = FTest(r.classical.test.f, np.nan, np.nan, permuted.p)
        rows.append(
            {**f_row("Permutation", t, "statistic"), "said": word("differ" if t.p < r.alpha else "no evidence")}
        )
    if r.trend:
        t = FTest(r.trend.z, np.nan, np.nan, r.trend.p)
        row = f_row("Jonckheere–Terpstra, trend over the levels' order, z", t, "statistic")
        rows.append({**row, "said": word("trend" if t.p < r.alpha else "no evidence")})
    columns = [
        head("term", "Test", left=True),
        head("statistic", "F, H or z", italic=True),
        head("df1", "df"),
        head("df2", "df of error"),
        head("p", "p", italic=True),
        head("said", "At this α"),
    ]
    return TableBlock(
        id="tests", title="The same question by other tests", columns=columns, rows=rows, folded=True, strong=["p"]
    )


def _said(p: float, alpha: float) -> Cell:
    if not np.isfinite(p):
        return missing("cannot be computed here")
    return word("differ" if p < alpha else "no evidence")


def variances(r: GroupsResults) -> TableBlock:
    g, d = r.data.groups, r.data.decimals
    columns = [
        head("group", "Group", left=True),
        head("variance", "Variance"),
        head("w", "Shapiro–Wilk W"),
        head("p", "p", italic=True),
        head("outlying", "Outlying"),
        head("min", "Min"),
        head("median", "Median"),
        head("max", "Max"),
    ]
    rows = []
    for i, result in enumerate(shapiro(g)):
        w, p = (
            (missing(result), missing(result)) if isinstance(result, str) else (num(result[0], 3), p_cell(result[1]))
        )
        rows.append(
            {
                "group": word(g.names[i]),
                "variance": num(float(g.variances[i]), d + 1, ONE),
                "w": w,
                "p": p,
                "outlying": whole(int(g.outlying[g.starts[i] : g.starts[i + 1]].sum())),
                "min": num(float(g.ordered[i][0]), d),
                "median": num(float(g.quartiles[i, 1]), d),
                "max": num(float(g.ordered[i][-1]), d),
            }
        )
    return TableBlock(id="variances", title="Spread and shape within groups", columns=columns, rows=rows, folded=True)
