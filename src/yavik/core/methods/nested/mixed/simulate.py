"""Critical values by simulation: the model without a term makes data, the whole model is fitted to each."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers.wording import listing, p_words
from yavik.core.methods.kit.draws import drawn, p_of
from yavik.core.methods.kit.kept import content
from yavik.core.methods.kit.models.means import Cells, cells_of
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.methods.nested.mixed.spec import SimulatedContrast
from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed import many
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.fitting import scoring, search, value_at
from yavik.core.stats.mixed.inference import independent
from yavik.core.stats.mixed.within import Within
from yavik.core.table import DataProblem
from yavik.core.table.telling import Told, silent

LEVELS = (0.90, 0.95, 0.99)
LEAST_ENDED = 0.9


@dataclass(frozen=True)
class Critical:
    """One line: what was seen, what chance makes, what the textbook says.

    Args:
        observed: F, Wald's χ², or |t| (of one-sided claims t on the side asked for).
        quantiles: simulated, at 90, 95 and 99 %. textbook: the same from the distribution with its df.
        p, error: by simulation, with its Monte Carlo error. smallest: the size that would be detected at α.
    """

    label: str
    letter: str
    observed: float
    quantiles: Floats
    textbook: Floats
    textbook_p: float
    p: float
    error: float
    estimate: float = np.nan
    se: float = np.nan
    smallest: float = np.nan


@dataclass(frozen=True)
class Simulated:
    """All lines, the place of the term, and how the draws went."""

    term: int
    title: str
    draws: int
    failed: int
    lines: list[Critical]


def simulate(m: MixedModel, told: Told = silent) -> Simulated:
    """Raises DataProblem for a term that is not in the model and contrasts that are none."""
    spec = m.spec.simulate
    assert spec is not None
    names = set(spec.columns)
    place = next(
        (i for i, t in enumerate(m.data.terms) if set(t.names) == names and all(p.power == 1 for p in t.parts)), None
    )
    if place is None:
        raise DataProblem(
            f"{' × '.join(spec.columns)} is not among the terms of this model; there"
            f" {'is' if len(m.data.terms) == 1 else 'are'}"
            f" {listing([m.data.term_title(t) for t in m.data.terms], 8) or 'none'}.",
            column=spec.columns[0],
        )
    test = m.tests[place]
    if test is None:
        raise DataProblem(
            f"The data cannot tell {m.data.term_title(m.data.terms[place])} by itself: cells are empty.",
            column=spec.columns[0],
        )
    whole = m.data.design.tested(place)[:, m.fitted.columns]
    rows = independent(np.column_stack([np.zeros(len(whole)), whole]) if m.fitted.intercept else whole)
    contrasts = _contrasts(m, spec.contrasts, spec.columns)
    margin = _margin(m)
    values = drawn(
        spec.draws, m.spec.seed, lambda rng, count: _batch(m, rng, count, rows, contrasts),
        key=_key(m, rows, contrasts),
        told=told, span=(0.5, 0.9), what="Drawing data without the term", so_far=lambda v: _so_far(v, test.wald),
    )  # fmt: skip
    ended = np.isfinite(values[:, 0])
    if ended.mean() < LEAST_ENDED:
        raise DataProblem(
            f"Of {spec.draws} draws {int((~ended).sum())} have no model that can be fitted: the design is too small for"
            " critical values by simulation. Leave out a random term."
        )
    values = values[ended]
    lines = _of_term(values[:, 0], test, len(values))
    for i, (asked, row) in enumerate(zip(spec.contrasts, contrasts, strict=True)):
        lines.append(_of_contrast(m, asked.label, row, values[:, 1 + i], spec.type, margin))
    title = m.data.term_title(m.data.terms[place])
    return Simulated(place, title, spec.draws, int((~ended).sum()), lines)


def _so_far(values: Floats, seen: float) -> str:
    own = values[np.isfinite(values[:, 0]), 0]
    return f"p {p_words(p_of(int((own >= seen * (1 - 1e-9)).sum()), len(own))[0])} so far"


def _margin(m: MixedModel) -> float | None:
    spec = m.spec.simulate
    assert spec is not None
    if spec.type in ("non_inferiority", "equivalence") and spec.margin is None:
        raise DataProblem("Such a claim needs a margin: the largest difference that would not matter.")
    if spec.type in ("non_inferiority", "equivalence") and not spec.contrasts:
        raise DataProblem("A margin is of a contrast; say which means are compared.")
    return spec.margin


def _contrasts(m: MixedModel, asked: list[SimulatedContrast], columns: list[str]) -> list[Floats]:
    """Combinations of the coefficients, each a comparison of the term's cells."""
    if not asked:
        return []
    cells = cells_of(m.fitted, columns, m.spec.weigh)
    names = _names(m, cells)
    rows = []
    for c in asked:
        unknown = next((n for n in c.weights if n not in names), None)
        if unknown is not None:
            raise DataProblem(
                f"There is no '{unknown}' to compare; there are {listing(list(names), 8)}.", column=columns[0]
            )
        weights = np.zeros(len(cells.places))
        for n, w in c.weights.items():
            weights[names[n]] = w
        if not np.abs(weights).sum() or abs(float(weights.sum())) > 1e-6 * float(np.abs(weights).sum()):
            raise DataProblem(f"The weights of '{c.label}' sum to zero, and are not all zero.", column=columns[0])
        lost = [n for n, i in names.items() if weights[i] and not cells.known[i]]
        if lost:
            raise DataProblem(f"'{c.label}' needs {listing(lost)}, which no row has.", column=columns[0])
        rows.append(weights @ cells.rows)
    return rows


