"""Pictures, tables, checks and facts of correlations."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, NoteBlock, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, fixed, listing, number, p_words, share, them
from yavik.core.figures.caption import lower
from yavik.core.figures.plots import Cloud, block, scatter
from yavik.core.figures.shades import heat
from yavik.core.methods.describe.correlate.compute import CorrelateResults
from yavik.core.methods.kit.checks import leave_out
from yavik.core.methods.kit.shared import far_out
from yavik.core.stats.correlation import correlations, straight_line
from yavik.core.stats.normality import MOST_SHAPIRO, shapiro_wilk
from yavik.core.table import DataProblem

MOST_SCATTERS = 5
MOST_LISTED = 400
MOST_IN_TABLE = 14


def blocks(r: CorrelateResults, use: Any) -> list[Any]:
    """Pictures and tables in the order in which they matter."""
    two = len(r.names) == 2
    out: list[Any] = [_scatter(r, use, 0, 1)] if two else [_matrix_picture(r), *_scatters(r, use)]
    out += [matrix(r) if not two and len(r.names) <= MOST_IN_TABLE else None, pairs(r)]
    if two:
        out += [_line_table(r, use), _same_thing(r)]
    return out


MOST_LINES = 8
Part = tuple[str, Any, Any, Any]


def _parts(r: CorrelateResults, use: Any, i: int, j: int) -> list[Part]:
    """Filled values of two columns with their rows; for each level of ``lines_by`` apart."""
    full = use & ~np.isnan(r.x[:, i]) & ~np.isnan(r.x[:, j])
    if not r.spec.lines_by:
        of: Any = slice(None) if full.all() else full  # all rows need no copy
        return [("rows", r.x[of, i], r.x[of, j], r.table.rows[of])]
    coded = r.table.codes(r.spec.lines_by)
    own = [(name, full & (coded.codes == k)) for k, name in enumerate(coded.levels)]
    own = [(name, mask) for name, mask in own if mask.any()]
    if len(own) > MOST_LINES:
        raise DataProblem(
            f"{r.spec.lines_by} has {len(own)} levels with values; lines are drawn for up to {MOST_LINES}.",
            column=r.spec.lines_by,
        )
    return [(name, r.x[mask, i], r.x[mask, j], r.table.rows[mask]) for name, mask in own]


def _scatter(r: CorrelateResults, use: Any, i: int, j: int, *, small: bool = False) -> FigureBlock:
    """The first column along, the second up, with the least-squares line where it says something."""
    clouds = []
    for name, x, y, rows in _parts(r, use, i, j):
        line = straight_line(x, y)
        lined = line is not None and r.spec.kind == "pearson" and not r.spec.holding
        ends = (line.x0, line.at(line.x0), line.x1, line.at(line.x1)) if lined and line else None
        clouds.append(Cloud(name, x, y, rows, ends))
    size = (200, 160) if small else (340, 280)
    drawn = scatter(clouds, r.columns[i].axis_title, r.columns[j].axis_title, size=size, jitter=True)
    id = "figure" if not small else f"scatter_{i}_{j}"
    return block(id, f"{r.names[j]} over {r.names[i]}", drawn, small=small)


def _scatters(r: CorrelateResults, use: Any) -> list[FigureBlock]:
    """Every pair of a few columns as a small scatter."""
    if len(r.names) > MOST_SCATTERS:
        return []
    return [_scatter(r, use, i, j, small=True) for i, j in r.pairs]


def _order(r: CorrelateResults) -> list[int]:
    """Columns that go together stand together: by the first eigenvector of the matrix (Friendly, 2002, in its
    simplest form)."""
    values = np.where(np.isfinite(r.found.r), r.found.r, 0.0)
    np.fill_diagonal(values, 1)
    if len(values) < 5:
        return list(range(len(values)))
    _, vectors = np.linalg.eigh(values)
    angle = np.arctan2(vectors[:, -2], vectors[:, -1])
    return [int(i) for i in np.argsort(angle, kind="stable")]


def _matrix_picture(r: CorrelateResults) -> FigureBlock:
    order = _order(r)
    names = [r.names[i] for i in order]
    values = r.found.r[np.ix_(order, order)]
    texts = [[share(float(v)) if np.isfinite(v) else "" for v in row] for row in values]
    known = [(i, j) for i, j in r.pairs if np.isfinite(r.found.r[i, j])]
    top = sorted(known, key=lambda p: -abs(r.found.r[p]))[:8]
    said = listing([f"{r.names[i]} with {r.names[j]} {share(float(r.found.r[i, j]))}" for i, j in top], 8)
    return block(
        "figure",
        "Every column with every other",
        heat(names, values, texts, f"Shaded matrix of correlations. Strongest: {said}."),
    )


def _mark(p: float, alpha: float) -> str:
    return "•" if p < alpha else ""


def matrix(r: CorrelateResults) -> TableBlock:
    """Lower triangle: the correlation, its p below in brackets."""
    rows = []
    for i, name in enumerate(r.names):
        row = q.row(column=q.name(name))
        for j, other in enumerate(r.names):
            value, cell = float(r.found.r[i, j]), q.blank()
            if j == i:
                cell = q.texted(1.0, "1")
            elif j < i and np.isfinite(value):
                cell = q.texted(value, f"{share(value)}{_mark(float(r.p[i, j]), r.alpha)}")
            elif j < i:
                cell = q.gone(r.why(i, j))
            row[f"c{j}"] = cell.under(f"{j + 1} {other}")
        rows.append(row)
    adjusted = "" if r.spec.adjust == "none" else f", p adjusted ({r.spec.adjust})"
    return q.table("correlations", "Correlations", rows, note=f"• p below α{adjusted}.")


INTERVALS = {
    "pearson": "Intervals by Fisher's z.",
    "spearman": "Intervals with Bonett and Wright's standard error.",
    "kendall": "τ-b allows for ties; intervals with Fieller's standard error.",
}


def pairs(r: CorrelateResults) -> TableBlock:
    """Each pair with its interval, p and n, the strongest first."""
    order = sorted(r.pairs, key=lambda p: -abs(r.found.r[p]) if np.isfinite(r.found.r[p]) else 1.0)[:MOST_LISTED]
    rows, adjusted = [], r.spec.adjust != "none"
    for i, j in order:
        value = float(r.found.r[i, j])
        why = r.why(i, j) if not np.isfinite(value) else ""
        low, high, few = float(r.found.low[i, j]), float(r.found.high[i, j]), why or "too few rows"
        rows.append(
            q.row(
                pair=q.name(f"{r.names[i]} – {r.names[j]}", "Pair"), column_a=q.name(r.names[i], None),
                column_b=q.name(r.names[j], None), r=q.size(value, r.letter, why),
                **q.size_ci(low, high, r.alpha, why or "too few rows, or a perfect correlation"),
                n=q.count(r.found.n[i, j]),
                p=q.p(float(r.found.p[i, j]), why=few),
                p_adjusted=q.p(float(r.p[i, j]), "adjusted p" if adjusted else None, few),
            )
        )  # fmt: skip
    marked = [m for m, p in enumerate(order) if np.isfinite(r.p[p]) and r.p[p] < r.alpha]
    return q.table(
        "pairs", "Pairs, the strongest first", rows, note=INTERVALS[r.spec.kind], folded=len(rows) > 12,
        marked=marked,
        strong=["p_adjusted" if adjusted else "p"],
    )  # fmt: skip


def _line_table(r: CorrelateResults, use: Any) -> TableBlock | None:
    """The line's equation and R²; one for each level where lines are drawn apart."""
    if r.spec.kind != "pearson" or r.spec.holding:
        return None
    x_name, y_name, by = lower(r.names[0]), lower(r.names[1]), r.spec.lines_by
    rows = []
    for name, x, y, _ in _parts(r, use, 0, 1):
        line = straight_line(x, y)
        why = "needs two rows and some spread along the first column"
        term, r2, sd = q.gone(why, role="said"), float("nan"), float("nan")
        if line is not None and np.isfinite(line.r2):
            sign, r2, sd = "+" if line.slope >= 0 else "−", line.r2, line.sd
            slope = _digits(r, y, abs(line.slope), float(np.abs(x).max()))
            term = q.said(f"{y_name} = {_digits(r, y, line.intercept, 1.0)} {sign} {slope} × {x_name}")
            why = "two rows"
        group = q.row(group=q.name(name, r.table.column(by).title), n=q.count(len(x))) if by else {}
        rows.append(
            group
            | q.row(
                term=term.under("Equation"), r2=q.size(r2, "R²", why),
                sd=q.num(sd, r.columns[1].decimals + 1, "Residual SD", unit=r.columns[1].unit, why=why),
            )
        )  # fmt: skip
    if not by and rows[0]["r2"].v is None:
        return None
    title = "A line for each" if by else "The line"
    return q.table("fit", title, rows, note="Least squares of the second column on the first.")


