"""Tables and facts of a comparison of groups."""

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import finite
from yavik.core.answers.wording import alpha_words, finer, share, told
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.compare.groups.spec import BY_RANKS, PAIR_WORDS, WITH_CONTROL
from yavik.core.methods.compare.groups.words import letters_note
from yavik.core.methods.kit.analysis import source
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.stats.oneway import FTest

ADJUSTED_HEAD = {"none": "p", "fdr": "p, false discovery rate"}
ONE = "one value has no spread"


def groups(r: GroupsResults) -> TableBlock:
    """n, mean, SD and the mean's interval of each group, with its letters."""
    g, d, rows, reaches = r.data.groups, r.data.decimals, [], r.reach
    fine = d if d else finer(d, float(np.abs(g.means).max()))
    ranks = r.test == "kruskal_wallis" and r.ranked is not None
    for i, name in enumerate(g.names):
        n, mean, sd, reach = int(g.n[i]), float(g.means[i]), float(np.sqrt(g.variances[i])), float(reaches[i])
        row = q.row(
            group=q.name(name, r.data.group),
            missing=q.count(r.data.n_empty[i], "Empty" if any(r.data.n_empty) else None),
            n=q.count(n), mean=q.num(mean, fine, "Mean"), sd=q.num(sd, fine, "SD", why=ONE),
            **q.ci(mean - reach, mean + reach, fine, r.alpha, why=ONE),
        )  # fmt: skip
        if len(g.y):
            q1, median, q3 = (float(v) for v in g.quartiles[i])
            low, high = float(g.ordered[i][0]), float(g.ordered[i][-1])
            row["median"] = q.num(median, d, "Median" if ranks else None)
            row |= {k: q.num(v, d, None) for k, v in (("q1", q1), ("q3", q3), ("min", low), ("max", high))}
        if ranks and r.ranked:
            row["mean_rank"] = q.num(float(r.ranked.mean_ranks[i]), 1, "Mean rank")
        if r.letters:
            row["letters"] = q.word(r.letters[i])
        rows.append(row)
    heading = r.data.value_axis if r.data.value != "Value" else "The samples"
    note = letters_note(r) if r.letters else None
    return q.table("groups", heading, rows, note=note, strong=["letters"], unit=r.data.unit or "")


def test(r: GroupsResults) -> TableBlock:
    """The test itself; the classical one as a full table of sums of squares."""
    if r.test in ("anova", "permutation"):
        a = r.classical
        d = finer(r.data.decimals, a.ss_within)
        rows = [
            source("Between groups", a.ss_between, a.df_between, d, ms=a.ms_between, test=a.test, p=r.main.p, sizes=False, tested=True),
            source("Within groups", a.ss_within, a.df_within, d, ms=a.ms_within, sizes=False),
            source("Total", a.ss_between + a.ss_within, a.df_between + a.df_within, d, sizes=False),
        ]  # fmt: skip
        note = f"p from {r.permuted.draws} random divisions of the values." if r.permuted else None
        return q.table("anova", "Test of equal means", rows, note=note)
    if r.test == "kruskal_wallis":
        row = q.row(
            term=q.name("Kruskal–Wallis", "Test"), h=q.stat(r.main.f, "H"), df=q.df(r.main.df1), p=q.p(r.main.p)
        )
        return q.table("test", "Test of equal ranks", [row], note="H is corrected for ties; p from χ².")
    name, below = {"welch": ("Welch", "W"), "brown_forsythe": ("Brown–Forsythe", "")}[r.test]
    row = q.row(term=q.name(name, "Test"), **q.f_cells(r.main, lowered=below))
    return q.table("test", "Test of equal means", [row])


def pairs(r: GroupsResults) -> TableBlock | None:
    """Every pair, or each group with the control."""
    p, names = r.pairs, r.data.groups.names
    if p is None:
        return None
    by_ranks, own = r.pair_method in BY_RANKS, r.pair_method == "pairwise_mann_whitney"
    by, what = PAIR_WORDS[r.pair_method], "All pairs"
    if r.pair_method in WITH_CONTROL:
        by, what = by.split(", each")[0], f"Each against {names[p.b[0]]}"
    return pairs_table(
        p, names, r.alpha, title=f"{what}, {by}", by=by, note=_pairs_note(r), why="neither group has spread",
        decimals=1 if by_ranks and not own else told(r.data.decimals, *(() if own else p.se.tolist())),
        head="Difference of medians" if own else "Difference of mean ranks" if by_ranks else "Difference",
        unit=r.data.unit if own or not by_ranks else None, adjusted=ADJUSTED_HEAD.get(r.adjusting, "adjusted p"),
        letter="z" if p.df is None else "t", show_df=True, show_ci=not by_ranks,
    )  # fmt: skip


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
    """Numbers by name."""
    g, a = r.data.groups, r.classical
    out: dict[str, float | int | str] = {
        "test": r.test, "pairs": r.pair_method, "n": int(g.n.sum()), "k": g.k, "p": r.main.p, "eta2": a.eta2,
        "omega2": a.omega2,
        "anova.f": a.test.f, "anova.df1": a.test.df1, "anova.df2": a.test.df2, "anova.p": a.test.p,
        "anova.ss_between": a.ss_between, "anova.ss_within": a.ss_within, "estimate": float(np.ptp(g.means)),
    }  # fmt: skip
    if r.permuted:
        out |= {"permutation.p": r.permuted.p, "permutation.draws": r.permuted.draws}
    for c in r.contrasts.found if r.contrasts else []:
        name = f"contrast.{c.label}"
        out |= {name: c.estimate, f"{name}.t": c.t, f"{name}.p": c.p_adjusted, f"{name}.ss": c.ss}
    for name, t in (("welch", r.welch), ("brown_forsythe", r.brown_forsythe)):
        if isinstance(t, FTest):
            out |= {f"{name}.f": t.f, f"{name}.df1": t.df1, f"{name}.df2": t.df2, f"{name}.p": t.p}
    if r.trend:
        out |= {"jonckheere.j": r.trend.j, "jonckheere.z": r.trend.z, "jonckheere.p": r.trend.p}
    if r.ranked:
        out |= {"epsilon2": r.epsilon2, "kruskal_wallis.h": r.ranked.h, "kruskal_wallis.df": r.ranked.df}
        out["kruskal_wallis.p"] = r.ranked.p
    return finite(out)
