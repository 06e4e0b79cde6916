"""What a test of communities can carry, and what to do about it."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, grouped, listing, p_words
from yavik.core.methods.communities.community_test.compute import Tested
from yavik.core.methods.kit.taxa import advice, samples_each

FEW, FEW_FOR_SPREAD = 5, 10


def all_checks(t: Tested) -> list[Check | None]:
    """What the test can carry."""
    return [_spread(t), _sizes(t), _ways(t), advice(t.samples, t.spec), _blocks(t)]


def _spread(t: Tested) -> Check:
    base: dict[str, Any] = {"id": "spread", "title": "Groups scatter alike"}
    p = t.ps["dispersion"]
    if not np.isfinite(p):
        return Check(**base, verdict=Verdict.unknown, text="Spread cannot be tested: nothing is left within groups.")
    sizes = t.samples.sizes
    balanced = int(sizes.min()) == int(sizes.max())
    if p >= 0.05:
        return Check(**base, verdict=Verdict.holds, text=f"No evidence of unequal spread (p {p_words(p)}).")
    text = f"Groups scatter unequally (p {p_words(p)}): PERMANOVA and ANOSIM answer to that too."
    text += (
        " Groups are of one size, which PERMANOVA bears best."
        if balanced
        else " With groups of unequal size p may be far off."
    )
    if not balanced and int(sizes.min()) < FEW_FOR_SPREAD:
        text += " In small groups of unequal size this is found a little too often."
    return Check(**base, verdict=Verdict.doubtful if balanced else Verdict.fails, text=text)


def _sizes(t: Tested) -> Check:
    base: dict[str, Any] = {"id": "sizes", "title": "Samples in each group"}
    s = t.samples
    small = [f"{name} ({int(n)})" for name, n in zip(s.levels, s.sizes, strict=True) if n < FEW]
    if small:
        text = f"Few samples in {listing(small)}: their spread can hardly be told."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(**base, verdict=Verdict.holds, text=samples_each(s))


def _ways(t: Tested) -> Check:
    base: dict[str, Any] = {"id": "ways", "title": "Enough exchanges"}
    if t.ways < 20 / t.spec.alpha:
        text = f"There are {grouped(int(t.ways))} ways to exchange groups: p cannot be small with so few."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    p, error = t.ps["permanova"], t.error
    if np.isfinite(p) and abs(p - t.spec.alpha) < 2 * error:
        more = [Remedy(label="Draw 9 999", spec={"permutations": 9999})] if t.spec.permutations < 9999 else []
        many = counted(t.spec.permutations, "permutation")
        text = f"p of PERMANOVA lies within two Monte Carlo errors of α after {many}."
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=more)
    return Check(
        **base, verdict=Verdict.holds, text=f"{counted(t.spec.permutations, 'permutation')} tell p well enough."
    )


def _blocks(t: Tested) -> Check | None:
    if t.blocks:
        return None
    text = "Samples are taken for independent. Where sites, days or people stand several times, exchange within them."
    return Check(id="independent", title="Independent samples", verdict=Verdict.unknown, text=text)
