"""Sentences of a factorial answer."""

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import italic, listing, p_words, say
from yavik.core.figures.caption import lower
from yavik.core.methods.compare.factorial.data import Factorial
from yavik.core.methods.compare.factorial.spec import FactorialSpec
from yavik.core.stats.linear import SumsOfSquares, Term, TermTest

Tests = list[tuple[Term, TermTest]]


def tests_of(f: Factorial, kind: SumsOfSquares) -> Tests:
    """Each term's test by one type of sums of squares."""
    return [(t, f.model.test(t, kind)) for t in f.model.terms]


def blocked_by_empty(f: Factorial, term: Term, kind: str) -> str | None:
    """Why a type III test of a term cannot be put: an interaction that contains it has cells without rows."""
    if kind != "iii" or term[0] < 0:
        return None
    for other in f.model.terms:
        if other[0] >= 0 and set(term) < set(other):
            empty = f.empty_cells(other)
            if empty:
                return (
                    f"{f.name(other)} has no rows for"
                    f" {empty[0]}{f' and {len(empty) - 1} more' if len(empty) > 1 else ''}: equal weights for all its"
                    " cells cannot be had"
                )
    return None


def confounded(f: Factorial) -> dict[Term, tuple[int, list[Term]]]:
    """Terms that have lost degrees of freedom to others, how many, and to which. Empty cells are another matter."""
    out = {}
    for term in f.model.terms:
        if term[0] >= 0 and len(term) > 1:
            continue
        others = f.model.told_by(term)
        if others:
            lost = f.model.width(term) - f.model.test(term, "ii").df
            if lost > 0:
                out[term] = (lost, others)
    return out


def headline(f: Factorial, spec: FactorialSpec, tests: Tests) -> tuple[list[Span], float | None]:
    """The highest interaction that matters speaks first; else the main effects. Also the p of what speaks."""
    known = [
        (t, x)
        for t, x in tests
        if x.test and t[0] >= 0 and t[0] != f.block and not blocked_by_empty(f, t, spec.sums_of_squares)
    ]
    value = lower(f.response.title)
    if not known:
        first = next(iter(confounded(f).items()), None)
        if first:
            same = listing([f.name(first[0]), *(f.name(o) for o in first[1][1])])
            return say(f"What {same} do to {value} cannot be told apart: they say the same of every row."), None
        return say(f"No term of {value} can be tested with these cells."), None
    interactions = sorted(((t, x) for t, x in known if len(t) > 1), key=lambda p: -len(p[0]))
    mattering = next(((t, x) for t, x in interactions if x.test and x.test.p < spec.alpha), None)
    if mattering:
        term, test = mattering
        assert test.test
        names = [lower(f.titles[i]) for i in term]
        start = f"How {value} varies with {names[0]} depends on {' and '.join(names[1:])}, "
        tail = f". Main effects of {names[0]} and {names[-1]} are averages over what differs: read the cells."
        return say(start, *q.tested_f(test.test), tail), test.test.p
    mains = [(t, x) for t, x in known if len(t) == 1]
    if not mains:
        return say(f"No main effect of {value} can be tested with these cells."), None
    parts: list[str | Span] = []
    for i, (t, x) in enumerate(mains):
        assert x.test
        said = "differs by" if x.test.p < spec.alpha else "shows no evidence of differing by"
        joint = "" if i == 0 else (", and " if i == len(mains) - 1 else ", ")
        subject = f"Mean {value} " if i == 0 else ("it " if joint else "")
        parts += [joint, subject, f"{said} {lower(f.titles[t[0]])}, ", *q.tested_f(x.test)]
    if interactions:
        n = len(interactions)
        parts.append(f"; there is no evidence of {'an interaction' if n == 1 else f'any of {n} interactions'}")
        lowest = min((x.test.p for _, x in interactions if x.test), default=np.nan)
        parts += [" (", italic("p"), f" {p_words(lowest)})" if n == 1 else f" {p_words(lowest)} or more)"]
    told = confounded(f)
    untold = [f.name(t) for t, (lost, _) in told.items() if lost == f.model.width(t)]
    if untold:
        parts.append(f"; {listing(untold)} cannot be told from other terms")
    best = min(x.test.p for _, x in mains if x.test)
    return say(*parts, "."), best
