"""Checks beside a linear model."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import listing, number, p_words, share
from yavik.core.methods.compare._checks import independent, leave_out
from yavik.core.methods.predict import _model_checks as shared
from yavik.core.methods.predict._linear_fit import LinearFit
from yavik.core.methods.predict._terms import spec_term
from yavik.core.methods.shared import normal_check
from yavik.core.stats.least_squares import Aside, breusch_pagan, durbin_watson, fit, independent_columns, reset
from yavik.core.stats.triangle import triangle
from yavik.core.table import rows_in_words

if TYPE_CHECKING:
    from yavik.core.methods.predict.linear import LinearSpec


def all_checks(m: LinearFit, spec: LinearSpec, asides: dict[str, Any]) -> list[Check | None]:
    data = m.data
    used = np.zeros(data.table.n_rows, bool)
    used[data.places] = True
    base = [
        shared.left_out(data, m.follows),
        shared.after_selection(spec),
        shared.belonging(data),
        shared.thin_levels(data),
    ]
    if m.exact:
        text = "The model fits every value exactly, so there is no scatter to judge anything by. Is the response made from these columns?"
        return [Check(id="exact", title="Scatter", verdict=Verdict.fails, text=text), *base]
    if m.model.df < 1 or not data.terms:
        return [*base, independent(data.table.keep(used), data.rows, False)]
    return [
        _linearity(m, asides["reset"]),
        _spread(asides["breusch_pagan"], spec),
        normal_check(m.rows.deleted if m.model.df > 1 else m.rows.residuals, "the residuals", "Normal residuals"),
        _influence(m, spec),
        shared.collinearity(data, m.model.vif.tolist(), m.model.used, spec),
        shared.room(data.n, len(m.model.used), "rows"),
        _carries(m),
        _order(asides["durbin_watson"]),
        *base,
        independent(data.table.keep(used), data.rows, False) if spec.se != "cluster" else None,
    ]


def asides_of(m: LinearFit) -> dict[str, Any]:
    """Tests beside the model; None where one cannot be computed."""
    if m.exact or m.model.df < 1 or not m.data.terms:
        return {"reset": None, "breusch_pagan": None, "durbin_watson": np.nan}
    return {
        "reset": reset(m.data.design, m.data.y, m.rows),
        "breusch_pagan": breusch_pagan(m.rows, m.data.design),
        "durbin_watson": durbin_watson(m.rows),
    }


def _linearity(m: LinearFit, found: Aside | None) -> Check:
    base: dict[str, Any] = {"id": "linearity", "title": "Straight enough"}
    if found is None:
        return Check(**base, verdict=Verdict.holds, text="The fitted values take too few different values to bend.")
    facts = {"reset.f": found.statistic, "reset.p": found.p}
    if found.p >= 0.05:
        text = f"Ramsey’s test finds nothing that squares and cubes of the fitted values would add (p {p_words(found.p)})."
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    bent = _bends(m)
    text = f"Ramsey’s test finds a bend that the model does not have (p {p_words(found.p)})."
    remedies = []
    if bent:
        name, p = bent
        text += f" The square of {m.data.title(name)} would add most (p {p_words(p)})."
        terms = [spec_term(t) for t in m.data.terms]
        remedies.append(
            Remedy(label=f"Add {m.data.title(name)}²", spec={"terms": [*terms, {"column": name, "power": 2}]})
        )
    return Check(
        **base,
        verdict=Verdict.fails if found.p < 0.001 else Verdict.doubtful,
        text=text,
        facts=facts,
        remedies=remedies,
    )


def _bends(m: LinearFit) -> tuple[str, float] | None:
    """The measure whose square would add most."""
    from scipy import special

    best: tuple[str, float] | None = None
    own = {t.parts[0].name for t in m.data.terms if len(t.parts) == 1 and t.parts[0].power > 1}
    e = m.rows.weighted
    places = np.linspace(0, m.data.n - 1, min(m.data.n, 50_000)).astype(int)
    for name in m.data.numbers:
        if name in own:
            continue
        x = m.data.design.data[name][places]
        square = (x - x.mean()) ** 2
        rest = np.column_stack([m.rows.fitted[places], x, np.ones(len(x))])
        square = square - rest @ np.linalg.lstsq(rest, square, rcond=None)[0]
        size = float(square @ square)
        if size <= 0:
            continue
        r2 = min(float((square @ e[places]) ** 2 / size / (e[places] @ e[places])), 0.999999)
        p = float(special.fdtrc(1, len(x) - m.model.q - 1, r2 / (1 - r2) * (len(x) - m.model.q - 1)))
        if p < 0.05 and (best is None or p < best[1]):
            best = name, p
    return best


def _spread(found: Aside | None, spec: LinearSpec) -> Check:
    base: dict[str, Any] = {"id": "equal_spread", "title": "Equal spread of residuals"}
    if found is None:
        return Check(
            **base,
            verdict=Verdict.unknown,
            text="The Breusch–Pagan test cannot be computed: all residuals are equally large.",
        )
    facts = {"breusch_pagan.chi2": found.statistic, "breusch_pagan.p": found.p}
    if found.p >= 0.05:
        text = f"Breusch–Pagan finds no change of spread with the terms (p {p_words(found.p)})."
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    text = f"Breusch–Pagan: the spread changes with the terms (p {p_words(found.p)})."
    if spec.se != "classical":
        return Check(
            **base, verdict=Verdict.holds, text=f"{text} The chosen standard errors allow for it.", facts=facts
        )
    verdict = Verdict.fails if found.p < 0.001 else Verdict.doubtful
    text += " Estimates stand; classical standard errors do not."
    return Check(
        **base,
        verdict=verdict,
        text=text,
        facts=facts,
        remedies=[Remedy(label="Use robust standard errors (HC3)", spec={"se": "hc3"})],
    )


def _influence(m: LinearFit, spec: LinearSpec) -> Check:
    """Rows whose Cook's distance stands out, and the model without them."""
    base: dict[str, Any] = {"id": "influence", "title": "Influential rows"}
    cook = m.rows.cook
    far = np.flatnonzero((cook > 0.5) | (np.abs(m.rows.deleted) > 4))
    named = far if len(far) else np.array([int(np.argmax(cook))])
    rows = m.data.rows[named]
    names = rows_in_words(rows.tolist())
    what = _without(m, spec, named) if m.data.n <= 200_000 else ""
    largest = f"Cook’s distance {'up to ' if len(far) > 1 else ''}{number(float(cook.max()), 2)}"
    if len(far):
        text = f"{names[0].upper()}{names[1:]} {'stands' if len(far) == 1 else 'stand'} far out ({largest}). {what}"
    else:
        text = f"No row stands far out. The one that moves most is {names} ({largest}). {what}"
    changes = "changes" in what
    verdict = Verdict.fails if len(far) and changes else Verdict.doubtful if len(far) or changes else Verdict.holds
    remedies = [Remedy(label="Show the rows" if len(far) > 1 else "Show the row", rows=rows[:200].tolist())]
    remedies += leave_out(rows.tolist(), spec.where) if len(rows) <= 40 and verdict is not Verdict.holds else []
    facts = {"cook_largest": float(cook.max())}
    return Check(**base, verdict=verdict, text=text.strip(), facts=facts, remedies=remedies)


