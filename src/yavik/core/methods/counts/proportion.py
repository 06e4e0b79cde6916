"""How large is a share, does it differ from a value, and does it differ between groups?"""

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
from yavik.core.methods.base import Aim, Layout, Method, Page, Run, Spec, amount, placed, slot
from yavik.core.methods.counts._shared import LEVELS, event_of, levels_of
from yavik.core.methods.fit import n_levels
from yavik.core.stats.direction import z_p
from yavik.core.stats.tables_of_counts import exact_share, fisher_2x2, independence, two_by_two, wilson
from yavik.core.table import DataProblem, Table


class ProportionSpec(Spec):
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
    coded, event = event_of(table, spec.column, spec.event)
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
    what = f"{lower(table.column(spec.column).title)} = {coded.levels[event]}"
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
    low, high = exact_share(hits, n, spec.alpha)
    score = wilson(hits, n, spec.alpha)
    ci = f"{level_words(spec.alpha)} CI {percent(low)} to {percent(high)}"
    lines = [
        {"term": word("Exact (Clopper–Pearson)"), "estimate": Cell(v=p, s=percent(p)), **_percent_ci(low, high)},
        {"term": word("Score (Wilson)"), "estimate": Cell(v=p, s=percent(p)), **_percent_ci(*score)},
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
        short = f"{'differs' if exact < spec.alpha else 'no evidence of a difference'}, {plain(mark)}"
    return compose(
        spans,
        short=short,
        blocks=blocks,
        checks=[_enough(n, hits)],
        rows=rows,
        facts=facts,
        settings=[f"counted is {what}"],
        marks=Marks(p=mark),
    )


def _percent_ci(low: float, high: float) -> dict[str, Cell]:
    return {"ci_low": Cell(v=low, s=f"{percent(low)} to {percent(high)}"), "ci_high": Cell(v=high, s=percent(high))}


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
    two = len(names) == 2
    effect = two_by_two(counts, spec.alpha) if two else None
    p, tests = (
        test.pearson.p,
        [
            {
                "term": word("χ²"),
                "statistic": stat(test.pearson.chi2),
                "df": whole(int(test.pearson.df)),
                "p": p_cell(test.pearson.p),
            }
        ],
    )
    facts: dict[str, Any] = {"n": float(n.sum()), "chi2": test.pearson.chi2, "chi2.p": test.pearson.p}
    middle: list[str | Span] = [f"χ²({int(test.pearson.df)}) = {statistic(test.pearson.chi2)}, "]
    if two:
        pooled = hits.sum() / n.sum()
        z = float((hits[0] / n[0] - hits[1] / n[1]) / np.sqrt(pooled * (1 - pooled) * (1 / n[0] + 1 / n[1])))
        fisher = fisher_2x2(counts)
        p = z_p(z, spec.alternative)
        tests.insert(
            0,
            {
                "term": word("Difference of two shares"),
                "statistic": Cell(v=z, s=f"z = {statistic(z)}"),
                "df": missing("has none"),
                "p": p_cell(p),
            },
        )
        tests.append(
            {
                "term": word("Fisher's exact test, two-sided"),
                "statistic": missing("has none"),
                "df": missing("has none"),
                "p": p_cell(fisher),
            }
        )
        facts |= {"z": z, "fisher.p": fisher}
        middle = [italic("z"), f" = {statistic(z)}, "]
    elif spec.alternative != "two_sided":
        raise DataProblem(f"Only two shares have a direction; there are {len(names)} groups.", column=spec.groups)
    facts["p"] = p
    low_i, high_i = int((hits / n).argmin()), int((hits / n).argmax())
    way = {
        "two_sided": f"differs by {lower(title)}",
        "less": f"is lower in {names[0]} than in {names[-1]}",
        "greater": f"is higher in {names[0]} than in {names[-1]}",
    }[spec.alternative]
    claim = f"share of {what} {way}"
    start = f"The {claim}, " if p < spec.alpha else f"There is no evidence that the {claim}, "
    tail = f". It runs from {percent(float(hits[low_i] / n[low_i]))} in {names[low_i]} to {percent(float(hits[high_i] / n[high_i]))} in {names[high_i]}"
    if effect:
        d = effect.risk_difference
        tail += f" (difference {number(100 * d.estimate, 1)} percentage points, {level_words(spec.alpha)} CI {number(100 * d.ci_low, 1)} to {number(100 * d.ci_high, 1)})"
        facts |= {
            "estimate": d.estimate,
            "ci_low": d.ci_low,
            "ci_high": d.ci_high,
            "odds_ratio": effect.odds_ratio.estimate,
        }
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
                "term": word("Difference of shares"),
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
    check = Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if low >= 5 else Verdict.doubtful,
        text=f"The smallest expected count is {number(float(low), 1)}."
        + ("" if low >= 5 else " Below 5 the exact test is the one to rely on."),
        facts={"expected_min": float(low)},
    )
    said = "shares differ" if p < spec.alpha else "no evidence of a difference"
    return compose(
        say(start, *middle, italic("p"), f" {p_words(p)}{tail}."),
        short=f"{said}, {plain(mark)}",
        blocks=blocks,
        checks=[check],
        rows=rows,
        facts=facts,
        settings=[f"counted is {what}"],
        marks=Marks(p=mark),
    )


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
        ("Difference", "Newcombe's interval from the two Wilson intervals"),
    ],
    reading=[
        ("Share", "Rows counted over rows filled."),
        ("Difference", "First group minus second, in percentage points."),
    ],
    conventions=[
        "Counted is yes, 1 or true, else the last level, unless another is chosen; the sentence says which.",
        "The exact two-sided p adds all counts no likelier than the one seen.",
        "z of two shares is without continuity correction; its square is Pearson's χ².",
    ],
    references=[
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
