"""Checks beside a linear model."""

from dataclasses import replace
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import begun, counted, grouped, listing, number, p_words, share, significant
from yavik.core.methods.kit.checks import independent, leave_out
from yavik.core.methods.kit.models import checks as shared
from yavik.core.methods.kit.models.coefficients import coefficients
from yavik.core.methods.kit.models.terms import spec_term
from yavik.core.methods.kit.shared import normal_check
from yavik.core.methods.predict.linear.errors import BY_CLUSTER, FEW_CLUSTERS, errors_of
from yavik.core.methods.predict.linear.fit import LinearFit, fitted_of
from yavik.core.methods.predict.linear.spec import LinearSpec
from yavik.core.stats.least_squares import CERTAIN, fit, independent_columns, null_vectors, rows_of
from yavik.core.stats.numbering import numbered
from yavik.core.stats.oneway import FTest
from yavik.core.stats.residual_tests import Aside, breusch_pagan, durbin_watson, reset
from yavik.core.stats.triangle import triangle
from yavik.core.table import rows_in_words


def all_checks(m: LinearFit, spec: LinearSpec, asides: dict[str, Any]) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    data = m.data
    used = np.zeros(data.table.n_rows, bool)
    used[data.places] = True
    base = [
        shared.left_out(data, m.follows),
        shared.after_selection(spec),
        shared.belonging(data),
        shared.zero_of_numbers(data, spec),
        shared.thin_levels(data),
        shared.lost_levels(data),
    ]
    if m.exact:
        text = (
            "The model fits every value exactly, so there is no scatter to judge anything by. Is the response made"
            " from these columns?"
        )
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
        _decided(m, spec),
        _few_clusters(m, spec) if spec.se in BY_CLUSTER else independent(data.table.keep(used), data.rows, False),
        _zero(m),
    ]


def _decided(m: LinearFit, spec: LinearSpec) -> Check | None:
    """Rows that decide a coefficient alone: robust errors are blind there."""
    alone = np.flatnonzero(m.rows.leverage > CERTAIN)
    if not len(alone):
        return None
    rows = m.data.rows[alone]
    who = rows_in_words(rows.tolist())
    text = (
        f"{who[0].upper()}{who[1:]} {'decides' if len(alone) == 1 else 'decide'} a coefficient alone:"
        f" {'its' if len(alone) == 1 else 'their'} residual is zero whatever the scatter."
    )
    remedies = [Remedy(label="Show the rows" if len(alone) > 1 else "Show the row", rows=rows[:200].tolist())]
    if spec.se in ("hc2", "hc3"):
        text += (
            f" {spec.se.upper()} is not defined there: what they decide has no standard error, and they bring nothing"
            " to the others."
        )
        remedies.append(Remedy(label="Use HC1", spec={"se": "hc1"}))
    elif spec.se != "classical":
        text += " Robust errors of what they decide are too small."
    remedies += leave_out(rows.tolist(), spec.where) if len(rows) <= 40 else []
    verdict = Verdict.fails if spec.se not in ("classical", "cr2", "wild") else Verdict.doubtful
    return Check(id="decided", title="Rows that decide alone", verdict=verdict, text=text, remedies=remedies)


