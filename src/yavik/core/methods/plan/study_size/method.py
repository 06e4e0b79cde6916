"""How many rows does a study need, or how small a difference can it see? Before the data, never after."""

from functools import partial
from typing import Any

import numpy as np

from yavik.core.answers import Answer, Check, FigureBlock, RowsUsed, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import (
    number,
    percent,
)
from yavik.core.figures.plots import block, curve
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.touch import handle
from yavik.core.methods.plan.study_size.spec import DESIGNS, MEANS, Power, StudySizeSpec
from yavik.core.methods.plan.study_size.words import (
    PER,
    axis_of,
    effect_words,
    power_words,
    rows_words,
    side_of,
    total_of,
)
from yavik.core.stats import power
from yavik.core.table import DataProblem, Table


def compute(table: Table, spec: StudySizeSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for a design or direction that has no power."""
    if spec.alternative != "two_sided" and spec.design in ("one_way", "chi_square"):
        raise DataProblem("Several groups and tables of counts have no direction.")
    if spec.design == "two_proportions" and spec.find != "effect":
        way = {"less": spec.share < spec.other_share, "greater": spec.share > spec.other_share}
        if not way.get(spec.alternative, True):
            side = "below" if spec.alternative == "less" else "above"
            raise DataProblem(
                f"A first share of {percent(spec.share)} does not lie {side} one of {percent(spec.other_share)}; a"
                " test that looks to that side will not find it. Turn the direction, or the shares."
            )
    sd, source = _sd(table, spec)
    of, effect, unit = _power(spec, sd, table.column(spec.column).unit if spec.column else None)
    least = {"correlation": 4, "chi_square": spec.df + 2}.get(spec.design, 2)
    if spec.find == "power":
        n, found = spec.n, effect
        if n < least:
            raise DataProblem(f"This design needs at least {least} rows.")
        headline = power_words(spec, n, of(n, found), unit)
        short = f"power {number(of(n, found), 3)}"
    elif spec.find == "n":
        if effect == 0:
            raise DataProblem("A difference of nothing can never be found: type one that matters.")
        needed = power.smallest_n(lambda k: of(k, effect), spec.power, least)
        if needed is None:
            raise DataProblem(
                "More than ten million rows would be needed. The difference is too small beside the scatter."
            )
        n, found = needed, effect
        headline = rows_words(spec, n, unit)
        short = f"{n} {PER[spec.design]}"
    else:
        n = spec.n
        if n < least:
            raise DataProblem(f"This design needs at least {least} rows.")
        smallest = _smallest(spec, of, n)
        if smallest is None:
            raise DataProblem(
                f"With {n} {PER[spec.design]} no difference, however large, would be found that surely."
            )
        found, headline = smallest, effect_words(spec, n, smallest * (sd if spec.design in MEANS else 1), unit)
        short = f"sees {number(smallest * (sd if spec.design in MEANS else 1), 2)} with {n} {PER[spec.design]}"
    reached = of(n, found)
    drawn = block("figure", "Power over the size of the study", _curve(spec, of, found, n, reached, least))
    rows = [
        q.row(
            n=q.count(k, axis_of(spec)), total=q.count(total_of(spec, k), "Rows in all"),
            power=q.num(of(k, found), 3, "Power")
        )
        for k in _around(n, least)
    ]  # fmt: skip
    return compose(
        headline,
        short=short,
        settings=[
            DESIGNS[spec.design],
            *([source] if spec.design in MEANS else []),
            *([side_of(spec).removeprefix(", ")] if spec.alternative != "two_sided" else []),
        ],
        blocks=[
            _moved(spec, drawn, n, least),
            q.table("power", "Power by size", rows, note="The effect and α stay as they are."),
            _effects_table(spec, of, n, sd, least),
        ],
        checks=[_check(spec, source, reached)],
        rows=RowsUsed(total=table.n_rows, used=0),
        facts={"n": n, "power": reached, "effect": found, "total": total_of(spec, n), "sd": sd},
    )


def _sd(table: Table, spec: StudySizeSpec) -> tuple[float, str]:
    if spec.sd is not None:
        return spec.sd, f"SD {number(spec.sd, 3)} typed in"
    if spec.column and spec.design in MEANS:
        y = table.numbers(spec.column)
        y = y[~np.isnan(y)]
        if len(y) < 2 or np.ptp(y) == 0:
            raise DataProblem(f"{spec.column} has no spread to plan with.", column=spec.column)
        sd = float(y.std(ddof=1))
        return sd, f"SD {number(sd, table.column(spec.column).decimals + 1)} of {table.column(spec.column).title}"
    return 1.0, "difference in standard deviations"


def _power(spec: StudySizeSpec, sd: float, own: str | None) -> tuple[Power, float, str]:
    """Power as a function of n and the effect; the effect asked about; how it is said."""
    a, way = spec.alpha, spec.alternative
    d = abs(spec.difference) / sd
    unit = " SDs" if spec.sd is None and not spec.column else f" {own}" if own else ""
    if spec.design == "two_means":
        return (lambda n, e: power.two_means(n, e, spec.ratio, a, way)), d, unit
    if spec.design in ("paired_means", "one_mean"):
        return (lambda n, e: power.one_mean(n, e, a, way)), d, unit
    if spec.design == "two_proportions":
        return (lambda n, e: power.two_shares(n, spec.share, spec.share + e, spec.ratio, a, way)), _gap(spec), ""
    if spec.design == "one_way":
        return (lambda n, e: power.one_way(n, e, spec.groups, a)), spec.effect, "f"
    if spec.design == "correlation":
        if spec.effect >= 1:
            raise DataProblem("A correlation lies below 1.")
        return (lambda n, e: power.correlation(n, e, a, way)), spec.effect, "r"
    return (lambda n, e: power.chi_square(n, e, spec.df, a)), spec.effect, "w"


def _gap(spec: StudySizeSpec) -> float:
    """Signed, so that the second share is the one typed."""
    return spec.other_share - spec.share


def _smallest(spec: StudySizeSpec, of: Power, n: int) -> float | None:
    """The smallest effect with the power asked for; of shares upwards first, unless the test looks down from
    there."""
    if spec.design != "two_proportions":
        return power.smallest_effect(
            lambda e: of(n, e), spec.power, 1e-6, 0.999 if spec.design == "correlation" else 100.0
        )
    up = down = None
    if spec.alternative != "greater":
        up = power.smallest_effect(lambda e: of(n, e), spec.power, 1e-6, 1 - 1e-6 - spec.share)
    if up is None and spec.alternative != "less":
        down = power.smallest_effect(lambda e: of(n, -e), spec.power, 1e-6, spec.share - 1e-6)
    return -down if down is not None else up


def _around(n: int, least: int) -> list[int]:
    found = sorted({max(least, round(n * s)) for s in (0.25, 0.5, 0.75, 0.9, 1.0, 1.1, 1.25, 1.5, 2.0)})
    return [k for k in found if k <= power.MOST]


def _curve(spec: StudySizeSpec, of: Power, effect: float, n: int, reached: float, least: int) -> Any:
    xs = np.unique(np.round(np.linspace(least, max(2 * n, least + 10), 60)))
    ys = [of(float(x), effect) for x in xs]
    return curve([("power", xs, ys)], axis_of(spec), "Power", mark=(n, reached), high=1.0)


def _moved(spec: StudySizeSpec, picture: FigureBlock, n: int, least: int) -> FigureBlock:
    """The curve with a line at what is given: the power wished for, or the rows at hand."""
    if spec.find == "n":
        return handle(picture, "power", "Power", spec.power, (0.06, 0.99), axis="y", decimals=2)
    return handle(picture, "n", axis_of(spec), n, (max(least, 3), max(2 * n, least + 10)), decimals=0)


def _effects_table(spec: StudySizeSpec, of: Power, n: int, sd: float, least: int) -> Any:
    """What other sizes of study would see."""
    if spec.design == "two_proportions":
        return None
    scale = sd if spec.design in MEANS else 1.0
    rows = []
    for k in _around(n, least):
        e = power.smallest_effect(partial(of, k), spec.power, 1e-6, 0.999 if spec.design == "correlation" else 100.0)
        size = q.num(e * scale if e is not None else float("nan"), 3, "Smallest effect", why="too few rows for any")
        rows.append(q.row(n=q.count(k, axis_of(spec)), effect=size))
    return q.table("effects", "Smallest effect by size", rows, folded=True)


def _check(spec: StudySizeSpec, source: str, reached: float) -> Check:
    guessed = spec.design in MEANS and spec.sd is None and not spec.column
    if guessed:
        text = (
            "The difference counts in standard deviations; with the SD of earlier data, type it or choose the column,"
            " and the difference can be said in its unit."
        )
    else:
        text = (
            "The answer is as good as what it is given:"
            f" {source if spec.design in MEANS else 'the effect that was typed'}. It should come from what matters in"
            " the subject, not from what earlier data happened to show."
        )
    return Check(
        id="given",
        title="What the size rests on",
        verdict=Verdict.doubtful if guessed else Verdict.holds,
        text=f"{text} Power here {number(reached, 3)}.",
        facts={"power": reached},
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return -34, ""


METHOD = Method(
    id="study_size",
    version="2",
    aim=Aim.plan,
    title="Power and sample size for means, shares, correlations and tables of counts",
    layouts=(
        Layout(
            "plan", "nothing measured yet", "How large must a study be, with the spread of {column}?", ("column",), ()
        ),
    ),
    Spec=StudySizeSpec,
    compute=compute,
    page=read_page(__file__),
    fit=_fit,
    name=lambda spec: f"Size of a study of {DESIGNS[spec.design]}",
    uses=("alternative",),
    needs_rows=False,
    keywords=("power", "sample size", "how many", "detectable difference", "plan"),
)
