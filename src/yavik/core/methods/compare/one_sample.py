"""Does the middle, or the spread, of one measurement differ from a value?"""

from collections.abc import Callable
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Marks, NoteBlock, Remedy, Span, ValueMark
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose, finite
from yavik.core.answers.wording import after_difference, given, grouped, italic, level_words, number, plain, say, told
from yavik.core.ask import VALUES, amount, option, slot
from yavik.core.figures.caption import lower
from yavik.core.figures.data import printed_decimals
from yavik.core.figures.pictures import histogram
from yavik.core.figures.plots import block
from yavik.core.methods.base import Aim, Alternative, Layout, Method, Run
from yavik.core.methods.kit.analysis import effect
from yavik.core.methods.kit.claims import claimed, ends
from yavik.core.methods.kit.margin import WithMargin, judged
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shared import (
    far_out,
    filled_numbers,
    normal_check,
    outlying_check,
    size_check,
    unit_of,
    used_where,
)
from yavik.core.methods.kit.touch import handle
from yavik.core.stats.decimals import difference
from yavik.core.stats.effect_sizes import Size, one_sample_d
from yavik.core.stats.equivalence import of_means
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.moments import moments
from yavik.core.stats.one import median_interval, pseudo_median, sign_test, signed_rank, t_one, variance_test
from yavik.core.table import Column, DataProblem, Table

TEST_WORDS = {
    "t": "mean, by Student's t",
    "wilcoxon": "pseudo-median, by signed ranks (Wilcoxon)",
    "sign": "median, by signs",
    "variance": "standard deviation, by χ²",
}


class OneSampleSpec(WithMargin):
    column: str | None = Field(None, title="Measurement", json_schema_extra=slot(VALUES, "a measure"))
    value: float = Field(
        0.0,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Value to compare with", "In the measurement's unit; for the spread a standard deviation."
        ),
    )
    test: Literal["t", "wilcoxon", "sign", "variance"] = Field(
        "t",
        json_schema_extra=option(
            "What is compared", TEST_WORDS, "The mean unless ranks, signs or spread are asked for."
        ),
    )


class Found:
    """p, how the sentence says the test, the estimate with its interval, and the cells of the test's table."""

    def __init__(self, y: Floats, spec: OneSampleSpec, decimals: int) -> None:
        self.y, self.spec, self.decimals = y, spec, decimals
        self.sd = float(y.std(ddof=1)) if len(y) > 1 else np.nan
        self.printed = told(decimals, self.sd / float(np.sqrt(len(y))))
        getattr(self, f"_{spec.test}")(spec.alternative)

    @cached_property
    def away(self) -> Floats:
        """Distances from the value."""
        return difference(self.y, self.spec.value)

    @cached_property
    def estimated(self) -> tuple[float, float, float]:
        """The estimate and its interval: of ranks they take longer than p, and not everybody who asks for p wants
        them."""
        return self._estimates()

    @property
    def estimate(self) -> float:
        """Of what the test is of."""
        return self.estimated[0]

    @property
    def low(self) -> float:
        """Lower end of its interval."""
        return self.estimated[1]

    @property
    def high(self) -> float:
        """Upper end of its interval."""
        return self.estimated[2]

    def _set(
        self, p: float, spans: list[Span], what: str, estimates: Callable[[], tuple[float, float, float]]
    ) -> None:  # fmt: skip
        self.p, self.spans, self.what, self._estimates = p, spans, what, estimates

    def _t(self, alternative: Alternative) -> None:
        t = t_one(float(self.y.mean()), self.sd, len(self.y), self.spec.value, self.spec.alpha, alternative)
        self._set(t.p, q.tested("t", t.t, (t.df,), t.p), "mean", lambda: (t.difference, t.ci_low, t.ci_high))
        self.cells, self.note = q.row(t=q.stat(t.t, "t"), df=q.df(t.df)), "Student's t with n − 1 df."
        self.facts = {"t": t.t, "df": t.df}

    def _wilcoxon(self, alternative: Alternative) -> None:
        w = signed_rank(self.away, alternative=alternative)
        spans = [italic("W"), *say(f"⁺ = {number(w.w_plus, 1 if w.w_plus % 1 else 0)}, "), *q.p_said(w.p)]
        self._set(w.p, spans, "pseudo-median", lambda: pseudo_median(self.y, self.spec.alpha, alternative))
        self.cells = q.row(
            w_plus=q.num(w.w_plus, 1, "Rank sum above"), w_minus=q.num(w.w_minus, 1, "below"), z=q.stat(w.z, "z")
        )
        zeros = f" {w.zeros} equal to the value left out." if w.zeros else ""
        how = "from every pattern of signs" if w.exact else "from the normal distribution, corrected for ties"
        self.note = (
            "Estimate: the pseudo-median (Hodges–Lehmann), the median of all means of two values; it is the median"
            f" where values lie symmetrically.{zeros} p {how}."
        )
        self.facts = {"w_plus": w.w_plus, "w_minus": w.w_minus, "z": w.z}

    def _sign(self, alternative: Alternative) -> None:
        s = sign_test(self.away, alternative)
        low, high, level = median_interval(self.y, self.spec.alpha, alternative)
        spans = say(f"{grouped(s.above)} above and {grouped(s.below)} below, ", *q.p_said(s.p))
        self._set(s.p, spans, "median", lambda: (float(np.median(self.y)), low, high))
        self.cells = q.row(
            above=q.count(s.above, "Above"), below=q.count(s.below, "Below"), equal=q.count(s.zeros, "Equal")
        )
        self.note = "Exact binomial p; values equal to the one tested are left out."
        if np.isfinite(level):
            self.note += f" The interval's own level is {100 * level:.1f}%."
        self.facts = {"above": s.above, "below": s.below}

    def _variance(self, alternative: Alternative) -> None:
        if self.spec.value <= 0:
            raise DataProblem(
                f"A standard deviation to compare with must be above zero; it is {number(self.spec.value, 2)}."
            )
        v = variance_test(self.sd**2, len(self.y), self.spec.value, self.spec.alpha, alternative)
        spans = q.tested("χ²", v.chi2, (v.df,), v.p)
        self._set(v.p, spans, "standard deviation", lambda: (self.sd, v.sd_low, v.sd_high))
        self.cells = q.row(chi2=q.stat(v.chi2, "χ²"), df=q.df(v.df))
        self.note = "Holds for normal values only: more data do not mend it. Two-sided p is twice the smaller tail."
        self.facts = {"chi2": v.chi2, "df": v.df}

    def line(self, term: str, decimals: int, few: str) -> q.Row:
        """The row of the test's table."""
        ends_ = q.ci(self.low, self.high, decimals, self.spec.alpha, why=few)
        return q.row(
            term=q.name(term),
            estimate=q.num(self.estimate, decimals, "Estimate"),
            **ends_,
            **self.cells,
            p=q.p(self.p),
        )


