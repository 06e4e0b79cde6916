"""Estimated means of a model's categories, and comparisons between them in sets, each a family of its own.

Everything is a combination of the coefficients on the scale of the terms; where that scale is a logarithm, differences
are ratios. Means of a category weigh the levels of the others alike, or as they are found.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations, product
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import decimals_of, level_words, listing, number
from yavik.core.figures.plots import Line, apart, block, profile
from yavik.core.methods.kit.models.comparing import ADJUST, ComparisonSet
from yavik.core.methods.kit.models.fitted import BLIND, UNTOLD, Fitted
from yavik.core.methods.kit.models.fitting import names_of
from yavik.core.methods.kit.models.scale import Scale, exp, ratio
from yavik.core.methods.kit.models.terms import level_place
from yavik.core.methods.kit.touch import tabs
from yavik.core.stats import studentized_range
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.contrasts import polynomial
from yavik.core.stats.direction import t_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.letters import letters_from_pairs
from yavik.core.table import DataProblem
from yavik.core.table.level_numbers import level_numbers

MOST_LEVELS = 12
"""Levels up to which all pairs of a category are compared unasked."""
MOST_CELLS = 60


@dataclass(frozen=True)
class Cells:
    """Means over the levels of some categories.

    Args:
        names: the categories. places: levels of each cell, by place.
        rows: combinations of the coefficients, shape (cells, q).
        known: which cells the data can tell.
    """

    names: list[str]
    places: list[tuple[int, ...]]
    labels: list[str]
    rows: Floats
    known: Any
    n: list[int]


def cells_of(f: Fitted, names: Sequence[str], weigh: str = "equal") -> Cells:
    """The cells of some categories. Raises DataProblem for a column that is no category of the model."""
    for name in names:
        if name not in f.data.factors:
            what = "a number" if name in f.data.columns else "none of its columns"
            raise DataProblem(f"Means are of categories of the model; {name} is {what}.", column=name)
    factors = [f.data.factors[n] for n in names]
    places = list(product(*(range(len(x.levels)) for x in factors)))
    if len(places) > MOST_CELLS:
        raise DataProblem(f"{listing(list(names))} make {len(places)} cells; means are had of up to {MOST_CELLS}.")
    x = np.vstack([_row(f, dict(zip(names, place, strict=True)), weigh) for place in places])
    labels = [", ".join(factor.levels[i] for factor, i in zip(factors, place, strict=True)) for place in places]
    codes = np.zeros(f.data.n, np.int64)
    for name, factor in zip(names, factors, strict=True):
        codes = codes * len(factor.levels) + f.data.design.data[name]
    n = np.bincount(codes, minlength=len(places))
    return Cells(list(names), places, labels, f.rows(x), f.told(x), [int(v) for v in n])


def _held(f: Fitted) -> dict[str, Any]:
    """Measures at their place, and categories that were given one."""
    held: dict[str, Any] = {n: f.typical[n] for n in f.data.numbers}
    return held | {n: level_place(f.data.factors[n], str(v), n) for n, v in f.at.items() if n in f.data.factors}


def _row(f: Fitted, place: dict[str, int], weigh: str) -> Floats:
    """The design's row of a cell, shape (1, p)."""
    held = {**_held(f), **place}
    others = [n for n in f.data.factors if n not in held]
    if weigh == "equal" or not others:
        return f.data.design.averaged(held)
    found, counts = np.unique(np.column_stack([f.data.design.data[n] for n in others]), axis=0, return_counts=True)
    points = {n: np.full(len(found), v) for n, v in held.items()} | {n: found[:, i] for i, n in enumerate(others)}
    rows = f.data.design.matrix(points, len(found))
    return np.asarray((counts / counts.sum()) @ rows)[None, :]


