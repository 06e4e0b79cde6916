"""Sentence, tables, checks and facts of a comparison within blocks."""

from dataclasses import replace
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import Check, Remedy, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    after_difference,
    begun,
    counted,
    df,
    finer,
    listing,
    number,
    p_words,
    plain,
    say,
    told,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.groups.blocked_data import Blocked
from yavik.core.methods.compare.groups.contrasts import Planned
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec
from yavik.core.methods.compare.groups.words import contrast_words
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.analysis import source
from yavik.core.methods.kit.claims import at_alpha, claimed
from yavik.core.methods.kit.pairs import pairs_table
from yavik.core.methods.kit.shared import normal_check
from yavik.core.stats import distributions as laws
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
    """The statement: the test, then what was planned or the pair that differs most."""
    value, by = lower(b.data.value), lower(b.data.group)
    what = (
        f"{'ranks of' if ranks else 'mean'} {value} {'differ' if ranks else 'differs'} by {by}, allowing for"
        f" {lower(b.block_title)}"
    )
    start = claimed(what, p < spec.alpha)
    t, tail = b.of_groups.test, " (random divisions within blocks)" if permuted else ""
    if ranks:
        test = q.tested("χ²", ranks.chi2, (ranks.df,), p)
    else:
        test = q.p_said(p, tail) if permuted or t is None else q.tested("F", t.f, (t.df1, t.df2), p)
    if plan:
        return say(f"{start}, ", *test, ". ", *contrast_words(plan, b.data, spec.alpha))
    return say(f"{start}, ", *test, f". {_largest(b, spec, pairs, method)}")


def _largest(b: Blocked, spec: CompareGroupsSpec, pairs: Pairs, method: str) -> str:
    """The pair that differs most."""
    g, found = b.data.groups, [i for i in np.argsort(-np.abs(pairs.difference)) if pairs.p_adjusted[i] < spec.alpha]
    if not found and method == "dunnett":
        return f"No group can be told apart from {g.names[pairs.b[0]]}."
    if not found:
        return "No two groups can be told apart."
    i = int(found[0])
    way, size = "lower" if pairs.difference[i] < 0 else "higher", ""
    if method not in RANKED:
        decimals = told(b.data.decimals, float(pairs.se[i]))
        size = f"{number(abs(float(pairs.difference[i])), decimals)}{after_difference(b.data.unit)} "
    way += " in rank" if method in RANKED else ""
    more = f"; {len(found)} of {len(pairs.p)} pairs differ" if len(pairs.p) > 1 else ""
    return f"{begun(g.names[pairs.a[i]])} is {size}{way} than {g.names[pairs.b[i]]}{more}."


def means_table(
    b: Blocked, spec: CompareGroupsSpec, letters: list[str] | None, ranks: Friedman | None, note: str
) -> TableBlock:
    """Means as they are and as if each block had every group."""
    g, t, rows = b.data.groups, float(laws.t.isf(spec.alpha / 2, b.model.df)), []
    d = finer(b.data.decimals, float(np.abs(b.means).max()))
    for i, name in enumerate(g.names):
        se, mean = float(np.sqrt(b.covariance[i, i])), float(b.means[i])
        row = q.row(
            group=q.name(name, b.data.group), n=q.count(g.n[i]), mean=q.num(float(g.means[i]), d, "Mean"),
            estimate=q.est(mean, d, "Mean over blocks"), se=q.num(se, d + 1, "SE"),
            **q.ci(mean - t * se, mean + t * se, d, spec.alpha),
        )  # fmt: skip
        if ranks:
            row["mean_rank"] = q.num(float(ranks.mean_ranks[i]), 2, "Mean rank")
        if letters:
            row["letters"] = q.word(letters[i])
        rows.append(row)
    return q.table("means", b.data.value_axis, rows, note=note or None, strong=["letters"], unit=b.data.unit or "")


