"""Do two measurements of the same rows differ? Paired t, signed ranks, signs."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import Field

from yavik.core.answers import Answer, Check, FigureBlock, Remedy, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import after_difference, counted, level_words, number, plain, say
from yavik.core.ask import VALUES, amount, option, slot
from yavik.core.figures.caption import lower
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.plots import Cloud, block, scatter
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.compare.one_sample import Found, OneSampleSpec, p_of
from yavik.core.methods.kit.analysis import effect
from yavik.core.methods.kit.claims import claimed, ends
from yavik.core.methods.kit.margin import WithMargin, judged
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import far_out, normal_check, outlying_check, size_check, used_where
from yavik.core.stats.decimals import difference
from yavik.core.stats.effect_sizes import Size, one_sample_d
from yavik.core.stats.equivalence import of_means
from yavik.core.stats.groups import Floats
from yavik.core.stats.moments import moments
from yavik.core.table import Column, DataProblem, Kind, Table

TEST_WORDS = {
    "t": "mean difference, by Student's t",
    "wilcoxon": "pseudo-median of the differences, by signed ranks (Wilcoxon)",
    "sign": "median difference, by signs",
}


class ComparePairedSpec(WithMargin):
    first: str | None = Field(None, title="First", json_schema_extra=slot(VALUES, "a measure"))
    second: str | None = Field(None, title="Second", json_schema_extra=slot(VALUES, "the same measured again"))
    test: Literal["t", "wilcoxon", "sign"] = Field("t", json_schema_extra=option("Test", TEST_WORDS))
    difference: float = Field(
        0.0,
        allow_inf_nan=False,
        json_schema_extra=amount("Difference tested against", "0 unless another difference is what would matter."),
    )


@dataclass(frozen=True)
class Pairs:
    """The rows that have both measurements, and the test of their differences."""

    one: Column
    two: Column
    a: Floats
    b: Floats
    away: Floats
    use: Any
    rows: Any
    decimals: int
    asked: OneSampleSpec
    found: Found

    @property
    def n(self) -> int:
        """Pairs with both measurements."""
        return len(self.away)

    @cached_property
    def printed(self) -> int:
        """Decimals of the difference."""
        return self.found.printed

    @property
    def unit(self) -> str:
        """The unit as it follows a difference; nothing where the two columns have different ones."""
        return after_difference(self.one.unit) if self.one.unit == self.two.unit else ""


def _pairs(table: Table, spec: ComparePairedSpec) -> Pairs:
    """Raises DataProblem where there is nothing to test."""
    assert spec.first and spec.second
    if spec.first == spec.second:
        raise DataProblem(f"{spec.first} stands in both slots; choose two columns.", column=spec.second)
    one, two = table.column(spec.first), table.column(spec.second)
    a, b = table.numbers(spec.first), table.numbers(spec.second)
    use = ~(np.isnan(a) | np.isnan(b))
    n = int(use.sum())
    if n < 2:
        raise DataProblem(
            f"{counted(n, 'row')} {'has' if n == 1 else 'have'} both {spec.first} and {spec.second}; a comparison of"
            " pairs needs two.",
            column=spec.second,
        )
    rows = table.rows
    if n < len(use):
        a, b, rows = a[use], b[use], rows[use]
    away = difference(a, b)
    flat = away[0] == away[-1] and np.ptp(away) == 0
    if flat and spec.test == "t":
        raise DataProblem(
            "All differences are the same: there is no spread to judge them against.", column=spec.second
        )
    if flat and away[0] == spec.difference:
        raise DataProblem("No pair differs from the value tested: nothing lies above or below.", column=spec.second)
    decimals = max(printed_decimals(one), printed_decimals(two))
    asked = OneSampleSpec(value=spec.difference, test=spec.test, alpha=spec.alpha, alternative=spec.alternative)
    found = Found(away, asked, decimals)
    return Pairs(one, two, a, b, away, use, rows, decimals, asked, found)


def _headline(p: Pairs, spec: ComparePairedSpec) -> list[Span]:
    f, first, second = p.found, lower(p.one.title), lower(p.two.title)
    claim = f"{first} and {second} differ"
    if spec.alternative != "two_sided":
        claim = f"{first} is {'lower' if spec.alternative == 'less' else 'higher'} than {second}"
    if spec.difference:
        way = " by something other than" if spec.alternative == "two_sided" else " beyond a difference of"
        claim += f"{way} {number(spec.difference, p.decimals)}"
    start = claimed(claim, f.p < spec.alpha)
    known = np.isfinite(f.low) or np.isfinite(f.high)
    ci = f" ({level_words(spec.alpha)} CI {ends(f.low, f.high, p.printed)})" if known else ""
    size = f"{number(f.estimate, p.printed)}{p.unit}"
    return say(f"{start}, ", *f.spans, f". The {f.what} difference is {size}{ci}.")


def _measurements(p: Pairs, alpha: float, r: float) -> TableBlock:
    lines = []
    for name, y in ((p.one.title, p.a), (p.two.title, p.b), ("Difference", p.away)):
        m = moments(y, 1 - alpha)
        d = p.printed
        lines.append(
            q.row(
                column=q.name(name), n=q.count(p.n), mean=q.num(m.mean, d, "Mean"), sd=q.num(m.sd, d, "SD"),
                **q.ci(m.ci_low, m.ci_high, d, alpha), median=q.num(m.median, d, "Median"),
            )
        )  # fmt: skip
    note = "One of the two has no spread: they have no correlation."
    if np.isfinite(r):
        note = f"Correlation of the two: {number(r, 2)}."
    return q.table("groups", "The two measurements", lines, note=note)


def _test(p: Pairs) -> TableBlock:
    line = p.found.line(f"{p.one.title} − {p.two.title}", p.printed, "too few pairs")
    return q.table("test", "Test of the difference", [line], note=p.found.note)


def _effects(size: Size, small: Size, alpha: float) -> TableBlock:
    rows = [
        effect("Cohen's d of the differences", size, alpha),
        effect("Hedges' g of the differences", small, alpha),
    ]
    note = "In standard deviations of the differences, not of the measurements."
    return q.table("effects", "How large is it?", rows, note=note)


def _picture(p: Pairs) -> FigureBlock:
    at, middle = float(p.away.mean()), (p.a + p.b) / 2
    axis = f"Difference ({p.one.unit})" if p.unit else "Difference"
    cloud = Cloud("pairs", middle, p.away, p.rows, (float(middle.min()), at, float(middle.max()), at))
    return block("figure", "Differences over the pairs' means", scatter([cloud], "Mean of the two", axis))


def _checks(p: Pairs, spec: ComparePairedSpec) -> list[Check]:
    out = far_out(p.away)
    without = p_of(p.away[~out], p.asked)
    remedy = [Remedy(label="Compare signed ranks instead", spec={"test": "wilcoxon"})] if spec.test == "t" else []
    what = "the differences"
    return [
        normal_check(p.away, what, "Normal differences", remedy, needed=spec.test == "t"),
        outlying_check(p.away, out, p.rows, what, p.decimals, spec.where, p.found.p, without, spec.alpha),
        size_check(p.n, 10, "pair"),
    ]


def compute(table: Table, spec: ComparePairedSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where nothing can be tested."""
    p = _pairs(table, spec)
    run.progress(0.6, "Tested")
    f, said = p.found, _headline(p, spec)
    if spec.margin is None:
        run.say(said)
    size, small = one_sample_d(float(p.away.mean()) - spec.difference, f.sd, p.n, spec.alpha)
    r = float(np.corrcoef(p.a, p.b)[0, 1]) if np.ptp(p.a) > 0 and np.ptp(p.b) > 0 else np.nan
    made = compose(
        said,
        short=f"{_said(spec.alternative, f.p < spec.alpha)}, {plain(q.p_said(f.p))}",
        blocks=[_picture(p), _measurements(p, spec.alpha, r), _test(p), _effects(size, small, spec.alpha)],
        checks=_checks(p, spec),
        rows=used_where(table, p.use, "one of the two is empty"),
        facts={
            "p": f.p, "n": p.n, "estimate": f.estimate, "ci_low": f.low, "ci_high": f.high, "r": r,
            "cohen_d": size.estimate, **f.facts,
        },
        settings=[TEST_WORDS[spec.test]],
    )  # fmt: skip
    return made if spec.margin is None else _within_margin(made, p, spec, spec.margin)


