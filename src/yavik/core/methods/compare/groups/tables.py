"""Tables and facts of a comparison of groups."""

from __future__ import annotations

import numpy as np
from scipy import stats

from yavik.core.answers import Cell, TableBlock
from yavik.core.answers.make import ci_cells, head
from yavik.core.answers.wording import (
    alpha_words,
    df_cell,
    finer,
    level_words,
    num,
    p_cell,
    share,
    stat,
    told,
    whole,
    word,
)
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.compare.groups.sizes import ONE, f_row
from yavik.core.methods.compare.groups.spec import BY_RANKS, PAIR_WORDS, WITH_CONTROL
from yavik.core.methods.compare.groups.words import letters_note
from yavik.core.stats.oneway import FTest

ADJUSTED_HEAD = {"none": "p", "fdr": "p, false discovery rate"}
MOST_OPEN = 15
"""Pairs up to which their table stands open; with more, letters and the drawing say it at a glance."""


def groups(r: GroupsResults) -> TableBlock:
    g, d = r.data.groups, r.data.decimals
    fine = d if d else finer(d, float(np.abs(g.means).max()))
    title = r.data.group if r.data.group != "Sample" else "Sample"
    ranks = r.test == "kruskal_wallis" and r.ranked is not None
    columns = [
        head("group", title, left=True),
        head("n", "n"),
        head("mean", "Mean"),
        head("sd", "SD"),
        head("ci_low", f"{level_words(r.alpha)} CI"),
    ]
    columns += [head("median", "Median")] if ranks else []
    columns += [head("mean_rank", "Mean rank")] if ranks else []
    columns += [head("letters", "")] if r.letters else []
    if any(r.data.n_empty):
        columns.insert(2, head("missing", "Empty"))
    rows = []
    for i, name in enumerate(g.names):
        n, mean = int(g.n[i]), float(g.means[i])
        sd = float(np.sqrt(g.variances[i]))
        reach = float(stats.t.isf(r.alpha / 2, n - 1)) * sd / np.sqrt(n) if n > 1 else np.nan
        row = {
            "group": word(name),
            "n": whole(n),
            "missing": whole(r.data.n_empty[i]),
            "mean": num(mean, fine),
            "sd": num(sd, fine, ONE),
            **ci_cells(mean - reach, mean + reach, fine, ONE),
        }
        if len(g.y):
            q1, median, q3 = (float(q) for q in g.quartiles[i])
            low, high = float(g.ordered[i][0]), float(g.ordered[i][-1])
            row |= {
                "median": num(median, d),
                "q1": num(q1, d),
                "q3": num(q3, d),
                "min": num(low, d),
                "max": num(high, d),
            }
        if r.letters:
            row["letters"] = word(r.letters[i])
        if ranks and r.ranked:
            row["mean_rank"] = num(float(r.ranked.mean_ranks[i]), 1)
        rows.append(row)
    heading = r.data.value_axis if r.data.value != "Value" else "The samples"
    return TableBlock(
        id="groups",
        title=heading,
        columns=columns,
        rows=rows,
        note=letters_note(r) if r.letters else None,
        strong=["letters"],
    )


