"""Sentences of repeated measurements."""

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, number, say, share
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.repeated.compute import RepeatedResults
from yavik.core.methods.compare.repeated.data import Subjects
from yavik.core.methods.compare.repeated.spec import RepeatedSpec
from yavik.core.methods.kit.claims import claimed
from yavik.core.stats.oneway import FTest
from yavik.core.stats.within import Effect, Friedman, Repeated


def correction(spec: RepeatedSpec, r: Repeated) -> tuple[float, str]:
    """ε by which both df are multiplied, and how that is called."""
    s = r.sphericity
    if s is None:
        return 1.0, "two times: no correction is needed"
    if spec.correction == "none":
        return 1.0, "sphericity assumed"
    if spec.correction == "huynh_feldt":
        return s.huynh_feldt, f"Huynh–Feldt, ε = {share(s.huynh_feldt)}"
    return s.greenhouse_geisser, f"Greenhouse–Geisser, ε = {share(s.greenhouse_geisser)}"


def test_of(e: Effect, epsilon: float) -> FTest:
    """The test with both df multiplied by ε."""
    return e.corrected(epsilon) if epsilon != 1 else e.test


def headline(results: RepeatedResults, spec: RepeatedSpec, epsilon: float) -> tuple[list[Span], float, str]:
    """The statement, the p of what it speaks of, and a few words for the contents."""
    s, r = results.subjects, results.effects
    time, together = r.within[0], r.within[1] if s.group is not None else None
    value, over = lower(s.value), lower(s.time_title)
    if together:
        t = test_of(together, epsilon)
        if t.p < spec.alpha:
            spans = say(
                f"How {value} changes over {over} depends on {lower(s.group_title)}, ",
                *q.tested_f(t),
                f". {_largest(results)}",
            )
            return spans, t.p, "changes differ"
    t = test_of(time, epsilon)
    claim = f"changes over {over}"
    start = f"{claimed(f'{value} {claim}', t.p < spec.alpha)}, "
    parts: list[str | Span] = [start, *q.tested_f(t)]
    if together:
        parts += ["; there is no evidence that groups change differently, ", *q.tested_f(test_of(together, epsilon))]
    return say(*parts, f". {_largest(results)}"), t.p, "changes" if t.p < spec.alpha else "no evidence of a change"


def _largest(r: RepeatedResults) -> str:
    """The means that the test tests."""
    s, m = r.subjects, r.times.means
    d = s.decimals + 1
    low, high = int(m.argmin()), int(m.argmax())
    unit = after(s.unit)
    sizes = {group.n for group in r.means}
    how = "Means, groups counting alike," if len(sizes) > 1 else "Means"
    return (
        f"{how} run from {number(float(m[low]), d)}{unit} at {s.times[low]} to {number(float(m[high]), d)}{unit} at"
        f" {s.times[high]}."
    )


def rank_headline(s: Subjects, spec: RepeatedSpec, f: Friedman) -> list[Span]:
    """The statement of Friedman's test."""
    value, over = lower(s.value), lower(s.time_title)
    claim = f"ranks of {value} differ over {over}"
    start = f"{claimed(claim, f.p < spec.alpha)}, "
    low, high = int(f.mean_ranks.argmin()), int(f.mean_ranks.argmax())
    tail = (
        f". Mean ranks run from {number(float(f.mean_ranks[low]), 1)} at {s.times[low]} to"
        f" {number(float(f.mean_ranks[high]), 1)} at {s.times[high]}."
    )
    return say(start, *q.tested("χ²", f.chi2, (f.df,), f.p), tail)
