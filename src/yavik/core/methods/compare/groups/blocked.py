"""A comparison of groups within blocks: randomised-block analysis of variance, Friedman, permutation within
blocks."""

from dataclasses import replace

import numpy as np

from yavik.core.answers import Answer, Marks, RowsUsed
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    alpha_words,
    italic,
    listing,
    p_words,
    plain,
    say,
)
from yavik.core.methods.base import Run
from yavik.core.methods.compare.groups.blocked_data import Blocked, complete_blocks, read_blocks
from yavik.core.methods.compare.groups.blocked_tables import (
    RANK_PAIRS,
    all_checks,
    facts,
    headline,
    means_table,
    other_tests,
    pair_table,
    tests_table,
)
from yavik.core.methods.compare.groups.contrasts import Planned, asked_for, contrasts_table, control_of, gathered
from yavik.core.methods.compare.groups.spec import PAIR_WORDS, TEST_WORDS, CompareGroupsSpec, pairs_said
from yavik.core.methods.kit.samples import groups_figure
from yavik.core.methods.kit.shared import residual_pictures
from yavik.core.stats import draws, pairwise
from yavik.core.stats.contrasts import estimates
from yavik.core.stats.draws import Permuted
from yavik.core.stats.families import Family
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.pairwise import Pairs
from yavik.core.stats.within import Friedman, friedman
from yavik.core.table import DataProblem, Table

FAMILIES: tuple[Family, ...] = ("tukey", "lsd", "bonferroni", "holm", "sidak", "scheffe", "dunnett", "snk", "duncan")


def blocked(table: Table, spec: CompareGroupsSpec, run: Run) -> Answer:
    """The answer where groups stand within blocks. Raises DataProblem for what cannot be asked of blocks."""
    if spec.alternative != "two_sided":
        raise DataProblem(
            "Within blocks every comparison looks either way; a direction is for Dunnett's comparisons of independent"
            " groups."
        )
    by_ranks = spec.test in ("friedman", "kruskal_wallis")
    b = read_blocks(table, spec)
    if by_ranks and b.incomplete and b.wide is not None and len(b.wide) > 1 and not b.repeated:
        b = read_blocks(table, spec, without=b.incomplete)
    run.progress(0.4, "Testing within blocks")
    if spec.test in ("welch", "brown_forsythe"):
        raise DataProblem(
            f"{TEST_WORDS[spec.test].split(',')[0]} compares independent groups; within blocks take the classical F,"
            " Friedman or permutation.",
            column=spec.block,
        )
    ranks = (
        friedman(complete_blocks(b, spec))
        if by_ranks or (b.wide is not None and not b.repeated and len(b.wide) > 1)
        else None
    )
    permuted = None
    if ranks is not None and not np.isfinite(ranks.p):
        if by_ranks:
            raise DataProblem(
                f"Within every {spec.block} all values of {spec.response} are the same: they cannot be ranked.",
                column=spec.response,
            )
        ranks = None
    if spec.test == "permutation":
        permuted = draws.within_blocks(
            b.y, b.group, b.block, draws.DRAWS, spec.seed, lambda s: run.progress(0.4 + 0.5 * s, "Drawing")
        )
    method, pairs = _pairs(b, spec, ranks if by_ranks else None)
    if b.of_groups.test is None:  # read_blocks has seen to it that there is scatter and something to compare
        raise DataProblem(
            f"{spec.groups} cannot be told from {spec.block}: no difference is left within blocks.",
            column=spec.groups,
        )
    p = ranks.p if by_ranks and ranks else permuted.p if permuted else b.of_groups.test.p
    order = ranks.mean_ranks if by_ranks and ranks else b.means
    letters = None
    if len(pairs.p) == len(b.means) * (len(b.means) - 1) // 2:
        shown = np.where(np.isnan(pairs.p_adjusted), 1.0, pairs.p_adjusted)
        letters = letters_from_pairs(
            [float(x) for x in order],
            pairs.a.tolist(),
            pairs.b.tolist(),
            [float(x) for x in shown],
            spec.alpha,
            up=spec.letters_order == "up",
        )
    return _answer(table, spec, b, ranks if by_ranks else None, ranks, permuted, method, pairs, letters, float(p))


