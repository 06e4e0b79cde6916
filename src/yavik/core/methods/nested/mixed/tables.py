"""Tables, sentences, facts and card of a mixed model."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import counted, decimals_of, level_words, listing, number, share_fine
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.coefficients import Coefficient
from yavik.core.methods.kit.models.scale import Scale
from yavik.core.methods.kit.models.tables import (
    coefficient_facts,
    coefficients_table,
    fit_table,
    model_card,
    of_line,
)
from yavik.core.methods.kit.models.terms import term_key
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.methods.nested.mixed.spec import COVARIANCES
from yavik.core.methods.nested.mixed.spreads import Spread, profiled
from yavik.core.methods.nested.mixed.strata import Stratum, level_of
from yavik.core.stats.mixed.inference import Test

UNTOLD = "the data cannot tell it: a cell is empty, or other columns say the same"
DF_WORDS = {
    "satterthwaite": "df by Satterthwaite",
    "kenward_roger": "df and covariance by Kenward and Roger",
    "none": "Wald’s χ², no df",
}
AT_ZERO = "at zero: its bound"


def scale_of(m: MixedModel) -> Scale:
    """Differences in the response's own unit."""
    return Scale("z" if m.df_kind == "none" else "t")


def terms_table(m: MixedModel, classical: list[Stratum | None] | None) -> TableBlock | None:
    """F with its df and where they come from, Wald's χ² beside it."""
    if not m.data.terms:
        return None
    rows: list[q.Row] = []
    for i, (term, t) in enumerate(zip(m.data.terms, m.tests, strict=True)):
        row = q.row(term=q.name(m.data.term_title(term), "Term"))
        if m.df_kind != "none":
            row |= q.f_cells(t, "f", "df1", "df2", "p", why=UNTOLD)
            row["error"] = q.word(error_of(m, i, t), "Tested against")
        else:
            row["df1"] = q.df(t.df1 if t else np.nan, "df", UNTOLD)
        row["chi2"] = q.stat(t.wald if t else np.nan, "Wald χ²", UNTOLD)
        value = q.p(t.wald_p if t else np.nan, "p of χ²" if m.df_kind != "none" else "p", UNTOLD)
        row["p_wald" if m.df_kind != "none" else "p"] = value
        rows.append(row)
    marked = [i for i, t in enumerate(m.tests) if t is not None and t.p < m.spec.alpha]
    note = f"Type III, {DF_WORDS[m.df_kind]}. Wald’s χ² takes the covariance as known, and claims too much with few"
    note += " units."
    note += _not_offered(m)
    if classical:
        note += f" {same_words(m, classical)}"
    return q.table("terms", "Each term with all its columns", rows, note=note, marked=marked, strong=["term", "p"])


def _not_offered(m: MixedModel) -> str:
    if m.spec.df != "kenward_roger" or m.df_kind == "kenward_roger":
        return ""
    return " Kenward and Roger’s correction is not had for this covariance; Satterthwaite’s df stand in."


def error_of(m: MixedModel, term: int, test: Test | None) -> str:
    """What a term is tested against, in words."""
    if not m.random or test is None:
        return "scatter over subjects and times" if m.spec.over_time and not m.random else "scatter of rows"
    place = level_of(m, term)
    if place < 0:
        return "scatter of rows within"
    return f"scatter of {m.random[place].title}"


def same_words(m: MixedModel, classical: list[Stratum | None]) -> str:
    """Whether the classical analysis of the strata gives the same F."""
    pairs = [(t, c.test) for t, c in zip(m.tests, classical, strict=True) if t and c]
    same = all(abs(t.f - c.f) < 1e-4 * max(c.f, 1e-3) and abs(t.df2 - c.df2) < 0.01 for t, c in pairs)
    if same:
        return "The classical analysis of the strata has the same F and df."
    if m.top.flat:
        return "The classical analysis of the strata differs, as a component lies at zero here (see there)."
    return "The classical analysis of the strata differs, as the design is not balanced."


