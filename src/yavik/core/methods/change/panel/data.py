"""Rows of units over periods, and how they lie."""

from collections import Counter
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.change.panel.spec import PanelSpec
from yavik.core.methods.kit.models.fitting import names_of
from yavik.core.methods.kit.models.reading import read_model
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.stats.change.panels import Panel
from yavik.core.stats.groups import Floats
from yavik.core.stats.numbering import numbered
from yavik.core.table import DataProblem, Table, rows_in_words

MOST_PERIODS = 1000


@dataclass(frozen=True, eq=False)
class Study:
    """
    Args:
        data: rows and terms. panel: the same as arrays; slopes are per unit of the columns.
        units, periods: labels. titles: of the columns of the terms.
    """

    data: ModelData
    panel: Panel
    units: list[str]
    periods: list[str]
    titles: list[str]

    @property
    def unit_word(self) -> str:
        """What a unit is called: 'branch'."""
        return self.data.table.column(self.unit).title.lower()

    @property
    def unit(self) -> str:
        """The column of units."""
        return self._names[0]

    @property
    def time(self) -> str:
        """The column of periods."""
        return self._names[1]

    _names: tuple[str, str] = ("", "")

    @cached_property
    def there(self) -> Any:
        """Which unit has a row in which period, shape (units, periods)."""
        made = np.zeros((len(self.units), len(self.periods)), bool)
        made[self.panel.unit, self.panel.time] = True
        return made

    @property
    def balanced(self) -> bool:
        """Whether every unit has a row in every period."""
        return bool(self.there.all())

    @cached_property
    def patterns(self) -> list[tuple[str, int]]:
        """Which periods units have, as '●●○', with how many units have it; the most frequent first."""
        found = Counter("".join("●" if v else "○" for v in row) for row in self.there)
        return found.most_common()

    @cached_property
    def spreads(self) -> list[tuple[float, float, float, float]]:
        """Of the outcome and each column: mean, and SD of all rows, of units' means and within units."""
        out = []
        p = self.panel
        for values in (p.y, *p.x.T):
            mean = float(values.mean())
            about = values - mean
            means = p.means(about)
            inner = about - means[p.unit]
            n = p.n
            out.append(
                (mean, float(np.sqrt((about**2).sum() / (n - 1))), float(means.std(ddof=1)) if p.units > 1 else np.nan,
                 float(np.sqrt((inner**2).sum() / (n - 1))))
            )  # fmt: skip
        return out


def read_study(table: Table, spec: PanelSpec) -> Study:
    """Raises DataProblem for what is no panel."""
    assert spec.outcome and spec.unit and spec.time
    chosen = [spec.outcome, spec.unit, spec.time]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"Column {twice} stands in two places of the sentence.", column=twice)
    own = next((n for t in spec.terms for n in names_of(t) if n == spec.unit), None)
    if own:
        raise DataProblem(
            f"{own} is what is followed: its levels are taken out or drawn, so it cannot be a term too.", column=own
        )
    unit, time = table.codes(spec.unit), table.codes(spec.time)
    y = np.where((unit.codes >= 0) & (time.codes >= 0), table.numbers(spec.outcome), np.nan)
    data = read_model(table, spec.outcome, list(spec.terms), dict(spec.reference), None, y)
    if not data.terms:
        raise DataProblem("Choose at least one term.", column=spec.outcome)
    if np.ptp(data.y) == 0:
        raise DataProblem(
            f"All {counted(data.n, 'value')} of {spec.outcome} used here are the same: nothing depends on anything.",
            column=spec.outcome,
        )
    units, own_unit = _coded(unit, data.places)
    periods, own_time = _coded(time, data.places)
    _demand_panel(spec, data, units, periods, own_unit, own_time)
    x = _columns(data)
    titles = [data.column_title(j) for j in range(x.shape[1])]
    return Study(data, Panel(data.y, x, own_unit, own_time), units, periods, titles, (spec.unit, spec.time))


def _coded(codes: Any, places: Any) -> tuple[list[str], Any]:
    there, own = numbered(codes.codes[places])
    return [codes.levels[i] for i in there], own


def _columns(data: ModelData) -> Floats:
    """The terms' columns in their own units."""
    bent = any(not t.is_main for t in data.terms)
    design = (data.about_zero() if bent else data).design
    raw = np.array(design.raw, np.float64)
    block = design.block(0, data.n)
    if bent:
        return np.asarray(block / np.diag(raw)[1:])
    return np.asarray((block - raw[0, 1:]) / np.diag(raw)[1:])


def _demand_panel(
    spec: PanelSpec, data: ModelData, units: list[str], periods: list[str], unit: Any, time: Any
) -> None:
    """Raises DataProblem for one unit, one period, no unit with two rows, and two rows of one unit at a time."""
    if len(units) < 2:
        raise DataProblem(f"{spec.unit} has one unit, {units[0]}, among the rows used.", column=spec.unit)
    if len(periods) < 2:
        raise DataProblem(f"{spec.time} has one period, {periods[0]}, among the rows used.", column=spec.time)
    key = unit.astype(np.int64) * len(periods) + time
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(np.diff(key[order]) == 0)
    if len(same):
        pairs = [(int(order[i]), int(order[i + 1])) for i in same[:200]]
        rows = sorted({int(data.rows[k]) for pair in pairs for k in pair})
        named = [f"{units[unit[a]]} at {periods[time[a]]}" for a, _ in pairs]
        raise DataProblem(
            f"A panel has one row for each {spec.unit} at each {spec.time}; {listing(list(dict.fromkeys(named)), 4)}"
            " have more"
            f" ({rows_in_words(rows)}).",
            column=spec.unit,
            rows=rows,
        )
    if len(units) == data.n:
        raise DataProblem(
            f"Every {spec.unit} has one row: nothing can be followed. Choose the column that names what is seen again.",
            column=spec.unit,
        )
    if len(periods) > MOST_PERIODS:
        raise DataProblem(
            f"{spec.time} has {len(periods)} periods; up to {MOST_PERIODS} can be had. Round it first.",
            column=spec.time,
        )
