"""Checks beside a mixed model."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import capital, counted, listing, number, p_words, significant
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.checks import leave_out
from yavik.core.methods.kit.models import checks as shared
from yavik.core.methods.kit.models.coefficients import lower_term
from yavik.core.methods.kit.models.terms import spec_term
from yavik.core.methods.kit.shared import far_out, normal_check
from yavik.core.methods.nested.mixed.covariances import Tried
from yavik.core.methods.nested.mixed.design_checks import as_read, repeated
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.methods.nested.mixed.influence import without_each
from yavik.core.methods.nested.mixed.simulate import Simulated
from yavik.core.methods.nested.mixed.spec import COVARIANCES
from yavik.core.stats.groups import Groups
from yavik.core.stats.mixed.within import Within
from yavik.core.stats.oneway import levene

FEW = 6
"""Units below which a variance among them is hardly known."""
MOST_GROUPS = 40


def all_checks(m: MixedModel, tried: list[Tried], drawn: Simulated | None) -> list[Check | None]:
    """Whether the answer can be relied on, in the order in which it matters."""
    return [
        as_read(m),
        _reached(m),
        _zero(m),
        repeated(m),
        _few(m),
        _covariance(m, tried),
        _simulated(m, drawn),
        normal_check(m.whitened, "the residuals", "Normal residuals"),
        _normal_units(m),
        _outlying_units(m),
        _spread(m),
        _influence(m),
        shared.left_out(m.data, m.follows),
        shared.belonging(m.data),
        shared.zero_of_numbers(m.data, m.spec),
        shared.thin_levels(m.data),
        shared.lost_levels(m.data),
    ]


def _reached(m: MixedModel) -> Check:
    """Whether the search ended at a maximum, and a second one at the same."""
    base: dict[str, Any] = {"id": "converged", "title": "The search reached its end"}
    top = m.top
    if top.converged:
        text = (
            "Two searches from different starts, by different means, end at the same height, and it is level there."
        )
        return Check(**base, verdict=Verdict.holds, text=text, facts={"rise": top.rise})
    if top.rise >= 1e-4:
        text = (
            f"The likelihood still rises where the search ended (by about {significant(top.rise, 2)}): these are not"
        )
        text += " the estimates."
    else:
        away = significant(abs(top.value - top.other), 2)
        text = (
            f"A second search ended {away} away in log-likelihood: there is more than one maximum; the higher one is"
        )
        text += " told."
    remedies = _simpler(m)
    verdict = Verdict.fails if top.rise >= 1e-4 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts={"rise": min(top.rise, 1e6)}, remedies=remedies)


def _simpler(m: MixedModel) -> list[Remedy]:
    """The model with less in its covariance."""
    if m.spec.over_time:
        return [Remedy(label="Use compound symmetry", spec={"covariance": "compound", "spread": "same"})]
    slopes = [r for r in m.spec.random if r.slopes]
    if not slopes:
        return []
    plain = [
        r.model_copy(update={"related": False}) if r.related else r.model_copy(update={"slopes": []})
        for r in m.spec.random
    ]
    label = "Take levels and slopes as unrelated" if any(r.related for r in slopes) else "Leave the slopes out"
    return [Remedy(label=label, spec={"random": [r.model_dump() for r in plain]})]


def _zero(m: MixedModel) -> Check | None:
    """Components on their bound."""
    if not m.random:
        return None
    base: dict[str, Any] = {"id": "components", "title": "Every component above zero"}
    if not m.top.flat:
        return Check(**base, verdict=Verdict.holds, text="No component lies on its bound.")
    zero, bound, gone, start = [], [], [], 0
    for i, r in enumerate(m.random):
        own = [f - start for f in m.top.flat if start <= f < start + r.units.component.size]
        start += r.units.component.size
        k = len(r.effects)
        slopes = [f"the slope of {m.table.column(e).title} in {r.title}" for e in r.effects if e != "level"]
        names = [r.title, *slopes] if r.term.intercept else slopes
        zero += [names[f] for f in own if f < k]
        bound += [r.title for f in own if f >= k]
        gone += [i] if own and k == 1 else []
    if not zero and not bound:
        return Check(**base, verdict=Verdict.holds, text="No component lies on its bound.")
    text = ""
    if zero:
        verb = "is" if len(zero) == 1 else "are"
        text = (
            f"{capital(listing(zero, 4))} {verb} estimated at zero: these data show no more scatter there than rows"
        )
        text += (
            " within units make by chance. That is no proof of none. Its degrees of freedom go to the other error, so"
        )
        text += " that tests among such units are as of a model without them."
    if bound:
        text += (
            f"{' ' if text else ''}Effects of {listing(bound, 3)} go together completely (a correlation of one): too"
        )
        text += " few units, or rows in each, to tell level and slope apart."
    remedies = []
    if gone and not m.spec.over_time and len(m.spec.random) > len(gone):
        kept = [r.model_dump() for i, r in enumerate(m.spec.random) if i not in gone]
        titles = listing([m.random[i].title for i in gone])
        remedies.append(Remedy(label=f"Leave {titles} out of the units", spec={"random": kept}))
    remedies += _simpler(m) if not gone else []
    facts = {"at_zero": float(len(zero))}
    return Check(**base, verdict=Verdict.doubtful, text=text, facts=facts, remedies=remedies)


def _few(m: MixedModel) -> Check:
    """Units of each kind."""
    counts = [(r.title, r.n_units) for r in m.random]
    if isinstance(m.engine, Within):
        counts = [(lower(m.table.column(m.spec.subject or "").title), int(m.engine.subject.max()) + 1)]
    base: dict[str, Any] = {"id": "units", "title": "Enough units"}
    if not counts:
        return Check(**base, verdict=Verdict.unknown, text="Rows are taken as independent of one another.")
    title, least = min(counts, key=lambda c: c[1])
    text = f"{capital(listing([f'{n} units of {t}' for t, n in counts], 4))}."
    facts = {"fewest": float(least)}
    if least >= 10:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    text += (
        f" A scatter between {least} units of {title} is known poorly: its interval is wide, and tests among these"
    )
    text += " units have few degrees of freedom."
    remedies = []
    if m.df_kind == "none":
        text += " Without degrees of freedom p is far too small here."
        remedies.append(Remedy(label="Use Satterthwaite’s df", spec={"df": "satterthwaite"}))
    elif m.df_kind == "satterthwaite" and m.over_units:
        remedies.append(Remedy(label="Use Kenward and Roger", spec={"df": "kenward_roger"}))
    verdict = (
        Verdict.doubtful
        if least >= FEW and m.df_kind != "none"
        else Verdict.fails
        if m.df_kind == "none"
        else Verdict.doubtful
    )
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _covariance(m: MixedModel, tried: list[Tried]) -> Check | None:
    """Whether another covariance fits much better."""
    if len(tried) < 2:
        return None
    base: dict[str, Any] = {"id": "covariance", "title": "Correlation within a subject"}
    best = min(tried, key=lambda t: t.aic)
    own = next(t for t in tried if t.kind == m.spec.covariance)
    gain = own.aic - best.aic
    name = COVARIANCES[best.kind].split(":")[0]
    facts = {"aic_gain": gain}
    if best.kind == own.kind or gain < 2:
        more = "" if best.kind == own.kind else f" ({name} by {number(gain, 1)})"
        text = f"No other covariance has an AIC lower by two or more{more}."
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    text = f"AIC is {number(gain, 1)} lower with {name} ({COVARIANCES[best.kind].split(': ')[1]})."
    low = min(tried, key=lambda t: t.bic)
    if low.kind != best.kind:
        text += f" BIC, which counts parameters more, is lowest with {COVARIANCES[low.kind].split(':')[0]}."
    remedies = [Remedy(label=f"Use {name}", spec={"covariance": best.kind})]
    if low.kind not in (best.kind, own.kind):
        remedies.append(Remedy(label=f"Use {COVARIANCES[low.kind].split(':')[0]}", spec={"covariance": low.kind}))
    verdict = Verdict.fails if gain > 10 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _simulated(m: MixedModel, drawn: Simulated | None) -> Check | None:
    """What the draws say of keeping the term, and more of them."""
    if drawn is None or m.spec.simulate is None:
        return None
    line = drawn.lines[0]
    text = f"{number(line.observed, 2)} seen, {number(float(line.quantiles[1]), 2)} needed at 5 % (textbook"
    text += (
        f" {number(float(line.textbook[1]), 2)}); p {p_words(line.p)}, ± {significant(2 * line.error, 1)} by chance"
    )
    text += f" of the {drawn.draws} draws."
    if drawn.failed:
        verb = "is" if drawn.failed == 1 else "are"
        text += f" {counted(drawn.failed, 'draw')} could not be fitted and {verb} left out."
    more = m.spec.simulate.model_dump() | {"draws": drawn.draws + 1000}
    remedies = [Remedy(label="Add 1000 draws", spec={"simulate": more})]
    if line.p >= m.spec.alpha:
        text += f" Nothing speaks for keeping {lower_term(drawn.title)}."
        remedies += _without_term(m, drawn.term)
    close = abs(line.p - m.spec.alpha) < 2 * line.error
    if close:
        text += " So near to α more draws may turn it."
    verdict = Verdict.doubtful if close else Verdict.holds
    facts = {"simulated.p": line.p, "simulated.needed": float(line.quantiles[1])}
    return Check(
        id="simulated",
        title=f"By simulation: {drawn.title}",
        verdict=verdict,
        text=text,
        facts=facts,
        remedies=remedies,
    )


def _without_term(m: MixedModel, place: int) -> list[Remedy]:
    """The model without a term, and without draws that speak of it."""
    title = m.data.term_title(m.data.terms[place])
    if not m.spec.over_time:
        terms = [spec_term(t) for i, t in enumerate(m.data.terms) if i != place]
        return [Remedy(label=f"Leave {title} out", spec={"terms": terms, "simulate": None})]
    names = set(m.data.terms[place].names)
    sets = [list(t.names) for t in m.data.terms if len(t.names) > 1 and set(t.names) != names]
    if len(names) < 2:
        return []
    return [Remedy(label=f"Leave {title} out", spec={"interactions": sets or "none", "simulate": None})]


def _normal_units(m: MixedModel) -> Check | None:
    """Normal effects of units, where there are enough to see."""
    able = [
        (r, v[:, 0]) for r, v in zip(m.random, m.effects[0], strict=True) if r.n_units >= 8 and np.ptp(v[:, 0]) > 0
    ]
    if not able:
        return None
    r, values = max(able, key=lambda x: x[0].n_units)
    made = normal_check(values, f"the effects of {r.title}", "Normal effects of units")
    return made.model_copy(update={"id": "normal_units"})


def _outlying_units(m: MixedModel) -> Check | None:
    """Units whose effect lies far from those of the others, by name."""
    said, rows = [], []
    for r, values in zip(m.random, m.effects[0], strict=True):
        own = values[:, 0]
        if r.n_units < 8 or not np.ptp(own) > 0:
            continue
        out = np.flatnonzero(far_out(own, 3.0))
        said += [f"{r.labels[u]} ({r.title}, {number(float(own[u]), m.data.decimals + 1)})" for u in out[:3]]
        rows += [int(x) for u in out[:3] for x in m.data.rows[r.codes == u]]
    if not said:
        return None
    text = (
        f"{listing(said, 4)} {'lies' if len(said) == 1 else 'lie'} more than three interquartile ranges outside the"
    )
    text += " quartiles of the units’ effects."
    remedies = [Remedy(label="Show the rows", rows=rows[:200])]
    remedies += leave_out(rows, m.spec.where) if len(rows) <= 40 else []
    return Check(id="outlying_units", title="Outlying units", verdict=Verdict.doubtful, text=text, remedies=remedies)


def _spread(m: MixedModel) -> Check | None:
    """Equal spread of the residuals over the levels of a category."""
    factors = [n for n, f in m.data.factors.items() if len(f.levels) <= MOST_GROUPS]
    if not factors or m.data.n < 10:
        return None
    base: dict[str, Any] = {"id": "equal_spread", "title": "Equal spread"}
    worst: tuple[float, str, float, float, str, str] | None = None
    for name in factors:
        f = m.data.factors[name]
        groups = Groups.of(m.whitened, m.data.design.data[name].astype(np.int32), m.data.rows, f.levels)
        if (groups.n < 3).any():
            continue
        test = levene(groups, "median")
        if not np.isfinite(test.p):
            continue
        sd = np.sqrt(groups.variances)
        high, low = int(np.argmax(sd)), int(np.argmin(sd))
        ratio = float(sd[high] / sd[low]) if sd[low] > 0 else np.inf
        if worst is None or test.p < worst[0]:
            worst = (test.p, name, test.f, ratio, groups.names[high], groups.names[low])
    if worst is None:
        return None
    p = min(1.0, worst[0] * len(factors))
    name, ratio = worst[1], worst[3]
    times = f"{number(ratio, 1)} times" if np.isfinite(ratio) else "far more than"
    text = f"Residuals scatter most differently over {lower(m.data.title(name))}: {times} as much in {worst[4]} as in"
    text += f" {worst[5]} (Levene about the medians, p {p_words(p)}{', Bonferroni' if len(factors) > 1 else ''})."
    facts = {"levene.p": p}
    if p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    remedies = []
    if m.spec.over_time and m.spec.covariance != "unstructured":
        if name == m.spec.time:
            remedies.append(Remedy(label="A spread for each time", spec={"spread": "by_time"}))
        elif name in m.spec.between:
            remedies.append(Remedy(label="A spread for each group", spec={"spread": "by_group"}))
    verdict = Verdict.fails if p < 0.001 and ratio > 2 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def _influence(m: MixedModel) -> Check | None:
    """Units that move the model by themselves, each left out in turn."""
    found = without_each(m)
    if found is None:
        return None
    labels, cook, title, rows = found
    base: dict[str, Any] = {"id": "influence", "title": "Influential units"}
    top = int(np.argmax(cook))
    largest = significant(float(cook[top]), 2)
    text = f"Each {title} left out in turn: the largest Cook’s distance is {largest} ({labels[top]})."
    facts = {"cook_largest": float(cook[top])}
    limit = max(1.0, 4 * float(np.median(cook)))
    if cook[top] < 0.5 or (cook[top] < limit and len(cook) < 10):
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    own = rows(top)
    text += (
        f" Without it the coefficients move by about {number(float(np.sqrt(cook[top])), 1)} of their standard errors."
    )
    remedies = [Remedy(label="Show its rows", rows=own[:200])]
    remedies += leave_out(own, m.spec.where) if len(own) <= 40 else []
    return Check(
        **base,
        verdict=Verdict.doubtful if cook[top] < 1 else Verdict.fails,
        text=text,
        facts=facts,
        remedies=remedies,
    )