def held_words(f: Fitted, names: Sequence[str], weigh: str) -> str:
    """What a mean over these categories does with the other columns."""
    held = _held(f)
    others = [n for n in f.data.factors if n not in names and n not in held]
    said = [f"{f.data.title(n)} {f.data.said_place(n, v)}" for n, v in held.items() if n not in names]
    alike = "count alike" if weigh == "equal" else "count as often as they are found"
    note = f"Levels of the other categories {alike}. " if others else ""
    return (note + (f"Held at: {', '.join(said)}." if said else "")).strip()


def _kept(f: Fitted, spec: Any, names: Sequence[str]) -> bool:
    """False where a column was offered to the model, but a selection left it out."""
    offered = {n for t in spec.terms for n in names_of(t)}
    return not any(n in offered and n not in f.data.columns for n in names)


def means_tables(f: Fitted, spec: Any, decimals: int) -> list[TableBlock]:
    """Estimated means of each category, or of the terms asked for."""
    asked = [list(m) for m in spec.means_of if _kept(f, spec, m)] if spec.means_of else [[n] for n in f.data.factors]
    made: list[TableBlock] = []
    for names in asked:
        cells = cells_of(f, names, spec.weigh)
        id = "means" if not made else f"means_{'_'.join(names)}"
        control = "at" if not made and f.data.numbers else None
        title = f"Estimated means by {' × '.join(f.data.title(n) for n in names)}"
        note = held_words(f, names, spec.weigh) or None
        made.append(q.table(id, title, _mean_rows(f, cells, decimals), note=note, control=control))
    return made


def _mean_rows(f: Fitted, cells: Cells, decimals: int) -> list[q.Row]:
    own_scale = f.spread is not None  # a standard error of the sum of terms says nothing of a probability
    eta, se = f.sums(cells.rows)
    reach = f.reach_of(cells.rows) * se
    low, high = np.sort(np.column_stack([f.back(eta - reach), f.back(eta + reach)]), axis=1).T
    mean, rows = f.back(eta), []
    for i, place in enumerate(cells.places):
        told, why = bool(cells.known[i]), BLIND if cells.known[i] else UNTOLD
        m, s, a, b = (float(v[i]) if told else np.nan for v in (mean, se, low, high))
        key = "level" if len(cells.names) == 1 else "level{}"
        level = {
            key.format(j): q.name(f.data.factors[n].levels[v], f.data.title(n))
            for j, (n, v) in enumerate(zip(cells.names, place, strict=True))
        }
        rows.append(
            level
            | q.row(
                n=q.count(cells.n[i]), mean=q.num(m, decimals, f.y_title, why=why),
                se=q.num(s, decimals if own_scale else decimals + 1, "SE" if own_scale else None, why=why),
                **q.ci(a, b, decimals, f.alpha, why=why),
            )
        )  # fmt: skip
    return rows


@dataclass(frozen=True)
class Compared:
    """One family of comparisons.

    Args:
        labels: of each comparison; a, b: its two cells, where it has two.
        difference, se, df, statistic, p, adjusted: shape (m,), on the scale of the terms.
        reach: simultaneous, in standard errors, shape (m,).
        how: the adjustment that was made.
    """

    labels: list[str]
    a: list[int | None]
    b: list[int | None]
    difference: Floats
    se: Floats
    df: Floats
    statistic: Floats
    p: Floats
    adjusted: Floats
    reach: Floats
    how: str

    @cached_property
    def finest(self) -> int:
        """The comparison known best: its standard error says how finely all of them are told."""
        return int(np.argmin(np.where(self.se > 0, self.se, np.inf)))


