"""Tables of a panel: how it lies, models side by side, the tests between them."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import CardTerm, Estimate, FitLine, ModelCard
from yavik.core.answers.wording import decimals_of, grouped, number, share
from yavik.core.figures.caption import lower
from yavik.core.methods.change.panel.compute import Line, PanelModels
from yavik.core.methods.change.panel.spec import MODELS
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.models.terms import term_key
from yavik.core.stats.change.panels import Fit, Wald

MOST_PATTERNS = 12
LONGEST = 40
"""Periods above which patterns are not drawn."""
NEVER = 1e-9
HEADS = {
    "pooled": "Pooled", "pooled_clustered": "Pooled, errors by unit", "between": "Between", "fixed": "Fixed",
    "fixed_periods": "Fixed, periods too", "random": "Random", "first_differences": "First differences",
    "unit_means": "Random, unit means", "within_between": "Within and between",
}  # fmt: skip
"""Models where there is little room."""


def decimals(line: Line) -> int:
    """Of an estimate: two digits of its error."""
    return decimals_of(line.se, line.b) if np.isfinite(line.b) else 2


def structure(m: PanelModels) -> TableBlock:
    """How many units and periods, and whether every unit is there in each."""
    s, p = m.study, m.study.panel
    lines = [
        (f"Units ({lower(s.data.table.column(s.unit).title)})", grouped(p.units)),
        (
            f"Periods ({lower(s.data.table.column(s.time).title)})",
            f"{len(s.periods)}, {s.periods[0]} to {s.periods[-1]}",
        ),
        ("Rows", grouped(p.n)),
        ("Rows of a unit", _range(p.sizes)),
    ]
    words = "every unit has a row in every period" if s.balanced else f"{len(s.patterns)} patterns of gaps"
    lines.append(("Balanced", f"{'yes' if s.balanced else 'no'}: {words}"))
    rows = [q.row(what=q.name(a, ""), value=q.word(b, "")) for a, b in lines]
    return q.table("structure", "The panel", rows)


def _range(sizes: Any) -> str:
    low, high = int(sizes.min()), int(sizes.max())
    return str(low) if low == high else f"{low} to {high}, on average {number(float(sizes.mean()), 1)}"


def patterns(m: PanelModels) -> TableBlock | None:
    """Which periods units have, where some lack some."""
    s = m.study
    if s.balanced or len(s.periods) > LONGEST:
        return None
    rows = [
        q.row(
            pattern=q.name(text, "Periods"), n=q.count(n, "Units"), share=q.part(n / len(s.units), "Share"),
        )
        for text, n in s.patterns[:MOST_PATTERNS]
    ]  # fmt: skip
    more = len(s.patterns) - MOST_PATTERNS
    note = f"● a row, ○ none, from {s.periods[0]} to {s.periods[-1]}."
    note += f" {more} further patterns are rarer." if more > 0 else ""
    return q.table("patterns", "Gaps", rows, note=note, folded=True)


def variation(m: PanelModels) -> TableBlock:
    """How outcome and columns vary, and which never change within a unit."""
    s = m.study
    names = [s.data.response.title, *s.titles]
    rows = []
    for name, (mean, whole, outer, inner) in zip(names, s.spreads, strict=True):
        k = min(decimals_of(whole / 3, mean), 6) if whole > 0 else 2
        never = inner <= NEVER * max(whole, 1e-300)
        cells = q.row(
            column=q.name(name, "Column"), mean=q.num(mean, k, "Mean"), sd=q.num(whole, k, "SD"),
            between=q.num(outer, k, "SD between units"),
        )  # fmt: skip
        cells |= q.row(
            within=q.said("never changes", "SD within units") if never else q.num(inner, k, "SD within units")
        )
        rows.append(cells)
    note = "Of all rows; of the units’ means, each once; of rows about their unit’s mean, over rows − 1."
    return q.table("variation", "What varies between and within units", rows, note=note, folded=len(rows) > 8)


def side_by_side(m: PanelModels) -> TableBlock:
    """Estimates of all models in aligned rows, errors below them."""
    s = m.study
    rows: list[dict[str, q.Quantity]] = []

    def add(title: str, lines: dict[str, Line | None]) -> None:
        """One row over all models; empty where the row does not belong to a model."""
        made = {"term": q.name(title, "")}
        for key, line in lines.items():
            made[key] = _estimate(line, key, m.spec.alpha) if line else q.blank(HEADS[key])
        rows.append(made)

    for j, title in enumerate(s.titles):
        add(title, {k: m.line(k, j) for k in m.fits})
    means = [f.means for f in m.fits.values() if isinstance(f, Fit) and f.means]
    for j in sorted({c for found in means for c in found}):
        lines: dict[str, Line | None] = {}
        for k, fit in m.fits.items():
            has = isinstance(fit, Fit) and fit.means
            lines[k] = m.line(k, j, mean=True) if has else None
        add(f"Unit’s mean of {lower(s.titles[j])}", lines)
    add("Intercept", {k: m.intercept(k) for k in m.fits})
    for title, cell in _feet(m).items():
        rows.append({"term": q.name(title, "")} | {k: cell[k] for k in m.fits})
    note = "Standard errors below, bold where p is below α; a dash says why there is no estimate."
    note += f" {s.data.references}" if s.data.references else ""
    return q.table("models", "Models side by side", rows, note=note, picked=m.spec.main)


def _estimate(line: Line, model: str, alpha: float) -> q.Quantity:
    title = HEADS[model]
    if not np.isfinite(line.b):
        return q.gone(line.why, title)
    k = decimals(line)
    below = number(line.se, k) if np.isfinite(line.se) else ""
    return q.Quantity(line.b, number(line.b, k), title, "value", below=below, strong=bool(line.p < alpha))


def _feet(m: PanelModels) -> dict[str, dict[str, q.Quantity]]:
    """Rows, units, R² and variances of each model."""
    out: dict[str, dict[str, q.Quantity]] = {
        name: {}
        for name in (
            "Rows",
            "R² within",
            "R² between",
            "R² overall",
            "SD of units’ levels",
            "SD of the rest",
            "Share of units, ρ",
        )
    }
    for key, fit in m.fits.items():
        title = HEADS[key]
        if isinstance(fit, str):
            for cells in out.values():
                cells[key] = q.gone(fit, title)
            continue
        out["Rows"][key] = q.count(fit.n, title)
        found = m.determined(key)
        for part in ("within", "between", "overall"):
            value = getattr(found, part) if found else np.nan
            out[f"R² {part}"][key] = q.size(value, title, why="nothing of it scatters")
        sd_u, sd_e = spreads_of(m, key)
        why = "the model has none"
        k = decimals_of(sd_e / 3, sd_e) if np.isfinite(sd_e) else 2
        out["SD of units’ levels"][key] = q.num(sd_u, k, title, why=why)
        out["SD of the rest"][key] = q.num(sd_e, k, title, why=why)
        rho = sd_u**2 / (sd_u**2 + sd_e**2) if np.isfinite(sd_u) and sd_u**2 + sd_e**2 > 0 else np.nan
        out["Share of units, ρ"][key] = q.size(rho, title, why=why)
    return out


def spreads_of(m: PanelModels, model: str) -> tuple[float, float]:
    """SD of units' levels (components for random effects; of the levels themselves for fixed) and of the rest."""
    fit = m.fits[model]
    if isinstance(fit, str) or fit.df <= 0:
        return np.nan, np.nan
    if model in ("random", "unit_means", "within_between") and not isinstance(m.made, str):
        return float(np.sqrt(m.made.units)), float(np.sqrt(m.made.rest))
    p = m.study.panel
    rest = float(
        np.sqrt(fit.rss / max(fit.n - len(fit.used) - fit.absorbed - (1 if np.isfinite(fit.intercept) else 0), 1))
    )
    if model not in ("fixed", "fixed_periods"):
        return np.nan, rest
    left = p.both[:, 0] - p.both[:, [j + 1 for j in fit.used]] @ fit.estimates.coef
    return float(p.means(left).std(ddof=1)), rest


