"""Checks beside a model of counts."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, number, p_words
from yavik.core.methods.kit.checks import independent
from yavik.core.methods.kit.models import checks as shared
from yavik.core.methods.kit.models.terms import spec_term
from yavik.core.methods.predict.counts_model.fit import CountsModel, score


def all_checks(m: CountsModel) -> list[Check | None]:
    """In the order in which they matter."""
    spec, data = m.spec, m.data
    used = np.zeros(data.table.n_rows, bool)
    used[data.places] = True
    belong = independent(data.table.keep(used), data.rows, False)
    if not data.terms:
        return [_dispersion(m), _zeros(m), shared.after_selection(spec), belong]
    firm = not m.infinite
    terms = [spec_term(t) for t in data.terms]
    return [
        _finite(m),
        _dispersion(m),
        _zeros(m),
        shared.straight_enough(data, lambda x: score(m, x), f"the logarithm of {m.of} bends", terms)
        if firm
        else None,
        shared.influential(data, m.cook, m.pearson, spec.where) if firm else None,
        shared.collinearity(data, _vif(m), m.used, spec) if firm else None,
        shared.room(float((data.y > 0).sum()), len(m.used), "rows with a count above zero"),
        shared.left_out(data, m.follows),
        shared.after_selection(spec),
        shared.belonging(data),
        shared.zero_of_numbers(data, spec),
        shared.thin_levels(data),
        shared.lost_levels(data),
        belong,
    ]


def _vif(m: CountsModel) -> list[float]:
    """From the columns alone: it is they that are alike."""
    x = m.model.data.x[:, m.model.data.first :]
    c = np.cov(x, rowvar=False, bias=True).reshape(x.shape[1], x.shape[1])
    return list(np.diag(np.linalg.pinv(c)) * np.diag(c))


def _finite(m: CountsModel) -> Check:
    base: dict[str, Any] = {"id": "separation", "title": "Finite estimates"}
    if not m.infinite and m.model.converged:
        return Check(**base, verdict=Verdict.holds, text="The likelihood has one highest point.")
    if not m.infinite:
        text = f"The steps did not settle after {m.model.steps} rounds: some estimate is very large or not known."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    titles = [m.data.column_title(m.used[i]) for i in sorted(m.infinite)]
    text = (
        f"{listing(titles, 4)}: wherever it would have to be told, every count is zero, so that the estimate falls"
        f" without end. Join the level with another, or leave the term out."
    )
    return Check(**base, verdict=Verdict.fails, text=text)


def _dispersion(m: CountsModel) -> Check:
    """Whether the counts scatter as the model says, with a model that lets them where they do not."""
    base: dict[str, Any] = {"id": "dispersion", "title": "Scatter of the counts"}
    f, spec = m.model, m.spec
    if f.df < 1:
        return Check(**base, verdict=Verdict.unknown, text="No row is left over to judge the scatter by.")
    times = number(f.dispersion, 2)
    facts = {"dispersion": f.dispersion}
    if spec.family == "quasi":
        text = f"Standard errors go by the scatter there is: {times} times the mean."
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    if spec.family == "negative_binomial":
        return _more_spread(m, base, times, facts)
    z, p = m.overdispersed
    facts |= {"overdispersion.z": z, "overdispersion.p": p}
    said = f"Pearson’s χ² is {times} times its df"
    if p >= 0.05:
        low = f.dispersion < 0.5
        more = " The counts scatter less than Poisson’s: p and intervals are wider than they need be." if low else ""
        verdict = Verdict.doubtful if low else Verdict.holds
        text = f"{said}; a score test finds no scatter beyond Poisson’s (p {p_words(p)}).{more}"
        return Check(**base, verdict=verdict, text=text, facts=facts)
    text = f"{said}; a score test finds more scatter than Poisson’s (p {p_words(p)})."
    remedies: list[Remedy] = []
    if spec.se == "classical":
        text += " Its standard errors are too small for such counts."
        by_p = {"choose_by": "p"} if spec.choose_by != "p" else {}
        remedies = [
            Remedy(label="Use the negative binomial", spec={"family": "negative_binomial"}),
            Remedy(label="Use quasi-Poisson", spec={"family": "quasi"} | by_p),
            Remedy(label="Use robust standard errors", spec={"se": "hc3"}),
        ]  # fmt: skip
        verdict = Verdict.fails if f.dispersion > 1.5 or p < 0.001 else Verdict.doubtful
    else:
        text += " The standard errors do not lean on it."
        verdict = Verdict.holds
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _more_spread(m: CountsModel, base: dict[str, Any], times: str, facts: dict[str, float]) -> Check:
    f = m.model
    if f.alpha == 0:
        text = "The counts scatter no more than Poisson’s: α is zero, and this is the Poisson model."
        remedy = [Remedy(label="Use Poisson", spec={"family": "poisson"})]
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts, remedies=remedy)
    gain = 2 * (f.log_likelihood - f.poisson)
    text = f"Beside Poisson the log-likelihood gains {number(gain / 2, 1)};"
    text += f" with α the scatter is {times} times the model’s."
    verdict = Verdict.holds if f.dispersion < 1.5 else Verdict.doubtful
    if verdict is Verdict.doubtful:
        text += " Some rows lie farther out than even these counts do: look at the influential rows."
    return Check(**base, verdict=verdict, text=text, facts=facts | {"likelihood_ratio": gain})


def _zeros(m: CountsModel) -> Check | None:
    """More rows without a count than the model has."""
    if m.spec.family == "quasi":
        return None
    found, expected = int((m.data.y == 0).sum()), m.zeros_expected
    if not found and expected < 1:
        return None
    base: dict[str, Any] = {"id": "zeros", "title": "Rows without a count"}
    away = (found - expected) / np.sqrt(max(expected * (1 - expected / m.model.n), 1e-9))
    text = f"{counted(found, 'row has', 'rows have')} none, where the model expects {number(expected, 1)}."
    facts = {"zeros": float(found), "zeros.expected": expected}
    if abs(away) < 3 or abs(found - expected) < 0.02 * m.model.n:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    remedies = []
    if found > expected:
        text += " Some rows may be unable to count at all, which the model does not know."
        if m.spec.family == "poisson":
            remedies = [Remedy(label="Use the negative binomial", spec={"family": "negative_binomial"})]
    else:
        text += " Fewer than there should be: perhaps only rows with something to count were written down."
    return Check(**base, verdict=Verdict.doubtful, text=text, facts=facts, remedies=remedies)
