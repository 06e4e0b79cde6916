"""A difference in differences in words, with the condition that its causal words need."""

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after_difference, number, plain, say
from yavik.core.figures.caption import lower
from yavik.core.methods.change.difference_in_differences import tables
from yavik.core.methods.change.difference_in_differences.compute import Did


def headline(d: Did) -> tuple[list[Span], str]:
    """The statement: what the change did, if the groups would have changed alike without it."""
    e, k = d.effect, tables.decimals(d)
    outcome, unit = lower(d.study.data.response.title), after_difference(d.study.data.response.unit)
    cause = d.study.treated_words
    size = f"{number(abs(e.estimate), k)}{unit}"
    told = q.tested("t", e.estimate / e.se, (e.df,), e.p) if e.se > 0 else []
    closing: list[str | Span] = [", ", *told, ")."] if told else [")."]
    ends: list[str | Span] = [f" ({tables.interval_words(d)}", *closing]
    several = len(d.study.starts) > 1
    if e.p < d.spec.alpha:
        way = "higher" if e.estimate > 0 else "lower"
        start = f"If the treated ({cause}) and the others would have changed alike otherwise, the treatment made"
        start += f" {outcome}"
        start += f" {size} {way}"
    else:
        way = "above" if e.estimate > 0 else "below"
        start = (
            f"There is no evidence that the treatment ({cause}) changed {outcome}: the change among the treated lies"
        )
        start += f" {size} {way} that among the others"
    more = ""
    if several and d.averages:
        a = d.averages[0]
        more = f" Each group by start beside those not started yet gives {number(a.estimate, k)}{unit} on average (SE"
        more += f" {number(a.se, k)}); the first number also compares with units that are treated already."
    short = f"{number(e.estimate, k)}{unit}, {plain(q.p_said(e.p))}"
    return say(start, *ends, more), short
