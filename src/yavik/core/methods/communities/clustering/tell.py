"""The sentence, tables and tree of clusters; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, NoteBlock, Remedy, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, decimals_of, listing, number, percent, say, share
from yavik.core.figures.plots import block, curve
from yavik.core.figures.trees import tree
from yavik.core.methods.communities.clustering.compute import Clustered
from yavik.core.methods.communities.clustering.spec import LINKAGES
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.taxa import UNLIKE, advice, left_out, preparation
from yavik.core.methods.kit.taxa_given import compared_by, dissimilarities, told_of, unlike_words

WIDTHS = ((0.5, "clearly apart"), (0.25, "weakly apart"), (-1.1, "hardly apart"))


def name(g: int) -> str:
    """'cluster 1'."""
    return f"cluster {g + 1}"


def mean_width(c: Clustered) -> float:
    return float(c.silhouette.mean())


def _said(width: float) -> str:
    return next(words for low, words in WIDTHS if width > low)


def headline(c: Clustered) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    n = counted(len(c.codes), "sample")
    if c.k < 2:
        return say(f"At this height all {n} are one cluster."), f"one cluster, {n}"
    sizes = listing([str(int(s)) for s in c.sizes], 12)
    text = f"{n} fall into {c.k} clusters of {sizes}"
    text += "" if c.asked else ", the number with the widest silhouettes of those tried"
    width = mean_width(c)
    if np.isfinite(width):
        text += f"; they are {_said(width)} (mean silhouette {share(width)})"
    text += "."
    if c.means:
        text += f" {percent(1 - float(c.within.sum()) / c.total)} of the squares lie between them."
    return say(text), f"{c.k} clusters, {n}"


def settings(c: Clustered) -> list[str]:
    """What was done, for the line under the sentence."""
    spec = c.spec
    s = c.data.samples
    made = [s.counted if s else f"{counted(len(c.codes), 'sample')}, {_columns(c)}"]
    if s:
        made += compared_by(s, spec) if c.tree else [*preparation(s, spec), "Euclidean"]
    else:
        made.append(
            "columns divided by their SD, Euclidean" if spec.scale == "sd" else "columns as they are, Euclidean"
        )
    made.append(f"joined by {LINKAGES[spec.linkage]}" if c.tree else f"about means, {counted(spec.starts, 'start')}")
    return made


def _columns(c: Clustered) -> str:
    n = len(c.data.names)
    return counted(n, "taxon", "taxa") if c.data.samples else counted(n, "column")


def _unlike(c: Clustered) -> str:
    s = c.data.samples
    if s is None:
        return "Euclidean distance"
    return "Dissimilarity" if s.given is not None else UNLIKE[c.spec.dissimilarity]


def blocks(c: Clustered) -> list[Any]:
    """Everything below the sentence."""
    left = left_out(c.data.samples) if c.data.samples else None
    square = dissimilarities(c.data.samples, c.d) if c.data.samples and c.d is not None else None
    return [_tree(c), _tried(c), clusters(c), centres(c), samples(c), merges(c), square, left, _write_up(c)]


def _tree(c: Clustered) -> FigureBlock | None:
    if c.tree is None:
        return None
    places, heights = c.tree.lines
    order = [c.data.labels[int(i)] for i in c.tree.order]
    whose = c.codes[c.tree.order]
    joins = []
    for x, y in zip(places, heights, strict=True):
        inside = float(y.max()) <= c.cut * (1 + 1e-12)
        at = int(np.clip(round(float(x.min())), 0, len(order) - 1))
        joins.append(name(int(whose[at])) if inside else "")
    y_title = _unlike(c)
    drawn = tree(places, heights, order, joins, [name(g) for g in range(c.k)], y_title)
    made = block("tree", "Samples joined step by step", drawn)
    high = float(heights.max())
    return touch.handle(made, "height", "Cut", c.cut, (0.0, high * 1.04), axis="y")


def _tried(c: Clustered) -> FigureBlock | None:
    if len(c.tried) < 3:
        return None
    ks, widths = list(c.tried), list(c.tried.values())
    drawn = curve([("mean silhouette", np.array(ks, float), np.array(widths))], "Clusters", "Mean silhouette")
    return block("silhouettes", "How far apart, by number", drawn)


def clusters(c: Clustered) -> TableBlock:
    """Size, silhouette and squares of each cluster."""
    d = decimals_of(max(float(c.within.max()), 1e-9) / 300, float(c.within.max()))
    rows = []
    for g in range(c.k):
        own = c.silhouette[c.codes == g]
        cells = q.row(
            cluster=q.name(name(g), "Cluster"), n=q.count(int(c.sizes[g]), "n"),
            silhouette=q.fine(float(own.mean()), "Mean silhouette", "too many samples to compare all"),
        )  # fmt: skip
        if c.data.names and c.total > 0:
            cells |= q.row(
                within=q.num(float(c.within[g]), d, "Squares within"),
                share=q.part(float(c.within[g]) / c.total, "Of all squares"),
            )
        members = listing([c.data.labels[int(i)] for i in np.flatnonzero(c.codes == g)], 6)
        rows.append(cells | q.row(first=q.said(members, "Samples")))
    if not c.total > 0:
        return q.table("clusters", "Clusters", rows)
    note = f"Squares of all samples about their means: {number(c.total, d)}; within clusters"
    note += f" {number(float(c.within.sum()), d)}."
    return q.table("clusters", "Clusters", rows, note=note)


def centres(c: Clustered) -> TableBlock | None:
    """Means of the columns as compared; none of dissimilarities and of levels."""
    if not c.data.x.shape[1]:
        return None
    largest = float(np.abs(c.centres).max())
    d = decimals_of(max(largest, 1e-9) / 300, largest)
    rows = []
    for j, column in enumerate(c.data.names):
        cells = q.row(column=q.name(column, "Column"))
        for g in range(min(c.k, 12)):
            cells[f"cluster_{g + 1}"] = q.num(float(c.centres[g, j]), d, f"Mean, {name(g)}")
        rows.append(cells)
    note = "Means of what was compared" + (", about the mean of all." if not c.data.samples else ".")
    return q.table("centres", "What clusters are like", rows, note=note, folded=len(rows) > 12)


def samples(c: Clustered) -> TableBlock:
    """Cluster and silhouette of each sample."""
    why = "too many samples to compare all"
    rows = [
        q.row(
            sample=q.name(c.data.labels[int(i)], "Sample"), cluster=q.said(name(int(c.codes[i])), "Cluster"),
            silhouette=q.fine(float(c.silhouette[i]), "Silhouette", why),
        )
        for i in (c.tree.order if c.tree else np.argsort(c.codes, kind="stable"))[: q.LINES]
    ]  # fmt: skip
    note = "Near 1 a sample lies well inside its cluster, below 0 it is nearer to another; 0 for one alone."
    return q.table("samples", "Samples", rows, of=len(c.codes), note=note, folded=True)


def merges(c: Clustered) -> TableBlock | None:
    """Every join with its height."""
    if c.tree is None:
        return None
    n = c.tree.n

    def told(code: float) -> str:
        i = int(code)
        return c.data.labels[i] if i < n else f"step {i - n + 1}"

    rows = [
        q.row(
            step=q.count(i + 1, "Step"), first=q.said(told(m[0]), "Joins"), second=q.said(told(m[1]), "And"),
            height=q.num(float(m[2]), 4, "Height"), n=q.count(int(m[3]), "n"),
        )
        for i, m in enumerate(c.tree.merges[: q.LINES])
    ]  # fmt: skip
    note = "Ward’s heights are √(2 × increase of the sum of squares)." if c.spec.linkage == "ward" else None
    return q.table("merges", "Steps of joining", rows, of=len(c.tree.merges), note=note, folded=True)


def facts(c: Clustered) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {
        "n": len(c.codes), "clusters": c.k, "silhouette": mean_width(c),
    }  # fmt: skip
    if c.total > 0:
        out |= {"within": float(c.within.sum()), "total": c.total}
    if c.tree:
        out |= {"cophenetic": c.tree.cophenetic, "height": c.cut}
    if c.means:
        out |= {"starts_alike": c.means.found}
    return out | {f"silhouette_{k}": v for k, v in c.tried.items()}


def all_checks(c: Clustered) -> list[Check | None]:
    """What the clusters can carry."""
    return [_apart(c), _true_to(c), _alone(c), _starts(c), advice(c.data.samples, c.spec) if c.data.samples else None]


def _apart(c: Clustered) -> Check:
    base: dict[str, Any] = {"id": "apart", "title": "Clusters lie apart"}
    width = mean_width(c)
    if c.k < 2 or not np.isfinite(width):
        return Check(
            **base, verdict=Verdict.unknown, text="There is one cluster, or too many samples to compare all."
        )
    text = (
        f"Mean silhouette {share(width)}: {_said(width)}. Any samples can be clustered; this is no test of clusters."
    )
    return Check(**base, verdict=Verdict.holds if width > 0.25 else Verdict.doubtful, text=text)


def _true_to(c: Clustered) -> Check | None:
    if c.tree is None:
        return None
    base: dict[str, Any] = {"id": "cophenetic", "title": "The tree is true to the dissimilarities"}
    r = c.tree.cophenetic
    if not np.isfinite(r):
        return Check(**base, verdict=Verdict.unknown, text="All pairs are joined at one height.")
    text = f"Heights of joining correlate {share(r)} with the dissimilarities."
    remedies = []
    if r < 0.75 and c.spec.linkage != "average":
        remedies = [Remedy(label="Join by averages", spec={"linkage": "average", "height": None})]
    if (
        c.spec.linkage == "ward"
        and c.data.samples
        and c.data.samples.given is None
        and c.spec.dissimilarity not in ("euclidean", "hellinger", "chord")
    ):
        text += f" Ward’s method takes dissimilarities for Euclidean, which {UNLIKE[c.spec.dissimilarity]} is not."
        return Check(
            **base, verdict=Verdict.doubtful, text=text,
            remedies=[Remedy(label="Take Hellinger’s", spec={"dissimilarity": "hellinger", "height": None})],
        )  # fmt: skip
    return Check(**base, verdict=Verdict.holds if r >= 0.75 else Verdict.doubtful, text=text, remedies=remedies)


def _alone(c: Clustered) -> Check:
    base: dict[str, Any] = {"id": "alone", "title": "No clusters of one"}
    alone = [c.data.labels[int(np.flatnonzero(c.codes == g)[0])] for g in range(c.k) if c.sizes[g] == 1]
    if not alone:
        return Check(**base, verdict=Verdict.holds, text=f"The smallest cluster has {int(c.sizes.min())} samples.")
    text = f"Alone: {listing(alone, 6)}. Outlying samples take a cluster each."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _starts(c: Clustered) -> Check | None:
    if c.means is None:
        return None
    base: dict[str, Any] = {"id": "starts", "title": "Found again from other starts"}
    text = f"{counted(c.means.found, 'start')} of {c.spec.starts} came to the same sum of squares, the least."
    if c.means.found > 1:
        return Check(**base, verdict=Verdict.holds, text=text)
    more = Remedy(label="Take 200 starts", spec={"starts": 200})
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[more] if c.spec.starts < 200 else [])


def _write_up(c: Clustered) -> NoteBlock:
    spec = c.spec
    s = c.data.samples
    told = told_of(s, spec) if s else f"{counted(len(c.codes), 'sample')} of {_columns(c)}"
    text = f"{told} were clustered"
    if c.tree:
        kind = unlike_words(s, spec) if s else "Euclidean"
        text += f", joined by {LINKAGES[spec.linkage]} on {kind} dissimilarities (cophenetic correlation"
        text += f" {share(c.tree.cophenetic)})" if np.isfinite(c.tree.cophenetic) else " not computable)"
    else:
        text += f" about means (least squares of {counted(spec.starts, 'start')})"
    text += f", into {c.k} clusters of {listing([str(int(s)) for s in c.sizes], 12)}"
    width = mean_width(c)
    return NoteBlock(
        id="write_up", text=text + (f" (mean silhouette {share(width)})." if np.isfinite(width) else ".")
    )