def _digits(r: CorrelateResults, y: Any, b: float, largest: float) -> str:
    """As many digits as reproduce the line to the second column's own precision."""
    spread = float(np.std(y)) or 1.0
    wanted = min(0.5 * 10.0 ** -(r.columns[1].decimals + 1), spread / 1000) / 2
    return fixed(b, int(np.clip(np.ceil(-np.log10(wanted / max(largest, 1e-300))), 0, 40)))


def _same_thing(r: CorrelateResults) -> NoteBlock | None:
    """With a yes/no column the correlation is a comparison of two groups under another name."""
    if sum(r.yes_no) != 1 or r.spec.kind != "pearson" or r.spec.holding:
        return None
    i = r.yes_no.index(True)
    return NoteBlock(
        id="same",
        text=(
            f"{r.names[i]} is a yes/no column: this is the point-biserial correlation. Its t and p are those of"
            f" Student's t test of {lower(r.names[1 - i])} between the two levels, and of the slope of a regression"
            " on it."
        ),
    )


def checks(r: CorrelateResults, use: Any) -> list[Check]:
    """Whether the answer can be relied on, in the order in which it matters."""
    out = [_shape(r, use), _outlying(r, use)]
    if len(r.pairs) > 1:
        out.append(_many(r))
    out.append(_rows(r))
    return [c for c in out if c]


