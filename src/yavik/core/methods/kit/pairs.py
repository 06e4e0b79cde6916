"""The table of pairwise comparisons, the same for groups, estimated means, blocks and times."""

from collections.abc import Sequence
from typing import Any

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.stats.pairwise import Pairs

MOST_OPEN = 15
"""Pairs up to which their table stands open; with more, letters and the drawing say it at a glance."""


def pairs_table(
    found: Pairs, names: Sequence[str], alpha: float, *, decimals: int, title: str, by: str, head: str = "Difference",
    unit: str | None = None, adjusted: str = "adjusted p", letter: str = "t", why: str = q.HERE, id: str = "pairs",
    show_se: bool = False, show_ci: bool = True, show_df: bool = False, **more: Any,
) -> TableBlock:  # fmt: skip
    """One row a pair: difference with its interval, statistic, p as adjusted; the raw p is kept beside it.

    Args:
        names: of what is compared, by the places in ``found``.
        decimals: of the difference.
        by: how p were found, as a bracket on a figure says it.
        head, unit: what the difference is, and in what.
        adjusted: the head of the adjusted p.
        letter: the statistic's.
        why: stands where a pair has no test.
        more: note, folded and the rest of a table.
    """
    rows = []
    for i in range(len(found.p)):
        a, b = names[found.a[i]], names[found.b[i]]
        cells = q.row(
            pair=q.name(f"{a} – {b}", "Pair"), group_a=q.name(a, None), group_b=q.name(b, None),
            difference=q.est(float(found.difference[i]), decimals, head, unit),
            se=q.num(float(found.se[i]), decimals + 1, "SE" if show_se else None, why="has none"),
        )  # fmt: skip
        if found.ci_low is not None and found.ci_high is not None:
            cells |= q.ci(
                float(found.ci_low[i]), float(found.ci_high[i]), decimals, alpha if show_ci else None, why=why
            )
        cells[letter] = q.stat(float(found.statistic[i]), letter, why)
        if found.df is not None:
            cells["df"] = q.df(float(found.df[i]), "df" if show_df else None, why)
        cells |= q.row(p=q.p(float(found.p[i]), None, why), p_adjusted=q.p(float(found.p_adjusted[i]), adjusted, why))
        rows.append(cells)
    marked = [i for i in range(len(rows)) if found.p_adjusted[i] < alpha]
    return q.table(id, title, rows, marked=marked, by=by, **{"folded": len(rows) > MOST_OPEN, **more})
