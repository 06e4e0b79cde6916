"""Sentences of a comparison of spread."""

from yavik.core.answers import NoteBlock
from yavik.core.answers.wording import (
    level_words,
    number,
)
from yavik.core.methods.kit.claims import ends
from yavik.core.stats.spread import RatioTest


def ratio_note(f: RatioTest | None, alpha: float, a: str, b: str) -> NoteBlock | None:
    """The ratio of two SDs with its interval; None where one has no spread."""
    if f is None:
        return None
    return NoteBlock(
        id="ratio",
        text=(
            f"The SD in {a} is {number(f.sd_ratio, 2)} times that in {b} ({level_words(alpha)} CI"
            f" {ends(f.ci_low, f.ci_high, 2)}, for normal values)."
        ),
    )