def strata_table(m: MixedModel, classical: list[Stratum | None] | None) -> TableBlock | None:
    """The classical test of each term."""
    if not classical or not any(classical):
        return None
    rows = []
    for term, c in zip(m.data.terms, classical, strict=True):
        if c is None:
            continue
        where = "rows within" if c.place < 0 else m.random[c.place].title
        rows.append(
            q.row(
                term=q.name(m.data.term_title(term), "Term"), error=q.word(where, "Stratum"), **q.f_cells(c.test),
                ms=q.num(c.error, decimals_of(c.error / 10), "Mean square of error"),
            )
        )  # fmt: skip
    return q.table("anova", "Classical analysis of the strata", rows, note=same_words(m, classical), folded=True)


def variances_table(m: MixedModel, found: list[Spread]) -> TableBlock:
    """Components with their profile limits and the test on their bound."""
    rows: list[q.Row] = []
    level = level_words(m.spec.alpha)
    for s in found:
        row = q.row(term=q.name(s.title[0].upper() + s.title[1:], "Component"), n=q.count(s.n, "Units"))
        if s.kind == "correlation":
            row |= q.row(
                variance=q.blank("Variance"), sd=q.size(s.value, "SD, or r", "one of the two does not vary"),
                **q.size_ci(s.low, s.high, m.spec.alpha, "its likelihood cannot be followed"),
            )  # fmt: skip
        else:
            sd = float(np.sqrt(max(s.value, 0.0)))
            d = decimals_of(max((s.high - s.low) / 8, 1e-12) if np.isfinite(s.high - s.low) else sd / 10, sd)
            dv = decimals_of(
                max(sd * (s.high - s.low) / 8, 1e-12) if np.isfinite(s.high - s.low) else s.value / 10, s.value
            )
            row |= q.row(
                variance=q.num(s.value, dv, "Variance", unit=_squared(m)),
                sd=q.num(sd, d, "SD, or r", role="estimate"),
                **q.ci(s.low, s.high, d, m.spec.alpha, why="its likelihood cannot be followed"),
            )  # fmt: skip
            low, high = s.low**2 if np.isfinite(s.low) else np.nan, s.high**2 if np.isfinite(s.high) else np.nan
            row |= {
                "variance_low": q.Quantity(_or_none(low), "", None),
                "variance_high": q.Quantity(_or_none(high), "", None),
            }
        row["part"] = q.blank("Share") if np.isnan(s.share) else q.part(s.share, "Share")
        tested = not np.isnan(s.p)
        row["statistic"] = q.stat(s.lr, "LR") if tested else q.blank("LR", "statistic")
        row["p"] = q.p(s.p) if tested else q.blank("p", "p")
        rows.append(row)
    way = "restricted" if m.restricted else "full"
    note = f"{level} limits of the SD from the profile of the {way} likelihood (χ² with 1 df)"
    if not profiled(m):
        note = f"{level} limits of the SD from the standard error of its logarithm"
    note += "; those of a variance are their squares."
    tested = any(not np.isnan(s.p) for s in found)
    if tested:
        note += " LR: what the likelihood loses without the component, p halved as zero is its bound."
    gone = set() if tested else {"statistic", "p"}
    gone |= set() if any(not np.isnan(s.share) for s in found) else {"part"}
    order = [k for k in rows[0] if k not in gone]
    return q.table("variances", "Where the scatter lies", rows, note=note, strong=[], order=order)


def _or_none(x: float) -> float | None:
    return float(x) if np.isfinite(x) else None


def _squared(m: MixedModel) -> str:
    return f"{m.data.response.unit}²" if m.data.response.unit else ""


