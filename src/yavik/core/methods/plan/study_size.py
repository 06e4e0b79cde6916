"""How many rows does a study need, or how small a difference can it see? Before the data, never after."""

from collections.abc import Callable
from functools import partial
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, RowsUsed, Span, Verdict
from yavik.core.answers.make import compose, grid
from yavik.core.answers.wording import (
    alpha_words,
    bold,
    counted,
    missing,
    num,
    number,
    percent,
    say,
    significant,
    whole,
)
from yavik.core.figures.describe import VALUES
from yavik.core.figures.plots import block, curve
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec, amount, option, slot
from yavik.core.methods.kit.page import read_page
from yavik.core.stats import power
from yavik.core.table import DataProblem, Table

DESIGNS = {
    "two_means": "two independent means",
    "paired_means": "means of pairs",
    "one_mean": "one mean against a value",
    "two_proportions": "two independent shares",
    "one_way": "means of several groups",
    "correlation": "a correlation",
    "chi_square": "a table of counts",
}
PER = {
    "two_means": "rows in the first group",
    "paired_means": "pairs",
    "one_mean": "rows",
    "two_proportions": "rows in the first group",
    "one_way": "rows in each group",
    "correlation": "rows",
    "chi_square": "rows in all",
}
MEANS = ["two_means", "paired_means", "one_mean"]


class StudySizeSpec(Spec):
    design: Literal[
        "two_means", "paired_means", "one_mean", "two_proportions", "one_way", "correlation", "chi_square"
    ] = Field("two_means", json_schema_extra=option("To be compared", DESIGNS))
    find: Literal["n", "effect", "power"] = Field(
        "n",
        json_schema_extra=option(
            "Asked for",
            {
                "n": "how many rows",
                "effect": "the smallest difference seen",
                "power": "the power of a given size and difference",
            },
        ),
    )
    column: str | None = Field(None, title="Measurement", json_schema_extra=slot(VALUES, "a measure already at hand"))
    difference: float = Field(
        0.5,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Difference that matters",
            "In the measurement's unit, or in SDs where no SD is known.",
            step="any",
            when={"design": MEANS, "find": ["n", "power"]},
        ),
    )
    sd: float | None = Field(
        None,
        gt=0,
        json_schema_extra=amount(
            "Standard deviation",
            "Within groups; of the differences for pairs. From the column unless typed; 1 without either.",
            step="any",
            empty=True,
            when={"design": MEANS},
        ),
    )
    share: float = Field(
        0.3,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share in the first group", "", min=0, max=1, step=0.01, when={"design": ["two_proportions"]}
        ),
    )
    other_share: float = Field(
        0.5,
        gt=0,
        lt=1,
        json_schema_extra=amount(
            "Share in the second",
            "",
            min=0,
            max=1,
            step=0.01,
            when={"design": ["two_proportions"], "find": ["n", "power"]},
        ),
    )
    groups: int = Field(
        3, ge=2, le=200, json_schema_extra=amount("Groups", "", min=2, max=200, step=1, when={"design": ["one_way"]})
    )
    effect: float = Field(
        0.3,
        gt=0,
        le=10,
        json_schema_extra=amount(
            "Effect that matters",
            "r of a correlation; f of several means (SD of the means over SD within); w of a table of counts.",
            step=0.05,
            when={"design": ["one_way", "correlation", "chi_square"], "find": ["n", "power"]},
        ),
    )
    df: int = Field(
        1,
        ge=1,
        le=1000,
        json_schema_extra=amount(
            "df of the table", "(rows − 1)(columns − 1)", min=1, max=1000, step=1, when={"design": ["chi_square"]}
        ),
    )
    ratio: float = Field(
        1.0,
        gt=0.01,
        lt=100,
        json_schema_extra=amount(
            "Second group for each row of the first",
            "1 for groups of the same size.",
            step=0.5,
            when={"design": ["two_means", "two_proportions"]},
        ),
    )
    power: float = Field(
        0.8,
        gt=0.05,
        lt=1,
        json_schema_extra=amount(
            "Power", "How surely the difference should be found.", min=0.06, max=0.999, step=0.05
        ),
    )
    n: int = Field(
        50,
        ge=3,
        le=10_000_000,
        json_schema_extra=amount(
            "Rows at hand",
            "In each group, or pairs, or in all, as the design counts.",
            min=3,
            max=10000000,
            step=1,
            when={"find": ["effect", "power"]},
        ),
    )


Power = Callable[[float, float], float]


