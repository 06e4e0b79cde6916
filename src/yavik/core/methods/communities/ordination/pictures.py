"""The map of samples, the same under other transformations, groups' spread, and two samples compared."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import Change
from yavik.core.answers.wording import counted, listing, number, percent, share, share_fine
from yavik.core.figures.ordinations import around_groups, map_of, small_map
from yavik.core.figures.plots import Drawn, block
from yavik.core.figures.taxa import dumbbells
from yavik.core.methods.communities.ordination import tell
from yavik.core.methods.communities.ordination.compute import Ordered
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.taxa import TRANSFORMS, left_out, same_samples
from yavik.core.methods.kit.taxa_given import dissimilarities

MOST_TAXA, MOST_COMPARED = 20, 15


def blocks(o: Ordered) -> list[Any]:
    """Everything below the sentence."""
    square = dissimilarities(o.samples, o.samples.unlike(o.spec.dissimilarity)) if len(o.d) else None
    return [
        picture(o), *two(o), *under(o), tell.shepard_of(o), tell.stresses_of(o), tell.arrows(o), tell.dimensions(o),
        spread(o), tell.scores(o), square, left_out(o.samples), _alike_under(o), tell.write_up(o),
    ]  # fmt: skip


def drawing(o: Ordered, points: Any) -> Drawn:
    """Samples as a picture."""
    s, spec = o.samples, o.spec
    groups = [s.levels[int(c)] for c in s.codes] if s.levels else None
    ends = [(m.label, float(m.arrow.ends[0]), float(m.arrow.ends[1])) for m in o.arrows]
    titles = tell.axis_title(o, o.shown[0]), tell.axis_title(o, o.shown[1])
    outlines = around_groups(points, s.codes, s.levels, hulls=spec.hulls, ellipses=spec.ellipses, lines=spec.lines)
    marked = [i for i, r in enumerate(o.rows) if int(r) in spec.beside]
    return map_of(points, s.labels, groups, s.levels, ends, titles, o.rows, outlines, _taxa(o), marked)


def _taxa(o: Ordered) -> list[tuple[str, float, float]]:
    """The taxa with the largest amounts, each at the mean place of its samples."""
    a, b = o.shown
    return [(name, float(at[a]), float(at[b])) for name, at in o.taxa[:MOST_TAXA]]


def picture(o: Ordered) -> FigureBlock:
    """The map of samples, whose points are clicked to compare them."""
    made = block("map", "How samples lie, which way up is arbitrary", drawing(o, o.picture))
    axes = sorted({k + 1 for k in o.shown})
    now = o.spec.mirrored
    made = touch.offering(
        made,
        [
            Change(
                label=f"Mirror axis {k}", now=k in now,
                spec={"mirrored": [m for m in now if m != k] if k in now else sorted([*now, k])},
            )
            for k in axes
        ],
    )  # fmt: skip
    return touch.points(made, "beside", "row", "Compare this sample", 2) if o.samples.amounts else made


def under(o: Ordered) -> list[FigureBlock]:
    """Four small pictures; a click takes one."""
    s = o.samples
    groups = [s.levels[int(c)] for c in s.codes] if s.levels else None
    out = []
    for u in o.under:
        if u.points is None:
            continue
        told = f"stress {share_fine(u.stress)}" if u.stress is not None else f"axes hold {percent(u.share or 0.0)}"
        words = TRANSFORMS[u.transform]
        drawn = small_map(
            u.points, groups, s.levels, f"{words}, {told}; {percent(u.alike)} of the picture shown is in it"
        )
        made = block(f"under_{u.transform}", told, drawn, small=True)
        out.append(touch.taken(made, words, {"transform": u.transform}, u.transform == o.spec.transform))
    return out


def _alike_under(o: Ordered) -> NoteBlock | None:
    gone = [TRANSFORMS[u.transform] for u in o.under if u.points is None]
    text = f"By {listing(gone)} samples are all alike, so there is no picture." if gone else ""
    return NoteBlock(id="alike_under", text=text) if gone else None


def spread(o: Ordered) -> TableBlock | None:
    """How far samples lie from the middle of their group, in all dimensions."""
    if o.away is None:
        return None
    s = o.samples
    rows = []
    for g, level in enumerate(s.levels):
        own = np.flatnonzero(s.codes == g)
        far = int(own[int(np.argmax(o.away[own]))])
        rows.append(
            q.row(
                group=q.name(level, o.spec.groups or "Group"), n=q.count(len(own), "n"),
                away=q.num(float(o.away[own].mean()), 3, "Mean distance from the middle"),
                far=q.said(s.labels[far] if len(own) > 1 else "–", "Farthest sample"),
                far_away=q.num(float(o.away[far]) if len(own) > 1 else np.nan, 3, "its distance", why="one sample"),
            )
        )  # fmt: skip
    note = (
        "Distances from each group’s middle by all dissimilarities, not those of the picture. Whether groups scatter"
    )
    note += " unequally beyond chance is asked by a test of communities."
    made = q.table("spread", "Scatter within groups", rows, note=note, folded=len(rows) > 8)
    if not o.spec.groups or not o.samples.amounts:
        return made
    return touch.opening(made, [same_samples(o.spec)] * len(rows), "community_test")


def two(o: Ordered) -> list[Any]:
    """Taxa of two samples side by side."""
    pair = o.pair
    if pair is None:
        return []
    s = o.samples
    a = s.labels[pair.first]
    b = "mean of all" if pair.second is None else s.labels[pair.second]
    shown = [int(k) for k in pair.order[:MOST_COMPARED] if pair.parts[k] > 0]
    drawn = dumbbells(
        [(s.taxa[k], float(pair.amounts[k, 0]), float(pair.amounts[k, 1])) for k in shown], (a, b), "Amount"
    )
    high = float(pair.amounts.max())
    whole = bool(np.all(pair.amounts == np.floor(pair.amounts)))
    places = 0 if whole else (1 if high >= 100 else 2)
    rows = [
        q.row(
            taxon=q.name(s.taxa[k], "Taxon"), first=q.num(float(pair.amounts[k, 0]), places, a),
            second=q.num(float(pair.amounts[k, 1]), places, b),
            part=q.part(float(pair.parts[k]), "Of the difference"),
        )
        for k in shown
    ]  # fmt: skip
    rest = int((pair.parts > 0).sum()) - len(shown)
    note = "" if np.isnan(pair.whole) else f"They differ by {number(pair.whole, 3)}."
    if rest > 0:
        left = float(pair.parts.sum() - pair.parts[shown].sum())
        note += f" {counted(rest, 'taxon', 'taxa')} more make up {share(left)} of the difference."
    note += " Amounts as they stand in the table; shares are of what was compared. Click a third sample to take its"
    note += " place, or one of these to let it go."
    title = f"{a} beside {'the mean of all' if pair.second is None else b}"
    picture = [block("compared_picture", title, drawn, small=True)] if shown else []
    table = q.table("compared", title, rows, note=note.strip())
    rows_shown = [int(o.rows[k]) for k in (pair.first, pair.second) if k is not None]
    return [table.model_copy(update={"shows": rows_shown}), *picture]
