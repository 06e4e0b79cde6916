"""The sentence, tables and pictures of a model in a survey; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import counted, decimals_of, level_words, number, p_words, percent, say, share_fine
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.models.coefficients import Coefficient, coefficients, most_telling
from yavik.core.methods.kit.models.effects import main_picture
from yavik.core.methods.kit.models.scale import Scale, exp
from yavik.core.methods.kit.models.tables import (
    chi2_terms,
    coefficient_facts,
    coefficients_table,
    effect_blocks,
    fit_table,
    model_card,
    names_of_terms,
    of_line,
    ratios_picture,
    term_facts,
    words_table,
)
from yavik.core.methods.kit.surveys import points, standing
from yavik.core.methods.surveys.survey_model.compute import SurveyModel

TOO_FEW = "too few df of the design, columns that go together, or a row that decides a coefficient alone"


def scale_of(m: SurveyModel) -> Scale:
    """Differences, or ratios of odds."""
    return Scale("t", "odds_ratio", "Odds ratio", m.of) if m.family == "logistic" else Scale("t", of=m.of)


def found_in(m: SurveyModel) -> list[Coefficient]:
    """Coefficients in the units asked for."""
    return coefficients(m.fitted, m.spec.per)


def headline(m: SurveyModel, found: list[Coefficient]) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    if not m.data.terms:
        return say(f"No term was chosen for {m.of}."), "no term chosen"
    w = m.whole
    go = "go" if m.family == "logistic" else "goes"
    text = claimed(f"{m.of} {go} with {names_of_terms(m.data)}", w is not None and w[2] < m.spec.alpha)
    if w is None:
        text = f"Whether {m.of} {go} with {names_of_terms(m.data)} cannot be tested: {TOO_FEW}"
    else:
        text += f" (F({w[1]}, {number(m.df - w[1] + 1, 0)}) = {number(w[0], 2)}, p {p_words(w[2])})"
    strongest = most_telling(m.fitted, found)
    words = scale_of(m).sentence(m.fitted, strongest) if strongest and m.family == "logistic" else None
    return say(
        f"{text}.{f' {words}' if words else ''}"
    ), f"{counted(len(m.data.terms), 'term')}, {percent(m.explained)} explained"


def blocks(m: SurveyModel, found: list[Coefficient]) -> list[Any]:
    """Everything below the sentence."""
    scale = scale_of(m)
    decimals = 3 if m.family == "logistic" else m.data.decimals + 1
    logistic = m.family == "logistic"
    span = (0.0, 1.0) if logistic else None
    return [
        main_picture(m.fitted, points=False, span=span), how_it_fits(m), table(m, found),
        words_table(m.fitted, found, lambda c: scale.sentence(m.fitted, c)) if logistic else None,
        ratios_picture(m.fitted, scale, found, m.of) if logistic else None,
        terms(m), marginal(m), beside(m),
        *effect_blocks(
            m.fitted, m.spec, scale, decimals, span=span, event=f"Share of {m.event}" if logistic else None,
            slopes=not logistic,
        ),
        _write_up(m),
    ]  # fmt: skip


def fit_lines(m: SurveyModel) -> list[FitLine]:
    """Measures for the card."""
    title = "Weighted variance accounted for"
    return [
        FitLine(
            key="explained", title=title, v=m.explained, s=share_fine(m.explained), better="high", short="Explained"
        ),
    ]


def how_it_fits(m: SurveyModel) -> TableBlock:
    """Rows, what they stand for, df."""
    lines = [of_line(line) for line in fit_lines(m)]
    lines += [
        ("Rows", q.count(m.data.n)), ("They stand for", q.said(standing(float(m.weights.sum())))),
        ("df of the design", q.num(m.df, 0)),
    ]  # fmt: skip
    return fit_table("How well it fits", lines)


def table(m: SurveyModel, found: list[Coefficient]) -> TableBlock:
    """Coefficients with errors by the design."""
    note = f"Weighted by {m.survey.design.weight}; errors by the design, t with {number(m.df, 0)} df."
    if m.fit.lost:
        note += f" {counted(m.fit.lost, 'replicate')} without a fit passed over."
    return coefficients_table(m.fitted, scale_of(m), found, f"Coefficients for {m.of}", [note])


def terms(m: SurveyModel) -> TableBlock | None:
    """Each term with all its columns, by the adjusted Wald test."""
    made = chi2_terms(m.fitted, m.terms, "F", TOO_FEW, "f")
    if made:
        made.note = "Adjusted Wald tests: F = (df − k + 1)/(k df) Q with k and df − k + 1 df."
    return made


def marginal(m: SurveyModel) -> TableBlock:
    """Average changes of the mean over the population."""
    rows = []
    for c in m.marginal:
        d = decimals_of(c.se, c.value)

        def told(v: float, d: int = d) -> str:
            return points(v, d - 2) if m.family == "logistic" else number(v, d)

        reach = m.fitted.reach * c.se
        cells = q.row(
            name=q.name(c.name, "By"), value=q.texted(c.value, told(c.value), "Change of the mean", "estimate"),
            se=q.texted(c.se, told(c.se), "SE"),
        )  # fmt: skip
        cells |= q.ends(c.value - reach, c.value + reach, told, f"{level_words(m.spec.alpha)} CI")
        rows.append(cells)
    note = (
        "Averaged over the rows by their weights: one more of a number, a level in place of the reference, all else"
    )
    note += " as it is. Errors of the coefficients alone, the rows as given."
    return q.table("marginal", "Average changes", rows, note=note, folded=m.family == "linear")


def beside(m: SurveyModel) -> TableBlock:
    """Weighted beside unweighted coefficients, of the columns as they are."""
    turn = m.fitted.turn
    plain, plain_se = turn @ m.plain, np.sqrt(np.maximum(np.diag(turn @ m.plain_covariance @ turn.T), 0.0))
    names = [*(["intercept"] if m.fitted.intercept else []), *(m.data.column_title(c) for c in m.used)]
    rows = []
    for k, name in enumerate(names):
        b, se = float(m.fitted.raw_coef[k]), float(m.fitted.raw_se[k])
        d = decimals_of(se, b)
        ratio = se**2 / float(plain_se[k]) ** 2 if plain_se[k] > 0 else np.nan
        rows.append(
            q.row(
                name=q.name(name, "Column"), b=q.num(b, d, "b, weighted"), se=q.num(se, d, "SE by the design"),
                plain=q.num(float(plain[k]), d, "b, unweighted"),
                plain_se=q.num(float(plain_se[k]), d, "SE of a simple sample"),
                effect=q.num(ratio, 2, "Variances, first over second"),
            )
        )  # fmt: skip
    note = "Where both b differ by more than their errors, the sample was drawn by something that the model lacks."
    return q.table("beside", "Weighted beside unweighted", rows, note=note, folded=True)


def card(m: SurveyModel) -> ModelCard:
    """What a trail and a line-up show of the model."""
    return model_card(
        m.fitted, found_in(m), fit_lines(m), kind=f"weighted {m.family}", said=m.data.response.title,
        effect="odds_ratio" if m.family == "logistic" else "b", log_likelihood=None,
        parameters=len(m.fitted.coef) + int(m.family == "linear"),
    )  # fmt: skip


def facts(m: SurveyModel, found: list[Coefficient]) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {"n": m.data.n, "weighted_n": float(m.weights.sum()), "df": m.df, "explained": m.explained}
    if m.whole:
        out |= {"f": m.whole[0], "df1": m.whole[1], "p": m.whole[2]}
    out |= coefficient_facts(found, "t") | term_facts(m.data, m.terms)
    if m.family == "logistic":
        for c in found:
            if c.column is not None and np.isfinite(c.b):
                out |= {
                    f"{c.key}.odds_ratio": exp(c.b),
                    f"{c.key}.ci_low": exp(c.low),
                    f"{c.key}.ci_high": exp(c.high),
                }
    return out | {f"marginal.{c.name}": c.value for c in m.marginal}


def _write_up(m: SurveyModel) -> NoteBlock:
    kind = "Logistic" if m.family == "logistic" else "Linear"
    text = f"{m.survey.sentence()}. {kind} regression of {m.data.response.title}"
    text += f" ({counted(m.data.n, 'row')}): {names_of_terms(m.data)}"
    for term, t in zip(m.data.terms, m.terms, strict=True):
        if t:
            text += f"; {m.data.term_title(term)} F({t[1]}, {number(m.df - t[1] + 1, 0)}) = {number(t[0], 2)},"
            text += f" p {p_words(t[2])}"
    return NoteBlock(id="write_up", text=f"{text}.")
