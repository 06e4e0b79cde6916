"""Checks beside a factorial answer."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words
from yavik.core.methods.compare.factorial.data import Factorial
from yavik.core.methods.compare.factorial.spec import FactorialSpec
from yavik.core.methods.compare.factorial.words import Tests, confounded
from yavik.core.methods.kit.shared import normal_check, outlying_check
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.linear import Factor, LinearModel, cells_of
from yavik.core.stats.oneway import levene


def all_checks(f: Factorial, spec: FactorialSpec, tests: Tests, residuals: Floats) -> list[Check]:
    """Whether the answer can be relied on, in the order in which it matters."""
    found = [
        _balance(f, spec),
        _spread(f, residuals),
        normal_check(residuals, "the residuals", "Normal residuals"),
        _outlying(f, spec, tests, residuals),
        _mains(f, spec, tests),
        _same(f),
    ]
    if f.covariates:
        found.append(_slopes(f))
    return [c for c in found if c]


def _same(f: Factorial) -> Check | None:
    """Terms that say a part of the same: what each of them does cannot be told."""
    told = confounded(f)
    if not told:
        return None
    said = [
        f"{f.name(t)}"
        f" {'cannot be told' if lost == f.model.width(t) else f'has {lost} of {f.model.width(t)} df that cannot be told'}"
        f" from {listing([f.name(o) for o in others], 3, 'or')}"
        for t, (lost, others) in told.items()
    ]
    text = f"{'; '.join(said[:4])}. Leave out one of them: no test can part what the rows do not."
    return Check(id="same", title="Terms that say the same", verdict=Verdict.fails, text=text)


def _balance(f: Factorial, spec: FactorialSpec) -> Check:
    base: dict[str, Any] = {"id": "balance", "title": "Balance"}
    factors = tuple(i for i in range(len(f.factors)) if i != f.block)
    empty = f.empty_cells(factors)
    n = f.cells.n
    if empty:
        text = (
            f"No rows for {listing(empty, 4)}. Means and type III tests that need"
            f" {'it' if len(empty) == 1 else 'them'} cannot be had; type II tests can."
        )
        remedies = (
            [] if spec.sums_of_squares == "ii" else [Remedy(label="Use type II", spec={"sums_of_squares": "ii"})]
        )
        if spec.interactions != "none":
            remedies.append(Remedy(label="Leave interactions out", spec={"interactions": "none"}))
        return Check(
            **base, verdict=Verdict.fails, text=text, facts={"empty_cells": float(len(empty))}, remedies=remedies
        )
    low, high = int(n.min()), int(n.max())
    if low == high:
        return Check(
            **base,
            verdict=Verdict.holds,
            text=f"Every cell has {counted(low, 'row')}: all types of sums of squares agree.",
            facts={"n_min": low},
        )
    text = f"Cells have {low} to {counted(high, 'row')}: terms overlap, and the type of sums of squares matters."
    if spec.sums_of_squares == "i":
        text += " Type I depends on the order of the factors."
    verdict = Verdict.doubtful if high > 3 * low or spec.sums_of_squares == "i" else Verdict.holds
    remedies = [Remedy(label="Use type III", spec={"sums_of_squares": "iii"})] if spec.sums_of_squares == "i" else []
    return Check(**base, verdict=verdict, text=text, facts={"n_min": low, "n_max": high}, remedies=remedies)


def _spread(f: Factorial, residuals: Floats) -> Check:
    base: dict[str, Any] = {"id": "equal_spread", "title": "Equal spread in the cells"}
    cell = f.cells.cell_of_row
    counts = np.bincount(cell)
    keep = counts >= 2
    if keep.sum() < 2:
        return Check(
            **base, verdict=Verdict.unknown, text="Cells have one row each: their spread cannot be compared."
        )
    order = np.argsort(cell, kind="stable")
    used = keep[cell[order]]
    starts = np.concatenate([[0], np.cumsum(counts[keep])])
    names = tuple(_cell_name(f, int(c)) for c in np.flatnonzero(keep))
    g = Groups(residuals[order][used], starts, f.rows[order][used], names)
    t = levene(g, "median")
    if not np.isfinite(t.p):
        return Check(**base, verdict=Verdict.unknown, text="Within cells all values lie equally far from the middle.")
    sd = np.sqrt(g.variances)
    high, low = int(np.nanargmax(sd)), int(np.nanargmin(sd))
    verdict = Verdict.holds if t.p >= 0.05 else Verdict.fails if t.p < 0.01 else Verdict.doubtful
    text = f"Levene's test about the medians of {counted(g.k, 'cell')} gives p {p_words(t.p)}."
    if verdict is not Verdict.holds and sd[low] > 0:
        text += (
            f" The SD in {names[high]} is {number(float(sd[high] / sd[low]), 1)} times that in {names[low]}; a"
            " logarithm or a root of the measurement often evens it."
        )
    return Check(**base, verdict=verdict, text=text, facts={"levene_median.f": t.f, "levene_median.p": t.p})


def _cell_name(f: Factorial, cell: int) -> str:
    return ", ".join(f.factors[i].levels[v] for i, v in enumerate(f.cells.levels[cell]))


def _outlying(f: Factorial, spec: FactorialSpec, tests: Tests, residuals: Floats) -> Check:
    from yavik.core.methods.kit.shared import far_out

    known = [(t, x) for t, x in tests if x.test and t[0] >= 0 and t[0] != f.block]
    out = far_out(residuals)
    judged = (residuals, out, f.rows, "the residuals", f.decimals + 1, spec.where)
    if not known:
        return outlying_check(*judged, 1.0, None, spec.alpha)
    keep = ~out
    names, now, then = [], {}, {}
    if not keep.all() and keep.sum() > f.model.rank + 1:
        cells = cells_of(f.y[keep], [Factor(x.name, x.codes[keep], x.levels) for x in f.factors], f.x[keep])
        again = LinearModel(cells, f.model.terms)
        if again.df > 0:
            now = {t: x.test.p for t, x in known if x.test}
            then = {t: x.p for t in now if (x := again.test(t, spec.sums_of_squares).test)}
            names = [f.name(t) for t in then if (then[t] < spec.alpha) != (now[t] < spec.alpha)]
    # Every term that the answer speaks of is judged; the one that changes most is the one shown.
    term = (
        max(then, key=lambda t: abs(np.log(max(then[t], 1e-300)) - np.log(max(now[t], 1e-300))))
        if then
        else known[0][0]
    )
    if names:
        term = next(t for t in then if f.name(t) == names[0])
    first = next(x for t, x in known if t == term)
    assert first.test
    check = outlying_check(*judged, first.test.p, then.get(term), spec.alpha)
    if check.facts.get("outlying.n"):
        check.text += f" (p of {f.name(term)}" + (
            f"; also {listing(names[1:])} changes.)" if len(names) > 1 else ".)"
        )
    return check


def _mains(f: Factorial, spec: FactorialSpec, tests: Tests) -> Check | None:
    """Main effects need care where an interaction matters."""
    together = [f.name(t) for t, x in tests if len(t) > 1 and x.test and x.test.p < spec.alpha]
    if not any(len(t) > 1 for t, _ in tests):
        return None
    base: dict[str, Any] = {"id": "main_effects", "title": "Main effects on their own"}
    if together:
        text = (
            f"{listing(together)} {'matters' if len(together) == 1 else 'matter'}: main effects average over"
            " differences that are not the same everywhere. Read simple effects and the cells."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(
        **base,
        verdict=Verdict.holds,
        text=(
            "No interaction is found, so that main effects can be read on their own. That is no proof that there is"
            " none."
        ),
    )


def _slopes(f: Factorial) -> Check:
    """One slope for all cells: tested by letting each cell have its own (covariates one at a time)."""
    base: dict[str, Any] = {"id": "slopes", "title": "Same slope in every cell"}
    cell, lowest, named = f.cells.cell_of_row, 1.0, ""
    k = len(f.cells.n)
    for i, name in enumerate(f.covariates):
        away = f.cells.covariates_within[:, i]
        residual = f.y - f.cells.shift - f.cells.mean[cell]
        sxx, sxy = np.bincount(cell, away * away, minlength=k), np.bincount(cell, away * residual, minlength=k)
        full = sxx > 1e-12 * max(float(sxx.max()), 1e-300)
        if full.sum() < 2:
            return Check(
                **base, verdict=Verdict.unknown, text=f"{name} hardly varies within cells: slopes cannot be compared."
            )
        own, common = float((sxy[full] ** 2 / sxx[full]).sum()), float(sxy.sum() ** 2 / sxx.sum())
        rest = float(f.cells.ss_within.sum()) - own
        df1, df2 = int(full.sum()) - 1, len(f.y) - k - int(full.sum())
        if df2 < 1 or rest <= 0:
            return Check(**base, verdict=Verdict.unknown, text="Too few rows in the cells to compare slopes.")
        from yavik.core.stats.oneway import f_test

        p = f_test((own - common) / df1 / (rest / df2), df1, df2).p
        if p < lowest:
            lowest, named = p, name
    verdict = Verdict.holds if lowest >= 0.05 else Verdict.doubtful if lowest >= 0.01 else Verdict.fails
    text = (
        "Letting each cell have its own slope: lowest p"
        f" {p_words(lowest)}{f' for {named}' if verdict is not Verdict.holds else ''}."
    )
    if verdict is not Verdict.holds:
        text += " Differences between cells depend on where the covariate is held."
    return Check(**base, verdict=verdict, text=text, facts={"slopes.p": lowest})
