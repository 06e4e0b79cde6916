"""Sentences of a study size."""

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers.wording import (
    alpha_words,
    bold,
    counted,
    number,
    percent,
    say,
    significant,
)
from yavik.core.methods.plan.study_size.spec import MEANS, StudySizeSpec

PER = {
    "two_means": "rows in the first group",
    "paired_means": "pairs",
    "one_mean": "rows",
    "two_proportions": "rows in the first group",
    "one_way": "rows in each group",
    "correlation": "rows",
    "chi_square": "rows in all",
}


def total_of(spec: StudySizeSpec, n: float) -> float:
    """Rows in all for a size of the design's own kind."""
    if spec.design in ("two_means", "two_proportions"):
        return float(n + np.ceil(n * spec.ratio))
    return n * spec.groups if spec.design == "one_way" else n


def _what(spec: StudySizeSpec, unit: str) -> str:
    if spec.design in MEANS:
        return f"a difference of {_plain(abs(spec.difference))}{unit}"
    if spec.design == "two_proportions":
        return f"a difference between {percent(spec.share)} and {percent(spec.other_share)}"
    return f"{unit} = {number(spec.effect, 2)}"


def rows_words(spec: StudySizeSpec, n: int, unit: str) -> list[Span]:
    """The statement where the number of rows was looked for."""
    total = int(total_of(spec, n))
    tail = f" ({counted(total, 'row')} in all)" if total != n else ""
    return say(
        "To find ",
        _what(spec, unit),
        f" with a power of {_plain(spec.power)} at α = {_alpha(spec)}{side_of(spec)}, ",
        bold(f"{n} {PER[spec.design]}"),
        f" are needed{tail}.",
    )


def effect_words(spec: StudySizeSpec, n: int, effect: float, unit: str) -> list[Span]:
    """The statement where the smallest effect was looked for."""
    if spec.design in MEANS:
        what = f"a difference of {significant(effect, 3)}{unit}"
    elif spec.design == "two_proportions":
        what = f"a difference between {percent(spec.share)} and {percent(spec.share + effect)}"
    else:
        what = f"{unit} = {number(effect, 2)}"
    return say(
        f"With {n} {PER[spec.design]} the smallest effect found with a power of {_plain(spec.power)} at α ="
        f" {_alpha(spec)}{side_of(spec)} is ",
        bold(what),
        ".",
    )


def power_words(spec: StudySizeSpec, n: int, reached: float, unit: str) -> list[Span]:
    """The statement where the power was looked for."""
    return say(
        f"With {n} {PER[spec.design]} {_what(spec, unit)} is found with a power of ",
        bold(number(reached, 3) if reached < 0.9995 else "more than .999"),
        f" at α = {_alpha(spec)}{side_of(spec)}.",
    )


def side_of(spec: StudySizeSpec) -> str:
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


def axis_of(spec: StudySizeSpec) -> str:
    """The title of the axis of sizes."""
    what = PER[spec.design]
    return what[0].upper() + what[1:]


def _alpha(spec: StudySizeSpec) -> str:
    return alpha_words(spec.alpha)


def _plain(x: float) -> str:
    """A typed number as it was typed, a computed one to three digits."""
    return f"{x:.10g}".replace("-", "−") if len(f"{x:.10g}") <= 6 else significant(x, 3)