def compared(f: Fitted, cells: Cells, own: Sequence[int], asked: ComparisonSet, how: str) -> Compared | None:
    """A family among some of the cells; None where the data tell fewer than two of them.

    Raises:
        DataProblem: a level is not there, or weights are none.
    """
    able = [i for i in own if cells.known[i]]
    if len(able) < 2:
        return None
    labels, weights, pairs = _weights(f, cells, able, asked)
    rows = weights @ cells.rows[able]
    difference, se = f.sums(rows)
    df = f.df_of(rows) if f.df_of else np.full(len(rows), f.df)
    with np.errstate(invalid="ignore", divide="ignore"):
        t = np.where(se > 0, difference / se, np.nan)
    p = np.array(
        [t_p(float(v), float(d), "two_sided") if np.isfinite(v) else np.nan for v, d in zip(t, df, strict=True)]
    )
    how = how if how != "tukey" or asked.kind == "all" else "holm"
    adjusted, reach = _adjusted(t, p, df, len(able), how, f.alpha)
    return Compared(
        labels, [x[0] for x in pairs], [x[1] for x in pairs], difference, se, np.asarray(df, np.float64), t, p,
        adjusted,
        reach, how,
    )  # fmt: skip


def _adjusted(t: Floats, p: Floats, df: Floats, k: int, how: str, alpha: float) -> tuple[Floats, Floats]:
    """Adjusted p and how far intervals reach, in standard errors; Holm’s intervals are Bonferroni’s."""
    m, known = len(p), np.isfinite(p)
    adjusted = np.full(m, np.nan)
    if how == "tukey":
        adjusted[known] = studentized_range.sf(np.abs(t[known]) * np.sqrt(2), k, df[known])
        # Degrees of freedom that differ by rounding alone are one: each of them costs a search.
        few, back = np.unique(np.round(df, 7), return_inverse=True)
        return adjusted, np.asarray(studentized_range.isf(alpha, k, few)[back] / np.sqrt(2))
    adjusted[known] = adjust(p[known], how)  # type: ignore[arg-type]
    share = {"none": alpha, "sidak": float(-np.expm1(np.log1p(-alpha) / m))}.get(how, alpha / m)
    reach = np.where(
        np.isinf(df), special.ndtri(1 - share / 2), special.stdtrit(np.where(np.isinf(df), 1e9, df), 1 - share / 2)
    )
    return adjusted, np.asarray(reach, np.float64)


def _weights(f: Fitted, cells: Cells, able: list[int], asked: ComparisonSet) -> tuple[list[str], Floats, list[Any]]:
    """Labels, weights over the able cells, shape (m, cells), and the two cells of each comparison."""
    width = len(asked.of)
    names = [_label(f, cells, i, width) for i in able]
    k = len(able)

    def against(pairs: Sequence[tuple[int, int]]) -> tuple[list[str], Floats, list[Any]]:
        weights = np.zeros((len(pairs), k))
        for row, (a, b) in enumerate(pairs):
            weights[row, a], weights[row, b] = 1.0, -1.0
        said = [f"{names[a]} − {names[b]}" for a, b in pairs]
        return said, weights, [(able[a], able[b]) for a, b in pairs]

    if asked.kind == "all":
        return against(list(combinations(range(k), 2)))
    if asked.kind == "consecutive":
        return against([(i + 1, i) for i in range(k - 1)])
    if asked.kind == "to_level":
        level = asked.level if asked.level is not None else names[0]
        if level not in names:
            raise DataProblem(
                f"There is no level '{level}' to compare with; there are {listing(names, 8)}.", column=asked.of[0]
            )
        at = names.index(level)
        return against([(i, at) for i in range(k) if i != at])
    if asked.kind == "polynomial":
        spacing = level_numbers(names)
        if spacing is None or len(np.unique(spacing)) < k:
            spacing = np.arange(k, dtype=float)
        said, weights = polynomial(np.asarray(spacing, np.float64))
        return said, weights, [(None, None)] * len(said)
    weights = np.zeros((1, k))
    for level, value in (asked.weights or {}).items():
        if level not in names:
            raise DataProblem(f"There is no level '{level}'; there are {listing(names, 8)}.", column=asked.of[0])
        weights[0, names.index(level)] = value
    if not np.abs(weights).sum() or abs(float(weights.sum())) > 1e-6 * float(np.abs(weights).sum()):
        raise DataProblem("The weights of a comparison sum to zero, and are not all zero.", column=asked.of[0])
    said = [f"{number(v, 2).rstrip('0').rstrip('.')} {n}" for v, n in zip(weights[0], names, strict=True) if v]
    return [asked.label or " + ".join(said)], weights, [(None, None)]


