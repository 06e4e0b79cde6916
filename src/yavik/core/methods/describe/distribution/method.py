"""What shape does a measurement have? Histogram, quantiles, box; tests of normality; outlying values with their
rows."""

from typing import Any

import numpy as np
from scipy import stats

from yavik.core.answers import Answer, Check, Marks, Remedy, RowsUsed, Verdict
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    after,
    counted,
    listing,
    number,
    p_words,
    say,
)
from yavik.core.figures.data import Grouped, printed_decimals
from yavik.core.figures.pictures import bin_edges
from yavik.core.figures.plots import block, frame, quantiles, thin
from yavik.core.figures.style import INK, colour
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.describe.distribution.compute import outlying, shapes
from yavik.core.methods.describe.distribution.spec import DistributionSpec
from yavik.core.methods.describe.distribution.tables import outliers_table, shape_table, tests_table
from yavik.core.methods.kit.checks import leave_out
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.samples import groups_figure
from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.moments import moments
from yavik.core.stats.normality import (
    ShapeTest,
    anderson_darling,
    grubbs,
    lilliefors,
    normal_scores,
    shape_errors,
    shapiro_wilk,
)
from yavik.core.table import Column, DataProblem, Table, rows_in_words

MOST_GROUPS = 12


def compute(table: Table, spec: DistributionSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for a column without values."""
    assert spec.column
    column = table.column(spec.column)
    y = table.numbers(spec.column)
    if np.isnan(y).all():
        raise DataProblem(f"{spec.column} has no filled cells among these {table.n_rows} rows.", column=spec.column)
    names: tuple[str, ...] = (column.title,)
    codes = np.zeros(table.n_rows, np.int32)
    if spec.by:
        if spec.by == spec.column:
            raise DataProblem(f"{spec.by} stands in both slots; choose two different columns.", column=spec.by)
        coded = table.codes(spec.by)
        names, codes = coded.levels, coded.codes
    g = Groups.of(y, codes, table.rows, names)
    keep = np.flatnonzero(g.n)
    if not len(keep):
        raise DataProblem(f"No row has {spec.column} and {spec.by} both filled.", column=spec.by)
    if len(keep) > MOST_GROUPS:
        raise DataProblem(
            f"{spec.by} has {len(keep)} levels with values; shapes are drawn for up to {MOST_GROUPS}.", column=spec.by
        )
    g = Groups(g.y, np.concatenate([[0], np.cumsum(g.n[keep])]), g.rows, tuple(names[i] for i in keep))
    pictures: list[Any] = []
    tests: list[tuple[str, list[ShapeTest]]] = []
    for i in range(g.k):
        run.progress(i / g.k, f"Looking at {g.names[i]}")
        s = g.ordered[i]
        title = f"{column.title}: {g.names[i]}" if spec.by else column.title
        pictures.append(block(f"histogram_{i}", title, _histogram(column, s, spec), small=g.k > 1))
        if len(s) > 2 and s[0] < s[-1]:
            order = np.argsort(g.part(i), kind="stable")
            scores = normal_scores(len(s))
            kept = thin(len(s))
            drawn = quantiles(
                scores[kept], s[kept], g.part_rows(i)[order][kept], "Normal quantile", column.axis_title
            )
            pictures.append(block(f"quantiles_{i}", f"{title}, normal quantiles", drawn, small=True))
        tests.append((g.names[i], [shapiro_wilk(s), anderson_darling(s), lilliefors(s)]))
    data = Grouped(
        g,
        column.title,
        table.column(spec.by).title if spec.by else "",
        column.unit,
        printed_decimals(column),
        [0] * g.k,
        0,
        0,
        [],
        False,
    )
    box = groups_figure(
        spec.column if spec.by else None, spec.by, [] if spec.by else [spec.column], spec.where, data, Marks()
    )
    empty = int((np.isnan(y) & (codes >= 0)).sum())
    left = [LeftOut(why=f"{column.title} is empty", n=empty)] if empty else []
    if (codes < 0).any():
        left.append(LeftOut(why=f"{spec.by} is empty", n=int((codes < 0).sum())))
    return compose(
        _headline(column, g, tests, spec),
        short=_short(tests, spec.alpha),
        blocks=[
            *pictures,
            box.model_copy(update={"small": True, "id": "box", "title": "Box and points"}),
            shape_table(shapes(g, spec.alpha), column),
            tests_table(tests, spec),
            outliers_table(outlying(g), column),
        ],
        checks=_checks(g, tests, column, spec),
        rows=RowsUsed(total=table.n_rows, used=len(g.y), left_out=left),
        facts=_facts(g, tests, spec),
    )


def _histogram(column: Column, s: Floats, spec: DistributionSpec) -> tuple[dict[str, Any], str]:
    """Counts, with the normal curve of the same mean and SD, a smoothed density, and the reference line."""
    edges = bin_edges(s) if spec.bins is None or s[0] == s[-1] else np.linspace(s[0], s[-1], spec.bins + 1)
    ends = np.searchsorted(s, edges[1:-1], side="left")
    counts = np.diff(np.concatenate([[0], ends, [len(s)]]))
    data = [{"a": float(a), "b": float(b), "n": int(c)} for a, b, c in zip(edges, edges[1:], counts, strict=False)]
    x = {
        "field": "a",
        "bin": "binned",
        "type": "quantitative",
        "axis": {"title": column.axis_title, "tickCount": 6, "grid": False},
    }
    layers: list[dict[str, Any]] = [
        {
            "data": {"values": data},
            "mark": {"type": "bar", "binSpacing": 0.5, "color": colour(1), "opacity": 0.6},
            "encoding": {
                "x": x,
                "x2": {"field": "b"},
                "y": {"field": "n", "type": "quantitative", "axis": {"title": "Rows", "tickCount": 5}},
                "tooltip": [
                    {"field": "a", "title": "from"},
                    {"field": "b", "title": "to"},
                    {"field": "n", "title": "rows"},
                ],
            },
        }
    ]
    sd = float(s.std(ddof=1)) if len(s) > 1 else 0.0
    if sd > 0:
        at = np.linspace(edges[0], edges[-1], 120)
        scale = len(s) * float(edges[1] - edges[0])
        kinds = [("normal curve", scale * laws.norm.pdf((at - s.mean()) / sd) / sd)]
        if len(np.unique(s[:1000])) > 3:
            sample = s[thin(len(s))]
            kinds.append(("smoothed", scale * stats.gaussian_kde(sample)(at)))
        lines = [
            {"x": float(u), "y": float(v), "line": name} for name, ys in kinds for u, v in zip(at, ys, strict=True)
        ]
        layers.append(
            {
                "data": {"values": lines},
                "mark": {"type": "line", "strokeWidth": 1.6},
                "encoding": {
                    "x": {"field": "x", "type": "quantitative"},
                    "y": {"field": "y", "type": "quantitative"},
                    "color": {
                        "field": "line",
                        "type": "nominal",
                        "scale": {"domain": [k for k, _ in kinds], "range": [colour(0), colour(2)]},
                        "legend": {"orient": "top", "title": None, "labelColor": INK},
                    },
                    "strokeDash": {
                        "field": "line",
                        "type": "nominal",
                        "scale": {"domain": [k for k, _ in kinds], "range": [[1, 0], [5, 3]]},
                        "legend": None,
                    },
                },
            }
        )
    if spec.line is not None:
        layers.append(
            {
                "data": {"values": [{"x": spec.line}]},
                "mark": {"type": "rule", "color": colour(4), "strokeWidth": 1.6},
                "encoding": {"x": {"field": "x", "type": "quantitative"}},
            }
        )
    alt = (
        f"Histogram of {column.axis_title}: {counted(len(s), 'value')} from {number(float(s[0]), column.decimals)} to"
        f" {number(float(s[-1]), column.decimals)}, with the normal curve of the same mean and SD."
    )
    return frame({"layer": layers}, alt, 320 if not spec.by else 210, 200 if not spec.by else 150)


def _checks(
    g: Groups, tests: list[tuple[str, list[ShapeTest]]], column: Column, spec: DistributionSpec
) -> list[Check]:
    low = [(name, t) for name, found in tests for t in found[:1] if np.isfinite(t.p) and t.p < spec.alpha]
    known = [t for _, found in tests for t in found[:1] if np.isfinite(t.p)]
    if not known:
        first = Check(
            id="normal",
            title="Normal shape",
            verdict=Verdict.unknown,
            text=f"Shapiro–Wilk cannot be computed: {tests[0][1][0].why}. Look at the quantiles.",
        )
    elif low:
        first = Check(
            id="normal",
            title="Normal shape",
            verdict=Verdict.doubtful,
            text=(
                f"Shapiro–Wilk finds a departure in {listing([n for n, _ in low])} (lowest p"
                f" {p_words(min(t.p for _, t in low))}). The quantile plot shows where."
            ),
            facts={"shapiro.p": min(t.p for _, t in low)},
        )
    else:
        first = Check(
            id="normal",
            title="Normal shape",
            verdict=Verdict.holds,
            text=(
                "Shapiro–Wilk finds no departure (p"
                f" {p_words(min(t.p for t in known))}{' or more' if len(known) > 1 else ''})."
            ),
            facts={"shapiro.p": min(t.p for t in known)},
        )
    out = g.outlying
    n = int(out.sum())
    rows = np.sort(g.rows[out]).tolist()
    text = (
        f"{counted(n, 'value lies', 'values lie')} beyond 1.5 interquartile ranges ({rows_in_words(rows)})."
        if n
        else "No value lies more than 1.5 interquartile ranges outside the quartiles."
    )
    remedies = [Remedy(label="Show the rows", rows=rows[:200])] if n else []
    remedies += leave_out(rows, spec.where)[1:] if 0 < n <= 40 else []
    return [
        first,
        Check(
            id="outlying",
            title="Outlying values",
            verdict=Verdict.doubtful if n else Verdict.holds,
            text=text,
            facts={"outlying.n": n},
            remedies=remedies,
        ),
    ]


def _headline(column: Column, g: Groups, tests: list[tuple[str, list[ShapeTest]]], spec: DistributionSpec) -> Any:
    title = column.title
    if spec.by:
        low = [name for name, found in tests if np.isfinite(found[0].p) and found[0].p < spec.alpha]
        text = (
            f"{title} departs from a normal shape in {listing(low)}"
            if low
            else f"{title} shows no departure from a normal shape in any group"
        )
        return say(text + ".")
    m = moments(g.y, 1 - spec.alpha, g.ordered[0])
    d = printed_decimals(column)
    unit = after(column.unit)
    skew = (
        ""
        if not np.isfinite(m.skewness)
        else (
            ", about symmetric"
            if abs(m.skewness) < 0.5
            else f", with a tail to the {'right' if m.skewness > 0 else 'left'} (skewness {number(m.skewness, 2)})"
        )
    )
    best = next((t for t in tests[0][1] if np.isfinite(t.p)), None)
    normal = (
        ""
        if best is None
        else (
            f"; {'no evidence of a departure' if best.p >= spec.alpha else 'not normal'} by"
            f" {best.name.rsplit(' ', 1)[0]}'s test (p {p_words(best.p)})"
        )
    )
    return say(
        f"{title} runs from {number(m.min, d)} to {number(m.max, d)}{unit}, half of it between {number(m.q1, d)} and"
        f" {number(m.q3, d)}{skew}{normal}."
    )


def _short(tests: list[tuple[str, list[ShapeTest]]], alpha: float) -> str:
    known = [t.p for _, found in tests for t in found if np.isfinite(t.p)]
    if not known:
        return "shape described"
    return f"departs from normal, p {p_words(min(known))}" if min(known) < alpha else "no departure from normal"


def _facts(g: Groups, tests: list[tuple[str, list[ShapeTest]]], spec: DistributionSpec) -> dict[str, Any]:
    out: dict[str, Any] = {"n": len(g.y), "outlying": int(g.outlying.sum())}
    for i, (name, found) in enumerate(tests):
        before = f"{name}." if spec.by else ""
        m = moments(g.part(i), 1 - spec.alpha, g.ordered[i])
        se = shape_errors(m.n)
        place, size, p = grubbs(g.part(i))
        out |= {
            f"{before}mean": m.mean,
            f"{before}skewness": m.skewness,
            f"{before}kurtosis": m.kurtosis,
            f"{before}skewness.se": se[0],
            f"{before}kurtosis.se": se[1],
            f"{before}grubbs.g": size,
            f"{before}grubbs.p": p,
        }
        if place >= 0:
            out[f"{before}grubbs.row"] = int(g.part_rows(i)[place])
        for key, t in zip(("shapiro", "anderson_darling", "lilliefors"), found, strict=True):
            out |= {f"{before}{key}": t.statistic, f"{before}{key}.p": t.p}
    return out


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return (6, "one column of numbers") if spec.get("column") and not spec.get("by") else (-16, "")


METHOD = Method(
    id="distribution",
    aim=Aim.describe,
    title="Histogram, normal quantiles, box; tests of normality; outliers",
    layouts=(
        Layout("column", "one column", "What shape has {column}, for each {by}?", ("column", "by"), ("column",)),
    ),
    Spec=DistributionSpec,
    compute=compute,
    page=read_page(__file__),
    order=3,
    fit=_fit,
    name=lambda spec: f"Shape of {spec.column}" + (f" by {spec.by}" if spec.by else ""),
    keywords=(
        "histogram",
        "normality",
        "shapiro-wilk",
        "anderson-darling",
        "lilliefors",
        "q-q",
        "quantile plot",
        "outlier",
        "grubbs",
        "density",
    ),
)
