"""The tables, the card and the pictures that every model has, whatever its scale."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import listing
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.kit.models.coefficients import (
    Coefficient,
    bent_words,
    card_terms,
    cells,
    estimates,
    lower_term,
)
from yavik.core.methods.kit.models.effects import cases_table, slopes_table, term_pictures
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.methods.kit.models.means import comparison_blocks, means_tables
from yavik.core.methods.kit.models.scale import Scale
from yavik.core.methods.kit.models.terms import ModelData, term_key
from yavik.core.methods.kit.models.testing import ChiSquare
from yavik.core.methods.kit.touch import pick
from yavik.core.stats.groups import Floats

"""Statistic, degrees of freedom, p."""


def names_of_terms(data: ModelData) -> str:
    """'floor area, hours open and district' within a sentence."""
    return listing([lower_term(data.term_title(t)) for t in data.terms], 5)


def coefficients_table(
    f: Fitted, scale: Scale, found: list[Coefficient], title: str, notes: Iterable[str],
    extra: Callable[[Coefficient], q.Row] = lambda _: {},
) -> TableBlock:  # fmt: skip
    """Each coefficient with its test, on the model's scale and where it has one as a ratio.

    Args:
        notes: sentences below; where numbers are counted from, and references, follow them.
        extra: further cells of a row.
    """
    rows = []
    for c in found:
        row = cells(c, f.alpha, scale.letter)
        if scale.key is not None:  # the interval is that of the ratio, and stands behind it
            row = {k: v for k, v in row.items() if not k.startswith("ci_")} | scale.cells(c, f.alpha)
        rows.append(row | extra(c))
    note = " ".join(n for n in (*notes, f.data.counted_from, f.data.references) if n)
    marked = [i for i, c in enumerate(found) if c.column is not None and c.p < f.alpha]
    control = "reference" if f.data.factors else None
    return q.table("coefficients", title, rows, note=note, marked=marked, strong=["term", "p"], control=control)


def chi2_terms(
    f: Fitted, tests: Sequence[ChiSquare | None], letter: str, why: str, key: str = "chi2"
) -> TableBlock | None:
    """Each term with all its columns, by χ²."""
    if not f.data.terms:
        return None
    nan, rows = float("nan"), []
    for term, t in zip(f.data.terms, tests, strict=True):
        chi2, df, p = t or (nan, nan, nan)
        name = q.name(f.data.term_title(term), "Term")
        rows.append({"term": name, key: q.stat(chi2, letter, why), "df": q.df(df, why=why), "p": q.p(p, why=why)})
    marked = [i for i, t in enumerate(tests) if t and t[2] < f.alpha]
    return q.table("terms", "Each term with all its columns", rows, marked=marked, strong=["term", "p"])


def fit_table(title: str, lines: Iterable[tuple[str, q.Quantity]]) -> TableBlock:
    """How well the model fits: a measure on each line."""
    return q.table("fit", title, [q.row(what=q.name(what), value=value.under("")) for what, value in lines])


def of_line(line: FitLine, why: str = q.HERE) -> tuple[str, q.Quantity]:
    """A measure of the card as a line of the table."""
    return line.title, q.gone(why) if line.v is None else q.texted(line.v, line.s)


def words_table(
    f: Fitted, found: Sequence[Coefficient], sentence: Callable[[Coefficient], str | None]
) -> TableBlock | None:
    """Every coefficient that says something by itself, in a sentence; of bent terms, where to look instead."""
    said = [(c.title, text) for c in found if (text := sentence(c)) is not None] + bent_words(f)
    if not said:
        return None
    rows = [q.row(term=q.name(title, "Term"), says=q.said(text, "What it says")) for title, text in said]
    return q.table("in_words", "In words", rows, control="per" if f.data.numbers else None)


def model_card(f: Fitted, found: list[Coefficient], fit: list[FitLine], **more: Any) -> ModelCard:
    """What a trail and a line-up show of the model; ``more``: kind, said, effect, log_likelihood, parameters …"""
    return ModelCard(
        response=f.data.response.name, terms=card_terms(f), estimates=estimates(found), fit=fit, n=f.data.n,
        rows=f.data.fingerprint, intercept=f.intercept, counted_from=f.data.counted_from, **more,
    )  # fmt: skip


def effect_blocks(
    f: Fitted, spec: Any, scale: Scale, decimals: int, *, span: tuple[float, float] | None = None,
    event: str | None = None,
    slopes: bool = True,
) -> list[Any]:  # fmt: skip
    """What the model says at chosen places: slopes, a picture of each term, means, predictions.

    Args:
        decimals: of the response's mean.
        span: the axis of the response, where it has one of its own.
        event: what predictions are of, where not the response.
    """
    made: list[Any] = [slopes_table(f)] if slopes else []
    made += term_pictures(f, span) if len(f.data.names) > 1 else []
    made += means_tables(f, spec, decimals)
    made += comparison_blocks(f, spec, scale, decimals)
    return [*made, cases_table(f, spec.predict_at, decimals, "Predictions", event)]


def ratios_picture(f: Fitted, scale: Scale, found: Sequence[Coefficient], of: str) -> FigureBlock | None:
    """Ratios with their intervals, on a scale of ratios; powers and parts of interactions say nothing alone."""
    shown, data = [], f.data
    for c in found:
        if c.column is None or not np.isfinite([c.b, c.low, c.high]).all() or max(abs(c.low), abs(c.high)) > 12:
            continue
        term = data.terms[data.design.columns[c.column].term]
        if not term.is_main or any(t != term and set(t.names) & set(term.names) for t in data.terms):
            continue
        # A measure's ratio is for its standard deviation, so that all stand on one scale.
        size, title = 1.0, c.title
        powers = data.design.columns[c.column].powers
        if powers:
            size, title = (
                float(np.std(data.design.data[powers[0][0]])) / c.per,
                f"{data.title(powers[0][0])} (per SD)",
            )
        low, high = sorted((c.low * size, c.high * size))
        shown.append(Bar(title, float(np.exp(c.b * size)), float(np.exp(low)), float(np.exp(high)), c.p < f.alpha))
    if len(shown) < 2:
        return None
    vega, alt = forest(shown, f"{scale.title} of {of}", at=1.0)
    for layer in vega["layer"]:
        layer["encoding"]["x"]["scale"] = {"type": "log", "nice": False, "padding": 12}
    return block(f"{scale.key}s", f"{scale.title}s of {of}", (vega, alt))


def coefficient_facts(found: Sequence[Coefficient], letter: str) -> dict[str, float]:
    """Numbers of each coefficient by its key."""
    out: dict[str, float] = {}
    for c in found:
        out |= {f"{c.key}.b": c.b, f"{c.key}.se": c.se, f"{c.key}.{letter}": c.t, f"{c.key}.p": c.p}
    return out


def term_facts(data: ModelData, tests: Sequence[ChiSquare | None]) -> dict[str, float]:
    """Numbers of the terms of several columns by their keys."""
    out: dict[str, float] = {}
    for term, t in zip(data.terms, tests, strict=True):
        if t and t[1] > 1:
            out |= {f"{term_key(term)}.chi2": t[0], f"{term_key(term)}.p": t[2]}
    return out


def influential_rows(
    data: ModelData, cook: Floats, residual: Floats, leverage: Floats, told: Callable[[int], q.Row], most: int = 8
) -> TableBlock:
    """The rows that move the model most.

    Args:
        residual: standardised Pearson residuals.
        told: the cells of a row's value and of what the model says of it, by its place.
    """
    rows = [
        q.row(
            row=q.count(data.rows[i], "Row"), **told(int(i)),
            residual=q.num(float(residual[i]), 2, "Pearson residual"),
            leverage=q.size(float(leverage[i]), "Leverage"), cook=q.num(float(cook[i]), 3, "Cook’s distance"),
        )
        for i in np.argsort(-cook, kind="stable")[:most]
    ]  # fmt: skip
    return influential_block(rows)


def influential_block(rows: list[q.Row]) -> TableBlock:
    """Rows that move a model most, by falling Cook’s distance; a click compares the answer without one."""
    table = q.table("influential", "Rows that move the model most", rows, folded=True)
    return pick(table, "without", "row", "Compare the answer without this row")
