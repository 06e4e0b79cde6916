"""Sentences of a comparison of spread."""

from collections.abc import Sequence

from yavik.core.answers import NoteBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    level_words,
    number,
)
from yavik.core.methods.compare.spread.spec import Tested
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


def tests_table(tests: Sequence[Tested], ratio: float) -> TableBlock:
    """The tests beside one another."""
    note = "F ratio and Bartlett hold for normal values only; about medians the test holds for any shape."
    if ratio != 1:
        note += f" The F ratio tests a ratio of SDs of {number(ratio, 2)}; the other tests are of equal spread."
    return q.table("tests", "Tests of equal spread", [t.row() for t in tests], note=note)
