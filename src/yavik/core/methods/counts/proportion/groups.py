"""Shares compared between groups: by χ² and the score test, or by Fisher's where counts are small."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Cell, Check, Marks, RowsUsed, Span, TableBlock, Verdict
from yavik.core.answers.make import ci_cells, ci_head, compose, grid, share_cell, share_ci
from yavik.core.answers.wording import (
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
from yavik.core.methods.counts.proportion.spec import ProportionSpec
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.margin import demand_share, judged
from yavik.core.methods.kit.shares import ends_of, percent_ci, points
from yavik.core.stats.direction import z_p
from yavik.core.stats.equivalence import of_shares
from yavik.core.stats.shares import score_interval, wilson
from yavik.core.stats.tables_of_counts import (
    TwoByTwo,
    fisher_2x2,
    fisher_interval,
    independence,
    small_counts,
    two_by_two,
)
from yavik.core.table import DataProblem


def compared(
    spec: ProportionSpec, what: str, names: tuple[str, ...], n: Any, hits: Any, rows: RowsUsed, title: str
) -> Answer:
    counts = np.column_stack([hits, n - hits])
    lines, bars = _lines(names, n, hits, spec.alpha)
    if hits.sum() in (0, n.sum()):
        raise DataProblem(
            f"{'No' if hits.sum() == 0 else 'Every'} row has {what}: there is nothing to compare.", column=spec.column
        )
    test = independence(counts)
    if spec.alternative != "two_sided" and len(names) != 2:
        raise DataProblem(f"Only two shares have a direction; there are {len(names)} groups.", column=spec.groups)
    low_i, high_i = int((hits / n).argmin()), int((hits / n).argmax())
    runs = (
        f"It runs from {percent(float(hits[low_i] / n[low_i]))} in {names[low_i]} to"
        f" {percent(float(hits[high_i] / n[high_i]))} in {names[high_i]}"
    )
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
    mark = say(italic("p"), f" {p_words(p)}")
    made = compose(
        say(f"{claimed(_claim(spec, what, names, title), p < spec.alpha)}, ", *middle, f". {tail}."),
        short=f"{_short(spec, names, p)}, {plain(mark)}",
        blocks=[
            block("figure", f"Share of {what}", forest(bars, f"Share of {what} (%)", at=None))
            if len(names) <= 40
            else None,
            grid("groups", f"Share of {what}", _heads(title, spec.alpha), lines),
            grid("tests", "Tests of equal shares", TESTS, tests),
            _sizes(effect, names, n, hits, spec.alpha) if effect else None,
        ],
        checks=[_expected(test.expected, exact)],
        rows=rows,
        facts=facts,
        settings=["Fisher's exact test" if exact else "Pearson's χ²", f"counted is {what}"],
        marks=Marks(p=mark),
    )
    if spec.margin is None:
        return made
    if len(names) != 2:
        raise DataProblem(f"A margin is for two shares; there are {len(names)} groups.", column=spec.groups)
    demand_share(spec.margin)
    found = of_shares(hits[0], n[0], hits[1], n[1], spec.margin, spec.alpha, spec.claim)
    return judged(made, found, spec.alpha, (names[0], names[1]), points, " percentage points")


TESTS = [("term", "Test<"), ("statistic", "Statistic"), ("df", "df"), ("p", "p")]


def _heads(title: str, alpha: float) -> list[Any]:
    return [
        ("group", f"{title}<"),
        ("n", "n"),
        ("hits", "Counted"),
        ("estimate", "Share"),
        ci_head(alpha, " (Wilson)"),
    ]


def _claim(spec: ProportionSpec, what: str, names: tuple[str, ...], title: str) -> str:
    way = {
        "two_sided": f"differs by {lower(title)}",
        "less": f"is lower in {names[0]} than in {names[-1]}",
        "greater": f"is higher in {names[0]} than in {names[-1]}",
    }
    return f"the share of {what} {way[spec.alternative]}"


def _short(spec: ProportionSpec, names: tuple[str, ...], p: float) -> str:
    said = {"two_sided": "shares differ", "less": f"lower in {names[0]}", "greater": f"higher in {names[0]}"}
    if p < spec.alpha:
        return said[spec.alternative]
    both = spec.alternative == "two_sided"
    return "no evidence of a difference" if both else f"no evidence that {said[spec.alternative]}"


def _lines(names: tuple[str, ...], n: Any, hits: Any, alpha: float) -> tuple[list[dict[str, Cell]], list[Bar]]:
    """The table's lines and the picture's bars, a group each."""
    lines: list[dict[str, Cell]] = []
    bars: list[Bar] = []
    for i, name in enumerate(names):
        p, (low, high) = float(hits[i] / n[i]), wilson(float(hits[i]), float(n[i]), alpha)
        lines.append(
            {
                "group": word(name),
                "n": whole(int(n[i])),
                "hits": whole(int(hits[i])),
                "estimate": Cell(v=p, s=percent(p)),
                **percent_ci(low, high),
            }
        )
        bars.append(Bar(name, 100 * p, 100 * low, 100 * high, True))
    return lines, bars


def _sizes(effect: TwoByTwo, names: tuple[str, ...], n: Any, hits: Any, alpha: float) -> TableBlock:
    """How far two shares lie apart, by four measures."""
    sizes = [
        {
            "term": word("Difference of shares, score interval"),
            "estimate": share_cell(effect.risk_difference.estimate),
            **share_ci(*score_interval(hits[0], n[0], hits[1], n[1], alpha)),
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
    return grid(
        "effects",
        f"How large is it? {names[0]} against {names[1]}",
        [("term", "Measure<"), ("estimate", "Estimate"), ci_head(alpha)],
        sizes,
    )


def _expected(expected: Any, exact: bool) -> Check:
    """Whether the counts are large enough for χ²."""
    low = expected.min()
    fine = not small_counts(expected)
    text = f"The smallest expected count is {number(float(low), 1)}."
    if not fine:
        text += (
            " χ² is not to be relied on; Fisher's exact test and its interval stand in."
            if exact
            else " χ² is a rough guide here; join groups, or ask for the table of counts with Fisher's test."
        )
    return Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if fine else Verdict.doubtful if exact or low >= 1 else Verdict.fails,
        text=text,
        facts={"expected_min": float(low)},
    )


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
        interval = f"difference {points(gap)} percentage points, {level} CI {ends_of(low, high, points, way)}"
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