def told(m: PanelModels) -> TableBlock:
    """The model that is reported, in full."""
    s = m.study
    rows: list[q.Row] = []
    marked: list[int] = []
    means = m.main.means
    todo = [(t, m.line(m.spec.main, j)) for j, t in enumerate(s.titles)]
    todo += [(f"Unit’s mean of {lower(s.titles[j])}", m.line(m.spec.main, j, mean=True)) for j in means]
    if np.isfinite(m.main.intercept):
        todo.append(("Intercept", m.intercept(m.spec.main)))
    for title, line in todo:
        k = decimals(line)
        if line.p < m.spec.alpha:
            marked.append(len(rows))
        rows.append(
            q.row(
                term=q.name(title, "Term"), b=q.est(line.b, k, "b", why=line.why),
                se=q.num(line.se, k, "SE", why=line.why),
                **q.ci(line.low, line.high, k, m.spec.alpha, why=line.why), t=q.stat(line.t, "t", why=line.why),
                df=q.df(m.main.df), p=q.p(line.p, why=line.why),
            )
        )  # fmt: skip
    note = f"{MODELS[m.spec.main][0].upper()}{MODELS[m.spec.main][1:]}; errors {errors_of(m, m.spec.main)}."
    return q.table("coefficients", "The model reported", rows, note=note, marked=marked, strong=["term", "p"])