def fit_lines(m: MixedModel) -> list[FitLine]:
    """Measures of fit."""
    marginal, conditional = m.r2

    def line(key: str, title: str, v: float, s: str, better: Any = None, short: str = "") -> FitLine:
        """One measure."""
        return FitLine(key=key, title=title, v=float(v), s=s, better=better, short=short or title)

    way = "restricted " if m.restricted else ""
    lines = [line("r2_marginal", "R² of the terms (marginal)", marginal, share_fine(marginal), "high", "R² marginal")]
    if m.random:
        lines.append(
            line(
                "r2_conditional",
                "R² of terms and units (conditional)",
                conditional,
                share_fine(conditional),
                "high",
                "R² conditional",
            )
        )
    lines += [
        line("aic", "AIC", m.aic, number(m.aic, 1), "low"), line("bic", "BIC", m.bic, number(m.bic, 1), "low"),
        line("log_likelihood", f"{way}log-likelihood".capitalize(), m.log_likelihood, number(m.log_likelihood, 2)),
    ]  # fmt: skip
    return lines


def how_it_fits(m: MixedModel) -> TableBlock:
    """Likelihood, criteria, R², ICC."""
    lines = [of_line(x) for x in fit_lines(m)]
    for r, v in zip(m.random, m.unit_variances, strict=True):
        lines.append((f"Intraclass correlation of {r.title}", q.size(v / m.total_variance, "")))
    lines += [
        ("Residual SD", q.num(float(np.sqrt(m.residual_variance)), m.data.decimals + 1)),
        ("Rows", q.count(m.data.n)), ("Parameters", q.count(m.parameters)),
    ]  # fmt: skip
    made = fit_table("How well it fits", lines)
    rows = "rows less the coefficients" if m.restricted else "rows"
    made.note = (
        f"AIC and BIC count {len(m.base)} coefficients and {len(m.top.phi)} of the covariance; n of BIC is the"
    )
    made.note += f" number of {rows}."
    if m.restricted:
        made.note += (
            " The restricted likelihood leaves out + ½ ln|X′X|; it can be compared between models of the same"
        )
        made.note += " terms only."
    return made


def coefficients(m: MixedModel, found: list[Coefficient]) -> TableBlock:
    """b with its standard error and its own df."""
    places = {c.key: i for i, c in enumerate(k for k in found if not k.why)}
    df = m.fitted.raw_df

    def own(c: Coefficient) -> q.Row:
        """The df of a coefficient."""
        place = places.get(c.key)
        known = place is not None and np.isfinite(c.t) and m.df_kind != "none"
        return {"df": q.df(float(df[place]) if known and place is not None else np.nan, why=c.why or q.NONE)}

    extra = own if m.df_kind != "none" else (lambda _: {})
    unit = [f"b in {m.data.response.unit}."] if m.data.response.unit else []
    wide = "as Kenward and Roger widen them" if m.df_kind == "kenward_roger" else "from (X′V⁻¹X)⁻¹"
    notes = [*unit, f"Standard errors {wide}."]
    title = f"Coefficients for {lower(m.data.response.title)}"
    made = coefficients_table(m.fitted, scale_of(m), found, title, notes, extra)
    own_df = [c for c in made.columns if c.key == "df"]
    heads = [c for c in made.columns if c.key != "df"]
    at = next(i for i, c in enumerate(heads) if c.key == "p")
    return made.model_copy(update={"columns": [*heads[:at], *own_df, *heads[at:]]})


def units_tables(m: MixedModel) -> list[TableBlock]:
    """Predicted effects of every unit, sorted; folded."""
    made: list[TableBlock] = []
    for r, values, errors in zip(m.random, *m.effects, strict=True):
        order = np.argsort(-values[:, 0], kind="stable")[:400]
        n = np.bincount(r.codes, minlength=r.n_units)
        rows = []
        known = errors[np.isfinite(errors) & (errors > 0)]
        d = decimals_of(float(known.min())) if len(known) else m.data.decimals + 1
        for u in order:
            row = q.row(unit=q.name(r.labels[u], r.title[0].upper() + r.title[1:]), n=q.count(n[u], "Rows"))
            for j, effect in enumerate(r.effects):
                name = "Effect" if effect == "level" else f"Slope of {m.table.column(effect).title}"
                key = "estimate" if j == 0 else f"estimate_{effect}"
                row[key] = q.num(float(values[u, j]), d + (effect != "level"), name)
                why = "counted from a zero outside the data, its error is not told"
                row["se" if j == 0 else f"se_{effect}"] = q.num(
                    float(errors[u, j]), d + (effect != "level"), "SE", why=why
                )
            rows.append(row)
        id = "units" if not made else f"units_{r.key}"
        note = "Predicted effects, drawn towards zero by what chance makes; SE of their errors."
        made.append(q.table(id, f"Effects of {r.title}, unit by unit", rows, note=note, folded=True, strong=[]))
    return made