def _few_clusters(m: LinearFit, spec: LinearSpec) -> Check:
    """How far errors by cluster carry with so many clusters (false-alarm rates in docs/levels.md)."""
    g, base = m.n_clusters, {"id": "clusters", "title": "Enough clusters"}
    sizes = np.bincount(m.codes)
    text = f"{counted(g, 'cluster')} of {grouped(int(sizes.min()))} to {counted(int(sizes.max()), 'row')}."
    if int(sizes.min()) == int(sizes.max()):
        text = f"{counted(g, 'cluster')} of {counted(int(sizes.min()), 'row')} each."
    facts = {"clusters": float(g)}
    if spec.se != "cluster":
        verdict = Verdict.holds if g >= 10 else Verdict.doubtful
        text += (
            " The correction holds its level down to about ten."
            if g >= 10
            else " So few say little, whatever the correction."
        )
        return Check(**base, verdict=verdict, text=text, facts=facts)
    if g >= FEW_CLUSTERS:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    text += (
        f" With fewer than {FEW_CLUSTERS} these errors are too small: true nulls are rejected far too often, the more"
        " so the more comparisons a test has."
    )
    remedies = [
        Remedy(label="Correct for few clusters (CR2)", spec={"se": "cr2"}),
        Remedy(label="Use the wild cluster bootstrap", spec={"se": "wild"}),
    ]
    verdict = Verdict.fails if g < 20 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _zero(m: LinearFit) -> Check | None:
    """Without an intercept R² is about zero."""
    if m.model.first:
        return None
    text = (
        "Without an intercept R² is the share of the squares about zero, not about the mean: it says nothing of how"
        " much better than the mean the model tells, and cannot be set beside R² of a model with an intercept."
    )
    if m.data.design.full:
        text += f" {begun(m.data.title(m.data.design.full))} has a coefficient for each of its levels."
    return Check(
        id="zero",
        title="R² about zero",
        verdict=Verdict.doubtful,
        text=text,
        remedies=[Remedy(label="Take the intercept in", spec={"intercept": True})],
    )


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
        text = (
            "Ramsey’s test finds nothing that squares and cubes of the fitted values would add (p"
            f" {p_words(found.p)})."
        )
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
            **base,
            verdict=Verdict.holds,
            text=(
                f"{text} The chosen standard errors allow for it, and intervals for single rows take the spread that"
                " goes with the terms."
            ),
            facts=facts,
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
    far = np.flatnonzero((cook > 0.5) | (np.abs(m.rows.deleted) > _far(m.data.n)))
    named = far if len(far) else np.array([int(np.argmax(cook))])
    rows = m.data.rows[named]
    names = rows_in_words(rows.tolist())
    what = _without(m, spec, named) if m.data.n <= 200_000 else ""
    own = cook[far] if len(far) else cook
    largest = f"Cook’s distance {'up to ' if len(far) > 1 else ''}{significant(float(own.max()), 2)}"
    if len(far):
        reach = number(float(np.abs(m.rows.deleted[far]).max()), 1)
        text = (
            f"{names[0].upper()}{names[1:]} {'stands' if len(far) == 1 else 'stand'} far out (studentised residual"
            f" {'up to ' if len(far) > 1 else ''}{reach}, {largest}). {what}"
        )
    else:
        text = f"No row stands far out. The one that moves most is {names} ({largest}). {what}"
    changes = "changes" in what
    verdict = Verdict.fails if len(far) and changes else Verdict.doubtful if len(far) or changes else Verdict.holds
    remedies = [Remedy(label="Show the rows" if len(far) > 1 else "Show the row", rows=rows[:200].tolist())]
    remedies += leave_out(rows.tolist(), spec.where) if len(rows) <= 40 and verdict is not Verdict.holds else []
    facts = {"cook_largest": float(cook.max())}
    return Check(**base, verdict=verdict, text=text.strip(), facts=facts, remedies=remedies)


def _far(n: int) -> float:
    """Studentised residuals beyond this are not to be expected even once among n normal rows (Bonferroni at .05)."""
    return max(4.0, float(special.ndtri(1 - 0.05 / (2 * n))))


def _without(m: LinearFit, spec: LinearSpec, places: Any) -> str:
    """Whether the model without some rows says the same: by the very tests and errors that the answer shows."""
    keep = np.ones(m.data.n, bool)
    keep[places] = False
    y = m.data.y[keep]
    if len(y) <= m.model.q + 1 or np.ptp(y) == 0:
        return ""
    own = {k: v[keep] for k, v in m.data.design.data.items()}
    if any(len(np.unique(own[n])) < len(f.levels) for n, f in m.data.factors.items()):
        return "Without them a level has no row left."
    weights = None if m.data.weights is None else m.data.weights[keep]
    data = replace(
        m.data, design=m.data.design_of(own), y=y, weights=weights, rows=m.data.rows[keep], places=m.data.places[keep]
    )
    t = triangle(data.design, y, weights, spec.intercept)
    used, follows = independent_columns(t)
    if used != m.model.used:
        return "Without them a column has nothing left to be estimated from."
    other = fit(t)
    codes, n_clusters = m.codes, m.n_clusters
    if codes is not None:
        codes = numbered(codes[keep])[1]
        n_clusters = int(codes.max()) + 1
        if n_clusters < 2:
            return "Without them one cluster is left."
    rows = rows_of(data.design, y, weights, other)
    null = null_vectors(t, used, list(follows))
    errors = errors_of(data, other, rows, spec, codes, n_clusters, False)
    fitted = fitted_of(data, other, rows, spec, errors, null, False)
    again = replace(
        m,
        data=data,
        model=other,
        rows=rows,
        fitted=fitted,
        errors=errors,
        null=null,
        codes=codes,
        n_clusters=n_clusters,
    )
    turned = _turned(m, again, spec.alpha)
    who = "it" if len(places) == 1 else f"these {len(places)}"
    if turned:
        return f"Without {who} what is said of {listing(turned, 3)} changes (R² {share(other.r2)})."
    return f"Without {who} the same terms matter (R² {share(other.r2)})."


def _turned(m: LinearFit, other: LinearFit, alpha: float) -> list[str]:
    """What has another conclusion in the other fit: the whole, terms, and coefficients, by the tables' own p."""

    def says(one: LinearFit) -> dict[str, float]:
        """p of everything that a model claims, by name."""
        found = {"the whole model": t.p} if (t := one.whole_test) else {}
        for term, test in zip(one.data.terms, one.term_tests, strict=True):
            if isinstance(test, FTest):
                found[one.data.term_title(term)] = test.p
        return found | {
            c.title: c.p
            for c in coefficients(one.fitted, {}, ps=one.wild_ps)
            if c.column is not None and np.isfinite(c.p)
        }

    now, then = says(m), says(other)
    return [k for k in now if k in then and (now[k] < alpha) != (then[k] < alpha)]


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
        "nothing says that neighbouring rows are alike."
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
