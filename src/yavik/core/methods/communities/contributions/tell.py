"""The sentence, tables and pictures of taxa that make groups differ; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, decimals_of, listing, number, percent, say, share
from yavik.core.figures.plots import block
from yavik.core.figures.taxa import dumbbells, running
from yavik.core.methods.communities.contributions.compute import Contributions, Pair
from yavik.core.methods.communities.contributions.spec import ADDING
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.taxa import TRANSFORMS, left_out, preparation, same_samples

MOST_DRAWN = 20
ALIKE = "these groups are alike"


def headline(c: Contributions) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    m = c.main
    a, b = _names(c, m)
    k = m.named(c.spec.cutoff)
    first = [c.samples.taxa[int(i)] for i in m.order[: min(k, 4)]]
    text = f"Most unlike are {a} and {b}: they" if len(c.pairs) > 1 else f"Samples of {a} and {b}"
    text += f" differ by {share(m.shares.whole)} on average ({ADDING[c.spec.dissimilarity]})."
    text += f" {counted(k, 'taxon', 'taxa')} of {len(c.samples.taxa)}"
    text += f" {'makes' if k == 1 else 'make'} up {percent(float(m.running[k - 1]))} of that,"
    text += f" {listing(first)}{' first' if k > 4 else ''}."
    return say(text), f"{a} and {b}, {counted(k, 'taxon', 'taxa')}"


def _names(c: Contributions, m: Pair) -> tuple[str, str]:
    return c.samples.levels[m.first], c.samples.levels[m.second]


def _whole(x: float) -> str:
    return f"{number(100 * x, 0)}%"


def settings(c: Contributions) -> list[str]:
    """What was done, for the line under the sentence."""
    s = c.samples
    made = [s.counted, *preparation(s, c.spec)]
    return [*made, ADDING[c.spec.dissimilarity], f"named up to {_whole(c.spec.cutoff)}"]


def blocks(c: Contributions) -> list[Any]:
    """Everything below the sentence, a tab for each pair."""
    parts = [(" and ".join(_names(c, m)), [x for x in _of_pair(c, m, i) if x]) for i, m in enumerate(c.pairs)]
    return [*touch.tabs("pair", parts), whole(c), left_out(c.samples), _write_up(c)]


def _of_pair(c: Contributions, m: Pair, i: int) -> list[FigureBlock | TableBlock | None]:
    if not m.shares.whole > 0:
        return [_table(c, m, i)]
    s = c.samples
    drawn = running(m.shares.part[m.order], [s.taxa[int(j)] for j in m.order])
    figure = block(f"running_{i + 1}", "What taxa add up to", drawn)
    figure = touch.handle(figure, "cutoff", "Named up to", c.spec.cutoff, (0.05, 1.0), axis="y", decimals=2)
    k = min(m.named(c.spec.cutoff), MOST_DRAWN)
    rows = [(s.taxa[int(j)], float(m.shares.first[j]), float(m.shares.second[j])) for j in m.order[:k]]
    means = block(f"means_{i + 1}", "Their mean amounts", dumbbells(rows, _names(c, m), _amount(c)))
    return [figure, means, _table(c, m, i)]


def _amount(c: Contributions) -> str:
    spec = c.spec
    if spec.transform == "none" and not spec.standardise:
        return "Mean amount"
    return f"Mean of {listing([TRANSFORMS[spec.transform], *(['standardised'] if spec.standardise else [])])}"


def _table(c: Contributions, m: Pair, i: int) -> TableBlock:
    s, shares = c.samples, m.shares
    a, b = _names(c, m)
    k = m.named(c.spec.cutoff)
    largest = float(max(shares.first.max(), shares.second.max()))
    d = min(decimals_of(max(largest, 1e-9) / 300, largest), 4)
    rows = []
    for rank, j in enumerate(m.order):
        ratio = shares.mean[j] / shares.sd[j] if shares.sd[j] > 0 else np.nan
        rows.append(
            q.row(
                taxon=q.name(s.taxa[int(j)], "Taxon").bold if rank < k else q.name(s.taxa[int(j)], "Taxon"),
                first=q.num(float(shares.first[j]), d, f"Mean, {a}"),
                second=q.num(float(shares.second[j]), d, f"Mean, {b}"),
                contribution=q.num(float(shares.mean[j]), 4, "Adds"),
                ratio=q.num(float(ratio), 2, "Over its SD", why="it adds the same in every pair"),
                share=q.part(float(shares.part[j]), "Share", ALIKE),
                running=q.part(float(m.running[rank]), "Running", ALIKE),
            )
        )
    note = (
        f"Mean dissimilarity of {counted(shares.pairs, 'pair')} of samples: {share(shares.whole)}; the column “Adds”"
    )
    note += f" sums to it. In bold the {counted(k, 'taxon', 'taxa')} up to {_whole(c.spec.cutoff)}. A taxon that adds"
    note += " much over its SD does so in nearly every pair. This is no test."
    return q.table(f"taxa_{i + 1}", f"Taxa that make {a} and {b} differ", rows, note=note, marked=list(range(k)))


def whole(c: Contributions) -> TableBlock:
    """All pairs, and how unlike samples are within groups."""
    s = c.samples
    rows = []
    for m in c.pairs:
        a, b = _names(c, m)
        k = m.named(c.spec.cutoff)
        first = [s.taxa[int(j)] for j in m.order[: min(k, 3)]]
        rows.append(
            q.row(
                first=q.name(a, "Group"), second=q.name(b, "And"),
                whole=q.fine(m.shares.whole, "Mean dissimilarity"),
                named=q.count(k, f"Taxa up to {_whole(c.spec.cutoff)}"),
                leading=q.said(listing(first) if first else ALIKE, "First of them"),
            )
        )  # fmt: skip
    inside = [
        f"{name} {share(float(v))}" if np.isfinite(v) else f"{name} one sample"
        for name, v in zip(s.levels, c.inside, strict=True)
    ]
    note = f"Mean dissimilarity within groups: {listing(inside, 12)}."
    note += " A click tests the groups (PERMANOVA with spread beside it, pairs adjusted)."
    made = q.table("pairs", "All pairs", rows, note=note)
    return touch.opening(made, [same_samples(c.spec)] * len(rows), "community_test")


def facts(c: Contributions) -> dict[str, Any]:
    """Numbers by name."""
    s = c.samples
    out: dict[str, Any] = {"n": s.n, "taxa": len(s.taxa), "cutoff": c.spec.cutoff}
    for m in c.pairs:
        name = " - ".join(_names(c, m))
        out |= {f"{name}.dissimilarity": m.shares.whole, f"{name}.named": m.named(c.spec.cutoff)}
        for j in m.order[:20]:
            out[f"{name}.{s.taxa[int(j)]}"] = m.shares.mean[j]
    for name, v in zip(s.levels, c.inside, strict=True):
        out[f"{name}.within"] = v
    return out


def _write_up(c: Contributions) -> NoteBlock:
    m = c.main
    a, b = _names(c, m)
    k = m.named(c.spec.cutoff)
    told = [f"{c.samples.taxa[int(j)]} ({percent(float(m.shares.part[j]))})" for j in m.order[: min(k, 8)]]
    text = f"Contributions of {counted(len(c.samples.taxa), 'taxon', 'taxa')} to the"
    text += (
        f" {ADDING[c.spec.dissimilarity]} dissimilarity ({listing(preparation(c.samples, c.spec))}) of {a} and {b}"
    )
    text += " were averaged"
    text += f" over {counted(m.shares.pairs, 'pair')} of samples (mean {number(m.shares.whole, 3)}; Clarke, 1993)."
    text += f" Up to {_whole(c.spec.cutoff)} came from {counted(k, 'taxon', 'taxa')}: {listing(told, 8)}"
    return NoteBlock(id="write_up", text=f"{text}{' and others' if k > 8 else ''}.")