def card(m: MixedModel, found: list[Coefficient]) -> ModelCard:
    """What a trail and a line-up show of the model."""
    names = [r.title for r in m.random] or [COVARIANCES[m.spec.covariance].split(":")[0]]
    return model_card(
        m.fitted, found, fit_lines(m), kind=f"mixed ({listing(names, 3)})", said=m.data.response.title, effect="b",
        log_likelihood=m.log_likelihood, parameters=m.parameters,
        likelihood_of="restricted" if m.restricted else "measures",
    )  # fmt: skip


def facts(m: MixedModel, found: list[Coefficient], spreads: list[Spread]) -> dict[str, Any]:
    """Numbers by name."""
    marginal, conditional = m.r2
    out: dict[str, Any] = {
        "n": m.data.n, "log_likelihood": m.log_likelihood, "aic": m.aic, "bic": m.bic, "r2.marginal": marginal,
        "r2.conditional": conditional, "converged": float(m.top.converged),
    }  # fmt: skip
    for r, v in zip(m.random, m.unit_variances, strict=True):
        out |= {f"{r.key}.units": r.n_units, f"{r.key}.icc": v / m.total_variance}
    for s in spreads:
        if s.kind == "correlation":
            out[f"{s.key}.r" if not s.key.endswith("r") else s.key] = s.value
            continue
        sd = float(np.sqrt(max(s.value, 0.0)))
        out |= {f"{s.key}.variance": s.value, f"{s.key}.sd": sd, f"{s.key}.ci_low": s.low, f"{s.key}.ci_high": s.high}
    for term, t in zip(m.data.terms, m.tests, strict=True):
        if t:
            key = term_key(term)
            out |= {f"{key}.chi2": t.wald, f"{key}.p": t.p, f"{key}.df1": t.df1}
            if m.df_kind != "none":
                out |= {f"{key}.f": t.f, f"{key}.df2": t.df2}
    best = min((t.p for t in m.tests if t), default=None)
    out |= {"p": best} if best is not None else {}
    named = {**coefficient_facts(found, scale_of(m).letter)}
    for c in found:
        if c.column is not None and np.isfinite(c.low):
            named |= {f"{c.key}.ci_low": c.low, f"{c.key}.ci_high": c.high}
    return named | out


def times_table(m: MixedModel) -> TableBlock | None:
    """Rows and subjects at each time, in each group: what is missing throws nobody out."""
    if not m.spec.over_time or m.spec.time is None or m.spec.subject is None:
        return None
    from yavik.core.methods.nested.mixed.design import units_of

    time, times = units_of(m.table, m.data, [m.spec.time])
    if len(times) > 60:
        return None
    subject, who = units_of(m.table, m.data, [m.spec.subject])
    order = np.argsort(
        m.table.codes(m.spec.time).codes[m.data.places][[int(np.argmax(time == i)) for i in range(len(times))]]
    )
    group, groups = units_of(m.table, m.data, m.spec.between) if m.spec.between else (np.zeros(m.data.n, int), ["n"])
    rows = []
    for i in order:
        cells = {
            f"n_{g}": q.count(int(((time == i) & (group == g)).sum()), name if m.spec.between else "n")
            for g, name in enumerate(groups)
        }
        rows.append({"level": q.name(times[i], m.table.column(m.spec.time).title), **cells})
    full = int((np.bincount(subject) == len(times)).sum())
    said = f"{counted(len(who), 'subject')}, {full} with every time."
    return q.table("times", "Rows at each time", rows, note=said, folded=True, strong=[])
