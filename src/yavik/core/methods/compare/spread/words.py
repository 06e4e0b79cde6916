"""Sentences of a comparison of spread."""

from yavik.core.answers import NoteBlock
from yavik.core.answers.wording import (
    level_words,
    number,
)
from yavik.core.methods.compare.spread.spec import CompareSpreadSpec
from yavik.core.methods.kit.claims import ends
from yavik.core.stats.groups import Groups
from yavik.core.stats.spread import f_ratio


def ratio_note(spec: CompareSpreadSpec, g: Groups) -> NoteBlock | None:
    """The ratio of two groups' SDs with its interval."""
    v = g.variances
    return ratio_words(spec, float(v[0]), float(v[1]), float(g.n[0]), float(g.n[1]), g.names[0], g.names[1])


def ratio_words(
    spec: CompareSpreadSpec, v1: float, v2: float, n1: float, n2: float, a: str, b: str
) -> NoteBlock | None:
    """The ratio of two SDs with its interval, from their variances; None where one has no spread."""
    if v1 <= 0 or v2 <= 0:
        return None
    f = f_ratio(v1, v2, n1, n2, spec.ratio, spec.alpha, spec.alternative)
    return NoteBlock(
        id="ratio",
        text=(
            f"The SD in {a} is {number(f.sd_ratio, 2)} times that in {b} ({level_words(spec.alpha)} CI"
            f" {ends(f.ci_low, f.ci_high, 2)}, for normal values)."
        ),
    )