def test(r: GroupsResults) -> TableBlock:
    """The test itself; the classical one as a full table of sums of squares."""
    if r.test in ("anova", "permutation"):
        a = r.classical
        d = finer(r.data.decimals, a.ss_within)
        columns = [
            head("term", "Source", left=True),
            head("ss", "Sum of squares"),
            head("df", "df"),
            head("ms", "Mean square"),
            head("f", "F", italic=True),
            head("p", "p", italic=True),
        ]
        empty = Cell(v=None, s="")
        rows = [
            {
                "term": word("Between groups"),
                "ss": num(a.ss_between, d),
                "df": whole(a.df_between),
                "ms": num(a.ms_between, d),
                "f": stat(a.test.f),
                "p": p_cell(r.main.p),
            },
            {
                "term": word("Within groups"),
                "ss": num(a.ss_within, d),
                "df": whole(a.df_within),
                "ms": num(a.ms_within, d),
                "f": empty,
                "p": empty,
            },
            {
                "term": word("Total"),
                "ss": num(a.ss_between + a.ss_within, d),
                "df": whole(a.df_between + a.df_within),
                "ms": empty,
                "f": empty,
                "p": empty,
            },
        ]
        note = f"p from {r.permuted.draws} random divisions of the values." if r.permuted else None
        return TableBlock(
            id="anova", title="Test of equal means", columns=columns, rows=rows, strong=["p"], note=note
        )
    if r.test == "kruskal_wallis":
        row = {"term": word("Kruskal–Wallis"), "h": stat(r.main.f), "df": df_cell(r.main.df1), "p": p_cell(r.main.p)}
        columns = [
            head("term", "Test", left=True),
            head("h", "H", italic=True),
            head("df", "df"),
            head("p", "p", italic=True),
        ]
        return TableBlock(
            id="test",
            title="Test of equal ranks",
            columns=columns,
            rows=[row],
            note="H is corrected for ties; p from χ².",
            strong=["p"],
        )
    name = {"welch": "Welch", "brown_forsythe": "Brown–Forsythe"}[r.test]
    columns = [
        head("term", "Test", left=True),
        head("f", "F", italic=True),
        head("df1", "df"),
        head("df2", "df of error"),
        head("p", "p", italic=True),
    ]
    return TableBlock(
        id="test", title="Test of equal means", columns=columns, rows=[f_row(name, r.main)], strong=["p"]
    )


def pairs(r: GroupsResults) -> TableBlock | None:
    p, g = r.pairs, r.data.groups
    if p is None:
        return None
    by_ranks, own = r.pair_method in BY_RANKS, r.pair_method == "pairwise_mann_whitney"
    d = 1 if by_ranks and not own else told(r.data.decimals, *(() if own else p.se.tolist()))
    shown = "z" if p.df is None else "t"
    columns = [
        head("pair", "Pair", left=True),
        head(
            "difference",
            (
                f"Difference of medians{_unit(r)}"
                if own
                else "Difference of mean ranks"
                if by_ranks
                else f"Difference{_unit(r)}"
            ),
        ),
    ]
    columns += [] if by_ranks or p.ci_low is None else [head("ci_low", f"{level_words(r.alpha)} CI")]
    columns += [head(shown, shown, italic=True)] + ([] if p.df is None else [head("df", "df")])
    columns += [head("p_adjusted", ADJUSTED_HEAD.get(r.adjusting, "adjusted p"), italic=True)]
    rows, marked = [], []
    for i in range(len(p.p)):
        why = "neither group has spread"
        row = {
            "pair": word(f"{g.names[p.a[i]]} – {g.names[p.b[i]]}"),
            "group_a": word(g.names[p.a[i]]),
            "group_b": word(g.names[p.b[i]]),
            "difference": num(float(p.difference[i]), d),
            "se": num(float(p.se[i]), d + 1, "has none"),
            shown: stat(float(p.statistic[i]), why),
            "p": p_cell(float(p.p[i]), why),
            "p_adjusted": p_cell(float(p.p_adjusted[i]), why),
        }
        if p.df is not None:
            row["df"] = df_cell(float(p.df[i]), why)
        if p.ci_low is not None and p.ci_high is not None:
            row |= ci_cells(float(p.ci_low[i]), float(p.ci_high[i]), d, why)
        if p.p_adjusted[i] < r.alpha:
            marked.append(i)
        rows.append(row)
    return TableBlock(
        id="pairs",
        title=(
            f"All pairs, {PAIR_WORDS[r.pair_method]}"
            if r.pair_method not in WITH_CONTROL
            else f"Each against {g.names[p.b[0]]}, {PAIR_WORDS[r.pair_method].split(', each')[0]}"
        ),
        columns=columns,
        rows=rows,
        note=_pairs_note(r),
        strong=["p_adjusted"],
        marked=marked,
        folded=len(rows) > MOST_OPEN,
    )


def _unit(r: GroupsResults) -> str:
    return f" ({r.data.unit})" if r.data.unit else ""


