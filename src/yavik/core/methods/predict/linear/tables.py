"""Tables, sentences and card of a linear model."""

from typing import Any

import numpy as np

from yavik.core.answers import Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import FitLine, ModelCard
from yavik.core.answers.wording import (
    after_difference,
    counted,
    decimals_of,
    df,
    italic,
    number,
    percent,
    say,
    share,
    share_fine,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.coefficients import Coefficient, change_words, goes_with, raw_shape
from yavik.core.methods.kit.models.scale import Scale
from yavik.core.methods.kit.models.tables import (
    coefficient_facts,
    coefficients_table,
    fit_table,
    influential_block,
    model_card,
    names_of_terms,
    of_line,
)
from yavik.core.methods.kit.models.terms import term_key
from yavik.core.methods.predict.linear.fit import LinearFit
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.oneway import FTest

SE_WORDS = {
    "classical": "classical standard errors",
    "hc0": "robust standard errors, HC0",
    "hc1": "robust standard errors, HC1",
    "hc2": "robust standard errors, HC2",
    "hc3": "robust standard errors, HC3",
    "cluster": "standard errors by cluster",
    "cr2": "standard errors by cluster, corrected for few of them (CR2), df by Satterthwaite",
    "wild": "p by the wild cluster bootstrap, intervals by CR2",
}


def headline(
    m: LinearFit, spec: LinearSpec, test: FTest | None, strongest: Coefficient | None
) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    names, response, r2 = names_of_terms(m.data), lower(m.data.response.title), m.model.r2
    if not m.data.terms:
        mean = number(float(m.model.coef[0]), m.data.decimals + 1)
        return say(f"No term was chosen: {response} is best told by its mean, {mean}{_unit(m)}."), "no term chosen"
    verb, about = "together explain" if len(m.data.terms) > 1 else "explains", "" if m.model.first else " about zero"
    said: list[str | Span] = [
        f"{names[0].upper()}{names[1:]} {verb} {percent(r2)} of the scatter of {response}{about}"
    ]
    said += [" (", italic("R"), f"²\u00a0= {share(r2)}, adjusted {share(m.model.adjusted_r2)}"]
    said += [f", predicted {share(m.rows.predicted_r2)}"] if np.isfinite(m.rows.predicted_r2) else []
    said += ["; ", *q.tested_f(test)] if test else []
    words = sentence(m, strongest, spec.alpha) if strongest else None
    return say(*said, ").", f" {words}" if words else ""), f"{counted(len(m.data.terms), 'term')}, R² {share(r2)}"


def _unit(m: LinearFit) -> str:
    return after_difference(m.data.response.unit)


def sentence(m: LinearFit, c: Coefficient, alpha: float) -> str | None:
    """'Each further m² of floor area goes with 0.92 more visits, other things equal (95% CI 0.8 to 1.0).'"""
    change = change_words(m.fitted, c)
    if change is None or not np.isfinite(c.b):
        return None
    words, span = goes_with(m.data, change, c.b, c.se, c.low, c.high, alpha)
    return f"{words}{f' ({span})' if span else ''}."


def coefficients(m: LinearFit, spec: LinearSpec, found: list[Coefficient]) -> TableBlock:
    """b with its test, β and VIF."""
    std, vif = raw_shape(m.fitted, m.model)

    def shape(c: Coefficient) -> q.Row:
        """β and VIF of a coefficient."""
        if c.column is None:
            return q.row(std_beta=q.blank("β"), vif=q.blank("VIF"))
        place = m.model.used.index(c.column) if c.column in m.model.used else None
        beta, own = (float(std[place]), float(vif[place])) if place is not None else (np.nan, np.nan)
        return q.row(std_beta=q.num(beta, 2, "β", why=c.why or ""), vif=q.num(own, 1, "VIF", why=c.why or ""))

    notes = [f"b in {m.data.response.unit}"] if m.data.response.unit else []
    notes.append("β in standard deviations")
    if spec.se != "classical":
        notes.append(SE_WORDS[spec.se] + (f" ({m.n_clusters} clusters)" if m.n_clusters else ""))
    title = f"Coefficients for {lower(m.data.response.title)}"
    return coefficients_table(m.fitted, Scale("t"), found, title, [f"{'; '.join(notes)}."], shape)


def terms_table(m: LinearFit, spec: LinearSpec, tests: list[FTest | str]) -> TableBlock | None:
    """Each term with all its columns, by F."""
    if not m.data.terms:
        return None
    rows, keys = [], ("df1", "df2", "f", "p") if m.errors.df_of else ("df1", "f", "p")
    for i, (term, test) in enumerate(zip(m.data.terms, tests, strict=True)):
        columns, why = (
            [c for c in m.data.design.places(i) if c in m.model.used],
            test if isinstance(test, str) else "",
        )
        gvif, partial = m.model.generalised_vif(columns), m.partial_eta2(i)
        rows.append(
            q.row(
                term=q.name(m.data.term_title(term), "Term"), **q.f_cells(test, *keys),
                partial_eta2=q.size(partial, "Partial η²", why or q.HERE),
                vif=q.num(gvif, 1, "VIF", why=why or "follows from the other columns"),
            )
        )  # fmt: skip
        if not m.errors.df_of:
            rows[-1]["df2"] = q.f_cells(test, "df2")["df2"].under(None)
    error = f"each after all others, against {df(m.df)} df"
    if m.errors.df_of:
        error = "each after all others, df by Hotelling’s T² with what the clusters carry"
    if m.errors.kind == "wild":
        error = "each after all others, p by the wild cluster bootstrap"
    if m.errors.kind != "classical":
        error += "; partial η² from the sums of squares, as under equal spread"
    note = f"Type III: {error}. A main effect that stands in an interaction with a category is that over its levels"
    note += " alike."
    marked = [i for i, t in enumerate(tests) if isinstance(t, FTest) and t.p < spec.alpha]
    return q.table("terms", "Each term with all its columns", rows, note=note, marked=marked, strong=["term", "p"])


R2 = {1: "R²", 0: "R² about zero"}
"""Without an intercept R² is the share of the squares about zero, and says something else."""
SHORT = {"adjusted_r2": "Adjusted", "predicted_r2": "Predicted", "residual_sd": "Residual SD"}


def fit_lines(m: LinearFit) -> list[FitLine]:
    """Measures of fit for the card."""
    model, rows = m.model, m.rows
    unit = f" ({m.data.response.unit})" if m.data.response.unit else ""
    sd = float(np.sqrt(model.mse)) if model.df > 0 else np.nan
    d = min(m.data.decimals + 1, 3) if sd >= 1 else decimals_of(sd / 10)

    def line(key: str, title: str, v: float, s: str, better: Any = None) -> FitLine:
        """One measure of fit."""
        fine = bool(np.isfinite(v))
        return FitLine(key=key, title=title, v=float(v) if fine else None, s=s if fine else "–", better=better,
                       short=SHORT.get(key, title))  # fmt: skip

    return [
        line("r2", R2[model.first], model.r2, share_fine(model.r2), "high"),
        line("adjusted_r2", "Adjusted R²", model.adjusted_r2, share_fine(model.adjusted_r2), "high"),
        line("predicted_r2", "Predicted R²", rows.predicted_r2, share_fine(rows.predicted_r2), "high"),
        line("residual_sd", f"Residual SD{unit}", sd, number(sd, d) if np.isfinite(sd) else "–", "low"),
        line("aic", "AIC", model.aic, number(model.aic, 1), "low"),
        line("bic", "BIC", model.bic, number(model.bic, 1), "low"),
        line("log_likelihood", "Log-likelihood", model.log_likelihood, number(model.log_likelihood, 1)),
    ]


def how_it_fits(m: LinearFit, test: FTest | None) -> TableBlock:
    """R² in its forms, the residual SD, information criteria."""
    lines = [of_line(line, "a row alone decides a coefficient, or nothing is left over") for line in fit_lines(m)]
    if test:
        lines[4:4] = [(f"F({df(test.df1)}, {df(test.df2)})", q.stat(test.f, "")), ("p of the whole", q.p(test.p))]
    return fit_table("How well it fits", [*lines, ("Rows", q.count(m.model.n))])


def card(m: LinearFit, found: list[Coefficient], weights: str | None) -> ModelCard:
    """What a trail and a line-up show of the model."""
    return model_card(
        m.fitted, found, fit_lines(m), kind="linear", said=m.data.response.title, effect="b", weights=weights,
        log_likelihood=m.model.log_likelihood, parameters=m.model.parameters, rss=m.model.rss, df=float(m.model.df),
    )  # fmt: skip


def facts(m: LinearFit, test: FTest | None, found: list[Coefficient], tests: list[FTest | str]) -> dict[str, Any]:
    """Numbers by name."""
    model = m.model
    out: dict[str, Any] = {
        "n": model.n, "r2": model.r2, "adjusted_r2": model.adjusted_r2, "predicted_r2": m.rows.predicted_r2,
        "residual.sd": np.sqrt(model.mse) if model.df > 0 else np.nan, "residual.df": model.df,
        "residual.ss": model.rss,
        "press": m.rows.press, "aic": model.aic, "bic": model.bic, "log_likelihood": model.log_likelihood,
    }  # fmt: skip
    if test:
        out |= {"f": test.f, "df1": test.df1, "df2": test.df2, "p": test.p}
    out |= coefficient_facts(found, "t")
    for term, t in zip(m.data.terms, tests, strict=True):
        if isinstance(t, FTest) and t.df1 > 1:
            out |= {f"{term_key(term)}.f": t.f, f"{term_key(term)}.p": t.p}
    return out


def influential_table(m: LinearFit, alpha: float, most: int = 8) -> TableBlock | None:
    """The rows that move the model most."""
    if m.exact or m.model.df < 2:
        return None
    cook = m.rows.cook
    order = np.argsort(-cook, kind="stable")[:most]
    names = _names_of_rows(m)
    d = m.data.decimals
    rows = []
    for i in order:
        name = {"name": q.name(names[i], "Name")} if names else {}
        rows.append(
            q.row(
                row=q.count(m.data.rows[i], "Row"), **name, value=q.num(float(m.data.y[i]), d, m.data.response.title),
                fitted=q.num(float(m.rows.fitted[i]), d + 1, "Fitted"),
                residual=q.num(float(m.rows.deleted[i]), 2, "Studentised residual", why="decides its own value"),
                leverage=q.size(float(m.rows.leverage[i]), "Leverage"),
                cook=q.num(float(cook[i]), 2, "Cook’s distance"),
            )
        )  # fmt: skip
    return influential_block(rows)


def _names_of_rows(m: LinearFit) -> list[str] | None:
    found = next((c for c in m.data.table.columns if c.kind == "identifier"), None)
    if found is None:
        return None
    texts = m.data.table.array(found.name).take(m.data.places).to_pylist()
    return [str(t) if t is not None else "" for t in texts]
