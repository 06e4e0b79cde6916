"""What stands after the tests of a comparison of groups: letters in order, the matrix of pairs, differences drawn."""

import re

import numpy as np

from yavik.core.answers import Check, FigureBlock, NoteBlock, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, finer, level_words, number, p_bare, p_words
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.compare.groups.compute import GroupsResults
from yavik.core.methods.compare.groups.spec import BY_RANKS, MEAN_RANKS, WITH_CONTROL
from yavik.core.methods.compare.groups.words import letters_note

MOST_DRAWN = 28
MOST_IN_MATRIX = 12


def letters_table(r: GroupsResults, up: bool) -> TableBlock | None:
    """Groups in the order of their means, with their letters."""
    g = r.data.groups
    if r.letters is None or g.k < 3:
        return None
    ranks = r.test == "kruskal_wallis" and r.ranked is not None
    by = r.ranked.mean_ranks if ranks and r.ranked else g.means
    order = np.argsort(by if up else -by, kind="stable")
    d = 1 if ranks else finer(r.data.decimals, float(np.abs(g.means).max()))
    what = "Mean rank" if ranks else "Mean"
    rows = [
        q.row(
            group=q.name(g.names[i], r.data.group),
            mean=q.num(float(by[i]), d, what, unit=None if ranks else r.data.unit),
            letters=q.said(r.letters[i], "Letters"),
        )
        for i in order
    ]  # fmt: skip
    title = f"Groups from the {'lowest' if up else 'highest'} {what.lower()}"
    return q.table("letters", title, rows, note=letters_note(r), folded=g.k <= 6, strong=["letters"])


def matrix(r: GroupsResults) -> TableBlock | None:
    """Differences below the diagonal, p above it."""
    p, g = r.pairs, r.data.groups
    if p is None or not 3 <= g.k <= MOST_IN_MATRIX or len(p.p) != g.k * (g.k - 1) // 2:
        return None
    d, cells = 1 if r.pair_method in MEAN_RANKS else r.data.decimals, {}
    for i in range(len(p.p)):
        a, b, value = int(p.a[i]), int(p.b[i]), float(p.p_adjusted[i])
        cells[a, b] = q.texted(value, p_bare(value)) if np.isfinite(value) else q.blank()
        cells[b, a] = q.num(-float(p.difference[i]), d)
    rows = [
        q.row(
            group=q.name(own),
            **{f"c{j}": cells.get((i, j), q.blank()).under(name) for j, name in enumerate(g.names)},
        )
        for i, own in enumerate(g.names)
    ]  # fmt: skip
    above = "p" if r.adjusting == "none" else "adjusted p"
    note = f"Below the diagonal the row's level minus the column's; above it {above}."
    return q.table("matrix", "Every level with every other", rows, note=note, folded=True, strong=[])


def drawn_pairs(r: GroupsResults) -> FigureBlock | None:
    """Differences of pairs with their intervals."""
    p, g = r.pairs, r.data.groups
    if p is None or p.ci_low is None or p.ci_high is None or g.k < 3 or len(p.p) > MOST_DRAWN:
        return None
    bars = [
        Bar(
            f"{g.names[p.a[i]]} − {g.names[p.b[i]]}",
            float(p.difference[i]),
            float(p.ci_low[i]),
            float(p.ci_high[i]),
            bool(p.p_adjusted[i] < r.alpha),
        )
        for i in range(len(p.p))
    ]
    unit = f" ({r.data.unit})" if r.data.unit else ""
    drawing = forest(bars, f"Difference{unit}, {level_words(r.alpha)} CI")
    return block("figure_pairs", "Differences between groups", drawing).model_copy(
        update={"folded": False, "small": False}
    )


def same_thing(r: GroupsResults) -> NoteBlock | None:
    """The test under its other names."""
    two = r.data.groups.k == 2
    if r.test == "anova":
        text = "This F is also that of a regression on a 0/1 column for each group but one; its R² is the η² above."
        text += " With two groups it is the square of Student's t." if two else ""
    elif r.test == "kruskal_wallis" and two:
        text = (
            "With two groups H is the square of the z of the rank-sum test (Mann–Whitney, Wilcoxon) without"
            " continuity correction: one test under two names."
        )
    elif r.test == "welch" and two:
        text = "With two groups this F is the square of Welch's t: one test under two names."
    else:
        return None
    return NoteBlock(id="same", text=text)