def _label(f: Fitted, cells: Cells, i: int, width: int) -> str:
    """The levels of what is compared, without those that it is compared within."""
    return ", ".join(
        f.data.factors[n].levels[v] for n, v in list(zip(cells.names, cells.places[i], strict=True))[:width]
    )


def comparison_blocks(f: Fitted, spec: Any, scale: Scale, decimals: int) -> list[TableBlock | FigureBlock]:
    """Each set asked for as a table and a picture; unasked all pairs of each category of a few levels, folded."""
    asked = [one for one in spec.sets if _kept(f, spec, one.names)]
    folded = not spec.sets
    if folded:
        few = [n for n, x in f.data.factors.items() if 2 < len(x.levels) <= MOST_LEVELS]
        asked = [ComparisonSet(of=[n]) for n in few]
    parts: list[tuple[str, list[TableBlock | FigureBlock]]] = []
    for i, one in enumerate(asked):
        cells = cells_of(f, [*one.of, *one.within], spec.weigh)
        table = _set_table(f, cells, one, spec, scale, "pairs" if i == 0 else f"pairs_{i + 1}", folded)
        parts.append((table.title, [table] if folded else [table, _set_picture(f, cells, one, i)]))
    return [b for _, part in parts for b in part] if folded else tabs("sets", parts)


def _families(f: Fitted, cells: Cells, one: ComparisonSet) -> list[tuple[str, list[int]]]:
    """Cells within each combination of the levels that the set is within."""
    width, groups = len(one.of), dict[tuple[int, ...], list[int]]()
    for i, place in enumerate(cells.places):
        groups.setdefault(place[width:], []).append(i)
    said = [
        (", ".join(f.data.factors[n].levels[v] for n, v in zip(one.within, key, strict=True)), own)
        for key, own in groups.items()
    ]
    return said


def _set_table(
    f: Fitted, cells: Cells, one: ComparisonSet, spec: Any, scale: Scale, id: str, folded: bool
) -> TableBlock:
    rows: list[q.Row] = []
    lettered, how = [], spec.adjust
    own_scale = scale if one.kind != "polynomial" else Scale(scale.letter)  # a trend's size is no ratio of two means
    within = " × ".join(f.data.title(n) for n in one.within)
    for label, own in _families(f, cells, one):
        found = compared(f, cells, own, one, spec.adjust)
        if found is None:
            continue
        how = found.how
        place = {"within": q.name(label, within)} if one.within else {}
        rows += [place | _comparison(f, cells, found, i, own_scale, len(one.of)) for i in range(len(found.labels))]
        if one.kind == "all":
            lettered.append(_letters(f, cells, own, found, label, len(one.of)))
    by = ADJUST[how]
    note = f"{KINDS[one.kind]}, p {by}; intervals {_interval_words(how)}."
    note += f" {held_words(f, cells.names, spec.weigh)}".rstrip()
    note += f" Letters: {'; '.join(x for x in lettered if x)}." if any(lettered) else ""
    title = f"{KINDS[one.kind]} of {' × '.join(f.data.title(n) for n in one.of)}"
    title += f" within {within}" if within else ""
    marked = [i for i, r in enumerate(rows) if isinstance(v := r["p_adjusted"].v, float) and v < f.alpha]
    return q.table(
        id, title, rows, note=note, marked=marked, folded=folded, by=by, strong=["p_adjusted"], control="sets"
    )


KINDS = {
    "all": "All pairs", "to_level": "Each against one level", "consecutive": "Each against the one before",
    "polynomial": "Trend over the levels", "weights": "A comparison by weights",
}  # fmt: skip


