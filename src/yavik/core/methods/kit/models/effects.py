"""What a model says at chosen places: pictures of each term, estimated means, slopes within levels, cases,
equations."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import decimals_of
from yavik.core.figures.effects import Band, bands
from yavik.core.figures.plots import Cloud, Line, apart, block, profile
from yavik.core.methods.kit.models.equations import combinations
from yavik.core.methods.kit.models.fitted import BLIND, UNTOLD, Fitted
from yavik.core.methods.kit.models.terms import as_number, level_place
from yavik.core.methods.kit.touch import handle
from yavik.core.stats.direction import t_p
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem

STEPS = 41
DEFAULT_PLACES = "Measures at their means and categories at their most common level, unless a value is chosen."
MOST_LINES = 8
MOST_APART = 4
MOST_PICTURES = 8


def main_number(f: Fitted) -> str | None:
    """The measure with the largest statistic of its own, of those with a term."""
    best, most = None, -1.0
    se = np.sqrt(np.maximum(np.diag(f.covariance), 1e-300))
    for i, place in enumerate(f.columns):
        column = f.data.design.columns[place]
        for name, _ in column.powers:
            size = abs(f.coef[i + f.first] / se[i + f.first])
            if size > most:
                best, most = name, float(size)
    return best


def line_factors(f: Fitted, name: str | None) -> list[str]:
    """Categories whose levels are drawn as lines of their own: those that interact with the measure, else as many as
    can be told apart."""
    factors = [n for n in f.data.factors if any(f.data.design.columns[c].levels for c in f.columns)]
    with_it = [
        n for n in factors
        if any(name in t.names and n in t.names for t in f.data.terms if len(t.parts) > 1)
    ]  # fmt: skip
    chosen: list[str] = []
    # Lines that only lie apart say less than lines that differ in slope: of categories without an interaction, the
    # one with the strongest level is enough where together they would be too many.
    for n in [*with_it, *sorted((n for n in factors if n not in with_it), key=lambda n: -_strength(f, n))]:
        size = int(np.prod([len(f.data.factors[c].levels) for c in [*chosen, n]]))
        if size <= (MOST_LINES if n in with_it or not chosen else MOST_APART):
            chosen.append(n)
    return chosen


def _strength(f: Fitted, name: str) -> float:
    """The largest statistic of a level of a category."""
    se = np.sqrt(np.maximum(np.diag(f.covariance), 1e-300))
    own = [
        abs(float(f.coef[i + f.first] / se[i + f.first]))
        for i, place in enumerate(f.columns)
        if any(n == name for n, _ in f.data.design.columns[place].levels)
    ]
    return max(own, default=0.0)


def curve_of(f: Fitted, name: str, factors: list[str], *, points: bool, span: tuple[float, float] | None,
             size: tuple[int, int] = (330, 250), type_pt: float = 8.5) -> Any:  # fmt: skip
    """The response over a measure, a curve for each combination of levels."""
    values = f.data.design.data[name]
    x = np.linspace(float(values.min()), float(values.max()), STEPS)
    curves, clouds = [], []
    for words, places in combinations(f, factors):
        rows, _ = f.data.points({**f.typical, **places}, **{name: x})
        y, low, high = f.means(rows)
        if np.isnan(y).any():  # no row has this combination: there is no curve to draw
            continue
        low, high = (np.where(np.isnan(v), y, v) for v in (low, high))
        curves.append(Band(words, x, y, low, high))
        if points:
            own = np.ones(f.data.n, bool)
            for n, i in places.items():
                own &= f.data.design.data[n] == i
            clouds.append(Cloud(words, values[own], f.data.y[own], f.data.rows[own]))
    legend = ", ".join(f.data.title(n) for n in factors) or None
    title = f.data.columns[name].axis_title
    return bands(curves, title, f.y_title, legend, clouds=clouds, span=span, size=size, type_pt=type_pt)


def main_picture(f: Fitted, *, points: bool, span: tuple[float, float] | None = None) -> FigureBlock | None:
    """The response over the measure that tells most, or by the first category; None without terms."""
    name = main_number(f)
    if name is None:
        factors = list(f.data.factors)
        if not factors or not f.columns:
            return None
        drawn = _levels(f, factors[0], span)
        return block("figure", f"{f.y_title} by {f.data.title(factors[0])}", drawn)
    factors = line_factors(f, name)
    drawn = curve_of(f, name, factors, points=points, span=span)
    made = block("figure", f"{f.y_title} over {f.data.title(name)}", drawn)
    return made


def _levels(f: Fitted, name: str, span: tuple[float, float] | None, width: int = 330) -> Any:
    levels = f.data.factors[name].levels
    rows, _ = f.data.points(f.typical, **{name: np.arange(len(levels))})
    y, low, high = f.means(rows)
    there = ~np.isnan(y)
    y, low, high, levels = y[there], low[there], high[there], tuple(np.array(levels)[there])
    low, high = (np.where(np.isnan(v), y, v) for v in (low, high))
    vega, alt = apart(
        profile(
            [Line("mean", y.tolist(), low.tolist(), high.tolist())],
            levels,
            f.data.title(name),
            f.y_title,
            None,
            width=width,
        )
    )
    vega["encoding"]["x"]["axis"] |= {"labelOverlap": False}
    if width < 300:
        vega["height"] = 190
    return vega, alt


def term_pictures(f: Fitted, span: tuple[float, float] | None = None) -> list[FigureBlock]:
    """A small picture of each column: the response over it, the others held; interactions as lines."""
    made: list[FigureBlock] = []
    for name in f.data.names[:MOST_PICTURES]:
        title = f.data.title(name)
        if name in f.data.factors:
            drawn = _levels(f, name, span, 210)
        else:
            with_it = [
                n for n in f.data.factors
                if any(n in t.names and name in t.names for t in f.data.terms if len(t.parts) > 1)
            ][:1]  # fmt: skip
            drawn = curve_of(f, name, with_it, points=False, span=span, size=(210, 190), type_pt=7.5)
        picture = block(f"effect_{name}", title, drawn, small=True)
        made.append(picture if name in f.data.factors else _held(f, name, picture))
    return made


def _held(f: Fitted, name: str, picture: FigureBlock) -> FigureBlock:
    """The picture with a line at which a measure is held in the other pictures, means and predictions."""
    values, column = f.data.design.data[name], f.data.columns[name]
    ends = float(values.min()), float(values.max())
    title, unit = f"{f.data.title(name)} held at", column.unit or ""
    return handle(picture, "at", title, f.typical[name], ends, key=name, words="held at", unit=unit)


def slopes_table(f: Fitted) -> TableBlock | None:
    """Slope of a measure within each level of the categories that it interacts with."""
    rows = []
    for term in f.data.terms:
        numbers = [p.name for p in term.parts if p.name not in f.data.factors]
        factors = [p.name for p in term.parts if p.name in f.data.factors]
        if len(numbers) != 1 or not factors:
            continue
        name = numbers[0]
        bent = any(p.power > 1 and p.name == name for t in f.data.terms for p in t.parts)
        for words, places in combinations(f, factors):
            here = f.typical[name]
            point = {k: np.array([v]) for k, v in {**f.typical, **places}.items()}
            line = f.data.design.slope(point, 1, name)
            sums = line[:, f.columns]
            sums = np.column_stack([np.zeros(1), sums]) if f.intercept else sums
            b, se = (float(v[0]) for v in f.sums(sums))
            reach, t, d, why = float(f.reach_of(sums)[0]), b / se if se > 0 else np.nan, decimals_of(se, b), BLIND
            p = _p(f, t, sums)
            if not f.told_slope(line)[0]:
                b, se, p, why = np.nan, np.nan, np.nan, UNTOLD
            at = f" at {f.data.said_place(name, here)}" if bent and why == BLIND else ""
            rows.append(
                q.row(
                    term=q.name(f.data.title(name) + at, "Slope of"), level=q.name(words, "within"),
                    estimate=q.num(b, d, "Slope", why=why), se=q.num(se, d, "SE", why=why),
                    **q.ci(b - reach * se, b + reach * se, d, f.alpha, why=why), p=q.p(p, why=why),
                )
            )  # fmt: skip
    return q.table("slopes", "Slopes within levels", rows) if rows else None


def _p(f: Fitted, t: float, row: Floats) -> float:
    if not np.isfinite(t):
        return np.nan
    return t_p(t, float(f.df_of(row)[0]) if f.df_of else f.df, "two_sided")


def cases_table(
    f: Fitted, cases: list[dict[str, Any]], decimals: int, title: str, event: str | None = None
) -> TableBlock:
    """What the model expects at chosen values; what is not said is held at its place."""
    rows, notes = [], []
    for k, case in enumerate(cases or [{}]):
        place = dict(f.typical)
        for name, value in case.items():
            if name not in f.data.columns:
                raise DataProblem(f"{name} is not among the terms of this model.", column=name)
            if name in f.data.factors:
                place[name] = level_place(f.data.factors[name], str(value), name)
            else:
                place[name] = as_number(value, name)
                values = f.data.design.data[name]
                if not values.min() <= place[name] <= values.max():
                    span = f"{f.data.said_place(name, values.min())} to {f.data.said_place(name, values.max())}"
                    notes.append(
                        f"Line {k + 1}: {f.data.title(name)} {f.data.said_place(name, place[name])} lies outside the"
                        f" data ({span})."
                    )
        x, _ = f.data.points(place)
        y, low, high = (float(v[0]) for v in f.means(x))
        why = UNTOLD if np.isnan(y) else BLIND
        row: q.Row = {}
        for i, n in enumerate(f.data.names):
            told = q.name if n in f.data.factors else q.word
            row[f"x{i}"] = told(f.data.said_place(n, place[n]), f.data.title(n))
        row |= q.row(
            estimate=q.num(y, decimals, event or f.y_title, why=why), **q.ci(low, high, decimals, f.alpha, why=why)
        )
        single = f.single(x)
        if single is not None:
            ends = float(single[0][0]), float(single[1][0])
            row |= q.ci(*ends, decimals, f.alpha, what="PI", key="pi", why=why)
        rows.append(row)
    if f.spread is not None:
        notes.append(f"CI: for the mean of such rows; PI: for one new row{f.single_words}.")
    note = " ".join([*([] if cases else [DEFAULT_PLACES]), *notes]) or None
    return q.table("cases", title, rows, note=note, control="predict_at")
