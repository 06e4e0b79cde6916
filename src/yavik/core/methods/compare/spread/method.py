"""Does the spread of a measurement differ between groups?"""

from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose, finite
from yavik.core.answers.wording import after, listing, number, plain, say
from yavik.core.figures.caption import lower
from yavik.core.figures.data import Grouped, grouped, printed_decimals
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.spread.compute import chosen_of, ratio_of, tests_of
from yavik.core.methods.compare.spread.spec import CompareSpreadSpec, Tested
from yavik.core.methods.compare.spread.words import ratio_note, tests_table
from yavik.core.methods.kit import checks
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.samples import (
    decimals_of,
    demand_summaries,
    known,
    rows_used,
)
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.spread import sd_intervals
from yavik.core.table import DataProblem, Table

MOST_CELLS = 200


def compute(table: Table, spec: CompareSpreadSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where there is no spread to compare."""
    if spec.summaries and not spec.response and not spec.samples:
        return _from_summaries(spec)
    data = _data(table, spec)
    g = data.groups
    _demand(data, spec)
    tests = tests_of(g.n.astype(float), g.variances, spec, g)
    run.progress(0.6, "Tested")
    found = [
        checks.normal_within(
            data,
            checks.shapiro(g),
            "kruskal_wallis" if spec.test in ("all", "brown_forsythe") else "anova",
            {"test": "brown_forsythe"},
        ),
        checks.group_sizes(data, None),
    ]
    return _answer(spec, data, tests, found, rows_used(table, data, bool(spec.samples)))


def _data(table: Table, spec: CompareSpreadSpec) -> Grouped:
    """One column of groups, or the cells of several."""
    if spec.samples or len(spec.groups) <= 1:
        return grouped(table, spec.response, spec.groups[0] if spec.groups else None, spec.samples)
    if spec.response in spec.groups:
        raise DataProblem(f"{spec.response} stands in both slots; choose different columns.", column=spec.response)
    assert spec.response
    y, codes, names = table.numbers(spec.response), np.zeros(table.n_rows, np.int64), [""]
    empty = np.zeros(table.n_rows, bool)
    for name in spec.groups:
        coded = table.codes(name)
        empty |= coded.codes < 0
        codes = codes * len(coded.levels) + np.maximum(coded.codes, 0)
        names = [f"{a}, {b}" if a else b for a in names for b in coded.levels]
        if len(names) > 10_000:
            raise DataProblem(f"{listing(spec.groups)} make more than 10 000 cells.", column=name)
    everything = Groups.of(y, np.where(empty, -1, codes).astype(np.int32), table.rows, tuple(names))
    keep = np.flatnonzero(everything.n > 0)
    starts = np.concatenate([[0], np.cumsum(everything.n[keep])])
    column = table.column(spec.response)
    found = Groups(everything.y, starts, everything.rows, tuple(names[i] for i in keep))
    title = " and ".join(table.column(n).title for n in spec.groups)
    dropped = [n for i, n in enumerate(names) if everything.n[i] == 0]
    nothing = int((np.isnan(y) & ~empty).sum())
    return Grouped(
        found,
        column.title,
        title,
        column.unit,
        printed_decimals(column),
        [0] * len(keep),
        nothing,
        int(empty.sum()),
        dropped,
        False,
    )


def _demand(data: Grouped, spec: CompareSpreadSpec) -> None:
    g, column = data.groups, spec.groups[0] if spec.groups else (spec.samples[0] if spec.samples else None)
    if g.k < 2:
        raise DataProblem(f"{data.group} has one level with filled cells; a comparison needs two.", column=column)
    if g.k > MOST_CELLS:
        raise DataProblem(f"{data.group} makes {g.k} groups; this question takes up to {MOST_CELLS}.", column=column)
    single = [i for i in range(g.k) if g.n[i] < 2]
    if single:
        row = int(g.part_rows(single[0])[0])
        raise DataProblem(
            f"{g.names[single[0]]} has one value (row {row}); its spread cannot be known. Leave that group out.",
            column=column,
            rows=[row],
        )
    if not np.any(g.ss > 0):
        raise DataProblem(
            "Within every group all values are the same: there is no spread to compare.",
            column=spec.response or column,
        )
    _demand_direction(spec)
    if spec.test == "f" and g.k != 2:
        raise DataProblem(
            f"The F ratio compares two variances; there are {g.k} groups. Take Levene's test about medians.",
            column=column,
        )


def _demand_direction(spec: CompareSpreadSpec) -> None:
    if spec.alternative != "two_sided" and spec.test not in ("f", "all"):
        raise DataProblem(
            "Levene's and Bartlett's tests look either way; a direction needs the F ratio of two groups."
        )


def _answer(
    spec: CompareSpreadSpec, data: Grouped, tests: list[Tested], found: list[Check], rows: RowsUsed
) -> Answer:
    g, d = data.groups, data.decimals + 1
    main = chosen_of(spec, tests)
    sd = np.sqrt(g.variances)
    enough = bool(np.all(g.n > 4) and np.all(g.variances > 0))
    intervals = sd_intervals(g, spec.alpha) if enough else None
    why, lines = "every group needs five values and some spread", []
    nothing = np.full((4, g.k), np.nan)
    own_low, own_high, low, high = (
        (intervals.own_low, intervals.own_high, intervals.low, intervals.high) if intervals else nothing
    )
    for i, name in enumerate(g.names):
        comparing = q.ci(float(low[i]), float(high[i]), d, spec.alpha, why=why)["ci_low"]
        lines.append(
            q.row(
                group=q.name(name, data.group), n=q.count(g.n[i]),
                variance=q.num(float(g.variances[i]), d, "Variance"),
                sd=q.num(float(sd[i]), d, "SD", unit=data.unit),
                **q.ci(float(own_low[i]), float(own_high[i]), d, spec.alpha, what="CI of the SD", why=why),
                comparing=comparing.under("Comparing interval"),
            )
        )  # fmt: skip
    unit = f" ({data.unit})" if data.unit else ""
    blocks: list[Any] = []
    if intervals:
        bars = [
            Bar(n, float(s), float(a), float(b), True)
            for n, s, a, b in zip(g.names, sd, intervals.low, intervals.high, strict=True)
        ]
        blocks.append(
            block("figure", "SDs with comparing intervals", forest(bars, f"Standard deviation{unit}", at=None))
        )
    note = "Two groups whose comparing intervals do not overlap differ in spread, all pairs taken together."
    title = data.value_axis if data.value != "Value" else "The samples"
    blocks.append(q.table("groups", title, lines, note=note if intervals else None))
    blocks.append(tests_table(tests, spec.ratio))
    if g.k == 2:
        blocks.append(ratio_note(ratio_of(spec, g.n.astype(np.float64), g.variances), spec.alpha, *g.names))
    return _compose(spec, main, data.value, data.group, g.names, sd, blocks, found, rows, tests, int(g.n.sum()), data)


def _compose(
    spec: CompareSpreadSpec,
    main: Tested,
    value: str,
    group: str,
    names: tuple[str, ...],
    sd: Floats,
    blocks: list[Any],
    found: list[Check],
    rows: RowsUsed,
    tests: list[Tested],
    n: int,
    data: Grouped | None,
) -> Answer:
    subject = f"the spread of {lower(value)}" if value != "Value" else "the spread"
    claim = (
        f"{subject} differs between {listing(list(names), 4)}"
        if len(names) <= 4
        else f"{subject} differs by {lower(group)}"
    )
    if main.id == "f" and (spec.ratio != 1 or spec.alternative != "two_sided"):
        way = {"two_sided": "differs from", "less": "is below", "greater": "is above"}[spec.alternative]
        claim = f"the ratio of the SDs of {names[0]} and {names[1]} {way} {number(spec.ratio, 2)}"
        if spec.ratio == 1:
            side = "smaller" if spec.alternative == "less" else "larger"
            claim = f"{subject} is {side} in {names[0]} than in {names[1]}"
    start = f"{claimed(claim, main.p < spec.alpha)}, "
    low, high = int(np.argmin(sd)), int(np.argmax(sd))
    dfs = (main.df1, main.df2) if np.isfinite(main.df2) else (main.df1,)
    unit, d = (after(data.unit) if data else ""), (data.decimals + 1 if data else 2)
    runs = f"{number(float(sd[low]), d)}{unit} in {names[low]} to {number(float(sd[high]), d)}{unit} in {names[high]}"
    spans = say(start, *q.tested(main.letter, main.value, dfs, main.p), f". SDs run from {runs}.")
    facts: dict[str, Any] = {
        "p": main.p,
        "n": n,
        "test": main.id,
        "estimate": float(sd[high] / sd[low]) if sd[low] > 0 else np.nan,
    }
    for t in tests:
        facts |= {f"{t.id}.statistic": t.value, f"{t.id}.p": t.p}
    p = q.p_said(main.p)
    said = {"two_sided": "spread differs", "less": f"smaller in {names[0]}", "greater": f"larger in {names[0]}"}[
        spec.alternative if main.id == "f" else "two_sided"
    ]
    if main.p >= spec.alpha:
        said = "no evidence of a difference" if said == "spread differs" else f"no evidence of being {said}"
    return compose(
        spans,
        short=f"{said}, {plain(p)}",
        blocks=blocks,
        checks=found,
        rows=rows,
        facts=finite(facts),
        settings=[main.name + ("" if spec.alternative == "two_sided" or main.id != "f" else ", one-sided")],
        marks=Marks(p=p),
    )


def _from_summaries(spec: CompareSpreadSpec) -> Answer:
    demand_summaries(spec.summaries)
    if spec.test in ("levene", "brown_forsythe"):
        raise DataProblem(
            "Levene's tests need the values themselves; from n and SD the F ratio and Bartlett can be had."
        )
    _demand_direction(spec)
    n, _, variances, names = known(spec.summaries)
    if spec.test == "f" and len(n) != 2:
        raise DataProblem(f"The F ratio compares two variances; {len(n)} samples are typed in.")
    tests = tests_of(n, variances, spec, None)
    wanted = "f" if len(n) == 2 and spec.test != "bartlett" else "bartlett"
    main = chosen_of(spec.model_copy(update={"test": wanted}), tests)
    sd, d = np.sqrt(variances), decimals_of(spec.summaries) + 1
    lines = [
        q.row(
            group=q.name(names[i], "Sample"), n=q.count(n[i]), variance=q.num(float(variances[i]), d, "Variance"),
            sd=q.num(float(sd[i]), d, "SD"),
        )
        for i in range(len(n))
    ]  # fmt: skip
    blocks: list[Any] = [
        q.table("groups", "The samples", lines),
        tests_table(tests, spec.ratio),
    ]
    if len(n) == 2:
        blocks.append(ratio_note(ratio_of(spec, n, variances), spec.alpha, *names))
    check = Check(
        id="summaries",
        title="Only summaries known",
        verdict=Verdict.unknown,
        text=(
            "F ratio and Bartlett hold for normal values only, and from n and SD nothing of the shape can be judged."
        ),
    )
    return _compose(
        spec,
        main,
        "Value",
        "Sample",
        names,
        sd,
        [b for b in blocks if b],
        [check],
        RowsUsed(total=0, used=0),
        tests,
        int(n.sum()),
        None,
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return -12, ""


METHOD = Method(
    id="compare_spread",
    aim=Aim.compare,
    title="Equality of variances: F ratio, Bartlett, Levene",
    layouts=(
        Layout(
            "stacked",
            "one column of values, one or more of groups",
            "Does the spread of {response} differ between {groups}?",
            ("response", "groups"),
            ("response", "groups"),
        ),
        Layout(
            "side_by_side",
            "one column per sample",
            "Does the spread differ between {samples}?",
            ("samples",),
            ("samples",),
        ),
        Layout(
            "summaries",
            "only n, mean and SD are known",
            "Does the spread differ between samples with {summaries}?",
            ("summaries",),
            ("summaries",),
        ),
    ),
    Spec=CompareSpreadSpec,
    compute=compute,
    page=read_page(__file__),
    order=7,
    fit=_fit,
    name=lambda spec: f"Spread of {spec.response or 'samples'}",
    uses=("alternative",),
    keywords=("levene", "bartlett", "variance", "homogeneity", "f test", "equal variances", "brown-forsythe"),
)
