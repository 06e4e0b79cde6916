"""How large is a share, does it differ from a value, and does it differ between groups?"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import Field
from scipy import stats

from yavik.core.answers import Answer, Cell, Check, Marks, RowsUsed, Span, Verdict
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import ci_cells, ci_head, compose, grid, share_cell, share_ci
from yavik.core.answers.wording import (
    counted,
    italic,
    level_words,
    missing,
    num,
    number,
    p_cell,
    p_words,
    percent,
    plain,
    say,
    stat,
    statistic,
    whole,
    word,
)
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.base import Aim, Layout, Method, Page, Run, amount, placed, slot
from yavik.core.methods.counts._shared import LEVELS, levels_of
from yavik.core.methods.events import place_of
from yavik.core.methods.fit import n_levels
from yavik.core.methods.margin import WithMargin, judged
from yavik.core.stats.direction import z_p
from yavik.core.stats.equivalence import of_share, of_shares
from yavik.core.stats.shares import exact_share, score_interval, wilson
from yavik.core.stats.tables_of_counts import fisher_2x2, fisher_interval, independence, small_counts, two_by_two
from yavik.core.table import DataProblem, Table


class ProportionSpec(WithMargin):
    column: str | None = Field(None, title="What happened", json_schema_extra=slot(LEVELS, "a category"))
    event: str | None = Field(
        None,
        json_schema_extra=placed(
            "level", "Counted is", "Yes, 1 or true, else the last level, unless chosen.", of="column"
        ),
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(LEVELS, "groups"))
    value: float | None = Field(
        None,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share to compare with", "Between 0 and 1; leave empty for none.", min=0, max=1, step=0.01, empty=True
        ),
    )


def compute(table: Table, spec: ProportionSpec, run: Run) -> Answer:
    assert spec.column
    coded = levels_of(table, spec.column)
    event_word, event = place_of(table, spec.column, spec.event)
    use = coded.codes >= 0
    names: tuple[str, ...] = ("all",)
    group = np.zeros(table.n_rows, np.int64)
    if spec.groups:
        if spec.groups == spec.column:
            raise DataProblem(
                f"{spec.groups} stands in both slots; choose two different columns.", column=spec.groups
            )
        if spec.value is not None:
            raise DataProblem(
                "A share to compare with is for one sample; take out the groups, or the value.", column=spec.groups
            )
        g = levels_of(table, spec.groups)
        use &= g.codes >= 0
        names, group = g.levels, g.codes.astype(np.int64)
    n = np.bincount(group[use], minlength=len(names)).astype(float)
    hits = np.bincount(group[use], (coded.codes[use] == event).astype(float), minlength=len(names))
    kept = np.flatnonzero(n)
    if not len(kept):
        raise DataProblem(
            f"No row has {spec.column}{f' and {spec.groups}' if spec.groups else ''} filled.", column=spec.column
        )
    if spec.groups and len(kept) < 2:
        raise DataProblem(
            f"{spec.groups} has one level, '{names[kept[0]]}', among these rows; a comparison needs two.",
            column=spec.groups,
        )
    names, n, hits = tuple(names[i] for i in kept), n[kept], hits[kept]
    what = f"{lower(table.column(spec.column).title)} = {event_word}"
    gone = int((~use).sum())
    left = [LeftOut(why="something is empty", n=gone)] if gone else []
    rows = RowsUsed(total=table.n_rows, used=int(use.sum()), left_out=left)
    if spec.groups:
        return _compared(spec, what, names, n, hits, rows, table.column(spec.groups).title)
    if spec.alternative != "two_sided" and spec.value is None:
        raise DataProblem("A direction needs a share to compare with.")
    return _one(spec, what, float(n[0]), float(hits[0]), rows)


def _one(spec: ProportionSpec, what: str, n: float, hits: float, rows: RowsUsed) -> Answer:
    p = hits / n
    low, high = exact_share(hits, n, spec.alpha, spec.alternative)
    score = wilson(hits, n, spec.alpha, spec.alternative)
    ci = f"{level_words(spec.alpha)} CI {_share_ends(low, high, spec.alternative)}"
    lines = [
        {
            "term": word("Exact (Clopper–Pearson)"),
            "estimate": Cell(v=p, s=percent(p)),
            **_percent_ci(low, high, spec.alternative),
        },
        {
            "term": word("Score (Wilson)"),
            "estimate": Cell(v=p, s=percent(p)),
            **_percent_ci(*score, spec.alternative),
        },
    ]
    blocks: list[Any] = [
        grid(
            "test",
            f"Share of {what}",
            [("term", "Interval<"), ("estimate", "Share"), ci_head(spec.alpha)],
            lines,
            note=f"{int(hits)} of {int(n)} rows.",
        )
    ]
    facts: dict[str, Any] = {
        "event": what.rsplit(" = ", 1)[1],
        "n": n,
        "hits": hits,
        "estimate": p,
        "ci_low": low,
        "ci_high": high,
        "wilson.ci_low": score[0],
        "wilson.ci_high": score[1],
    }
    spans: list[Span] = say(f"{percent(p)} of {counted(int(n), 'row')} have {what} ({ci}).")
    short, mark = f"{percent(p)} have {what}", []
    if spec.value is not None:
        side = {"two_sided": "two-sided", "less": "less", "greater": "greater"}[spec.alternative]
        exact = float(stats.binomtest(int(hits), int(n), spec.value, side).pvalue)  # type: ignore[arg-type]
        z = (p - spec.value) / np.sqrt(spec.value * (1 - spec.value) / n)
        way = {"two_sided": "differs from", "less": "is below", "greater": "is above"}[spec.alternative]
        claim = f"share of {what} {way} {percent(spec.value)}"
        start = f"The {claim}, " if exact < spec.alpha else f"There is no evidence that the {claim}, "
        spans = say(start, italic("p"), f" {p_words(exact)} (exact). It is {percent(p)} ({ci}).")
        tests = [
            {"term": word("Exact binomial"), "z": missing("has none"), "p": p_cell(exact)},
            {"term": word("Normal approximation"), "z": stat(float(z)), "p": p_cell(z_p(float(z), spec.alternative))},
        ]
        blocks.append(
            grid("tests", f"Test against {percent(spec.value)}", [("term", "Test<"), ("z", "z"), ("p", "p")], tests)
        )
        facts |= {"p": exact, "z": float(z), "z.p": z_p(float(z), spec.alternative)}
        mark = say(italic("p"), f" {p_words(exact)}")
        said = {"two_sided": "differs", "less": "is below", "greater": "is above"}[spec.alternative]
        none = {"two_sided": "a difference", "less": "a smaller share", "greater": "a larger share"}[spec.alternative]
        short = f"{said if exact < spec.alpha else f'no evidence of {none}'}, {plain(mark)}"
    made = compose(
        spans,
        short=short,
        blocks=blocks,
        checks=[_enough(n, hits)],
        rows=rows,
        facts=facts,
        settings=[
            "exact binomial test" if spec.value is not None else "interval by Wilson's score",
            f"counted is {what}",
        ],
        marks=Marks(p=mark),
    )
    if spec.margin is None:
        return made
    if spec.value is None:
        raise DataProblem("A margin needs a share to compare with, or two groups.", column=spec.column)
    found = of_share(hits, n, spec.value, spec.margin, spec.alpha, spec.claim)
    return judged(made, found, spec.alpha, ("the share", percent(spec.value)), _points, " percentage points")


def _points(difference: float) -> str:
    """A difference of shares in percentage points."""
    return number(100 * difference, 1)


def _share_ends(low: float, high: float, alternative: str = "two_sided") -> str:
    """An interval of shares in words; a one-sided one names its one end."""
    if alternative == "two_sided":
        return f"{percent(low)} to {percent(high)}"
    return f"above {percent(low)}" if alternative == "greater" else f"below {percent(high)}"


def _percent_ci(low: float, high: float, alternative: str = "two_sided") -> dict[str, Cell]:
    return {"ci_low": Cell(v=low, s=_share_ends(low, high, alternative)), "ci_high": Cell(v=high, s=percent(high))}


def _compared(
    spec: ProportionSpec, what: str, names: tuple[str, ...], n: Any, hits: Any, rows: RowsUsed, title: str
) -> Answer:
    counts = np.column_stack([hits, n - hits])
    lines, bars = [], []
    for i, name in enumerate(names):
        p, (low, high) = float(hits[i] / n[i]), wilson(float(hits[i]), float(n[i]), spec.alpha)
        lines.append(
            {
                "group": word(name),
                "n": whole(int(n[i])),
                "hits": whole(int(hits[i])),
                "estimate": Cell(v=p, s=percent(p)),
                **_percent_ci(low, high),
            }
        )
        bars.append(Bar(name, 100 * p, 100 * low, 100 * high, True))
    if hits.sum() in (0, n.sum()):
        raise DataProblem(
            f"{'No' if hits.sum() == 0 else 'Every'} row has {what}: there is nothing to compare.", column=spec.column
        )
    test = independence(counts)
    if spec.alternative != "two_sided" and len(names) != 2:
        raise DataProblem(f"Only two shares have a direction; there are {len(names)} groups.", column=spec.groups)
    low_i, high_i = int((hits / n).argmin()), int((hits / n).argmax())
    runs = f"It runs from {percent(float(hits[low_i] / n[low_i]))} in {names[low_i]} to {percent(float(hits[high_i] / n[high_i]))} in {names[high_i]}"
    facts: dict[str, Any] = {
        "event": what.rsplit(" = ", 1)[1],
        "n": float(n.sum()),
        "chi2": test.pearson.chi2,
        "chi2.p": test.pearson.p,
    }
    tests = [_test_line("χ²", stat(test.pearson.chi2), whole(int(test.pearson.df)), test.pearson.p)]
    effect = two_by_two(counts, spec.alpha) if len(names) == 2 else None
    if effect:
        pair = _pair(spec, counts, test, names)
        p, middle, tail, exact = pair.p, pair.said, f"{runs} ({pair.interval})", pair.exact
        tests = [*pair.tests, *tests]
        facts |= pair.facts | {"odds_ratio": effect.odds_ratio.estimate}
    else:
        p, exact, tail = test.pearson.p, False, runs
        middle = say(
            f"χ²({int(test.pearson.df)}, ", italic("n"), f" = {int(n.sum())}) = {statistic(test.pearson.chi2)}, "
        )
        middle = [*middle, *say(italic("p"), f" {p_words(p)}")]
    facts["p"] = p
    way = {
        "two_sided": f"differs by {lower(title)}",
        "less": f"is lower in {names[0]} than in {names[-1]}",
        "greater": f"is higher in {names[0]} than in {names[-1]}",
    }[spec.alternative]
    claim = f"share of {what} {way}"
    start = f"The {claim}, " if p < spec.alpha else f"There is no evidence that the {claim}, "
    mark = say(italic("p"), f" {p_words(p)}")
    columns = [
        ("group", f"{title}<"),
        ("n", "n"),
        ("hits", "Counted"),
        ("estimate", "Share"),
        ci_head(spec.alpha, " (Wilson)"),
    ]
    blocks: list[Any] = [
        block("figure", f"Share of {what}", forest(bars, f"Share of {what} (%)", at=None))
        if len(names) <= 40
        else None,
        grid("groups", f"Share of {what}", columns, lines),
        grid(
            "tests",
            "Tests of equal shares",
            [("term", "Test<"), ("statistic", "Statistic"), ("df", "df"), ("p", "p")],
            tests,
        ),
    ]
    if effect:
        sizes = [
            {
                "term": word("Difference of shares, score interval"),
                "estimate": share_cell(effect.risk_difference.estimate),
                **share_ci(*score_interval(hits[0], n[0], hits[1], n[1], spec.alpha)),
            },
            {
                "term": word("Difference of shares, Newcombe's interval"),
                "estimate": share_cell(effect.risk_difference.estimate),
                **share_ci(effect.risk_difference.ci_low, effect.risk_difference.ci_high),
            },
            {
                "term": word("Odds ratio"),
                "estimate": num(effect.odds_ratio.estimate, 2, "a cell is empty"),
                **ci_cells(effect.odds_ratio.ci_low, effect.odds_ratio.ci_high, 2, "a cell is empty"),
            },
            {
                "term": word("Relative risk"),
                "estimate": num(effect.relative_risk.estimate, 2, "a cell is empty"),
                **ci_cells(effect.relative_risk.ci_low, effect.relative_risk.ci_high, 2, "a cell is empty"),
            },
        ]
        blocks.append(
            grid(
                "effects",
                f"How large is it? {names[0]} against {names[1]}",
                [("term", "Measure<"), ("estimate", "Estimate"), ci_head(spec.alpha)],
                sizes,
            )
        )
    low = test.expected.min()
    fine = not small_counts(test.expected)
    text = f"The smallest expected count is {number(float(low), 1)}."
    if not fine:
        text += (
            " χ² is not to be relied on; Fisher's exact test and its interval stand in."
            if exact
            else " χ² is a rough guide here; join groups, or ask for the table of counts with Fisher's test."
        )
    check = Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if fine else Verdict.doubtful if exact or low >= 1 else Verdict.fails,
        text=text,
        facts={"expected_min": float(low)},
    )
    direction = {"two_sided": "shares differ", "less": f"lower in {names[0]}", "greater": f"higher in {names[0]}"}
    said = direction[spec.alternative] if p < spec.alpha else "no evidence of a difference"
    if spec.alternative != "two_sided" and p >= spec.alpha:
        said = f"no evidence that {direction[spec.alternative]}"
    made = compose(
        say(start, *middle, f". {tail}."),
        short=f"{said}, {plain(mark)}",
        blocks=blocks,
        checks=[check],
        rows=rows,
        facts=facts,
        settings=["Fisher's exact test" if exact else "Pearson's χ²", f"counted is {what}"],
        marks=Marks(p=mark),
    )
    if spec.margin is None:
        return made
    if len(names) != 2:
        raise DataProblem(f"A margin is for two shares; there are {len(names)} groups.", column=spec.groups)
    found = of_shares(hits[0], n[0], hits[1], n[1], spec.margin, spec.alpha, spec.claim)
    return judged(made, found, spec.alpha, (names[0], names[1]), _points, " percentage points")


@dataclass(frozen=True)
class _Pair:
    """Two shares by one method: its p, how the sentence says it, and the interval that belongs to it."""

    p: float
    exact: bool
    said: list[Span]
    interval: str
    tests: list[dict[str, Cell]]
    facts: dict[str, Any]


def _pair(spec: ProportionSpec, counts: Any, test: Any, names: tuple[str, ...]) -> _Pair:
    """By the score test (χ²) where counts are large enough, else by Fisher's: p and interval from the same one."""
    (a, b), (c, d) = (tuple(float(x) for x in row) for row in counts)
    n1, n2, way = a + b, c + d, spec.alternative
    gap = a / n1 - c / n2
    z = float(np.sign(gap) * np.sqrt(test.pearson.chi2))
    low, high = score_interval(a, n1, c, n2, spec.alpha, way)
    fisher, exact = fisher_2x2(counts, way), small_counts(test.expected)
    sided = "two-sided" if way == "two_sided" else "one-sided"
    nothing = missing("has none")
    tests = [
        _test_line(f"Score test of two shares, {sided}", Cell(v=z, s=f"z = {statistic(z)}"), nothing, z_p(z, way)),
        _test_line(f"Fisher's exact test, {sided}", nothing, nothing, fisher),
    ]
    facts = {"z": z, "z.p": z_p(z, way), "fisher.p": fisher, "estimate": gap, "ci_low": low, "ci_high": high}
    level = level_words(spec.alpha)
    if not exact:
        ends = {
            "two_sided": f"{number(100 * low, 1)} to {number(100 * high, 1)}",
            "less": f"below {number(100 * high, 1)}",
            "greater": f"above {number(100 * low, 1)}",
        }[way]
        interval = f"difference {number(100 * gap, 1)} percentage points, {level} CI {ends}"
        p = z_p(z, way)
        head = say("χ²(1, ", italic("n"), f" = {int(n1 + n2)}) = {statistic(test.pearson.chi2)}, ")
        head = head if way == "two_sided" else say(italic("z"), f" = {statistic(z)}, ")
        return _Pair(p, False, [*head, *say(italic("p"), f" {p_words(p)}")], interval, tests, facts)
    left, right = fisher_interval(counts, spec.alpha, way)
    facts |= {"fisher.ci_low": left, "fisher.ci_high": right}
    odds = a * d / (b * c) if b * c else np.inf
    ends = f"{number(left, 2)} to {number(right, 2)}"
    if np.isinf(right):
        ends = f"above {number(left, 2)}"
    elif left == 0:
        ends = f"below {number(right, 2)}"
    size = number(odds, 2) if np.isfinite(odds) else "without upper bound, as a cell is empty"
    interval = f"odds ratio {size}, {names[0]} against {names[1]}, exact {level} CI {ends}"
    head = say(italic("p"), f" {p_words(fisher)} (Fisher's exact test, ", italic("n"), f" = {int(n1 + n2)})")
    return _Pair(fisher, True, head, interval, tests, facts)


