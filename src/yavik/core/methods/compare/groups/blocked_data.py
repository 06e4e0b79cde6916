"""Groups within blocks: rows sorted, the model fitted, and what stops it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.figures.data import Grouped, stacked
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.linear import MOST_DESIGN, Factor, LinearModel, TermTest, cells_of, present
from yavik.core.table import DataProblem, Table


@dataclass(frozen=True)
class Blocked:
    """Rows sorted by group and block, and everything computed of them."""

    data: Grouped
    blocks: tuple[str, ...]
    block_title: str
    y: Floats
    group: Any
    block: Any
    rows: Any
    model: LinearModel
    of_groups: TermTest
    of_blocks: TermTest
    residuals: Floats
    fitted: Floats
    means: Floats
    covariance: Floats
    wide: Floats | None
    """Blocks × groups where every cell has one value; incomplete blocks left out."""
    incomplete: list[str]
    repeated: bool
    left_blocks: Sequence[str] = ()
    """Blocks that ranks could not use; no row of theirs is in anything here."""
    rows_in_left_blocks: int = 0


def read_blocks(table: Table, spec: CompareGroupsSpec, without: Sequence[str] = ()) -> Blocked:
    """Rows filled throughout, with the fitted model of groups and blocks; ``without``: blocks not to be used."""
    assert spec.response and spec.groups and spec.block
    if spec.block in (spec.response, spec.groups):
        raise DataProblem(
            f"{spec.block} stands in two slots; choose a column of its own for the blocks.", column=spec.block
        )
    y, group, block = table.numbers(spec.response), table.codes(spec.groups), table.codes(spec.block)
    use = ~np.isnan(y) & (group.codes >= 0) & (block.codes >= 0)
    aside = use & np.isin(block.codes, [i for i, name in enumerate(block.levels) if name in set(without)])
    use &= ~aside
    if not use.any():
        raise DataProblem(f"No row has {spec.response}, {spec.groups} and {spec.block} filled.", column=spec.block)
    data = stacked(table.keep(use), spec.response, spec.groups)
    if data.groups.k < 2:
        raise DataProblem(
            f"{spec.groups} has one level, '{data.groups.names[0]}'; a comparison needs two.", column=spec.groups
        )
    g, g_names = present(group.codes[use], group.levels)
    f, f_names = present(block.codes[use], block.levels)
    if len(f_names) < 2:
        raise DataProblem(f"{spec.block} has one level, '{f_names[0]}'; blocks need two.", column=spec.block)
    if len(f_names) + len(g_names) > MOST_DESIGN:
        raise DataProblem(
            f"{spec.block} has {len(f_names)} levels; this question takes up to {MOST_DESIGN} groups and blocks.",
            column=spec.block,
        )
    values, rows = y[use], table.rows[use]
    cells = cells_of(values, [Factor(spec.groups, g, g_names), Factor(spec.block, f, f_names)])
    model = LinearModel(cells, [(1,), (0,)])
    if model.df < 1:
        raise DataProblem(
            "Groups and blocks use up every row: nothing is left to judge differences against.", column=spec.block
        )
    fitted = model.fitted_cells()[cells.cell_of_row]
    _, means, covariance = model.estimated((0,))
    if np.isnan(means).any():
        raise DataProblem(
            "The groups fall into sets that share no block: they cannot be compared within blocks.", column=spec.block
        )
    if model.rss <= 1e-22 * max(float(((values - values.mean()) ** 2).sum()), 1e-300):
        raise DataProblem(
            f"{spec.groups} and {spec.block} reproduce every value of {spec.response} exactly: "
            "no scatter is left to judge differences against.",
            column=spec.response,
        )
    repeated = bool(np.any(cells.n > 1))
    wide, incomplete = _wide(values, g, f, len(g_names), f_names)
    return Blocked(
        data,
        f_names,
        table.column(spec.block).title,
        values,
        g,
        f,
        rows,
        model,
        model.test((0,), "iii"),
        model.test((1,), "iii"),
        values - fitted,
        fitted,
        means,
        covariance,
        wide,
        incomplete,
        repeated,
        tuple(without),
        int(aside.sum()),
    )


def _wide(y: Floats, group: Any, block: Any, k: int, names: tuple[str, ...]) -> tuple[Floats | None, list[str]]:
    """Blocks × groups of the values as they are, so that ties stay ties; blocks that lack a group are left out."""
    table = np.full((len(names), k), np.nan)
    table[block, group] = y
    full = ~np.isnan(table).any(axis=1)
    return (table[full] if full.any() else None), [n for n, ok in zip(names, full, strict=True) if not ok]


def complete_blocks(b: Blocked, spec: CompareGroupsSpec) -> Floats:
    """Values as blocks × groups, of blocks that have every group once. Raises DataProblem where ranks cannot be
    had."""
    if b.repeated:
        raise DataProblem(
            f"Some {spec.block} has several values of one {spec.groups}; ranks and permutation within blocks take"
            " one. Summarise them first.",
            column=spec.block,
        )
    if b.wide is None or len(b.wide) < 2:
        raise DataProblem(
            f"Fewer than two levels of {spec.block} have a value in every group; ranks within blocks need complete"
            " ones.",
            column=spec.block,
        )
    return b.wide
