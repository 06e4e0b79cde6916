"""A comparison of groups within blocks: randomised-block analysis of variance, Friedman, permutation within blocks."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy import special, stats

from yavik.core.answers import Answer, Cell, Check, Marks, Remedy, RowsUsed, Span, TableBlock, Verdict
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import EMPTY, ci_cells, ci_head, compose, grid
from yavik.core.answers.wording import (
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
    plain,
    say,
    stat,
    statistic,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.data import Grouped, stacked
from yavik.core.methods.base import Run
from yavik.core.methods.compare import _checks as checks
from yavik.core.methods.compare._group_contrasts import Planned, asked_for, contrasts_table, control_of, gathered
from yavik.core.methods.compare._group_spec import CompareGroupsSpec
from yavik.core.methods.compare._group_words import PAIR_WORDS, TEST_WORDS, alpha_words
from yavik.core.methods.compare._samples import groups_figure
from yavik.core.methods.shared import normal_check, residual_pictures
from yavik.core.stats import draws, pairwise
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.contrasts import estimates
from yavik.core.stats.draws import Permuted
from yavik.core.stats.families import Family
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.stats.linear import MOST_DESIGN, Factor, LinearModel, TermTest, cells_of
from yavik.core.stats.oneway import FTest, levene
from yavik.core.stats.pairwise import Pairs
from yavik.core.stats.within import Friedman, friedman
from yavik.core.table import DataProblem, Table

RANK_PAIRS = "friedman_ranks"
FAMILIES: tuple[Family, ...] = ("tukey", "lsd", "bonferroni", "holm", "sidak", "scheffe", "dunnett", "snk", "duncan")


@dataclass(frozen=True)
class Blocked:
    """Rows sorted by group and block, and everything computed of them."""

    data: Grouped
    blocks: tuple[str, ...]
    block_title: str
    y: Floats
    group: Any
    block: Any
    rows: Any
    model: LinearModel
    of_groups: TermTest
    of_blocks: TermTest
    residuals: Floats
    fitted: Floats
    means: Floats
    covariance: Floats
    wide: Floats | None
    """Blocks × groups where every cell has one value; incomplete blocks left out."""
    incomplete: list[str]
    repeated: bool


def blocked(table: Table, spec: CompareGroupsSpec, run: Run) -> Answer:
    b = _read(table, spec)
    run.progress(0.4, "Testing within blocks")
    by_ranks = spec.test in ("friedman", "kruskal_wallis")
    if spec.test in ("welch", "brown_forsythe"):
        raise DataProblem(
            f"{TEST_WORDS[spec.test].split(',')[0]} compares independent groups; within blocks take the classical F, Friedman or permutation.",
            column=spec.block,
        )
    ranks = (
        friedman(_complete(b, spec))
        if by_ranks or (b.wide is not None and not b.repeated and len(b.wide) > 1)
        else None
    )
    permuted = None
    if spec.test == "permutation":
        wide = _complete(b, spec)
        permuted = draws.within_blocks(wide, draws.DRAWS, spec.seed, lambda s: run.progress(0.4 + 0.5 * s, "Drawing"))
    method, pairs = _pairs(b, spec, ranks if by_ranks else None)
    p = ranks.p if by_ranks and ranks else permuted.p if permuted else b.of_groups.test.p if b.of_groups.test else 1.0
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


def _read(table: Table, spec: CompareGroupsSpec) -> Blocked:
    assert spec.response and spec.groups and spec.block
    if spec.block in (spec.response, spec.groups):
        raise DataProblem(
            f"{spec.block} stands in two slots; choose a column of its own for the blocks.", column=spec.block
        )
    y, group, block = table.numbers(spec.response), table.codes(spec.groups), table.codes(spec.block)
    use = ~np.isnan(y) & (group.codes >= 0) & (block.codes >= 0)
    if not use.any():
        raise DataProblem(f"No row has {spec.response}, {spec.groups} and {spec.block} filled.", column=spec.block)
    data = stacked(table.keep(use), spec.response, spec.groups)
    if data.groups.k < 2:
        raise DataProblem(
            f"{spec.groups} has one level, '{data.groups.names[0]}'; a comparison needs two.", column=spec.groups
        )
    g, g_names = _present(group.codes[use], group.levels)
    f, f_names = _present(block.codes[use], block.levels)
    if len(f_names) < 2:
        raise DataProblem(f"{spec.block} has one level, '{f_names[0]}'; blocks need two.", column=spec.block)
    if len(f_names) + len(g_names) > MOST_DESIGN:
        raise DataProblem(
            f"{spec.block} has {len(f_names)} levels; this question takes up to {MOST_DESIGN} groups and blocks.",
            column=spec.block,
        )
    values, rows = y[use], table.rows[use]
    cells = cells_of(values, [Factor(spec.groups, g, g_names), Factor(spec.block, f, f_names)])
    model = LinearModel(cells, [(1,), (0,)])
    if model.df < 1:
        raise DataProblem(
            "Groups and blocks use up every row: nothing is left to judge differences against.", column=spec.block
        )
    fitted = model.fitted_cells()[cells.cell_of_row]
    _, means, covariance = model.estimated((0,))
    if np.isnan(means).any():
        raise DataProblem(
            "The groups fall into sets that share no block: they cannot be compared within blocks.", column=spec.block
        )
    repeated = bool(np.any(cells.n > 1))
    wide, incomplete = _wide(cells.levels, cells.mean + cells.shift, len(g_names), f_names)
    return Blocked(
        data,
        f_names,
        table.column(spec.block).title,
        values,
        g,
        f,
        rows,
        model,
        model.test((0,), "iii"),
        model.test((1,), "iii"),
        values - fitted,
        fitted,
        means,
        covariance,
        wide,
        incomplete,
        repeated,
    )


def _present(codes: Any, levels: tuple[str, ...]) -> tuple[Any, tuple[str, ...]]:
    found = np.flatnonzero(np.bincount(codes, minlength=len(levels)))
    place = np.zeros(len(levels), np.int64)
    place[found] = np.arange(len(found))
    return place[codes], tuple(levels[i] for i in found)


def _wide(levels: Any, means: Floats, k: int, names: tuple[str, ...]) -> tuple[Floats | None, list[str]]:
    table = np.full((len(names), k), np.nan)
    table[levels[:, 1], levels[:, 0]] = means
    full = ~np.isnan(table).any(axis=1)
    return (table[full] if full.any() else None), [n for n, ok in zip(names, full, strict=True) if not ok]


def _complete(b: Blocked, spec: CompareGroupsSpec) -> Floats:
    if b.repeated:
        raise DataProblem(
            f"Some {spec.block} has several values of one {spec.groups}; ranks and permutation within blocks take one. Summarise them first.",
            column=spec.block,
        )
    if b.wide is None or len(b.wide) < 2:
        raise DataProblem(
            f"Fewer than two levels of {spec.block} have a value in every group; ranks within blocks need complete ones.",
            column=spec.block,
        )
    return b.wide


def _pairs(b: Blocked, spec: CompareGroupsSpec, ranks: Friedman | None) -> tuple[str, Pairs]:
    if ranks is not None:
        if spec.pairs not in ("auto", "dunn"):
            raise DataProblem(
                f"{PAIR_WORDS[spec.pairs]} compares means; after ranks within blocks mean ranks are compared."
            )
        return RANK_PAIRS, _rank_pairs(ranks, len(_complete(b, spec)), spec)
    wanted = "tukey" if spec.pairs == "auto" else spec.pairs
    method = next((f for f in FAMILIES if f == wanted), None)
    if method is None:
        raise DataProblem(
            f"{PAIR_WORDS[wanted]} compares independent groups; within blocks take Tukey–Kramer or another with one pooled spread."
        )
    control = control_of(b.data.groups.names, spec.control, spec.groups) if method == "dunnett" else None
    return method, pairwise.from_means(
        b.means, np.diag(b.covariance).copy(), float(b.model.df), method, spec.alpha, control, b.covariance
    )


def _rank_pairs(ranks: Friedman, blocks: int, spec: CompareGroupsSpec) -> Pairs:
    """Differences of mean ranks within blocks (Dunn, 1964, for blocks): normal p with the ties' variance, adjusted."""
    k = len(ranks.mean_ranks)
    a, b = np.triu_indices(k, 1)
    difference = ranks.mean_ranks[a] - ranks.mean_ranks[b]
    spread = k * (k + 1) / 12 - ranks.tie_factor / (12 * blocks * (k - 1))
    se = np.full(len(a), float(np.sqrt(2 * spread / blocks)))
    z = difference / se
    p = np.asarray(2 * special.ndtr(-np.abs(z)))
    return Pairs(a, b, difference, se, z, None, p, adjust(p, spec.adjust), None, None)


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
    name = "mean ranks" if method == RANK_PAIRS else PAIR_WORDS[method]
    p_spans = say(italic("p"), f" {p_words(p)}")
    marks = Marks(
        letters=dict(zip(g.names, letters, strict=True)) if letters else {},
        letters_note=f"Groups that share a letter do not differ ({name}, α = {a})." if letters else "",
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
    gone = table.n_rows - len(b.y)
    left = [LeftOut(why=f"{spec.response}, {spec.groups} or {spec.block} is empty", n=gone)] if gone else []
    return compose(
        _headline(b, spec, ranks, permuted, p, pairs, method),
        short=f"{'ranks' if ranks else 'means'} differ, {plain(p_spans)}"
        if p < spec.alpha
        else f"no evidence of a difference, {plain(p_spans)}",
        settings=[test, f"pairs by {name}"],
        facts=_facts(b, aside, permuted, method, p, plan),
        blocks=[
            groups_figure(spec.response, spec.groups, [], spec.where, replace(b.data), marks),
            _means(b, spec, letters, ranks, marks.letters_note),
            _tests(b, ranks, permuted),
            contrasts_table(plan, g.names, b.data.decimals + 1, spec.alpha, b.data.unit) if plan else None,
            _pair_table(b, spec, pairs, method, name),
            _others(b, aside, permuted, spec),
            *residual_pictures(b.fitted, b.residuals, b.rows, b.data.unit),
        ],
        checks=_checks(spec, b, ranks is not None, permuted is not None),
        rows=RowsUsed(total=table.n_rows, used=len(b.y), left_out=left),
        marks=marks,
        seed=spec.seed if permuted else None,
    )


def _headline(
    b: Blocked,
    spec: CompareGroupsSpec,
    ranks: Friedman | None,
    permuted: Permuted | None,
    p: float,
    pairs: Pairs,
    method: str,
) -> list[Span]:
    value, by = lower(b.data.value), lower(b.data.group)
    what = f"{'ranks of' if ranks else 'mean'} {value} {'differ' if ranks else 'differs'} by {by}, allowing for {lower(b.block_title)}"
    start = what[0].upper() + what[1:] if p < spec.alpha else f"There is no evidence that {what}"
    t = b.of_groups.test
    if ranks:
        middle = say(f"χ²({ranks.df}) = {statistic(ranks.chi2)}, ")
    elif permuted or t is None:
        middle = []
    else:
        middle = say(italic("F"), f"({df(t.df1)}, {df(t.df2)}) = {statistic(t.f)}, ")
    g, found = b.data.groups, [i for i in np.argsort(-np.abs(pairs.difference)) if pairs.p_adjusted[i] < spec.alpha]
    if not found:
        tail = "No two groups can be told apart."
    else:
        i = int(found[0])
        unit = f"\u00a0{b.data.unit}" if b.data.unit and method != RANK_PAIRS else ""
        size = f"{number(abs(float(pairs.difference[i])), b.data.decimals + (0 if b.data.decimals else 1))}{unit} "
        way = "lower" if pairs.difference[i] < 0 else "higher"
        tail = f"{g.names[pairs.a[i]]} is {'' if method == RANK_PAIRS else size}{way} than {g.names[pairs.b[i]]}"
        tail += f"; {len(found)} of {len(pairs.p)} pairs differ." if len(pairs.p) > 1 else "."
    return say(
        f"{start}, ",
        *middle,
        italic("p"),
        f" {p_words(p)}{' (random divisions within blocks)' if permuted else ''}. {tail}",
    )


def _means(
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


def _tests(b: Blocked, ranks: Friedman | None, permuted: Permuted | None) -> TableBlock:
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
            note += f" As an F (Iman and Davenport): F({df(ranks.f.df1)}, {df(ranks.f.df2)}) = {statistic(ranks.f.f)}, p {p_words(ranks.f.p)}."
        if b.incomplete:
            note += f" Left out as incomplete: {listing(b.incomplete)}."
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


def _pair_table(b: Blocked, spec: CompareGroupsSpec, pairs: Pairs, method: str, name: str) -> TableBlock:
    g, ranked = b.data.groups, method == RANK_PAIRS
    d = 2 if ranked else b.data.decimals + (0 if b.data.decimals else 1)
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
    columns += [(shown, shown), ("p_adjusted", "p" if method == "lsd" else "adjusted p")]
    return grid("pairs", f"All pairs, {name}", columns, rows, marked=marked)


def _others(b: Blocked, aside: Friedman | None, permuted: Permuted | None, spec: CompareGroupsSpec) -> TableBlock:
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
    return grid("tests", "The same question by other tests", columns, rows, folded=True)


def _checks(spec: CompareGroupsSpec, b: Blocked, by_ranks: bool, permuted: bool) -> list[Check]:
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
    if b.incomplete:
        text = f"{counted(len(b.incomplete), 'block lacks', 'blocks lack')} a group ({listing(b.incomplete)}); means are estimated as if each block had every group."
        return Check(**base, verdict=Verdict.doubtful, text=text, facts={"incomplete": float(len(b.incomplete))})
    if b.repeated:
        return Check(
            **base, verdict=Verdict.holds, text=f"{counted(blocks, 'block')} hold every group, some more than once."
        )
    return Check(**base, verdict=Verdict.holds, text=f"{counted(blocks, 'block')} hold every group once.")


def _facts(
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
