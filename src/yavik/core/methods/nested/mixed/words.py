"""A mixed model in words: the statement, what a coefficient says, and the model as a paper tells it."""

import numpy as np

from yavik import __version__
from yavik.core.answers import NoteBlock, Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import capital, counted, decimals_of, level_words, listing, number, percent, say
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.models.coefficients import Coefficient, change_words, lower_term, more_or_less
from yavik.core.methods.nested.mixed.design import Random
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.methods.nested.mixed.spec import COVARIANCES
from yavik.core.methods.nested.mixed.spreads import Spread
from yavik.core.stats.mixed.inference import Test


def test_said(m: MixedModel, test: Test) -> list[Span]:
    """'F(3, 45) = 14.17, p < .001'."""
    if m.df_kind == "none" or np.isinf(test.df2):
        return q.tested("χ²", test.wald, (test.df1,), test.wald_p)
    return q.tested_f(test)


def headline(m: MixedModel) -> tuple[list[Span], str]:
    """Which terms the response goes with, and how much of the scatter is the units'."""
    response, alpha = lower(m.data.response.title), m.spec.alpha
    told = [(t, x) for t, x in zip(m.data.terms, m.tests, strict=True) if x is not None]
    shown = [(t, x) for t, x in told if x.p < alpha]
    parts: list[str | Span] = []
    for i, (t, x) in enumerate(shown[:4] or told[:1]):
        joint = "" if i == 0 else ", " if i < len(shown[:4]) - 1 else " and "
        parts += [f"{joint}{lower_term(m.data.term_title(t))} (", *test_said(m, x), ")"]
    lost = [lower_term(m.data.term_title(t)) for t, x in zip(m.data.terms, m.tests, strict=True) if x is None]
    blind = f" {capital(listing(lost, 4))} cannot be told: some combinations have no rows." if lost else ""
    if not told:
        mean = number(float(m.fitted.coef[0]), m.data.decimals + 1) if m.fitted.intercept and not lost else ""
        start = f"The mean of {response} is {mean}{_unit(m)}." if mean else ""
        return say(f"{start}{blind} {_scatter(m)}".strip()), "terms cannot be told" if lost else "units alone"
    head = claimed(f"{response} goes with ", bool(shown))
    rest = [lower_term(m.data.term_title(t)) for t, x in told if x.p >= alpha] if shown else []
    more = f"; there is no evidence that it goes with {listing(rest, 4, 'or')}" if rest else ""
    spans = say(head, *parts, f"{more}.{blind} {_scatter(m)}")
    names = listing([lower_term(m.data.term_title(t)) for t, _ in shown], 3)
    return spans, f"{names} matter{'s' if len(shown) == 1 else ''}" if shown else "no evidence of any term"


def _unit(m: MixedModel) -> str:
    return f"\u00a0{m.data.response.unit}" if m.data.response.unit else ""


def _scatter(m: MixedModel) -> str:
    """Where the rest of the scatter lies."""
    if not m.random:
        if not m.spec.over_time or m.spec.covariance == "independent":
            return "Rows of a subject are taken as independent."
        return f"Rows of a subject go together: {COVARIANCES[m.spec.covariance].split(':')[0]}."
    whole = m.total_variance
    parts = [
        f"{percent(v / whole)} {'belongs ' if i == 0 else ''}to {r.title}"
        for i, (r, v) in enumerate(zip(m.random, m.unit_variances, strict=True))
    ]
    return f"Of the scatter that is left, {listing(parts, 4)}; the rest to rows within."


def sentence(m: MixedModel, c: Coefficient) -> str | None:
    """'Each further hour slept goes with 1.4 more words …'"""
    change = change_words(m.fitted, c)
    if change is None or not np.isfinite(c.b):
        return None
    unit, response = m.data.response.unit or "", lower(m.data.response.title)
    words = ("more", "less") if not unit else (f"{unit} more", f"{unit} less")
    what = f" {response}" if not unit else f" of {response}"
    size, span = more_or_less(c.b, c.low, c.high, decimals_of(c.se, c.b), m.spec.alpha, words, what).split("\n")
    others = ", other things equal" if len(m.data.terms) > 1 else ""
    return f"{change} goes with {size}{others}{f' ({span})' if span else ''}."


def write_up(m: MixedModel, spreads: list[Spread]) -> NoteBlock:
    """The model as the methods and results of a paper tell it."""
    response = lower(m.data.response.title)
    terms = listing([lower_term(m.data.term_title(t)) for t in m.data.terms], 12) or "an intercept alone"
    way = "restricted" if m.restricted else "full"
    said = [f"{response[0].upper()}{response[1:]} was modelled by a linear mixed model with {terms} as fixed terms"]
    if m.random:
        effects = listing([_effects_words(m, r) for r in m.random], 6)
        said[0] += f" and {effects.replace('and random effects of', 'and of')}"
    elif m.spec.over_time:
        kind = COVARIANCES[m.spec.covariance].split(":")[0]
        kind = kind if kind.startswith(("AR", "Toep")) else kind.lower()
        said[0] += f" and a covariance within {lower(m.table.column(m.spec.subject or '').title)} that is {kind}"
    said[0] += f", fitted by {way} maximum likelihood to {counted(m.data.n, 'row')} (Yavik {__version__})."
    if m.data.terms:
        df = {"satterthwaite": "denominator degrees of freedom by Satterthwaite’s method", "none": "Wald’s χ²"}
        df["kenward_roger"] = "the correction and degrees of freedom of Kenward and Roger (1997)"
        said.append(f"Terms were tested with {df[m.df_kind]}.")
    level = level_words(m.spec.alpha)
    parts = []
    for s in spreads:
        if s.kind != "variance" or not np.isfinite(s.value):
            continue
        sd = float(np.sqrt(max(s.value, 0.0)))
        d = decimals_of(max((s.high - s.low) / 8, 1e-12) if np.isfinite(s.high - s.low) else max(sd / 10, 1e-12), sd)
        ends = f" ({level} CI {number(s.low, d)} to {number(s.high, d)})" if np.isfinite(s.low + s.high) else ""
        parts.append(f"{s.title[0].lower()}{s.title[1:]} {number(sd, d)}{_unit(m)}{ends}")
    if parts and len(parts) <= 8:
        said.append(f"Standard deviations: {listing(parts, 8)}.")
    return NoteBlock(id="write_up", text=" ".join(said))


def _effects_words(m: MixedModel, r: Random) -> str:
    """'random effects of lamp within hall, with slopes over week'."""
    title = " within ".join(lower(m.table.column(n).title) for n in reversed(r.term.units))
    slopes = [lower(m.table.column(e).title) for e in r.effects if e != "level"]
    over = f"slopes over {listing(slopes)}" if slopes else ""
    level = "random effects" if r.term.intercept else "random"
    both = f", with {over}" if slopes and r.term.intercept else f" {over}" if slopes else ""
    related = " (related)" if slopes and r.term.intercept and r.term.related else ""
    return f"{level} of {title}{both}{related}" if r.term.intercept else f"random{both} of {title}"
