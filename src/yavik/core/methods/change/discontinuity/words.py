"""A jump in words."""

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after_difference, counted, given, level_words, number, p_words, plain, say
from yavik.core.figures.caption import lower
from yavik.core.methods.change.discontinuity.compute import Discontinuity
from yavik.core.methods.change.discontinuity.sensitivity import Variation
from yavik.core.methods.change.discontinuity.tables import decimals


def headline(r: Discontinuity) -> tuple[list[Span], str]:
    """The statement, and a few words of it."""
    if r.main is None:
        return _density(r)
    j, k = r.main, decimals(r)
    assert r.study.outcome
    unit = after_difference(r.study.outcome.unit)
    size = f"{number(abs(j.estimate), k)}{unit}"
    low, high = j.interval("robust", r.spec.alpha)
    inside = [f" (robust {level_words(r.spec.alpha)} CI {number(low, k)} to {number(high, k)}, "]
    told = q.tested("z", j.corrected / j.robust_se, (), j.p("robust")) if j.robust_se > 0 else []
    outcome, where = lower(r.study.outcome.title), f"{lower(r.study.running.title)} crosses {given(r.study.cutoff)}"
    shown = j.p("robust") < r.spec.alpha
    if r.study.received is None or r.sharp:
        way = "up" if j.estimate * _side(r) > 0 else "down"
        claim = f"{outcome} jumps {way} by {size} where {where}"
        none = f"{outcome} jumps where {where}; it is {size} {'higher' if way == 'up' else 'lower'} right above it"
    else:
        way = "higher" if j.estimate > 0 else "lower"
        claim = f"{outcome} is {size} {way} because of the treatment ({r.study.got}) for those whom the cut-off"
        claim += f" {given(r.study.cutoff)} moves"
        none = f"the treatment ({r.study.got}) changes {outcome} at the cut-off; the estimate is"
        none += f" {number(j.estimate, k)}{unit}"
    start = claim[0].upper() + claim[1:] if shown else f"There is no evidence that {none}"
    after = " It is an effect of crossing if rows could not choose their side." if shown else ""
    return say(start, *inside, *told, ").", after), f"{number(j.estimate, k)}{unit}, {plain(q.p_said(j.p('robust')))}"


def _side(r: Discontinuity) -> float:
    """1, or −1 where those below are the treated, whose effect is told with the other sign."""
    first = r.jump.first
    return -1.0 if first < 0 else 1.0


def _density(r: Discontinuity) -> tuple[list[Span], str]:
    where = f"{lower(r.study.running.title)} {given(r.study.cutoff)}"
    d = r.density
    if d is None:
        return say(f"There are too few different values beside {where} to test their density."), "too few values"
    told = q.tested("z", d.z, (), d.p)
    if d.p < r.spec.alpha:
        way = "above" if d.right > d.left else "below"
        start = f"Rows pile up right {way} {where} ("
    else:
        start = f"There is no evidence that rows pile up on one side of {where} ("
    return say(start, *told, ")."), f"density, p {p_words(d.p)}"


def agreement(r: Discontinuity, rows: list[Variation]) -> str:
    """How many of the set agree, in a sentence or two."""
    j, alpha = r.jump, r.spec.alpha
    same = [v for v in rows if not v.placebo and v.jump and not (v.kind == "window" and not v.changes)]
    void = [v for v in rows if v.placebo and v.jump]
    shown = j.p("robust") < alpha
    alike = [v for v in same if v.jump and v.jump.estimate * j.estimate > 0]
    clear = [v for v in alike if v.jump and v.jump.p("robust") < alpha]
    out = ""
    if same:
        out = f"Of {counted(len(same), 'other choice')} {len(alike)} give a jump of the same direction"
        out += f", {len(clear)} of them with p below {f'{alpha:g}'.lstrip('0')}."
        if not shown and not clear:
            out = f"Of {counted(len(same), 'other choice')} none has p below {f'{alpha:g}'.lstrip('0')}."
    if void:
        seen = [v for v in void if v.jump and v.jump.p("robust") < alpha]
        out += f" Where no jump should be, {len(seen)} of {len(void)} {'has' if len(seen) == 1 else 'have'} p below"
        out += f" {f'{alpha:g}'.lstrip('0')}."
    return out.strip()