def _shape(r: CorrelateResults, use: Any) -> Check | None:
    if r.spec.kind != "pearson":
        return None
    base: dict[str, Any] = {"id": "normal", "title": "Normal columns"}
    low, looked = [], 0
    for i, name in enumerate(r.names):
        if r.yes_no[i] or r.found.n[i, i] > MOST_SHAPIRO:
            continue
        y = r.x[use, i]
        y = y[~np.isnan(y)]
        if len(y) > MOST_SHAPIRO or len(y) < 3:
            continue
        looked += 1
        found = shapiro_wilk(y)
        if np.isfinite(found.p) and found.p < 0.05 / len(r.names):
            low.append(name)
    if not looked:
        return Check(**base, verdict=Verdict.holds, text="So many rows carry the test without normal values.")
    if not low:
        return Check(
            **base, verdict=Verdict.holds, text=f"Shapiro–Wilk finds no departure in {counted(looked, 'column')}."
        )
    n = int(r.found.n[0, 1])
    text = f"Shapiro–Wilk finds a departure in {listing(low)}. " + (
        "With so many rows p stands, but a bent or skewed cloud is not well said by one r."
        if n >= 100
        else "p and interval lean on it with few rows."
    )
    return Check(
        **base,
        verdict=Verdict.doubtful,
        text=text,
        remedies=[Remedy(label="Correlate ranks instead", spec={"kind": "spearman"})],
    )