def errors_of(m: PanelModels, model: str) -> str:
    """'by unit, factor G/(G − 1) × (n − 1)/(n − k)' or 'classical'."""
    fit = m.fits[model]
    by = model == "pooled_clustered" or (m.spec.se == "cluster" and model not in ("pooled", "between"))
    return f"by unit, factor {fit.estimates.words}" if by and not isinstance(fit, str) else "classical"


def choices(m: PanelModels) -> TableBlock:
    """What each model compares; a click reports it."""
    rows = []
    for key in m.fits:
        rows.append(
            q.row(model=q.Quantity(key, MODELS[key], "Model", "name"), says=q.said(COMPARES[key], "What it compares"))
        )
    place = list(m.fits).index(m.spec.main)
    made = q.table(
        "choices", "What each model compares", rows, marked=[place], strong=["model"], folded=True,
        note="A click makes a model the one to be reported.",
    )  # fmt: skip
    return touch.choose(made, "main", "model", "Report this model")


COMPARES = {
    "pooled": "all rows, as if of no unit",
    "pooled_clustered": "the same, with errors that let rows of a unit be alike",
    "between": "units by their means",
    "fixed": "a unit with itself over time: what never changes in it drops out",
    "fixed_periods": "the same, less what changes for all alike",
    "random": "both within and between, weighed; right if units’ levels have nothing to do with the terms",
    "first_differences": "changes from one period to the next",
    "unit_means": "within, with what units’ means add beside it",
    "within_between": "within and between, each with a slope of its own",
}


def tests(m: PanelModels) -> TableBlock:
    """Do units differ, do periods, and do the fixed and random effects agree?"""
    rows = []
    nan = np.nan
    for name, found in (("Units have one level", m.units_differ), ("Periods have one level", m.periods_differ)):
        f, df1, df2, p = found or (nan, nan, nan, nan)
        why = "cannot be had from these rows"
        rows.append(
            q.row(
                what=q.name(name, "Tested"),
                stat=q.texted(f, f"F = {number(f, 2)}", "Statistic") if found else q.gone(why, "Statistic"),
                df=q.word(f"{df1:.0f}, {df2:.0f}", "df") if found else q.gone(why, "df"), p=q.p(p, why=why),
            )
        )  # fmt: skip
    forms: list[tuple[str, Wald | None]] = [
        (
            "Fixed and random effects agree (Hausman; each covariance with its own residual variance)",
            m.hausman["own"],
        ),
        ("The same, both with that of the fixed effects", m.hausman["fixed"]),
        ("The same, both with that of the random effects", m.hausman["random"]),
        ("The same by unit means, errors by unit", m.by_means),
    ]
    for name, w in forms:
        why = (
            "the difference of the covariances is not positive definite"
            if m.plain
            else "one of the two models cannot be had"
        )
        rows.append(
            q.row(
                what=q.name(name, "Tested"),
                stat=q.texted(w.chi2, f"χ² = {number(w.chi2, 2)}", "Statistic") if w else q.gone(why, "Statistic"),
                df=q.word(str(w.df), "df") if w else q.gone(why, "df"), p=q.p(w.p if w else nan, why=why),
            )
        )  # fmt: skip
    marked = [i for i, r in enumerate(rows) if isinstance(v := r["p"].v, float) and v < m.spec.alpha]
    return q.table("tests", "Which model?", rows, marked=marked)


