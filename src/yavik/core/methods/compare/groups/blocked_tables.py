"""Sentence, tables, checks and facts of a comparison within blocks."""

from dataclasses import replace
from typing import Any

import numpy as np
from scipy import special, stats

from yavik.core.answers import Cell, Check, Remedy, Span, TableBlock, Verdict
from yavik.core.answers.make import EMPTY, ci_cells, ci_head, grid
from yavik.core.answers.wording import (
    after_difference,
    counted,
    df,
    df_cell,
    finer,
    italic,
    listing,
    num,
    number,
    p_cell,
    p_words,
    say,
    stat,
    statistic,
    told,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.groups.blocked_data import Blocked
from yavik.core.methods.compare.groups.contrasts import Planned
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec
from yavik.core.methods.compare.groups.words import contrast_words
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.shared import normal_check
from yavik.core.stats.draws import Permuted
from yavik.core.stats.groups import Groups
from yavik.core.stats.linear import TermTest
from yavik.core.stats.oneway import FTest, levene
from yavik.core.stats.pairwise import Pairs
from yavik.core.stats.within import Friedman

RANK_PAIRS = "friedman_ranks"
RANKED = (RANK_PAIRS, "nemenyi")


def headline(
    b: Blocked,
    spec: CompareGroupsSpec,
    ranks: Friedman | None,
    permuted: Permuted | None,
    p: float,
    pairs: Pairs,
    method: str,
    plan: Planned | None,
) -> list[Span]:
    value, by = lower(b.data.value), lower(b.data.group)
    what = (
        f"{'ranks of' if ranks else 'mean'} {value} {'differ' if ranks else 'differs'} by {by}, allowing for"
        f" {lower(b.block_title)}"
    )
    start = claimed(what, p < spec.alpha)
    t = b.of_groups.test
    if ranks:
        middle = say(f"χ²({ranks.df}) = {statistic(ranks.chi2)}, ")
    elif permuted or t is None:
        middle = []
    else:
        middle = say(italic("F"), f"({df(t.df1)}, {df(t.df2)}) = {statistic(t.f)}, ")
    if plan:
        tail = " (random divisions within blocks)" if permuted else ""
        return say(
            f"{start}, ", *middle, italic("p"), f" {p_words(p)}{tail}. ", *contrast_words(plan, b.data, spec.alpha)
        )
    g, found = b.data.groups, [i for i in np.argsort(-np.abs(pairs.difference)) if pairs.p_adjusted[i] < spec.alpha]
    if not found:
        tail = (
            f"No group can be told apart from {g.names[pairs.b[0]]}."
            if method == "dunnett"
            else "No two groups can be told apart."
        )
    else:
        i = int(found[0])
        unit = "" if method in RANKED else after_difference(b.data.unit)
        size = f"{number(abs(float(pairs.difference[i])), told(b.data.decimals, float(pairs.se[i])))}{unit} "
        way = "lower" if pairs.difference[i] < 0 else "higher"
        tail = (
            f"{g.names[pairs.a[i]]} is"
            f" {'' if method in RANKED else size}{way + ' in rank' if method in RANKED else way} than"
            f" {g.names[pairs.b[i]]}"
        )
        tail += f"; {len(found)} of {len(pairs.p)} pairs differ." if len(pairs.p) > 1 else "."
    return say(
        f"{start}, ",
        *middle,
        italic("p"),
        f" {p_words(p)}{' (random divisions within blocks)' if permuted else ''}. {tail}",
    )


def means_table(
    b: Blocked, spec: CompareGroupsSpec, letters: list[str] | None, ranks: Friedman | None, note: str
) -> TableBlock:
    g, t = b.data.groups, float(stats.t.isf(spec.alpha / 2, b.model.df))
    d = finer(b.data.decimals, float(np.abs(b.means).max()))
    rows = []
    for i, name in enumerate(g.names):
        se, mean = float(np.sqrt(b.covariance[i, i])), float(b.means[i])
        row = {
            "group": word(name),
            "n": whole(int(g.n[i])),
            "mean": num(float(g.means[i]), d),
            "estimate": num(mean, d),
            "se": num(se, d + 1),
            **ci_cells(mean - t * se, mean + t * se, d),
        }
        if letters:
            row["letters"] = word(letters[i])
        if ranks:
            row["mean_rank"] = num(float(ranks.mean_ranks[i]), 2)
        rows.append(row)
    columns = [
        ("group", f"{b.data.group}<"),
        ("n", "n"),
        ("mean", "Mean"),
        ("estimate", "Mean over blocks"),
        ("se", "SE"),
        ci_head(spec.alpha),
    ]
    columns += [("mean_rank", "Mean rank")] if ranks else []
    columns += [("letters", "")] if letters else []
    return grid("means", b.data.value_axis, columns, rows, note=note or None, strong=["letters"])


def tests_table(b: Blocked, ranks: Friedman | None, permuted: Permuted | None) -> TableBlock:
    if ranks:
        row = {
            "term": word(b.data.group),
            "chi2": stat(ranks.chi2),
            "df": df_cell(ranks.df),
            "p": p_cell(ranks.p),
            "w": num(ranks.w, 2),
        }
        columns = [("term", "<"), ("chi2", "χ²"), ("df", "df"), ("p", "p"), ("w", "Kendall's W")]
        note = "Ranks within each complete block; χ² corrected for ties."
        if ranks.f:
            note += (
                f" As an F (Iman and Davenport): F({df(ranks.f.df1)}, {df(ranks.f.df2)}) = {statistic(ranks.f.f)}, p"
                f" {p_words(ranks.f.p)}."
            )
        if b.left_blocks:
            note += f" Left out as incomplete: {listing(list(b.left_blocks))}."
        return grid("test", "Test of equal ranks within blocks", columns, [row], note=note)
    d = finer(b.data.decimals, b.model.rss)
    rows = [
        _line(b.data.group, b.of_groups, d, permuted.p if permuted else None),
        _line(b.block_title, b.of_blocks, d, None),
    ]
    rest = {
        "term": word("Within blocks"),
        "ss": num(b.model.rss, d),
        "df": whole(b.model.df),
        "ms": num(b.model.mse, d),
        "f": EMPTY,
        "p": EMPTY,
        "partial_eta2": EMPTY,
    }
    rows.append(rest)
    columns = [
        ("term", "Source<"),
        ("ss", "Sum of squares"),
        ("df", "df"),
        ("ms", "Mean square"),
        ("f", "F"),
        ("p", "p"),
        ("partial_eta2", "Partial η²"),
    ]
    size = b.of_groups.ss / (b.of_groups.ss + b.model.rss)
    rows[0]["partial_eta2"] = Cell(v=size, s=f"{size:.2f}".removeprefix("0"))
    rows[1]["partial_eta2"] = EMPTY
    note = "Groups after blocks and blocks after groups."
    if permuted:
        note += f" p of the groups from {permuted.draws} random orders within blocks."
    return grid("anova", "Test of equal means within blocks", columns, rows, note=note)


def _line(name: str, t: TermTest, d: int, p: float | None) -> dict[str, Cell]:
    f = t.test
    return {
        "term": word(name),
        "ss": num(t.ss, d),
        "df": whole(t.df),
        "ms": num(t.ms, d),
        "f": stat(f.f if f else np.nan),
        "p": p_cell(p if p is not None else f.p if f else np.nan),
    }


def pair_table(b: Blocked, spec: CompareGroupsSpec, pairs: Pairs, method: str, name: str) -> TableBlock:
    g, ranked = b.data.groups, method in RANKED
    d = 2 if ranked else told(b.data.decimals, *pairs.se.tolist())
    shown = "z" if ranked else "t"
    rows, marked = [], []
    for i in range(len(pairs.p)):
        row = {
            "pair": word(f"{g.names[pairs.a[i]]} – {g.names[pairs.b[i]]}"),
            "group_a": word(g.names[pairs.a[i]]),
            "group_b": word(g.names[pairs.b[i]]),
            "difference": num(float(pairs.difference[i]), d),
            shown: stat(float(pairs.statistic[i])),
            "p": p_cell(float(pairs.p[i])),
            "p_adjusted": p_cell(float(pairs.p_adjusted[i])),
        }
        if pairs.ci_low is not None and pairs.ci_high is not None:
            row |= ci_cells(float(pairs.ci_low[i]), float(pairs.ci_high[i]), d)
        if pairs.p_adjusted[i] < spec.alpha:
            marked.append(i)
        rows.append(row)
    unit = f" ({b.data.unit})" if b.data.unit and not ranked else ""
    columns = [("pair", "Pair<"), ("difference", "Difference of mean ranks" if ranked else f"Difference{unit}")]
    columns += [ci_head(spec.alpha)] if pairs.ci_low is not None else []
    plain = method == "lsd" or (method == RANK_PAIRS and spec.adjust == "none")
    fdr = method == RANK_PAIRS and spec.adjust == "fdr"
    columns += [(shown, shown), ("p_adjusted", "p" if plain else "p, false discovery rate" if fdr else "adjusted p")]
    title = f"Each against {g.names[pairs.b[0]]}, Dunnett" if method == "dunnett" else f"All pairs, {name}"
    return grid("pairs", title, columns, rows, marked=marked)


def other_tests(b: Blocked, aside: Friedman | None, permuted: Permuted | None, spec: CompareGroupsSpec) -> TableBlock:
    """How the conclusion fares under each test."""
    f = b.of_groups.test
    rows = []
    if f:
        rows.append(
            {
                "term": word("Classical F"),
                "statistic": stat(f.f),
                "df": word(f"{df(f.df1)}, {df(f.df2)}"),
                "p": p_cell(f.p),
            }
        )
    if aside:
        rows.append(
            {"term": word("Friedman"), "statistic": stat(aside.chi2), "df": word(df(aside.df)), "p": p_cell(aside.p)}
        )
    if permuted:
        rows.append({"term": word("Permutation"), "statistic": EMPTY, "df": EMPTY, "p": p_cell(permuted.p)})
    for row in rows:
        value = row["p"].v
        row["said"] = word("differ" if isinstance(value, float) and value < spec.alpha else "no evidence")
    columns = [("term", "Test<"), ("statistic", "F or χ²"), ("df", "df"), ("p", "p"), ("said", "At this α<")]
    note = None
    if aside and b.incomplete:
        note = (
            f"Friedman on the {counted(len(b.blocks) - len(b.incomplete), 'block')} that have every group; the others"
            " on all rows."
        )
    return grid("tests", "The same question by other tests", columns, rows, note=note, folded=True)


def all_checks(spec: CompareGroupsSpec, b: Blocked, by_ranks: bool, permuted: bool) -> list[Check]:
    order = np.argsort(b.group, kind="stable")
    names = b.data.groups.names
    counts = np.bincount(b.group, minlength=len(names))
    parts = Groups(b.residuals[order], np.concatenate([[0], np.cumsum(counts)]), b.rows[order], names)
    residual = replace(b.data, groups=parts)
    role = "kruskal_wallis" if by_ranks or permuted else "anova"
    remedy = [Remedy(label="Compare ranks within blocks", spec={"test": "friedman", "pairs": "auto"})]
    found = [
        checks.equal_spread(
            residual, levene(parts, "median"), levene(parts, "mean"), role, {"test": "friedman", "pairs": "auto"}
        ),
        normal_check(b.residuals, "the residuals", "Normal residuals", remedy, needed=not (by_ranks or permuted)),
        _additive(b, spec),
        _balance(b),
    ]
    if spec.contrasts:
        text = (
            "Planned contrasts answer what was asked beforehand; all pairs and their letters are beside that"
            " question."
        )
        found.append(Check(id="pairs", title="Are pairs the question?", verdict=Verdict.holds, text=text))
    for check in found:
        check.remedies = [
            r.model_copy(update={"label": "Compare ranks within blocks"}) if r.label.startswith("Use Welch") else r
            for r in check.remedies
        ]
    return found


def _additive(b: Blocked, spec: CompareGroupsSpec) -> Check:
    """Tukey's (1949) single degree of freedom: do groups differ by the same amount in every block?"""
    base: dict[str, Any] = {"id": "additive", "title": "Same difference in every block"}
    if b.wide is None or b.incomplete or b.model.df < 2:
        return Check(**base, verdict=Verdict.unknown, text="Cannot be judged: some block lacks a group.")
    y = b.wide
    rows, columns = y.mean(axis=1) - y.mean(), y.mean(axis=0) - y.mean()
    below = float((rows**2).sum() * (columns**2).sum())
    rest = y - y.mean() - rows[:, None] - columns[None, :]
    free = (y.shape[0] - 1) * (y.shape[1] - 1)
    ss = float((rows @ y @ columns) ** 2 / below) if below > 0 else 0.0
    spare = float((rest**2).sum()) - ss
    if free < 2 or spare <= 0 or below == 0:
        return Check(**base, verdict=Verdict.unknown, text="Cannot be judged from so few cells.")
    f = ss / (spare / (free - 1))
    t = FTest(f, 1, free - 1, float(special.fdtrc(1, free - 1, f)))
    verdict = Verdict.holds if t.p >= 0.05 else Verdict.doubtful if t.p >= 0.01 else Verdict.fails
    text = f"Tukey's test of one degree of freedom gives p {p_words(t.p)}."
    text += (
        ""
        if verdict is Verdict.holds
        else " Groups differ more in high blocks than in low ones, or less; a logarithm or a root often mends it."
    )
    return Check(**base, verdict=verdict, text=text, facts={"additive.f": f, "additive.p": t.p})


def _balance(b: Blocked) -> Check:
    base: dict[str, Any] = {"id": "group_sizes", "title": "Complete blocks"}
    blocks = len(b.blocks)
    if b.left_blocks:
        text = (
            f"{counted(len(b.left_blocks), 'block lacks', 'blocks lack')} a group ({listing(list(b.left_blocks))})"
            f" and could not be ranked; the other {counted(blocks, 'block holds', 'blocks hold')} every group once."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text, facts={"incomplete": float(len(b.left_blocks))})
    if b.incomplete:
        text = (
            f"{counted(len(b.incomplete), 'block lacks', 'blocks lack')} a group ({listing(b.incomplete)}); means are"
            " estimated as if each block had every group."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text, facts={"incomplete": float(len(b.incomplete))})
    if b.repeated:
        return Check(
            **base, verdict=Verdict.holds, text=f"{counted(blocks, 'block')} hold every group, some more than once."
        )
    return Check(**base, verdict=Verdict.holds, text=f"{counted(blocks, 'block')} hold every group once.")


def facts(
    b: Blocked, aside: Friedman | None, permuted: Permuted | None, method: str, p: float, plan: Planned | None
) -> dict[str, Any]:
    f = b.of_groups.test
    out: dict[str, Any] = {
        "p": p,
        "n": len(b.y),
        "k": len(b.means),
        "blocks": len(b.blocks),
        "pairs": method,
        "estimate": float(np.ptp(b.means)),
        "anova.ss_between": b.of_groups.ss,
        "anova.ss_blocks": b.of_blocks.ss,
        "anova.ss_within": b.model.rss,
    }
    if f:
        out |= {"anova.f": f.f, "anova.df1": f.df1, "anova.df2": f.df2, "anova.p": f.p}
    if b.of_blocks.test:
        out |= {"blocks.f": b.of_blocks.test.f, "blocks.p": b.of_blocks.test.p}
    if aside:
        out |= {"friedman.chi2": aside.chi2, "friedman.p": aside.p, "friedman.w": aside.w}
    if permuted:
        out["permutation.p"] = permuted.p
    for c in plan.found if plan else []:
        out |= {
            f"contrast.{c.label}": c.estimate,
            f"contrast.{c.label}.t": c.t,
            f"contrast.{c.label}.p": c.p_adjusted,
        }
    return out