def compute(table: Table, spec: OneSampleSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem where nothing can be tested."""
    assert spec.column
    column = table.column(spec.column)
    y, rows = filled_numbers(table, spec.column, 2)
    _demand_something(y, spec)
    found = Found(y, spec, printed_decimals(column))
    run.progress(0.6, "Tested")
    said = _headline(column.title, unit_of(column), found)
    if spec.margin is None:
        run.say(said)
    decimals, title = printed_decimals(column), lower(column.title)
    out = far_out(y)
    without = p_of(y[~out], spec)
    remedy = [Remedy(label="Use signed ranks instead", spec={"test": "wilcoxon"})] if spec.test == "t" else []
    checks = [
        normal_check(y, title, "Normal values", remedy, needed=spec.test in ("t", "variance")),
        outlying_check(y, out, rows, title, decimals, spec.where, found.p, without, spec.alpha),
        size_check(len(y), 10, "value"),
    ]
    mark = q.p_said(found.p)
    against = ValueMark(at=spec.value, label=number(spec.value, decimals))
    made = compose(
        said,
        short=f"{_said(spec, found.p)}, {plain(mark)}",
        blocks=_blocks(table, column, found, spec),
        checks=checks,
        rows=used_where(table, ~np.isnan(table.numbers(spec.column)), f"{column.title} is empty"),
        facts=_facts(found, spec),
        marks=Marks(p=mark, values=[] if spec.test == "variance" else [against]),
        settings=[TEST_WORDS[spec.test], f"against {number(spec.value, decimals)}{unit_of(column)}"],
    )
    return made if spec.margin is None else _within_margin(made, found, spec, spec.margin, column)


def _demand_something(y: Floats, spec: OneSampleSpec) -> None:
    """Raises DataProblem where no value lies above or below."""
    if np.ptp(y) == 0 and spec.test in ("t", "variance"):
        raise DataProblem(
            f"All values of {spec.column} are the same: there is no spread to judge against.", column=spec.column
        )
    if spec.test in ("wilcoxon", "sign") and np.all(y == spec.value):
        raise DataProblem(
            f"Every value of {spec.column} equals {number(spec.value, 2)}: nothing lies above or below.",
            column=spec.column,
        )


def _said(spec: OneSampleSpec, p: float) -> str:
    if p < spec.alpha:
        return {"two_sided": "differs", "less": "is below", "greater": "is above"}[spec.alternative]
    none = {"two_sided": "a difference", "less": "a lower value", "greater": "a higher value"}[spec.alternative]
    return f"no evidence of {none}"


def _sizes(f: Found, spec: OneSampleSpec) -> tuple[Size, Size]:
    """Cohen's d and Hedges' g of the distance from the value."""
    return one_sample_d(float(f.y.mean()) - spec.value, f.sd, len(f.y), spec.alpha)


def _facts(f: Found, spec: OneSampleSpec) -> dict[str, Any]:
    own = {"p": f.p, "n": len(f.y), "estimate": f.estimate, "ci_low": f.low, "ci_high": f.high}
    return finite({**own, "cohen_d": _sizes(f, spec)[0].estimate, **f.facts})


def _blocks(table: Table, column: Column, f: Found, spec: OneSampleSpec) -> list[Any]:
    everything = Groups.of(table.numbers(column.name), np.zeros(table.n_rows, np.int32), table.rows, (column.title,))
    picture = block("figure", column.title, histogram(column, everything, spec.value))
    if spec.test != "variance":  # a standard deviation lies on no axis of values
        ends_ = min(float(f.y.min()), spec.value), max(float(f.y.max()), spec.value)
        picture = handle(picture, "value", "Compared with", spec.value, ends_, unit=unit_of(column).strip())
    blocks = [picture, *_tables(column.title, f, spec)]
    if spec.test in ("t", "wilcoxon"):
        names = ("Cohen's d, distance of the mean in SDs", "Hedges' g")
        rows = [effect(name, x, spec.alpha) for name, x in zip(names, _sizes(f, spec), strict=True)]
        blocks.append(q.table("effects", "How large is it?", rows))
    if spec.test == "wilcoxon":
        text = (
            "Signed ranks speak about the median only where values lie symmetrically about it; signs need no shape."
        )
        blocks.append(NoteBlock(id="assumes", text=text))
    return blocks


def _within_margin(made: Answer, f: Found, spec: OneSampleSpec, margin: float, column: Column) -> Answer:
    if spec.test != "t":
        raise DataProblem("A margin is a difference of means: choose the mean, by Student's t, with it.")
    away, n = float(f.y.mean()) - spec.value, len(f.y)
    equal = of_means(away, f.sd / float(np.sqrt(n)), n - 1, margin, spec.alpha, spec.claim)
    unit = after_difference(column.unit)
    names = ("the mean", f"{number(spec.value, printed_decimals(column))}{unit}")
    return judged(made, equal, spec.alpha, names, lambda v: number(v, f.printed), unit)


def p_of(y: Floats, spec: OneSampleSpec) -> float | None:
    """p of the same test of these values; None where it cannot be computed."""
    if len(y) < 2 or (np.ptp(y) == 0 and spec.test in ("t", "variance")):
        return None
    p = Found(y, spec, 0).p if not np.all(y == spec.value) else np.nan
    return p if np.isfinite(p) else None


def _headline(title: str, unit: str, f: Found) -> list[Span]:
    d, spec = f.printed, f.spec
    way = {"two_sided": "differs from", "less": "is below", "greater": "is above"}[spec.alternative]
    claim = f"{f.what} of {lower(title)} {way} {number(spec.value, f.decimals)}{unit}, "
    start = claimed(f"the {claim}", f.p < spec.alpha)
    tail = f". It is {number(f.estimate, d)}{unit}"
    if np.isfinite(f.low) or np.isfinite(f.high):
        tail += f" ({level_words(spec.alpha)} CI {ends(f.low, f.high, d)})"
    return say(start, *f.spans, f"{tail}.")


def _tables(title: str, f: Found, spec: OneSampleSpec) -> list[Any]:
    m = moments(f.y, 1 - spec.alpha)
    d, fine = f.decimals, max(f.decimals + 1, f.printed)
    groups = q.row(
        column=q.name(title), n=q.count(m.n), mean=q.num(m.mean, fine, "Mean"), sd=q.num(m.sd, fine, "SD"),
        median=q.num(m.median, fine, "Median"), min=q.num(m.min, d, "Min"), max=q.num(m.max, d, "Max"),
    )  # fmt: skip
    against = f"Test against {number(spec.value, d)}"
    line = f.line(f.what.capitalize(), fine, "too few values")
    return [q.table("groups", title, [groups]), q.table("test", against, [line], note=f.note)]


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return -8, ""


METHOD = Method(
    id="one_sample",
    version="2",
    aim=Aim.compare,
    title="One sample against a value: t test, signed ranks, signs, spread",
    layouts=(Layout("column", "one column", "Does {column} differ from a known value?", ("column",), ("column",)),),
    Spec=OneSampleSpec,
    compute=compute,
    page=read_page(__file__),
    order=4,
    fit=_fit,
    name=lambda spec: f"{spec.column} against {given(spec.value)}",
    uses=("alternative",),
    keywords=("t test", "one sample", "wilcoxon", "signed rank", "sign test", "variance", "norm"),
)
