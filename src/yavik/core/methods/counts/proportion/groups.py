"""Shares compared between groups: by χ² and the score test, or by Fisher's where counts are small."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import italic, level_words, number, percent, plain, say, span, statistic
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.counts.proportion.spec import ProportionSpec
from yavik.core.methods.kit.analysis import effect
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.margin import demand_share, judged
from yavik.core.methods.kit.shares import ends_of, percent_ci, points
from yavik.core.stats.direction import z_p
from yavik.core.stats.effect_sizes import Size
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
    """The answer where shares of groups are compared. Raises DataProblem where none or all rows are counted."""
    counts = np.column_stack([hits, n - hits])
    lines, bars = _lines(title, names, n, hits, spec.alpha)
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
    tests = [_line("χ²", q.stat(test.pearson.chi2, ""), q.df(test.pearson.df), test.pearson.p)]
    sizes = two_by_two(counts, spec.alpha) if len(names) == 2 else None
    if sizes:
        pair = _pair(spec, counts, test, names)
        p, middle, tail, exact = pair.p, pair.said, f"{runs} ({pair.interval})", pair.exact
        tests = [*pair.tests, *tests]
        facts |= pair.facts | {"odds_ratio": sizes.odds_ratio.estimate}
    else:
        p, exact, tail = test.pearson.p, False, runs
        middle = q.tested("χ²", test.pearson.chi2, (test.pearson.df,), p, n=int(n.sum()))
    facts["p"] = p
    mark = q.p_said(p)
    made = compose(
        say(f"{claimed(_claim(spec, what, names, title), p < spec.alpha)}, ", *middle, f". {tail}."),
        short=f"{_short(spec, names, p)}, {plain(mark)}",
        blocks=[
            block("figure", f"Share of {what}", forest(bars, f"Share of {what} (%)", at=None))
            if len(names) <= 40
            else None,
            q.table("groups", f"Share of {what}", lines),
            q.table("tests", "Tests of equal shares", tests),
            _sizes(sizes, names, n, hits, spec.alpha) if sizes else None,
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


def _lines(title: str, names: tuple[str, ...], n: Any, hits: Any, alpha: float) -> tuple[list[q.Row], list[Bar]]:
    """The table's lines and the picture's bars, a group each."""
    lines: list[q.Row] = []
    bars: list[Bar] = []
    for i, name in enumerate(names):
        p, (low, high) = float(hits[i] / n[i]), wilson(float(hits[i]), float(n[i]), alpha)
        lines.append(
            q.row(
                group=q.name(name, title), n=q.count(n[i]), hits=q.count(hits[i], "Counted"),
                estimate=q.part(p, "Share"),
                **percent_ci(low, high, alpha, what="CI (Wilson)"),
            )
        )  # fmt: skip
        bars.append(Bar(name, 100 * p, 100 * low, 100 * high, True))
    return lines, bars


def _sizes(found: TwoByTwo, names: tuple[str, ...], n: Any, hits: Any, alpha: float) -> TableBlock:
    """How far two shares lie apart, by four measures."""
    gap, score = found.risk_difference, score_interval(hits[0], n[0], hits[1], n[1], alpha)
    rows = [
        effect(f"Difference of shares, {how}", Size(gap.estimate, *ends), alpha, decimals=None, head="Measure")
        for how, ends in (("score interval", score), ("Newcombe's interval", (gap.ci_low, gap.ci_high)))
    ]
    for name, size in (("Odds ratio", found.odds_ratio), ("Relative risk", found.relative_risk)):
        rows.append(effect(name, size, alpha, why="a cell is empty", head="Measure"))
    return q.table("effects", f"How large is it? {names[0]} against {names[1]}", rows)


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
    tests: list[q.Row]
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
    tests = [
        _line(f"Score test of two shares, {sided}", q.texted(z, f"z = {statistic(z)}"), None, z_p(z, way)),
        _line(f"Fisher's exact test, {sided}", None, None, fisher),
    ]
    facts = {"z": z, "z.p": z_p(z, way), "fisher.p": fisher, "estimate": gap, "ci_low": low, "ci_high": high}
    level = level_words(spec.alpha)
    if not exact:
        interval = f"difference {points(gap)} percentage points, {level} CI {ends_of(low, high, points, way)}"
        p = z_p(z, way)
        said = q.tested("χ²", test.pearson.chi2, (1,), p, n=int(n1 + n2))
        if way != "two_sided":
            said = q.tested("z", z, (), p)
        return _Pair(p, False, said, interval, tests, facts)
    left, right = fisher_interval(counts, spec.alpha, way)
    facts |= {"fisher.ci_low": left, "fisher.ci_high": right}
    odds = a * d / (b * c) if b * c else np.inf
    ends = span(-np.inf if left == 0 and np.isfinite(right) else left, right, lambda x: number(x, 2))
    size = number(odds, 2) if np.isfinite(odds) else "without upper bound, as a cell is empty"
    interval = f"odds ratio {size}, {names[0]} against {names[1]}, exact {level} CI {ends}"
    head = say(*q.p_said(fisher, " (Fisher's exact test, "), italic("n"), f" = {int(n1 + n2)})")
    return _Pair(fisher, True, head, interval, tests, facts)


def _line(name: str, statistic: q.Quantity | None, df: q.Quantity | None, p: float) -> q.Row:
    none = q.gone(q.NONE)
    return q.row(
        term=q.name(name, "Test"), statistic=(statistic or none).under("Statistic"), df=(df or none).under("df"),
        p=q.p(p)
    )  # fmt: skip
