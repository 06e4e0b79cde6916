"""Everything that correlations compute; tables and words only read it."""

import numpy as np

from yavik.core.answers.wording import (
    counted,
)
from yavik.core.methods.describe.correlate.spec import CorrelateSpec
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.correlation import Correlations
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Kind, Table

MOST_COLUMNS = 80


LETTER = {"pearson": "r", "spearman": "ρ", "kendall": "τ"}


class CorrelateResults:
    """The matrices with what the columns are called; ``p`` is adjusted, ``single`` is not."""

    def __init__(self, table: Table, spec: CorrelateSpec, x: Floats, found: Correlations) -> None:
        self.spec, self.x, self.found, self.table = spec, x, found, table
        self.columns = [table.column(c) for c in spec.columns]
        self.names = [c.title for c in self.columns]
        self.alpha, self.letter = spec.alpha, LETTER[spec.kind]
        self.pairs = [(i, j) for i in range(len(self.names)) for j in range(i + 1, len(self.names))]
        single = np.array([found.p[i, j] for i, j in self.pairs])
        known = ~np.isnan(single)
        adjusted = single.copy()
        adjusted[known] = adjust(single[known], spec.adjust)
        self.p = found.p.copy()
        for (i, j), value in zip(self.pairs, adjusted, strict=True):
            self.p[i, j] = self.p[j, i] = value
        self.yes_no = [c.kind is Kind.yes_no for c in self.columns]

    def why(self, i: int, j: int) -> str:
        """Why a pair has no correlation."""
        if self.found.n[i, j] < 3:
            return f"only {counted(int(self.found.n[i, j]), 'row')} with both filled"
        flat = [self.names[m] for m in (i, j) if np.nanmax(self.x[:, m]) == np.nanmin(self.x[:, m])]
        return (
            f"all values of {flat[0]} are the same" if flat else "nothing is left when the others are held constant"
        )


def demand(spec: CorrelateSpec) -> None:
    """Raises DataProblem for columns chosen twice, too few or too many."""
    chosen = [*spec.columns, *spec.holding, *([spec.lines_by] if spec.lines_by else [])]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two places; choose it once.", column=twice)
    if len(spec.columns) < 2:
        raise DataProblem("A correlation needs two columns; choose another.", column=spec.columns[0])
    if len(spec.columns) > MOST_COLUMNS:
        raise DataProblem(
            f"{len(spec.columns)} columns are too many for one matrix; choose up to {MOST_COLUMNS}.",
            column=spec.columns[MOST_COLUMNS],
        )