def _within_margin(made: Answer, p: Pairs, spec: ComparePairedSpec, margin: float) -> Answer:
    if spec.test != "t":
        raise DataProblem("A margin is a difference of means: choose Student's t with it.")
    se = float(p.away.std(ddof=1) / np.sqrt(p.n))
    equal = of_means(float(p.away.mean()), se, p.n - 1, margin, spec.alpha, spec.claim)
    names = (lower(p.one.title), lower(p.two.title))
    return judged(made, equal, spec.alpha, names, lambda v: number(v, p.printed), p.unit)


def _said(alternative: str, shown: bool) -> str:
    way = {"two_sided": ("differ", "a difference"), "less": ("first lower", "a lower first")}
    says, none = way.get(alternative, ("first higher", "a higher first"))
    return says if shown else f"no evidence of {none}"


def new_columns(table: Table, spec: ComparePairedSpec) -> list[tuple[Column, pa.Array]]:
    """The difference of each pair."""
    if not spec.first or not spec.second:
        return []
    one = table.column(spec.first)
    away = table.numbers(spec.first) - table.numbers(spec.second)
    filled = ~np.isnan(away)
    away[filled] = difference(table.numbers(spec.first)[filled], table.numbers(spec.second)[filled])
    described = Column(name=f"{spec.first} − {spec.second}", kind=Kind.measure, unit=one.unit, decimals=one.decimals)
    return [(described, pa.array(away, pa.float64(), mask=np.isnan(away)))]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """The same unit twice looks like the same thing measured twice."""
    first, second = spec.get("first"), spec.get("second")
    if first and second:
        a, b = table.column(first).unit, table.column(second).unit
        return (8, f"both are in {a}") if a and a == b else (-10, "")
    return -10, ""


METHOD = Method(
    id="compare_paired",
    version="2",
    aim=Aim.compare,
    title="Paired samples: t test, signed ranks, signs",
    layouts=(
        Layout(
            "pairs",
            "two columns, a pair in each row",
            "Do {first} and {second} differ within rows?",
            ("first", "second"),
            ("first", "second"),
        ),
    ),
    Spec=ComparePairedSpec,
    compute=compute,
    page=read_page(__file__),
    order=3,
    fit=_fit,
    new_columns=new_columns,
    name=lambda spec: f"{spec.first} against {spec.second}",
    uses=("alternative",),
    keywords=("paired t test", "before and after", "wilcoxon", "signed rank", "sign test", "dependent samples"),
)