def _pairs(b: Blocked, spec: CompareGroupsSpec, ranks: Friedman | None) -> tuple[str, Pairs]:
    if ranks is not None:
        if spec.pairs == "nemenyi":
            return "nemenyi", pairwise.nemenyi_within(ranks, len(complete_blocks(b, spec)))
        if spec.pairs not in ("auto", "dunn"):
            raise DataProblem(
                f"{PAIR_WORDS[spec.pairs]} compares means; after ranks within blocks mean ranks are compared."
            )
        return RANK_PAIRS, pairwise.ranks_within(ranks, len(complete_blocks(b, spec)), spec.adjust)
    wanted = "tukey" if spec.pairs == "auto" else spec.pairs
    method = next((f for f in FAMILIES if f == wanted), None)
    if method is None:
        raise DataProblem(
            f"{PAIR_WORDS[wanted]} compares independent groups; within blocks take Tukey–Kramer or another with one"
            " pooled spread."
        )
    control = control_of(b.data.groups.names, spec.control, spec.groups) if method == "dunnett" else None
    return method, pairwise.from_means(
        b.means, np.diag(b.covariance).copy(), float(b.model.df), method, spec.alpha, control, b.covariance
    )


def _planned(b: Blocked, spec: CompareGroupsSpec) -> Planned | None:
    asked = asked_for(spec, b.data.groups.names, spec.groups)
    if asked is None:
        return None
    labels, weights, note = asked
    n = b.data.groups.n.astype(float)
    free = np.full(len(labels), float(b.model.df))
    found = estimates(
        labels, weights, b.means, b.covariance, free, n, adjusting=spec.contrasts_adjust, alpha=spec.alpha
    )
    return gathered(spec, found, n, note, "One spread, that left within blocks.")


def _answer(
    table: Table,
    spec: CompareGroupsSpec,
    b: Blocked,
    ranks: Friedman | None,
    aside: Friedman | None,
    permuted: Permuted | None,
    method: str,
    pairs: Pairs,
    letters: list[str] | None,
    p: float,
) -> Answer:
    g, a = b.data.groups, alpha_words(spec.alpha)
    name = (
        "mean ranks" if method == RANK_PAIRS else "Nemenyi, mean ranks" if method == "nemenyi" else PAIR_WORDS[method]
    )
    p_spans = say(italic("p"), f" {p_words(p)}")
    marks = Marks(
        letters=dict(zip(g.names, letters, strict=True)) if letters else {},
        letters_note=f"Groups that share a letter cannot be told apart ({name}, α = {a})." if letters else "",
        p=p_spans,
    )
    plan = _planned(b, spec)
    test = (
        "Friedman's test by ranks"
        if ranks
        else "permutation within blocks"
        if permuted
        else "classical F, blocks taken out"
    )
    gone = table.n_rows - len(b.y) - b.rows_in_left_blocks
    left = [LeftOut(why=f"{spec.response}, {spec.groups} or {spec.block} is empty", n=gone)] if gone else []
    if b.rows_in_left_blocks:
        why = f"{spec.block} lacks a group, and ranks within blocks need all: {listing(b.left_blocks)}"
        left.append(LeftOut(why=why, n=b.rows_in_left_blocks))
    return compose(
        headline(b, spec, ranks, permuted, p, pairs, method, plan),
        short=(
            f"{'ranks' if ranks else 'means'} differ, {plain(p_spans)}"
            if p < spec.alpha
            else f"no evidence of a difference, {plain(p_spans)}"
        ),
        settings=[test, pairs_said(method, name, spec.adjust)],
        facts=facts(b, aside, permuted, method, p, plan),
        blocks=[
            groups_figure(spec.response, spec.groups, [], spec.where, replace(b.data), marks),
            means_table(b, spec, letters, ranks, marks.letters_note),
            tests_table(b, ranks, permuted),
            contrasts_table(plan, g.names, b.data.decimals + 1, spec.alpha, b.data.unit) if plan else None,
            pair_table(b, spec, pairs, method, name),
            other_tests(b, aside, permuted, spec),
            *residual_pictures(b.fitted, b.residuals, b.rows, b.data.unit),
        ],
        checks=all_checks(spec, b, ranks is not None, permuted is not None),
        rows=RowsUsed(total=table.n_rows, used=len(b.y), left_out=left),
        marks=marks,
        seed=spec.seed if permuted else None,
    )
