"""What several methods share: checks on one list of values, residual pictures, rows left out."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, Remedy, Verdict
from yavik.core.answers.answer import LeftOut, RowsUsed
from yavik.core.answers.wording import after, among, counted, listing, number, p_words, them
from yavik.core.figures.plots import Cloud, block, frame, quantiles, scatter, thin
from yavik.core.figures.style import colour
from yavik.core.methods.kit.checks import leave_out
from yavik.core.stats.groups import Floats, sorted_quantiles
from yavik.core.stats.normality import MOST_SHAPIRO, normal_scores, shapiro_wilk
from yavik.core.table import Column, DataProblem, Table, rows_in_words


def filled_numbers(table: Table, name: str, least: int = 1) -> tuple[Floats, Any]:
    """Filled values of a column and the numbers of their rows. Raises DataProblem for fewer than ``least``."""
    y = table.numbers(name)
    use = ~np.isnan(y)
    have = int(use.sum())
    if have < least:
        raise DataProblem(
            f"{name} has {counted(have, 'filled cell')} {among(table.n_rows)}; at least {least} are needed.",
            column=name,
        )
    return (y, table.rows) if use.all() else (y[use], table.rows[use])


def used_where(table: Table, use: Any, why: str) -> RowsUsed:
    """Rows used, and that the others were left out for one reason."""
    gone = table.rows[~use]
    left = [LeftOut(why=why, n=len(gone), rows=gone[:200].tolist())] if len(gone) else []
    return RowsUsed(total=table.n_rows, used=int(use.sum()), left_out=left)


def unit_of(column: Column) -> str:
    """A column's unit as it follows a value."""
    return after(column.unit)


def normal_check(
    values: Floats, what: str, title: str, remedies: Sequence[Remedy] = (), needed: bool = True
) -> Check:
    """Shapiro–Wilk on one list of values; thirty and more let means stand."""
    base: dict[str, Any] = {"id": "normal", "title": title}
    if len(values) > MOST_SHAPIRO:
        return Check(
            **base,
            verdict=Verdict.holds,
            text=(
                f"With {counted(len(values), 'value')} the test would call any trifle a departure, and what rests on"
                " means stands without it."
            ),
        )
    found = shapiro_wilk(values)
    if found.why:
        return Check(**base, verdict=Verdict.unknown, text=f"Shapiro–Wilk cannot be computed: {found.why}.")
    facts = {"shapiro.w": found.statistic, "shapiro.p": found.p}
    if found.p >= 0.05:
        return Check(
            **base,
            verdict=Verdict.holds,
            text=f"Shapiro–Wilk finds no departure in {what} (p {p_words(found.p)}).",
            facts=facts,
        )
    small = len(values) < 30
    text = f"Shapiro–Wilk finds a departure in {what} (p {p_words(found.p)})."
    if not needed:
        return Check(**base, verdict=Verdict.holds, text=f"{text} The chosen test does not need it.", facts=facts)
    text += "" if small else " With thirty or more, means stand this well."
    verdict = Verdict.fails if found.p < 0.001 and small else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=list(remedies))


def far_out(values: Floats, reach: float = 1.5) -> Any:
    """True for values more than ``reach`` interquartile ranges outside the quartiles."""
    q1, q3 = sorted_quantiles(np.sort(values), (0.25, 0.75))  # a sort is quicker here than a partition
    return (values < q1 - reach * (q3 - q1)) | (values > q3 + reach * (q3 - q1))