def tests_table(b: Blocked, ranks: Friedman | None, permuted: Permuted | None) -> TableBlock:
    """Friedman's test, or groups and blocks with their sums of squares."""
    if ranks:
        row = q.row(term=q.name(b.data.group), **q.chi2_cells(ranks), w=q.num(ranks.w, 2, "Kendall's W"))
        note = "Ranks within each complete block; χ² corrected for ties."
        if ranks.f:
            note += f" As an F (Iman and Davenport): {plain(q.tested_f(ranks.f))}."
        if b.left_blocks:
            note += f" Left out as incomplete: {listing(list(b.left_blocks))}."
        return q.table("test", "Test of equal ranks within blocks", [row], note=note)
    d, rest = finer(b.data.decimals, b.model.rss), b.model.rss

    def line(name: str, t: TermTest, p: float | None, partial: float | None) -> q.Row:
        """A source with its mean square and test."""
        return source(name, t.ss, t.df, d, ms=t.ms, test=t.test, p=p, partial=partial, tested=True)

    rows = [
        line(b.data.group, b.of_groups, permuted.p if permuted else None, b.of_groups.ss / (b.of_groups.ss + rest)),
        line(b.block_title, b.of_blocks, None, None),
        source("Within blocks", rest, b.model.df, d, ms=b.model.mse),
    ]
    note = "Groups after blocks and blocks after groups."
    if permuted:
        note += f" p of the groups from {permuted.draws} random orders within blocks."
    return q.table("anova", "Test of equal means within blocks", rows, note=note)


def pair_table(b: Blocked, spec: CompareGroupsSpec, pairs: Pairs, method: str, name: str) -> TableBlock:
    """Every pair, or each group with the control."""
    names, ranked = b.data.groups.names, method in RANKED
    plain_p = method == "lsd" or (method == RANK_PAIRS and spec.adjust == "none")
    fdr = method == RANK_PAIRS and spec.adjust == "fdr"
    by = "Dunnett" if method == "dunnett" else name
    return pairs_table(
        pairs, names, spec.alpha, decimals=2 if ranked else told(b.data.decimals, *pairs.se.tolist()), by=by,
        title=f"Each against {names[pairs.b[0]]}, Dunnett" if method == "dunnett" else f"All pairs, {name}",
        head="Difference of mean ranks" if ranked else "Difference", unit=None if ranked else b.data.unit,
        adjusted="p" if plain_p else "p, false discovery rate" if fdr else "adjusted p",
        letter="z" if ranked else "t",
    )  # fmt: skip


def other_tests(b: Blocked, aside: Friedman | None, permuted: Permuted | None, spec: CompareGroupsSpec) -> TableBlock:
    """How the conclusion fares under each test."""

    def line(name: str, statistic: q.Quantity, df: str | None, p: float) -> q.Row:
        """One test with what it says at α."""
        free = q.blank("df") if df is None else q.word(df, "df")
        said = at_alpha(p, spec.alpha)
        return q.row(term=q.name(name, "Test"), statistic=statistic, df=free, p=q.p(p), said=said)

    f, title, rows = b.of_groups.test, "F or χ²", []
    if f:
        rows.append(line("Classical F", q.stat(f.f, title), f"{df(f.df1)}, {df(f.df2)}", f.p))
    if aside:
        rows.append(line("Friedman", q.stat(aside.chi2, title), df(aside.df), aside.p))
    if permuted:
        rows.append(line("Permutation", q.blank(title), None, permuted.p))
    note = None
    if aside and b.incomplete:
        whole = counted(len(b.blocks) - len(b.incomplete), "block")
        note = f"Friedman on the {whole} that have every group; the others on all rows."
    return q.table("tests", "The same question by other tests", rows, note=note, folded=True)


def all_checks(spec: CompareGroupsSpec, b: Blocked, by_ranks: bool, permuted: bool) -> list[Check]:
    """Whether the answer can be relied on, in the order in which it matters."""
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
    """Numbers by name."""
    f = b.of_groups.test
    out: dict[str, Any] = {
        "p": p, "n": len(b.y), "k": len(b.means), "blocks": len(b.blocks), "pairs": method,
        "estimate": float(np.ptp(b.means)),
        "anova.ss_between": b.of_groups.ss, "anova.ss_blocks": b.of_blocks.ss, "anova.ss_within": b.model.rss,
    }  # fmt: skip
    if f:
        out |= {"anova.f": f.f, "anova.df1": f.df1, "anova.df2": f.df2, "anova.p": f.p}
    if b.of_blocks.test:
        out |= {"blocks.f": b.of_blocks.test.f, "blocks.p": b.of_blocks.test.p}
    if aside:
        out |= {"friedman.chi2": aside.chi2, "friedman.p": aside.p, "friedman.w": aside.w}
    if permuted:
        out["permutation.p"] = permuted.p
    for c in plan.found if plan else []:
        name = f"contrast.{c.label}"
        out |= {name: c.estimate, f"{name}.t": c.t, f"{name}.p": c.p_adjusted}
    return out
