"""Sentences of correlations."""

import numpy as np

from yavik.core.answers import Span
from yavik.core.answers.wording import (
    alpha_words,
    counted,
    italic,
    level_words,
    listing,
    p_words,
    plain,
    say,
    share,
)
from yavik.core.figures.caption import lower
from yavik.core.methods.describe.correlate.compute import CorrelateResults
from yavik.core.methods.kit.shares import ends_of


def headline(r: CorrelateResults) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    holding = (
        f", {listing([lower(r.table.column(c).title) for c in r.spec.holding])} held constant"
        if r.spec.holding
        else ""
    )
    if len(r.names) == 2:
        value, p = float(r.found.r[0, 1]), float(r.p[0, 1])
        a, b = lower(r.names[0]), lower(r.names[1])
        way = _way(value) if r.spec.alternative == "two_sided" else ""
        claim = {
            "two_sided": "go together",
            "greater": "rise together",
            "less": "run against each other",
        }[r.spec.alternative]
        start = (
            f"{r.names[0]} and {b} {claim}{way}{holding}, "
            if p < r.alpha
            else f"There is no evidence that {a} and {b} {claim}{holding}, "
        )
        low, high = float(r.found.low[0, 1]), float(r.found.high[0, 1])
        ends = ends_of(low, high, share, r.spec.alternative) if np.isfinite(low) else ""
        ci = f" ({level_words(r.alpha)} CI {ends})" if ends else ""
        spans = say(start, italic(r.letter), f"\u00a0=\u00a0{share(value)}{ci}, ", italic("p"), f" {p_words(p)}.")
        side = {"two_sided": "", "greater": " (one-sided, rising)", "less": " (one-sided, falling)"}[
            r.spec.alternative
        ]
        return spans, f"{r.letter} = {share(value)}{side}, {plain(say(italic('p'), f' {p_words(p)}'))}"
    known = [(i, j) for i, j in r.pairs if np.isfinite(r.found.r[i, j])]
    marked = [(i, j) for i, j in known if r.p[i, j] < r.alpha]
    i, j = max(known, key=lambda ij: abs(r.found.r[ij]))
    tail = f"Strongest: {lower(r.names[i])} and {lower(r.names[j])}, "
    adjusted = (
        f" (p by {r.spec.adjust.capitalize() if r.spec.adjust != 'fdr' else 'false discovery rate'})"
        if r.spec.adjust != "none"
        else ""
    )
    claim = f"{len(marked)} of {counted(len(known), 'pair')} {PAIRS[r.spec.alternative][len(marked) == 1]}"
    spans = say(
        f"{claim} at α = {alpha_words(r.alpha)}{adjusted}{holding}. {tail}",
        italic(r.letter),
        f" = {share(float(r.found.r[i, j]))}.",
    )
    return spans, claim


PAIRS = {
    "two_sided": ("go together", "goes together"),
    "greater": ("rise together", "rises together"),
    "less": ("run against each other", "runs one against the other"),
}
"""What several pairs do, and one."""


def _way(value: float) -> str:
    return ", the more of one the more of the other" if value > 0 else ", the more of one the less of the other"
