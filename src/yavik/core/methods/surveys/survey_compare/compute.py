"""Means or shares of groups, and their differences with errors by the design."""

from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted
from yavik.core.methods.kit.surveys import MOST_LEVELS, Item, Surveyed, read_survey, share_items, unmarked
from yavik.core.methods.surveys.survey_compare.spec import CompareSpec
from yavik.core.stats import distributions as laws
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.groups import Floats
from yavik.core.stats.surveys.estimates import Estimates, Wald, interval, means, share_interval, varies, wald
from yavik.core.table import NUMERIC, DataProblem, Kind, Table
from yavik.core.table.telling import Told, silent

MOST_GROUPS = 30


@dataclass(frozen=True)
class Difference:
    """Second less first. Args: unweighted: of the plain means."""

    first: int
    second: int
    value: float
    se: float
    low: float
    high: float
    t: float
    df: float
    p: float
    adjusted: float
    unweighted: float


@dataclass(frozen=True)
class Trend:
    """Change from one group to the next, by a straight line over groups in their order."""

    value: float
    se: float
    low: float
    high: float
    df: float
    p: float


@dataclass(frozen=True)
class Part:
    """One mean or share in all groups.

    Args:
        low, high: of each group. marks: why each is marked. whole: that groups do not differ.
    """

    item: Item
    made: Estimates
    low: Floats
    high: Floats
    marks: list[str]
    pairs: list[Difference]
    whole: Wald
    trend: Trend | None


@dataclass(frozen=True)
class Compared:
    """Everything computed; tables and words only read it."""

    spec: CompareSpec
    survey: Surveyed
    levels: list[str]
    parts: list[Part]
    used: Any
    ordered: bool

    @property
    def main(self) -> Part:
        """The part that the sentence tells: the one whose groups differ most surely."""
        known = [p for p in self.parts if np.isfinite(p.whole.p)]
        return min(known, key=lambda p: p.whole.p) if known else self.parts[0]


def compute(table: Table, spec: CompareSpec, progress: Told = silent) -> Compared:
    """Raises DataProblem for groups that cannot be compared."""
    if not spec.response or not spec.groups:
        raise DataProblem("A comparison needs a response and groups.")
    if spec.response == spec.groups:
        raise DataProblem(f"{spec.response} cannot be compared between its own levels.", column=spec.response)
    s = read_survey(table, spec)
    column = table.column(spec.response)
    if column.kind in NUMERIC and spec.event is None:
        items = [Item(column.name, column.title, "", table.numbers(column.name), False, column.unit or "")]
    else:
        items = share_items(table, spec.response, spec.event)
    coded = table.codes(spec.groups)
    if len(coded.levels) > MOST_LEVELS:
        raise DataProblem(
            f"{spec.groups} has {len(coded.levels)} levels; {MOST_GROUPS} groups is the most.", column=spec.groups
        )
    filled = np.isfinite(items[0].y) & (s.domain > 0) & (s.weights > 0)
    places = [g for g in range(len(coded.levels)) if (filled & (coded.codes == g)).any()]
    if len(places) < 2 or len(places) > MOST_GROUPS:
        raise DataProblem(
            f"{spec.groups} has {counted(len(places), 'level')} among the rows that are filled;"
            f" 2 to {MOST_GROUPS} can be compared.",
            column=spec.groups,
        )
    domains = np.column_stack([s.domain * (coded.codes == g) for g in places])
    ordered = table.column(spec.groups).kind in (Kind.ordered, Kind.count)
    parts = []
    for k, item in enumerate(items):
        progress(0.1 + 0.9 * k / len(items), item.level or item.title)
        parts.append(_part(s, spec, item, domains, ordered))
    used = filled & np.isin(coded.codes, places)
    return Compared(spec, s, [coded.levels[g] for g in places], parts, used, ordered)


def _part(s: Surveyed, spec: CompareSpec, item: Item, domains: Floats, ordered: bool) -> Part:
    groups = domains.shape[1]
    used = domains * np.isfinite(item.y)[:, None]
    made = means(s.what, np.repeat(np.nan_to_num(item.y)[:, None], groups, axis=1), used)
    dfs = [s.what.df(used[:, g] > 0) for g in range(groups)]
    low, high = np.empty(groups), np.empty(groups)
    for g in range(groups):
        of = share_interval if item.share else interval
        a, b = of(made.values[[g]], made.se[[g]], dfs[g], spec.alpha)
        low[g], high[g] = a[0], b[0]
    marks = [unmarked(made.n[g], made.values[g], made.se[g], spec, item.share) for g in range(groups)]
    df = s.what.df(used.any(axis=1))
    contrast = np.hstack([-np.ones((groups - 1, 1)), np.eye(groups - 1)])
    # a group of one cluster, or in which all answers are alike, has no error that a test could count
    sound = varies(made.values, made.se) & (np.array(dfs) > 0)
    whole = wald(contrast @ made.values, contrast @ made.covariance @ contrast.T, df if sound.all() else 0.0)
    trend = _trend(made, df, spec.alpha) if ordered and groups > 2 and sound.all() else None
    return Part(item, made, low, high, marks, _pairs(s, spec, made, used, sound), whole, trend)


def _tested(value: float, se: float, df: float, alpha: float) -> tuple[float, float, float, float]:
    """Interval, t and p; NaN where nothing varies or no df are left."""
    if not se > 0 or df <= 0:
        return np.nan, np.nan, np.nan, np.nan
    reach = float(laws.t.ppf(1 - alpha / 2, df)) * se
    return value - reach, value + reach, value / se, float(2 * laws.t.sf(abs(value / se), df))


def _pairs(s: Surveyed, spec: CompareSpec, made: Estimates, used: Floats, sound: Any) -> list[Difference]:
    out = []
    for a, b in combinations(range(used.shape[1]), 2):
        value = float(made.values[b] - made.values[a])
        c = made.covariance
        se = float(np.sqrt(max(c[a, a] + c[b, b] - 2 * c[a, b], 0.0)))
        df = s.what.df((used[:, a] > 0) | (used[:, b] > 0))
        low, high, t, p = _tested(value, se, df if sound[a] and sound[b] else 0.0, spec.alpha)
        plain = float(made.unweighted[b] - made.unweighted[a])
        out.append(Difference(a, b, value, se, low, high, t, df, p, np.nan, plain))
    ps = np.array([d.p for d in out])
    known = np.isfinite(ps)
    adjusted = np.full(len(ps), np.nan)
    if known.any():
        adjusted[known] = adjust(ps[known], spec.adjust)
    return [
        Difference(d.first, d.second, d.value, d.se, d.low, d.high, d.t, d.df, d.p, float(q), d.unweighted)
        for d, q in zip(out, adjusted, strict=True)
    ]


def _trend(made: Estimates, df: float, alpha: float) -> Trend:
    k = len(made.values)
    places = np.arange(k) - (k - 1) / 2
    c = np.asarray(places / float(places @ places), float)
    value, se = float(c @ made.values), float(np.sqrt(max(float(c @ made.covariance @ c), 0.0)))
    low, high, _, p = _tested(value, se, df, alpha)
    return Trend(value, se, low, high, df, p)