def crossed(names: tuple[str, ...]) -> tuple[int, int] | None:
    """Whether the levels' names are all combinations of two shorter lists: a factorial written in one column."""
    for mark in (r"[×/_:+,]", r"-", r"\s+"):
        parts = [[p.strip() for p in re.split(mark, n.strip())] for n in names]
        if all(len(p) == 2 and all(p) for p in parts):
            first, second = {p[0] for p in parts}, {p[1] for p in parts}
            if len(first) > 1 and len(second) > 1 and len(first) * len(second) == len(set(names)):
                return len(first), len(second)
    return None


def pairs_check(r: GroupsResults) -> Check | None:
    """Whether comparing all pairs is the question at all."""
    g = r.data.groups
    base = {"id": "pairs", "title": "Are pairs the question?"}
    if r.contrasts:
        text = (
            "Planned contrasts answer what was asked beforehand; all pairs and their letters are beside that"
            " question."
        )
        return Check(**base, verdict=Verdict.holds, text=text)
    if g.k == 2:
        return Check(
            **base,
            verdict=Verdict.holds,
            text=(
                "Two groups make one pair: the overall test and the pair are one question, and nothing has to be"
                " adjusted."
            ),
        )
    if r.pairs is None:
        return None
    both = crossed(g.names)
    if both:
        text = (
            f"The levels look like {both[0]} × {both[1]} combinations of two factors. Split the column in two and ask"
            " how the measurement varies with both, and together."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text)
    if r.data.ordered:
        text = "The levels are ordered: a trend says more, and more surely, than pairs do."
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=text,
            remedies=[Remedy(label="Look at the trend", spec={"contrasts": "polynomial"})],
        )
    sds = np.sqrt(g.variances[~np.isnan(g.variances)])
    ratio = float(sds.max() / sds.min()) if len(sds) and sds.min() > 0 else np.inf
    if (
        r.test in ("welch", "brown_forsythe")
        and r.pair_method not in ("games_howell", "dunnett_welch", *BY_RANKS)
        and ratio > 1.5
    ):
        text = (
            f"The test allows unequal spread, these pairs do not: the SDs stand as {number(ratio, 1)} to 1."
            if np.isfinite(ratio)
            else "The test allows unequal spread, these pairs do not, and one group has no spread at all."
        )
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=text,
            remedies=(
                [Remedy(label="Use each group's own spread", spec={"pairs": "dunnett_welch"})]
                if r.pair_method == "dunnett"
                else [Remedy(label="Use Games–Howell", spec={"pairs": "games_howell"})]
            ),
        )
    found = int((r.pairs.p_adjusted < r.alpha).sum())
    if r.main.p >= r.alpha and found:
        text = (
            f"The overall test finds no difference (p {p_words(r.main.p)}), yet"
            f" {counted(found, 'pair is', 'pairs are')} marked: the two answer different questions, and such pairs"
            " want caution."
        )
        return Check(**base, verdict=Verdict.doubtful, text=text)
    if r.pair_method == "lsd" and g.k > 3:
        text = (
            f"Each of {len(r.pairs.p)} pairs is tested on its own: together they claim a difference where there is"
            f" none in up to {number(100 * (1 - (1 - r.alpha) ** len(r.pairs.p)), 0)} of 100 studies."
        )
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=text,
            remedies=[Remedy(label="Hold the error for all pairs", spec={"pairs": "auto"})],
        )
    return Check(**base, verdict=Verdict.holds, text=_what_pairs_hold(r))


def _what_pairs_hold(r: GroupsResults) -> str:
    what = "all pairs of ranks" if r.pair_method in BY_RANKS else "all pairs"
    if r.pair_method in WITH_CONTROL:
        return "Each group with the control, with the error held for these comparisons together."
    if r.adjusting == "none" or r.pair_method in ("snk", "duncan"):
        return f"Unplanned, unordered groups: {what}, without the error held for all of them together."
    if r.adjusting == "fdr":
        return (
            f"Unplanned, unordered groups: {what}, with the share of false claims among those marked held, not the"
            " chance of any."
        )
    return f"Unplanned, unordered groups: {what}, with the error held for all of them together."