def _pairs_note(r: GroupsResults) -> str:
    m = len(r.pairs.p) if r.pairs else 0
    a = alpha_words(r.alpha)
    family = f"1 − (1 − {a})^{m} = {share(1 - (1 - r.alpha) ** m)}"
    if r.pair_method == "lsd" and m > 1:
        return (
            f"Each pair is tested at α = {a} on its own; over {m} independent pairs the chance of a false claim could"
            f" reach {family}."
        )
    if r.adjusting in ("none", "fdr"):
        how = {
            "dunn": "Ranks over all groups together; p from the normal distribution",
            "conover": "Ranks over all groups together; t by the spread that ranks keep within groups",
            "pairwise_mann_whitney": "Each pair ranked by itself",
        }[r.pair_method]
        if r.adjusting == "none":
            return (
                f"{how}, not adjusted: over {m} independent pairs the chance of a false claim could reach {family}."
            )
        return (
            f"{how}; p raised so that of the pairs marked no more than {100 * r.alpha:g}% are expected to be false"
            " claims. The chance of any false claim is not held."
        )
    extra = {
        "games_howell": "Each pair has its own spread and df; intervals and p hold for all pairs together.",
        "tukey": "One pooled spread; intervals and p hold for all pairs together.",
        "holm": "Holm's steps have no intervals of their own; Bonferroni's are shown.",
        "dunn": "Ranks over all groups together; p from the normal distribution, adjusted.",
        "pairwise_mann_whitney": "Each pair ranked by itself; p adjusted.",
        "snk": (
            "Range by range: pairs may differ only within ranges that do. No intervals; the error of the family is"
            " held only where all means are equal."
        ),
        "duncan": (
            "Range by range with a level that grows with the range: more claims, and the error of the family is not"
            " held. No intervals."
        ),
        "scheffe": "Holds for every contrast there is, so wide for pairs alone.",
        "dunnett": (
            f"{_direction(r)}Each group with the control; intervals and p hold for these comparisons together, not"
            " for other pairs."
        ),
        "dunnett_welch": (
            f"{_direction(r)}Each group with the control, each with its own spread and df; intervals and p hold for"
            " these comparisons together."
        ),
        "nemenyi": "Ranks over all groups together; p from the studentised range hold for all pairs together.",
        "conover": "Ranks over all groups together; t by the spread that ranks keep within groups; p adjusted.",
    }.get(r.pair_method, "Intervals and p hold for all pairs together.")
    return extra if r.pair_method in ("snk", "duncan") else f"{extra} Family-wise α = {a}."


def _direction(r: GroupsResults) -> str:
    return {"two_sided": "", "less": "One-sided (lower). ", "greater": "One-sided (higher). "}[r.alternative]


def facts(r: GroupsResults) -> dict[str, float | int | str]:
    g = r.data.groups
    out: dict[str, float | int | str] = {
        "test": r.test,
        "pairs": r.pair_method,
        "n": int(g.n.sum()),
        "k": g.k,
        "p": r.main.p,
        "eta2": r.classical.eta2,
        "omega2": r.classical.omega2,
        "anova.f": r.classical.test.f,
        "anova.df1": r.classical.test.df1,
        "anova.df2": r.classical.test.df2,
        "anova.p": r.classical.test.p,
        "anova.ss_between": r.classical.ss_between,
        "anova.ss_within": r.classical.ss_within,
    }
    out["estimate"] = float(np.ptp(g.means))
    if r.permuted:
        out |= {"permutation.p": r.permuted.p, "permutation.draws": r.permuted.draws}
    for c in r.contrasts.found if r.contrasts else []:
        out |= {
            f"contrast.{c.label}": c.estimate,
            f"contrast.{c.label}.t": c.t,
            f"contrast.{c.label}.p": c.p_adjusted,
            f"contrast.{c.label}.ss": c.ss,
        }
    for name, t in (("welch", r.welch), ("brown_forsythe", r.brown_forsythe)):
        if isinstance(t, FTest):
            out |= {f"{name}.f": t.f, f"{name}.df1": t.df1, f"{name}.df2": t.df2, f"{name}.p": t.p}
    if r.trend:
        out |= {"jonckheere.j": r.trend.j, "jonckheere.z": r.trend.z, "jonckheere.p": r.trend.p}
    if r.ranked:
        out["epsilon2"] = r.epsilon2
        out |= {"kruskal_wallis.h": r.ranked.h, "kruskal_wallis.df": r.ranked.df, "kruskal_wallis.p": r.ranked.p}
    return {k: v for k, v in out.items() if isinstance(v, str) or np.isfinite(v)}