def facts(m: PanelModels) -> dict[str, Any]:
    """Numbers by name: term, model and what of it."""
    p = m.study.panel
    out: dict[str, Any] = {"n": p.n, "units": p.units, "periods": len(m.study.periods)}
    for model, fit in m.fits.items():
        if isinstance(fit, str):
            continue
        for j in range(len(m.study.titles)):
            line = m.line(model, j)
            key = f"{model}.{m.study.data.column_key(j)}"
            if np.isfinite(line.b):
                out |= {f"{key}.b": line.b, f"{key}.se": line.se, f"{key}.p": line.p}
            if fit.means and j in fit.means:
                mean = m.line(model, j, mean=True)
                out |= {f"{key}.mean.b": mean.b, f"{key}.mean.se": mean.se}
        if np.isfinite(fit.intercept):
            out |= {f"{model}.intercept.b": fit.intercept, f"{model}.intercept.se": fit.intercept_se}
        found = m.determined(model)
        if found:
            out |= {
                f"{model}.r2_within": found.within,
                f"{model}.r2_between": found.between,
                f"{model}.r2_overall": found.overall,
            }
        out[f"{model}.df"] = fit.df
    if not isinstance(m.made, str):
        out |= {"sigma_u": float(np.sqrt(m.made.units)), "sigma_e": float(np.sqrt(m.made.rest))}
        total = m.made.units + m.made.rest
        out |= {"rho": m.made.units / total} if total > 0 else {}
        theta = m.made.theta(p.sizes)
        out |= {"theta_low": float(theta.min()), "theta_high": float(theta.max())}
    for name, w in (
        ("hausman", m.hausman["own"]),
        ("hausman_fixed", m.hausman["fixed"]),
        ("hausman_random", m.hausman["random"]),
        ("hausman_means", m.by_means),
    ):
        if w:
            out |= {f"{name}.chi2": w.chi2, f"{name}.df": w.df, f"{name}.p": w.p}
    for name, found_f in (("units", m.units_differ), ("periods", m.periods_differ)):
        if found_f:
            out |= {
                f"{name}.f": found_f[0],
                f"{name}.df1": found_f[1],
                f"{name}.df2": found_f[2],
                f"{name}.p": found_f[3],
            }
    first = next((j for j in range(len(m.study.titles)) if np.isfinite(m.line(m.spec.main, j).b)), None)
    if first is not None:
        out["p"] = m.line(m.spec.main, first).p
    return out


def card(m: PanelModels) -> ModelCard:
    """The reported model for a line-up."""

    def told_one(key: str, title: str, line: Line) -> Estimate:
        """As a line-up has it."""

        def known(v: float) -> float | None:
            """None for what is not there."""
            return float(v) if np.isfinite(v) else None

        return Estimate(
            key=key, title=title, b=known(line.b), se=known(line.se), low=known(line.low), high=known(line.high),
            p=known(line.p), why=line.why or None,
        )  # fmt: skip

    data = m.study.data
    estimates = (
        [told_one("intercept", "Intercept", m.intercept(m.spec.main))] if np.isfinite(m.main.intercept) else []
    )
    estimates += [told_one(data.column_key(j), t, m.line(m.spec.main, j)) for j, t in enumerate(m.study.titles)]
    found = m.determined(m.spec.main)
    lines = []
    for part in ("within", "between", "overall"):
        v = getattr(found, part) if found else np.nan
        there = bool(np.isfinite(v))
        lines.append(
            FitLine(
                key=f"r2_{part}", title=f"R² {part}", v=float(v) if there else None, s=share(v) if there else "–",
                better="high" if part == "within" else None,
            )
        )  # fmt: skip
    return ModelCard(
        kind=f"panel: {MODELS[m.spec.main]}", said=data.response.title, response=data.response.name, effect="b",
        terms=[CardTerm(key=term_key(t), title=data.term_title(t)) for t in data.terms], estimates=estimates, fit=lines,
        log_likelihood=None, parameters=len(m.main.estimates.coef) + m.main.absorbed, n=data.n, rows=data.fingerprint,
        intercept=True,  # units’ own levels stand for it where it is taken out
    )  # fmt: skip