def _test_line(name: str, statistic_: Cell, df_: Cell, p: float) -> dict[str, Cell]:
    return {"term": word(name), "statistic": statistic_, "df": df_, "p": p_cell(p)}


def _enough(n: float, hits: float) -> Check:
    low = min(hits, n - hits)
    text = f"{int(hits)} counted, {int(n - hits)} not."
    if low < 5:
        text += " With fewer than five of one kind only the exact interval and test are to be relied on."
    return Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if low >= 5 else Verdict.doubtful,
        text=text,
        facts={"least": low},
    )


PAGE = Page(
    answers="How large a share of rows is, whether it differs from a share known before, and whether it differs between groups.",
    assumes=[
        "Rows are independent.",
        "The exact interval and test need nothing more; normal approximations need about five rows of each kind.",
    ],
    formulas=[
        ("Exact interval", "beta quantiles: all shares under which the count seen is not in either α/2 tail"),
        ("Wilson", "[p + z²/2n ± z√(p(1 − p)/n + z²/4n²)] / (1 + z²/n)"),
        ("Two shares", "z = (p₁ − p₂)/√[p(1 − p)(1/n₁ + 1/n₂)], p over both"),
        (
            "Difference",
            "all differences that the score test does not reject (Mee); Newcombe's interval, from the two Wilson intervals, beside it",
        ),
    ],
    reading=[
        ("Share", "Rows counted over rows filled."),
        ("Difference", "First group minus second, in percentage points."),
    ],
    conventions=[
        "With a margin: the score test at the margin (Farrington & Manning, 1990; for one share with the variance at the margin); the interval of level 1 − 2α is the score interval.",
        "Counted is yes, 1 or true, else the last level, unless another is chosen; the sentence says which.",
        "The exact two-sided p adds all counts no likelier than the one seen.",
        "z of two shares is without continuity correction; its square is Pearson's χ², and the score interval leaves out 0 just where χ² is significant.",
        "Where an expected count is below 1, or more than a fifth of them below 5, Fisher's exact test speaks, with the odds ratios that it does not reject as interval.",
        "A one-sided test has a one-sided interval.",
    ],
    references=[
        "Fay, M. P. (2010). Confidence intervals that match Fisher's exact or Blaker's exact tests. Biostatistics, 11, 373–374.",
        "Mee, R. W. (1984). Confidence bounds for the difference between two probabilities. Biometrics, 40, 1175–1176.",
        "Clopper, C. J., & Pearson, E. S. (1934). The use of confidence or fiducial limits illustrated in the case of the binomial. Biometrika, 26, 404–413.",
        "Newcombe, R. G. (1998). Interval estimation for the difference between independent proportions. Statistics in Medicine, 17, 873–890.",
        "Wilson, E. B. (1927). Probable inference, the law of succession, and statistical inference. JASA, 22, 209–212.",
    ],
)


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return (6, "yes or no") if n_levels(table, spec.get("column")) == 2 else (-12, "")


METHOD = Method(
    id="proportion",
    aim=Aim.counts,
    title="One share with its interval, and shares of groups compared",
    layouts=(
        Layout(
            "column",
            "one column of what happened",
            "How large is the share of {column}, by {groups}?",
            ("column", "groups"),
            ("column",),
        ),
    ),
    Spec=ProportionSpec,
    compute=compute,
    page=PAGE,
    order=2,
    fit=_fit,
    name=lambda spec: f"Share of {spec.column}" + (f" by {spec.groups}" if spec.groups else ""),
    uses=("alternative",),
    keywords=("proportion", "binomial", "percentage", "wilson", "two proportions", "rate"),
)