def outlying_check(
    values: Floats,
    out: Any,
    rows: Any,
    what: str,
    decimals: int,
    where: str | None,
    p_now: float,
    p_without: float | None,
    alpha: float,
) -> Check:
    """Values beyond 1.5 interquartile ranges, whose rows they are, and whether the conclusion rests on them.

    Args:
        out: which of the values these are (``far_out``).
    """
    base: dict[str, Any] = {"id": "outlying", "title": "Outlying values"}
    n = int(out.sum())
    if not n:
        text = f"No value of {what} lies more than 1.5 interquartile ranges outside the quartiles."
        return Check(**base, verdict=Verdict.holds, text=text, facts={"outlying.n": 0})
    own = np.asarray(rows)[out]
    text = f"{counted(n, 'value')} of {what} beyond 1.5 interquartile ranges"
    if n <= 6:
        text += f" ({rows_in_words(own.tolist())}: {listing([number(float(v), decimals) for v in values[out]], 6)})"
    same = p_without is not None and (p_without < alpha) == (p_now < alpha)
    if p_without is None:
        text += f". Without {them(n)} the test cannot be computed."
    else:
        text += f". Without {them(n)} p {p_words(p_without)}: the conclusion {'stays' if same else 'changes'}."
    expected = same and len(values) > 300 and n < 0.01 * len(values)
    verdict = Verdict.holds if expected else Verdict.doubtful if same else Verdict.fails
    remedies = [Remedy(label="Show the rows", rows=own[:200].tolist())]
    remedies += leave_out(own.tolist(), where) if n <= 40 else []
    return Check(**base, verdict=verdict, text=text, facts={"outlying.n": float(n)}, remedies=remedies)


def size_check(n: int, least: int, what: str) -> Check:
    """Whether there are at least so many rows, called ``what``."""
    few = n < least
    text = f"{counted(n, what)}{': few, so spread and shape are poorly known.' if few else '.'}"
    return Check(
        id="group_sizes",
        title="Number of rows",
        verdict=Verdict.doubtful if few else Verdict.holds,
        text=text,
        facts={"n": n},
    )


def residual_pictures(fitted: Floats, residuals: Floats, rows: Any, unit: str | None) -> list[FigureBlock]:
    """Residuals over fitted values, against normal quantiles, as a histogram, and in the order of the rows."""
    label = f"Residual ({unit})" if unit else "Residual"
    kept = thin(len(residuals))
    fitted, residuals, rows = fitted[kept], residuals[kept], np.asarray(rows)[kept]
    order = np.argsort(residuals, kind="stable")
    flat = (float(fitted.min()), 0.0, float(fitted.max()), 0.0)
    by_row = (float(rows.min()), 0.0, float(rows.max()), 0.0)
    size = (210, 170)
    made = [
        (
            "residuals_fitted",
            "Residuals over fitted values",
            scatter([Cloud("r", fitted, residuals, rows, flat)], "Fitted value", label, size=size),
        ),
        (
            "residuals_quantiles",
            "Residuals against normal quantiles",
            quantiles(normal_scores(len(order)), residuals[order], rows[order], "Normal quantile", label),
        ),
        ("residuals_histogram", "Histogram of residuals", _histogram(residuals, label)),
        (
            "residuals_order",
            "Residuals in the order of the rows",
            scatter([Cloud("r", rows, residuals, rows, by_row)], "Row", label, size=size),
        ),
    ]
    return [block(id, title, drawn, small=True).model_copy(update={"folded": True}) for id, title, drawn in made]


def _histogram(values: Floats, title: str) -> tuple[dict[str, Any], str]:
    from yavik.core.figures.pictures import bin_edges

    edges = bin_edges(np.sort(values))
    counts = np.histogram(values, edges)[0]
    data = [{"a": float(a), "b": float(b), "n": int(c)} for a, b, c in zip(edges, edges[1:], counts, strict=False)]
    encoding = {
        "x": {
            "field": "a",
            "bin": "binned",
            "type": "quantitative",
            "axis": {"title": title, "tickCount": 5, "grid": False},
        },
        "x2": {"field": "b"},
        "y": {"field": "n", "type": "quantitative", "axis": {"title": "Rows", "tickCount": 4}},
    }
    alt = f"Histogram of {title.lower()}: {counted(len(values), 'value')}."
    vega = {
        "data": {"values": data},
        "mark": {"type": "bar", "binSpacing": 0.5, "color": colour(1)},
        "encoding": encoding,
    }
    return frame(vega, alt, 210, 170, 7.5)