def compute(table: Table, spec: StudySizeSpec, run: Run) -> Answer:
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
        headline = _power_words(spec, n, of(n, found), unit)
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
        headline = _rows_words(spec, n, unit)
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
        found, headline = smallest, _effect_words(spec, n, smallest * (sd if spec.design in MEANS else 1), unit)
        short = f"sees {number(smallest * (sd if spec.design in MEANS else 1), 2)} with {n} {PER[spec.design]}"
    reached = of(n, found)
    rows = [
        {"n": whole(int(k)), "power": num(of(k, found), 3), "total": whole(int(_total(spec, k)))}
        for k in _around(n, least)
    ]
    return compose(
        headline,
        short=short,
        settings=[
            DESIGNS[spec.design],
            *([source] if spec.design in MEANS else []),
            *([_side(spec).removeprefix(", ")] if spec.alternative != "two_sided" else []),
        ],
        blocks=[
            block("figure", "Power over the size of the study", _curve(spec, of, found, n, reached, least)),
            grid(
                "power",
                "Power by size",
                [("n", _axis(spec)), ("total", "Rows in all"), ("power", "Power")],
                rows,
                note="The effect and α stay as they are.",
            ),
            _effects_table(spec, of, n, sd, least),
        ],
        checks=[_check(spec, source, reached)],
        rows=RowsUsed(total=table.n_rows, used=0),
        facts={"n": n, "power": reached, "effect": found, "total": _total(spec, n), "sd": sd},
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


def _total(spec: StudySizeSpec, n: float) -> float:
    if spec.design in ("two_means", "two_proportions"):
        return float(n + np.ceil(n * spec.ratio))
    return n * spec.groups if spec.design == "one_way" else n


def _what(spec: StudySizeSpec, unit: str) -> str:
    if spec.design in MEANS:
        return f"a difference of {_plain(abs(spec.difference))}{unit}"
    if spec.design == "two_proportions":
        return f"a difference between {percent(spec.share)} and {percent(spec.other_share)}"
    return f"{unit} = {number(spec.effect, 2)}"


def _rows_words(spec: StudySizeSpec, n: int, unit: str) -> list[Span]:
    total = int(_total(spec, n))
    tail = f" ({counted(total, 'row')} in all)" if total != n else ""
    return say(
        "To find ",
        _what(spec, unit),
        f" with a power of {_plain(spec.power)} at α = {_alpha(spec)}{_side(spec)}, ",
        bold(f"{n} {PER[spec.design]}"),
        f" are needed{tail}.",
    )


def _effect_words(spec: StudySizeSpec, n: int, effect: float, unit: str) -> list[Span]:
    if spec.design in MEANS:
        what = f"a difference of {significant(effect, 3)}{unit}"
    elif spec.design == "two_proportions":
        what = f"a difference between {percent(spec.share)} and {percent(spec.share + effect)}"
    else:
        what = f"{unit} = {number(effect, 2)}"
    return say(
        f"With {n} {PER[spec.design]} the smallest effect found with a power of {_plain(spec.power)} at α ="
        f" {_alpha(spec)}{_side(spec)} is ",
        bold(what),
        ".",
    )


def _smallest(spec: StudySizeSpec, of: Power, n: int) -> float | None:
    """The smallest effect with the power asked for; of shares upwards first, unless the test looks down from there."""
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


def _power_words(spec: StudySizeSpec, n: int, reached: float, unit: str) -> list[Span]:
    return say(
        f"With {n} {PER[spec.design]} {_what(spec, unit)} is found with a power of ",
        bold(number(reached, 3) if reached < 0.9995 else "more than .999"),
        f" at α = {_alpha(spec)}{_side(spec)}.",
    )


def _side(spec: StudySizeSpec) -> str:
    """Which way a one-sided test looks; a difference of means is a size, and lies on that side."""
    if spec.alternative == "two_sided":
        return ""
    lower = spec.alternative == "less"
    way = {
        "one_mean": f"the mean {'below' if lower else 'above'} the value",
        "correlation": f"r {'below' if lower else 'above'} zero",
        "two_proportions": f"the first share {'lower' if lower else 'higher'}",
    }.get(spec.design, f"the first mean {'lower' if lower else 'higher'}")
    return f", one-sided ({way})"


def _axis(spec: StudySizeSpec) -> str:
    what = PER[spec.design]
    return what[0].upper() + what[1:]


def _alpha(spec: StudySizeSpec) -> str:
    return alpha_words(spec.alpha)


def _plain(x: float) -> str:
    """A typed number as it was typed, a computed one to three digits."""
    return f"{x:.10g}".replace("-", "−") if len(f"{x:.10g}") <= 6 else significant(x, 3)


def _around(n: int, least: int) -> list[int]:
    found = sorted({max(least, round(n * s)) for s in (0.25, 0.5, 0.75, 0.9, 1.0, 1.1, 1.25, 1.5, 2.0)})
    return [k for k in found if k <= power.MOST]


def _curve(spec: StudySizeSpec, of: Power, effect: float, n: int, reached: float, least: int) -> Any:
    xs = np.unique(np.round(np.linspace(least, max(2 * n, least + 10), 60)))
    ys = [of(float(x), effect) for x in xs]
    return curve([("power", xs, ys)], _axis(spec), "Power", mark=(n, reached), high=1.0)


def _effects_table(spec: StudySizeSpec, of: Power, n: int, sd: float, least: int) -> Any:
    """What other sizes of study would see."""
    if spec.design == "two_proportions":
        return None
    scale = sd if spec.design in MEANS else 1.0
    rows = []
    for k in _around(n, least):
        e = power.smallest_effect(partial(of, k), spec.power, 1e-6, 0.999 if spec.design == "correlation" else 100.0)
        rows.append(
            {"n": whole(int(k)), "effect": num(e * scale, 3) if e is not None else missing("too few rows for any")}
        )
    return grid(
        "effects",
        "Smallest effect by size",
        [("n", _axis(spec)), ("effect", "Smallest effect")],
        rows,
        folded=True,
    )


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