def _without(m: LinearFit, spec: LinearSpec, places: Any) -> str:
    """Whether the model without some rows says the same about its coefficients."""
    keep = np.ones(m.data.n, bool)
    keep[places] = False
    from yavik.core.stats.design import Design

    design = Design(m.data.terms, m.data.factors, {k: v[keep] for k, v in m.data.design.data.items()})
    y = m.data.y[keep]
    if len(y) <= m.model.q + 1 or np.ptp(y) == 0:
        return ""
    t = triangle(design, y, None if m.data.weights is None else m.data.weights[keep], spec.intercept)
    used = independent_columns(t)[0]
    if used != m.model.used:
        return "Without them a column has nothing left to be estimated from."
    other = fit(t)
    from scipy import stats

    def says(model: Any) -> Any:
        se = np.sqrt(np.maximum(np.diag(model.covariance), 1e-300))
        return 2 * stats.t.sf(np.abs(model.coef / se), model.df)

    now, then = says(m.model), says(other)
    first = m.model.first
    turned = [
        m.data.column_title(m.model.used[i - first])
        for i in range(first, m.model.q)
        if (now[i] < spec.alpha) != (then[i] < spec.alpha)
    ]
    who = "it" if len(places) == 1 else f"these {len(places)}"
    if turned:
        return f"Without {who} what is said of {listing(turned, 3)} changes (R² {share(other.r2)})."
    return f"Without {who} the same terms matter (R² {share(other.r2)})."


def _carries(m: LinearFit) -> Check:
    """The gap between R² and what the model would say of rows it has not seen."""
    base: dict[str, Any] = {"id": "carries", "title": "How far it carries"}
    r2, adjusted, predicted = m.model.r2, m.model.adjusted_r2, m.rows.predicted_r2
    if not np.isfinite(predicted):
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text="Some row decides a coefficient alone, so that it cannot be predicted by the others.",
        )
    gap = r2 - predicted
    text = f"R² {share(r2)}, adjusted {share(adjusted)}, for rows not seen {share(predicted)}."
    verdict = Verdict.holds if gap < 0.1 else Verdict.doubtful if gap < 0.2 else Verdict.fails
    if predicted < 0:
        verdict, text = Verdict.fails, f"{text} Rows not seen are told worse than by the mean."
    elif verdict is not Verdict.holds:
        text += " The model has learned these rows more than their rule."
    return Check(**base, verdict=verdict, text=text, facts={"gap": gap})


def _order(d: float) -> Check | None:
    if not np.isfinite(d):
        return None
    verdict = Verdict.holds if 1.5 <= d <= 2.5 else Verdict.doubtful
    text = f"Durbin–Watson {number(d, 2)}: "
    text += (
        "neighbouring rows are not alike."
        if verdict is Verdict.holds
        else "neighbouring rows are alike"
        if d < 1.5
        else "neighbouring rows swing against one another"
    )
    text += (
        ""
        if verdict is Verdict.holds
        else ". That matters only if the order of the rows means something, such as time."
    )
    return Check(id="order", title="Order of the rows", verdict=verdict, text=text, facts={"durbin_watson": d})