def _interval_words(how: str) -> str:
    return {"none": "one by one", "holm": "by Bonferroni"}.get(how, "hold for all together")


def _comparison(f: Fitted, cells: Cells, c: Compared, i: int, scale: Scale, width: int) -> q.Row:
    told, why = c.finest if c.a[i] is not None else i, BLIND  # pairs: one column, one fineness
    d = decimals_of(float(c.se[told]), float(c.difference[told]))
    b, s, reach = float(c.difference[i]), float(c.se[i]), float(c.reach[i])
    z = bool(np.isinf(c.df[i]))
    letter = "z" if z else "t"
    row = q.row(pair=q.name(c.labels[i], "Comparison"))
    for key, cell in (("group_a", c.a[i]), ("group_b", c.b[i])):
        if cell is not None:
            row[key] = q.name(_label(f, cells, cell, width), None)
    title = "b" if scale.key else "Difference"
    row |= q.row(
        difference=q.est(b, d, title, f.data.response.unit if f.spread is not None else None),
        se=q.num(s, d, "SE", why=why),
    )
    if scale.key:
        like = float(c.se[told]) if c.a[i] is not None and c.se[told] > 0 else b
        row[scale.key] = q.texted(exp(b), ratio(b, like), scale.title)
        row |= q.ends(
            *_span(b, s * reach), lambda v: ratio(float(np.log(v)), like), f"{level_words(f.alpha)} CI", why
        )
    else:
        row |= q.ci(b - reach * s, b + reach * s, d, f.alpha, why=why)
    row[letter] = q.stat(float(c.statistic[i]), letter, why)
    row["df"] = q.df(float(c.df[i]), None if z else "df")
    return row | q.row(p=q.p(float(c.p[i]), "p", why), p_adjusted=q.p(float(c.adjusted[i]), "adjusted p", why))


def _span(b: float, reach: float) -> tuple[float, float]:
    return (exp(b - reach), exp(b + reach)) if np.isfinite(reach) else (np.nan, np.nan)


def _letters(f: Fitted, cells: Cells, own: Sequence[int], c: Compared, label: str, width: int) -> str:
    """'Alder ab, Birch a …' of one family; nothing where a comparison has no p."""
    if not np.isfinite(c.adjusted).all():
        return ""
    able = [i for i in own if cells.known[i]]
    place = {cell: k for k, cell in enumerate(able)}
    means = [float(v) for v in f.sums(cells.rows[able])[0]]
    a, b = ([place[int(x)] for x in side if x is not None] for side in (c.a, c.b))
    found = letters_from_pairs(means, a, b, [float(p) for p in c.adjusted], f.alpha, up=True)
    said = ", ".join(f"{_label(f, cells, i, width)} {x}" for i, x in zip(able, found, strict=True))
    return f"{label}: {said}" if label else said


def _set_picture(f: Fitted, cells: Cells, one: ComparisonSet, i: int) -> FigureBlock:
    """The means of a set with their intervals, a line for each level that it is within."""
    eta, se = f.sums(cells.rows)
    reach = f.reach_of(cells.rows) * se
    low, high = np.sort(np.column_stack([f.back(eta - reach), f.back(eta + reach)]), axis=1).T
    mean = np.where(cells.known, f.back(eta), np.nan)
    families = _families(f, cells, one)
    lines = [
        Line(
            label or "mean", mean[own].tolist(), np.where(cells.known, low, np.nan)[own].tolist(),
            np.where(cells.known, high, np.nan)[own].tolist(),
        )
        for label, own in families
    ]  # fmt: skip
    levels = [_label(f, cells, k, len(one.of)) for k in families[0][1]]
    title = " × ".join(f.data.title(n) for n in one.of)
    legend = " × ".join(f.data.title(n) for n in one.within) or None
    drawn = profile(lines, levels, title, f.y_title, legend, width=330)
    return block(f"figure_means_{i + 1}", f"Estimated means by {title}", drawn if one.within else apart(drawn))