def _names(m: MixedModel, cells: Cells) -> dict[str, int]:
    """'quiet' or 'quiet × desk' of each cell."""
    return {
        " × ".join(m.data.factors[n].levels[v] for n, v in zip(cells.names, place, strict=True)): i
        for i, place in enumerate(cells.places)
    }


def _key(m: MixedModel, rows: Floats, contrasts: list[Floats]) -> bytes:
    """The same for draws of the same design, covariance and combinations."""
    parts: list[Any] = [m.x, m.top.theta, rows, *contrasts, np.array([m.restricted])]
    parts += (
        [m.engine.z.data, m.engine.z.indices]
        if isinstance(m.engine, Blocks)
        else [m.engine.subject, m.engine.time, m.engine.group]
    )
    return content(*parts)


def _batch(m: MixedModel, rng: np.random.Generator, count: int, rows: Floats, contrasts: list[Floats]) -> Floats:
    """Wald's χ² of the term and t of each contrast, for so many draws; NaN for one that cannot be fitted.

    The data drawn lie about nought: what the other terms are does not touch a test of this one.
    """
    engine = m.engine
    if isinstance(engine, Blocks):
        y = many.drawn(engine, m.top.theta, rng, count)
        if engine.plain:
            fits = many.fit_many(engine, y, m.top.theta, m.restricted)
            wald, t = many.statistics(fits, rows, contrasts)
            out = np.column_stack([wald, t])
            out[~np.asarray(fits.ended)] = np.nan
            return out
        responses: list[Any] = [Blocks(engine.x, y[:, i], engine.units) for i in range(count)]
    else:
        y = _drawn_over_times(engine, m.top.theta, rng, count)
        responses = [engine.with_response(y[:, i]) for i in range(count)]
    return np.array([_one(m, e, rows, contrasts) for e in responses])


def _one(m: MixedModel, engine: Any, rows: Floats, contrasts: list[Floats]) -> Floats:
    phi = scoring(engine, m.top.phi, m.restricted, close=1e-8)
    if phi is None:
        phi = search(engine, engine.starts()[-1], m.restricted)
    found = value_at(engine, phi, m.restricted)[1] if phi is not None else None
    if found is None:
        return np.full(1 + len(contrasts), np.nan)
    c, b = found.covariance, found.coef
    estimate = rows @ b
    wald = float(estimate @ np.linalg.solve(rows @ c @ rows.T, estimate))
    return np.array([wald, *(float(k @ b) / float(np.sqrt(k @ c @ k)) for k in contrasts)])


def _drawn_over_times(engine: Within, theta: Floats, rng: np.random.Generator, count: int) -> Floats:
    out = np.empty((engine.n, count))
    for p in engine.patterns:
        v = engine.shape.covariance(theta, p.group)[np.ix_(p.times, p.times)]
        root = np.linalg.cholesky(v)
        each = rng.standard_normal((len(p.times), p.subjects * count))
        out[p.rows.ravel()] = (root @ each).reshape(p.rows.size, count)
    return out


def _of_term(wald: Floats, test: Any, draws: int) -> list[Critical]:
    df1, df2 = test.df1, test.df2
    hits = int((wald >= test.wald * (1 - 1e-9)).sum())
    p, error = p_of(hits, draws)
    probs = np.array(LEVELS)
    chi2 = special.chdtri(df1, 1 - probs)
    f = special.fdtri(df1, df2, probs) if np.isfinite(df2) else chi2 / df1
    plain = test.wald / df1  # Wald over df1, without the factor of Kenward and Roger
    return [
        Critical("F", "F", plain, np.quantile(wald, LEVELS) / df1, f, test.p, p, error),
        Critical("Wald", "χ²", test.wald, np.quantile(wald, LEVELS), chi2, test.wald_p, p, error),
    ]


def _of_contrast(m: MixedModel, label: str, row: Floats, t: Floats, type: str, margin: float | None) -> Critical:
    f, alpha = m.fitted, m.spec.alpha
    estimate = float(row @ f.coef)
    se = float(np.sqrt(row @ m.inference.c @ row)) * m.scale
    df = float(m.inference.df(row[None, :])[0]) if f.df_of is not None else f.df
    seen, sizes, two = _claim(type, estimate / se, t, (margin or 0.0) / se)
    hits = int((sizes >= seen - 1e-9 * max(abs(seen), 1.0)).sum())
    p, error = p_of(hits, len(sizes))
    ends = (1 + np.array(LEVELS)) / 2 if two else np.array(LEVELS)
    textbook = special.stdtrit(df, ends) if np.isfinite(df) else special.ndtri(ends)
    tail = float(special.stdtr(df, -seen)) if np.isfinite(df) else float(special.ndtr(-seen))
    need = float(np.quantile(sizes, 1 - alpha))
    return Critical(
        label, "|t|" if two else "t", seen, np.quantile(sizes, LEVELS), np.asarray(textbook, np.float64),
        min(1.0, tail * (2 if two else 1)), p, error, estimate, se, need * se,
    )  # fmt: skip


def _claim(type: str, t: float, draws: Floats, margin: float) -> tuple[float, Floats, bool]:
    """The statistic seen, those of chance, and whether both sides count.

    The pivot (estimate − truth)/SE is drawn under no difference; a claim against a margin moves what was seen by it.
    """
    if type == "less":
        return -t, -draws, False
    if type == "greater":
        return t, draws, False
    if type == "non_inferiority":
        return t + margin, draws, False
    if type == "equivalence":
        low, high = t + margin, margin - t
        return (low, draws, False) if low < high else (high, -draws, False)
    return abs(t), np.abs(draws), True
