"""Estimates of columns over the whole and over groups, with their errors by the design."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from yavik.core.methods.kit.events import plain_event
from yavik.core.methods.kit.surveys import MOST_LEVELS, Item, Surveyed, read_survey, share_items, unmarked
from yavik.core.methods.surveys.survey_estimate.spec import EstimateSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.surveys.estimates import Estimates, interval, means, quantile, ratios, share_interval, totals
from yavik.core.table import NUMERIC, DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_ITEMS = 400


@dataclass(frozen=True)
class Line:
    """One estimate.

    Args:
        group: level of ``by``, none for the whole; other: level of ``across``. n: rows; weighted: what they stand for. mark: why it is marked.
    """

    item: Item
    group: str
    value: float
    se: float
    low: float
    high: float
    n: int
    weighted: float
    effect: float
    unweighted: float
    mark: str
    df: float
    other: str = ""

    @property
    def name(self) -> str:
        """'trust: much, female'."""
        return ", ".join(
            p
            for p in (
                f"{self.item.title}: {self.item.level}" if self.item.level else self.item.title,
                self.group,
                self.other,
            )
            if p
        )


@dataclass(frozen=True)
class Estimated:
    """Everything computed; tables and words only read it.

    Args:
        kind: mean, share, total, ratio or quantile, or 'auto' for means and shares together. used: rows with any item.
    """

    spec: EstimateSpec
    survey: Surveyed
    lines: list[Line]
    kind: str
    used: Any
    levels: list[str]


def compute(table: Table, spec: EstimateSpec, progress: Told = silent) -> Estimated:
    """Raises DataProblem for what cannot be estimated."""
    s = read_survey(table, spec)
    items = read_items(table, spec)
    if len(items) > MOST_ITEMS:
        raise DataProblem(
            f"{len(items)} estimates are too many at once; {MOST_ITEMS} is the most. Choose fewer columns."
        )
    levels, groups = _groups(table, spec, s)
    others = _across(table, spec, s)
    lines: list[Line] = []
    used = np.zeros(table.n_rows, bool)
    for k, (name, domain) in enumerate(groups):
        progress(0.1 + 0.9 * k / len(groups), name or "Estimates")
        lines += _lines(s, spec, items, name, domain)
        for other, part in others if name else []:
            if (domain * part * s.weights).sum() > 0:
                lines += [replace(x, other=other) for x in _lines(s, spec, items, name, domain * part)]
    for item in items:
        used |= np.isfinite(item.y)
    order = {id(item): k for k, item in enumerate(items)}
    lines.sort(key=lambda line: order[id(line.item)])
    return Estimated(spec, s, lines, spec.statistic, used, levels)


def read_items(table: Table, spec: EstimateSpec) -> list[Item]:
    """What is estimated of every column. Raises DataProblem for columns that the statistic cannot be of."""
    columns = list(dict.fromkeys(spec.columns))
    if spec.by in columns:
        raise DataProblem(f"{spec.by} cannot be estimated by itself.", column=spec.by)
    if spec.statistic == "ratio":
        if len(columns) != 2:
            raise DataProblem(
                "A ratio is of two columns, the first over the second.", column=columns[0] if columns else None
            )
        above, below = (table.numbers(c) for c in columns)
        y = np.where(np.isfinite(above) & np.isfinite(below), above, np.nan)
        title = f"{table.column(columns[0]).title} over {table.column(columns[1]).title}"
        return [Item(columns[0], title, "", y, False, "")]
    out: list[Item] = []
    for name in columns:
        if _as_number(table, name, spec):
            column = table.column(name)
            out.append(Item(name, column.title, "", table.numbers(name), False, column.unit or ""))
        else:
            out += share_items(table, name, spec.event)
    return out


def _as_number(table: Table, name: str, spec: EstimateSpec) -> bool:
    """Whether the numbers of a column are meant, not the shares of its levels."""
    if table.column(name).kind in NUMERIC:
        named = spec.event is not None and spec.event in table.codes(name).levels
        return spec.statistic != "share" and not (named and spec.statistic == "auto")
    # a mean of yes and no is a share, a total of levels how many there are
    return spec.statistic == "quantile" or (
        spec.statistic == "mean" and spec.event is None and plain_event(table, name) is None
    )


def _groups(table: Table, spec: EstimateSpec, s: Surveyed) -> tuple[list[str], list[tuple[str, Floats]]]:
    """The whole, and each level of ``by`` that has rows with weight."""
    out = [("", s.domain)]
    if not spec.by:
        return [], out
    coded = table.codes(spec.by)
    levels = []
    for place, level in enumerate(coded.levels):
        own = s.domain * (coded.codes == place)
        if (own * s.weights).sum() > 0:
            levels.append(level)
            out.append((level, own))
    if len(levels) > MOST_LEVELS:
        raise DataProblem(f"{spec.by} has {len(levels)} levels; {MOST_LEVELS} is the most.", column=spec.by)
    if not levels:
        raise DataProblem(f"{spec.by} is empty in every row that is asked about.", column=spec.by)
    return levels, out


def _across(table: Table, spec: EstimateSpec, s: Surveyed) -> list[tuple[str, Floats]]:
    """Each level of the second column."""
    if not spec.by or not spec.across:
        return []
    if spec.across in (spec.by, *spec.columns):
        raise DataProblem(f"{spec.across} is chosen already.", column=spec.across)
    coded = table.codes(spec.across)
    if len(coded.levels) > MOST_LEVELS:
        raise DataProblem(
            f"{spec.across} has {len(coded.levels)} levels; {MOST_LEVELS} is the most.", column=spec.across
        )
    made = [(level, (coded.codes == place).astype(float)) for place, level in enumerate(coded.levels)]
    return [(level, own) for level, own in made if (own * s.domain * s.weights).sum() > 0]


def _lines(s: Surveyed, spec: EstimateSpec, items: list[Item], group: str, domain: Floats) -> list[Line]:
    y = np.column_stack([item.y for item in items])
    used = np.isfinite(y) * domain[:, None]
    df = s.what.df(domain > 0)
    if spec.statistic == "quantile":
        return [_quantile(s, spec, item, group, used[:, k], df) for k, item in enumerate(items)]
    y = np.nan_to_num(y)
    if spec.statistic == "ratio":
        below = s.table.numbers(spec.columns[1])
        at = (used[:, 0] > 0) & (s.weights > 0)
        if not np.nan_to_num(below)[at].sum() != 0:
            raise DataProblem(
                f"{spec.columns[1]} adds up to 0: nothing can be divided by it.", column=spec.columns[1]
            )
        made = ratios(s.what, y[:, 0], np.nan_to_num(below), used)
    else:
        made = (totals if spec.statistic == "total" else means)(s.what, y, used)
    return _told(made, spec, items, group, df)


def _told(made: Estimates, spec: EstimateSpec, items: list[Item], group: str, df: float) -> list[Line]:
    values, se = made.values, made.se
    low, high = interval(values, se, df, spec.alpha)
    share = np.array([item.share and spec.statistic != "total" for item in items])
    if share.any():
        a, b = share_interval(values, se, df, spec.alpha)
        low, high = np.where(share, a, low), np.where(share, b, high)
    out = []
    for k, item in enumerate(items):
        v, error = float(values[k]), float(se[k])
        mark = unmarked(made.n[k], v, error, spec, bool(share[k])) if np.isfinite(v) else ""
        out.append(
            Line(
                item, group, v, error, float(low[k]), float(high[k]), int(made.n[k]), float(made.weighted[k]),
                float(made.effect[k]), float(made.unweighted[k]), mark, df,
            )
        )  # fmt: skip
    return out


def _quantile(s: Surveyed, spec: EstimateSpec, item: Item, group: str, used: Floats, df: float) -> Line:
    rows = (used > 0) & (s.weights > 0)
    if not rows.any():
        nan = np.nan
        return Line(item, group, nan, nan, nan, nan, 0, 0.0, nan, nan, "", df)
    found = quantile(s.what, np.nan_to_num(item.y), used, spec.part, spec.alpha, df)
    mark = unmarked(found.n, found.value, found.se, spec, False) if np.isfinite(found.se) else ""
    return Line(
        item, group, found.value, found.se, found.low, found.high, found.n, found.weighted, np.nan, found.unweighted,
        mark, df,
    )  # fmt: skip
