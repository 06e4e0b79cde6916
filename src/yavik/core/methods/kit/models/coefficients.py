"""Coefficients in a table, in sentences and on a model's card; the same for every kind of model."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import CardTerm, Estimate
from yavik.core.answers.wording import (
    SUPERSCRIPT,
    after_difference,
    decimals_of,
    given,
    interval,
    level_words,
    listing,
    number,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.fitted import BLIND, Fitted
from yavik.core.methods.kit.models.terms import ModelData, as_number, spec_term, term_key
from yavik.core.stats.design import Design
from yavik.core.stats.direction import t_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import LeastSquares
from yavik.core.table import DataProblem

FOLLOWS = "follows from the other columns and was left out"
INFINITE = "no finite estimate: its levels or values tell yes from no without a miss"


@dataclass(frozen=True)
class Coefficient:
    """One line of the table; ``column`` is None for the intercept. Values are per unit of change."""

    key: str
    title: str
    column: int | None
    b: float
    se: float
    low: float
    high: float
    t: float
    p: float
    per: float
    why: str | None = None


def coefficients(
    f: Fitted,
    per: dict[str, float],
    bounds: dict[int, tuple[float, float]] | None = None,
    ps: dict[int, float] | None = None,
) -> list[Coefficient]:
    """All columns of the design in order, also those without an estimate.

    Args:
        per: amount of change of a measure that an estimate is for.
        bounds: intervals found otherwise than from the standard error, by place among the coefficients.
        ps: p values found otherwise, by place.
    """
    _demand_numbers(f, per)
    found: list[Coefficient] = []
    nan = float("nan")
    se, df = f.raw_se, f.raw_df

    def made(key: str, title: str, column: int | None, place: int | None, amount: float) -> Coefficient:
        """One line; what has no estimate says why."""
        lost = bool(f.infinite) if column is None else place is not None and place - f.first in f.infinite
        if place is None or lost:
            why = FOLLOWS if place is None else INFINITE
            return Coefficient(key, title, column, nan, nan, nan, nan, nan, nan, amount, why)
        b, s = float(f.raw_coef[place]) * amount, float(se[place]) * amount
        if np.isnan(s):
            return Coefficient(key, title, column, b, nan, nan, nan, nan, nan, amount, BLIND)
        if not s > 0:
            return Coefficient(key, title, column, b, nan, nan, nan, nan, nan, amount)
        t, own = b / s, float(df[place])
        reach = f.reach if f.df_of is None else float(special.stdtrit(max(own, 1e-3), 1 - f.alpha / 2))
        low, high = (
            (v * amount for v in bounds[place]) if bounds and place in bounds else (b - reach * s, b + reach * s)
        )
        p = ps[place] if ps and place in ps else t_p(t, own, "two_sided")
        return Coefficient(key, title, column, b, s, low, high, t, p, amount)

    if f.intercept:
        found.append(made("intercept", "Intercept", None, 0, 1.0))
    for j, column in enumerate(f.data.design.columns):
        amount = float(np.prod([per.get(n, 1.0) ** k for n, k in column.powers])) if column.powers else 1.0
        title = f.data.column_title(j)
        own = [n for n, _ in column.powers if per.get(n, 1.0) != 1.0]
        if own:
            title += f" (per {listing([_amount(f, n, per[n]) for n in own])})"
        place = f.columns.index(j) + f.first if j in f.columns else None
        found.append(made(f.data.column_key(j), title, j, place, amount))
    return found


def raw_shape(f: Fitted, model: LeastSquares) -> tuple[Floats, Floats]:
    """Standardised coefficients and variance inflation of the used columns as they are, not about their middles."""
    first, t = f.first, model.triangle
    turn = f.turn[first:, first:]
    root = turn @ model.root[first:, first:]
    # Centred columns as they are, in orthonormal coordinates: R of the design's columns, carried back.
    design = f.data.design
    plain = Design(design.terms, design.factors, {}, {k: (v, 1.0) for k, v in design.about.items()}, design.full)
    places = np.array(model.used, np.intp) + 1
    back = plain.carry(design.origin)[np.ix_(places, places)]
    columns = (t.r[:, model.used] * t.scale[model.used]) @ back
    size = np.asarray(np.sqrt((columns**2).sum(axis=0)), np.float64)
    vif = np.asarray((root**2).sum(axis=1), np.float64) * size**2
    return f.raw_coef[first:] * size / np.sqrt(model.total), vif


def _demand_numbers(f: Fitted, per: dict[str, float]) -> None:
    for name, amount in per.items():
        if name not in f.data.columns or name in f.data.factors:
            raise DataProblem(f"A unit of change is for a measure among the terms; {name} is none.", column=name)
        if as_number(amount, name) == 0:
            raise DataProblem(f"A change of {name} by 0 changes nothing.", column=name)


def _amount(f: Fitted, name: str, amount: float) -> str:
    size = given(amount)
    return f"{size}\u00a0{f.data.unit(name)}".strip() if f.data.unit(name) else size


def cells(c: Coefficient, alpha: float, letter: str = "t") -> q.Row:
    """The row of a coefficient."""
    d, why = decimals_of(c.se, c.b), c.why or "the model fits every value exactly: there is no scatter to judge by"
    return {
        "term": q.name(c.title, "Term"), "estimate": q.num(c.b, d, "b", why=why), "se": q.num(c.se, d, "SE", why=why),
        **q.ci(c.low, c.high, d, alpha, why=why), letter: q.stat(c.t, letter, why), "p": q.p(c.p, why=why),
    }  # fmt: skip


def estimates(found: list[Coefficient]) -> list[Estimate]:
    """For the card: per unit of the column, whatever change the table is for."""

    def bare(value: float, c: Coefficient) -> float | None:
        """A value per unit of the column; None where there is none."""
        return float(value) / c.per if np.isfinite(value) else None

    return [
        Estimate(
            key=c.key, title=c.title.split(" (per ")[0], b=bare(c.b, c), se=bare(c.se, c), low=bare(c.low, c),
            high=bare(c.high, c), p=float(c.p) if np.isfinite(c.p) else None, why=c.why,
        )
        for c in found
    ]  # fmt: skip


def card_terms(f: Fitted, chosen: list[int] | None = None) -> list[CardTerm]:
    """The terms of the model, or the chosen ones, as the card has them."""
    terms = f.data.terms if chosen is None else [f.data.terms[i] for i in chosen]
    return [CardTerm(key=term_key(t), title=f.data.term_title(t)) for t in terms]


def with_terms(spec: dict[str, Any], data: ModelData, chosen: Sequence[int]) -> dict[str, Any]:
    """The spec of a model of some of the terms, taken as they are."""
    kept = {n for i in chosen for n in data.terms[i].names}

    def own(values: dict[str, Any]) -> dict[str, Any]:
        """What of a setting speaks of the columns kept."""
        return {k: v for k, v in values.items() if k in kept}

    fields = {name: own(spec.get(name, {})) for name in ("reference", "at", "per")}
    cases = [c for c in map(own, spec.get("predict_at", [])) if c]
    terms = [spec_term(data.terms[i]) for i in chosen]
    return {**spec, **fields, "terms": terms, "selection": "none", "predict_at": cases}


def change_words(f: Fitted, c: Coefficient) -> str | None:
    """``change_of`` for a line of the table."""
    return None if c.column is None or c.why else change_of(f.data, c.column, c.per)


def change_of(data: ModelData, place: int, per: float = 1.0) -> str | None:
    """What a column's change is in words: 'Each further 10 m² of floor area', 'Lakeside, against Moor edge'. None for
    powers, interactions and measures that have such a term: their coefficient alone says nothing."""
    column = data.design.columns[place]
    term = data.terms[column.term]
    if not term.is_main or any(t != term and set(term.names) & set(t.names) for t in data.terms):
        return None
    if column.levels:
        name, level = column.levels[0]
        if name == data.design.full:
            return None
        factor = data.factors[name]
        return f"{data.title(name)}: {factor.levels[level]} rather than {factor.levels[factor.reference]}"
    name = column.powers[0][0]
    if data.columns[name].kind == "count" and not data.unit(name):
        return f"{'One' if per == 1 else given(per)} more in {lower(data.title(name))}"
    return f"Each further {further(data.unit(name), lower(data.title(name)), per)}"


def goes_with(
    data: ModelData, change: str, b: float, se: float, low: float, high: float, alpha: float
) -> tuple[str, str]:
    """'Each further m² of floor area goes with 0.92 more visits, other things equal', and its interval in words."""
    unit, response = after_difference(data.response.unit).strip(), lower(data.response.title)
    counts = data.response.kind == "count" or unit.endswith("s")
    words = ("more", "fewer" if counts else "less")
    what = f" {response}" if not unit or unit.lower() in response else f"\u00a0{unit} of {response}"
    if unit and not unit.endswith("s") and unit.lower() not in response:
        words, what = (f"{unit} more", f"{unit} less"), f" of {response}"
    size, span = more_or_less(b, low, high, decimals_of(se, b), alpha, words, what).split("\n")
    others = ", other things equal" if len(data.terms) > 1 else ""
    return f"{change} goes with {size}{others}", span


def most_telling(f: Fitted, found: list[Coefficient]) -> Coefficient | None:
    """The coefficient with the largest statistic among those that say something by themselves."""
    able = [c for c in found if np.isfinite(c.t) and change_words(f, c)]
    return max(able, key=lambda c: abs(c.t), default=None)


UNITS = {"h": "hour", "min": "minute", "s": "second", "d": "day", "m": "metre", "km": "kilometre", "y": "year"}


def further(unit: str, title: str, amount: float) -> str:
    """'10 m² of floor area', 'hour open a week' for hours open a week, 'point of the score'."""
    plural = len(unit) > 3 and unit.endswith("s") and unit.isalpha()
    one = UNITS.get(unit, unit[:-1] if plural else unit)
    many = amount != 1
    size = f"{given(amount)}\u00a0" if many else ""
    if not unit:
        return f"{size}{'points' if many else 'point'} of {title}"
    words = f"{one}s" if many and (plural or unit in UNITS) else one
    for start in (f"{one}s ", f"{one} "):
        if title.lower().startswith(start):
            return f"{size}{words} {title[len(start) :]}"
    if title.lower() in (one.lower(), f"{one}s".lower(), unit.lower()):
        return f"{size}{words}"
    return f"{size}{words} of {title}"


def lower_term(title: str) -> str:
    """'District × Floor area' within a sentence."""
    return " × ".join(lower(part) for part in title.split(" × "))


def more_or_less(
    b: float, low: float, high: float, decimals: int, alpha: float, words: tuple[str, str], what: str
) -> str:
    """'0.92 more visits' with its interval on the same side, or from one side to the other: (size, interval)."""
    more, less = words
    size = f"{number(abs(b), decimals)} {more if b >= 0 else less}{what}"
    if not (np.isfinite(low) and np.isfinite(high)):
        return size + "\n"
    if low < 0 < high:
        span = f"{number(-low, decimals)} {less} to {number(high, decimals)} {more}"
    else:
        span = interval(min(abs(low), abs(high)), max(abs(low), abs(high)), decimals)
    return f"{size}\n{level_words(alpha)} CI {span}"


def bent_words(f: Fitted) -> list[tuple[str, str]]:
    """For terms with powers or interactions: where to look instead of at single coefficients."""
    said = []
    for term in f.data.terms:
        if len(term.parts) > 1:
            names = [lower(f.data.title(n)) for n in term.names]
            said.append(
                (
                    f.data.term_title(term),
                    (
                        f"What {names[0]} does depends on {listing(names[1:])}: look at the lines and, for a measure"
                        " within a category, at the slopes."
                    ),
                )
            )
    bent: dict[str, int] = {}
    for term in f.data.terms:
        if len(term.parts) == 1 and term.parts[0].power > 1:
            bent[term.parts[0].name] = max(term.parts[0].power, bent.get(term.parts[0].name, 1))
    for name, power in bent.items():
        title = f.data.title(name)
        powers = f"{title}{'²' if power == 2 else ' to ' + title + str(power).translate(SUPERSCRIPT)}"
        turn = _turn(f, name)
        said.append(
            (
                powers,
                (
                    f"The model bends the response over {lower(title)}{turn}; one coefficient alone cannot be read."
                    " Look at its picture."
                ),
            )
        )
    return said


def _turn(f: Fitted, name: str) -> str:
    """Where a parabola turns, when that lies within the data."""
    own = {
        c.powers[0][1]: i
        for i, place in enumerate(f.columns)
        if (c := f.data.design.columns[place]).powers
        and len(c.powers) == 1
        and not c.levels
        and c.powers[0][0] == name
    }
    mixed = any(len(t.parts) > 1 and name in t.names for t in f.data.terms)
    if set(own) != {1, 2} or mixed:
        return ""
    b1, b2 = float(f.raw_coef[own[1] + f.first]), float(f.raw_coef[own[2] + f.first])
    zero = f.data.design.about.get(name, 0.0)
    at = zero - b1 / (2 * b2) if b2 else np.inf
    values = f.data.design.data[name]
    if not values.min() <= at <= values.max():
        return (
            f", which {'rises' if b1 + 2 * b2 * (float(values.mean()) - zero) > 0 else 'falls'} throughout the data"
        )
    return f", with its {'top' if b2 < 0 else 'lowest point'} at {f.data.said_place(name, at)}"