def _outlying(r: CorrelateResults, use: Any) -> Check | None:
    """For two columns: is r carried by a few rows?"""
    if len(r.names) != 2 or r.spec.holding:
        return None
    full = use & ~np.isnan(r.x).any(axis=1)
    of: Any = slice(None) if full.all() else full
    x, y, rows = r.x[of, 0], r.x[of, 1], r.table.rows[of]
    base: dict[str, Any] = {"id": "outlying", "title": "Rows that stand apart"}
    out = (far_out(x) if not r.yes_no[0] else np.zeros(len(x), bool)) | (
        far_out(y) if not r.yes_no[1] else np.zeros(len(x), bool)
    )
    n = int(out.sum())
    if not n:
        return Check(
            **base,
            verdict=Verdict.holds,
            text="No value lies more than 1.5 interquartile ranges outside its column's quartiles.",
            facts={"outlying.n": 0},
        )
    rest = np.array([x[~out], y[~out]]).T
    again = correlations(rest, r.spec.kind, None, False, r.alpha, r.spec.alternative)
    value, p = float(again.r[0, 1]), float(again.p[0, 1])
    text = f"{counted(n, 'row lies', 'rows lie')} beyond 1.5 interquartile ranges in one of the columns."
    remedies = [Remedy(label="Show the rows", rows=rows[out][:200].tolist())]
    remedies += leave_out(rows[out].tolist(), r.spec.where) if n <= 40 else []
    if not np.isfinite(value):
        return Check(
            **base,
            verdict=Verdict.fails,
            text=f"{text} Without {them(n)} nothing is left to correlate.",
            remedies=remedies,
        )
    same = (p < r.alpha) == (r.found.p[0, 1] < r.alpha) and abs(value - r.found.r[0, 1]) < 0.1
    text += (
        f" Without {them(n)} {r.letter} is {share(value)}, p {p_words(p)}:"
        f" {'much the same' if same else 'another picture'}."
    )
    return Check(
        **base,
        verdict=Verdict.doubtful if same else Verdict.fails,
        text=text,
        facts={"outlying.n": n, "outlying.r_without": value},
        remedies=remedies,
    )


def _many(r: CorrelateResults) -> Check:
    m = len(r.pairs)
    base: dict[str, Any] = {"id": "many", "title": "Many pairs at once"}
    if r.spec.adjust != "none":
        return Check(**base, verdict=Verdict.holds, text=f"p of {m} pairs are adjusted.")
    expected = m * r.alpha
    text = f"Of {m} pairs about {number(expected, 1)} would be marked where nothing goes together."
    return Check(
        **base,
        verdict=Verdict.holds if m <= 3 else Verdict.doubtful,
        text=text,
        remedies=[Remedy(label="Adjust p by Holm", spec={"adjust": "holm"})] if m > 3 else [],
    )


def _rows(r: CorrelateResults) -> Check:
    low = int(np.min([r.found.n[p] for p in r.pairs]))
    verdict = Verdict.holds if low >= 25 else Verdict.doubtful
    text = f"{counted(low, 'row')} in the smallest pair." + (
        "" if low >= 25 else " With so few, r is known within wide limits: read the interval."
    )
    return Check(id="group_sizes", title="Number of rows", verdict=verdict, text=text, facts={"n_min": low})


def facts(r: CorrelateResults) -> dict[str, Any]:
    """Numbers by name; each pair under 'a~b'."""
    out: dict[str, Any] = {"kind": r.spec.kind, "n": int(np.max([r.found.n[p] for p in r.pairs]))}
    for i, j in r.pairs[:2000]:
        key = f"{r.spec.columns[i]}~{r.spec.columns[j]}"
        out |= {
            f"{key}.r": r.found.r[i, j],
            f"{key}.p": r.p[i, j],
            f"{key}.n": r.found.n[i, j],
            f"{key}.ci_low": r.found.low[i, j],
            f"{key}.ci_high": r.found.high[i, j],
        }
    if len(r.pairs) == 1:
        out |= {
            "p": r.p[0, 1],
            "estimate": r.found.r[0, 1],
            "r": r.found.r[0, 1],
            "ci_low": r.found.low[0, 1],
            "ci_high": r.found.high[0, 1],
            "statistic": r.found.statistic[0, 1],
        }
        line = straight_line(*(r.x[~np.isnan(r.x).any(axis=1)].T))
        if line and not r.spec.holding:
            out |= {"slope": line.slope, "intercept": line.intercept, "r2": line.r2}
    return out
