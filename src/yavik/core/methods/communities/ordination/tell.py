"""The sentence, tables and pictures of an ordination; nothing is computed here."""

import re
from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, NoteBlock, Remedy, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, listing, number, p_words, percent, say, share, share_fine
from yavik.core.figures.ordinations import shepard
from yavik.core.figures.plots import block, curve
from yavik.core.methods.communities.ordination.compute import Ordered, Pointing
from yavik.core.methods.communities.ordination.spec import KINDS
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.taxa import advice, preparation
from yavik.core.methods.kit.taxa_given import compared_by, told_of, unlike_words

DOWN = re.compile(r"\b(below|beneath|under|depth|deep|rank|deficit|lack|shortage)\b|_(below|depth|rank|deficit)")
NOTHING = 1e-4
"""Stress that real samples do not come to unless most of them fall on one point."""
STRESS = (
    (0.05, "a very good likeness"), (0.1, "a good likeness"), (0.2, "a usable likeness"),
    (0.3, "a poor likeness"), (9.0, "hardly better than chance"),
)  # fmt: skip


def likeness(stress: float) -> str:
    """Clarke's (1993) words."""
    return next(words for high, words in STRESS if stress < high)


def _detail(stress: float) -> str:
    return ", not to be read in detail" if likeness(stress) == "a usable likeness" else ""


def headline(o: Ordered) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    n = counted(o.samples.n, "sample")
    if o.scaled:
        text = f"{n} in {counted(o.spec.dimensions, 'dimension')} have a stress of {share_fine(o.scaled.stress)}:"
        if o.scaled.stress < NOTHING:
            text += " less than samples leave unless a few of them lie far from all others."
        else:
            text += f" {likeness(o.scaled.stress)} of how unlike they are{_detail(o.scaled.stress)}."
        short = f"stress {share_fine(o.scaled.stress)}, {n}"
    else:
        assert o.axes
        a, b = o.shown
        part = float(o.axes.shares[a] + o.axes.shares[b])
        what = "variance" if o.spec.kind == "principal_components" else "squared dissimilarities that axes can show"
        text = f"Axes {a + 1} and {b + 1} hold {percent(part)} of the {what} of {n}."
        short = f"{percent(part)} on two axes, {n}"
    sure = [m for m in o.arrows if m.p < o.spec.alpha]
    if sure:
        text += f" {_grows(max(sure, key=lambda m: m.arrow.r2))}."
    text += " Which way up the picture lies is arbitrary."
    return say(text), short


def _grows(m: Pointing) -> str:
    """'Damp grows to the left and upwards (r² .71)'."""
    way = direction(m)
    start = f"Less {m.name} lies" if m.turned else f"{m.name[0].upper()}{m.name[1:]} grows"
    return f"{start} {way} (r² {share(m.arrow.r2)}, p {p_words(m.p)})"


def _said(o: Ordered, m: Pointing) -> str:
    if m.p < o.spec.alpha:
        return f"less {m.name} lies {direction(m)}" if m.turned else f"{m.name} grows {direction(m)}"
    return f"no evidence that {m.name} goes along with the picture"


def direction(m: Pointing) -> str:
    """Where a column grows on the picture."""
    x, y = (float(v) for v in m.arrow.ends)
    long = float(np.hypot(x, y))
    ways = []
    if long > 0 and abs(x) > 0.38 * long:
        ways.append("to the right" if x > 0 else "to the left")
    if long > 0 and abs(y) > 0.38 * long:
        ways.append("upwards" if y > 0 else "downwards")
    return listing(ways) if ways else "nowhere"


def settings(o: Ordered) -> list[str]:
    """What was done, for the line under the sentence."""
    s, spec = o.samples, o.spec
    plain = spec.kind == "principal_components"
    made = [s.counted, *(preparation(s, spec) if plain else compared_by(s, spec))]
    made.append(KINDS[spec.kind])
    if o.scaled:
        made.append(counted(spec.starts, "start"))
    return made


def axis_title(o: Ordered, k: int) -> str:
    """'Axis 1', with its share where it has one."""
    return f"Axis {k + 1}" if o.axes is None else f"Axis {k + 1} ({percent(float(o.axes.shares[k]))})"


def shepard_of(o: Ordered) -> FigureBlock | None:
    if o.scaled is None:
        return None
    return block("shepard", "How true it is", shepard(o.d, o.scaled.distances, o.scaled.fitted), small=True)


def stresses_of(o: Ordered) -> FigureBlock | None:
    if len(o.stresses) < 3:
        return None
    ks, values = list(o.stresses), list(o.stresses.values())
    drawn = curve([("stress", np.array(ks, float), np.array(values))], "Dimensions", "Stress", high=max(values) * 1.1)
    return block("stresses", "Stress by dimensions", drawn)


def arrows(o: Ordered) -> TableBlock | None:
    """Columns of the environment on the picture."""
    if not o.arrows:
        return None
    a, b = o.shown
    rows = [
        q.row(
            name=q.name(m.label, "Column"), first=q.fine(float(m.arrow.correlations[0]), f"r with axis {a + 1}"),
            second=q.fine(float(m.arrow.correlations[1]), f"r with axis {b + 1}"),
            r2=q.fine(m.arrow.r2, "r²"), p=q.p(m.p), n=q.count(m.n, "n"),
            said=q.said(_said(o, m), "In words"),
        )
        for m in o.arrows
    ]  # fmt: skip
    note = "Columns in any unit: arrows have the length √r², the longest drawn to fit. p by"
    note += (
        f" {counted(o.spec.permutations, 'permutation')} of each column. A long arrow fits the picture as a whole; a"
    )
    note += " short one may still go with a bend in it."
    return q.table("arrows", "Environment", rows, note=note)


def dimensions(o: Ordered) -> TableBlock:
    """Stress by number of dimensions, or eigenvalues."""
    if o.scaled:
        rows = [
            q.row(
                dimensions=q.count(k, "Dimensions"), stress=q.fine(v, "Stress"),
                said=q.said(f"{likeness(v)}{_detail(v)}", "In words"),
            )
            for k, v in o.stresses.items()
        ]  # fmt: skip
        found = o.scaled.found
        note = f"Stress-1, ties primary. Of the best starts, gone on with to the end, {found} came to the least."
        return q.table("dimensions", "Dimensions", rows, note=note)
    assert o.axes
    running = np.cumsum(o.axes.shares)
    rows = [
        q.row(
            axis=q.count(k + 1, "Axis"), value=q.num(float(v), 4, "Eigenvalue"),
            share=q.part(float(o.axes.shares[k]), "Share"), running=q.part(float(running[k]), "Running"),
        )
        for k, v in enumerate(o.axes.values[:20])
    ]  # fmt: skip
    note = "Shares are of the eigenvalues above 0."
    if o.axes.negative < 0:
        note += f" Those below 0 add up to {number(o.axes.negative, 4)}: no axes show what they hold."
    return q.table("axes", "Axes", rows, note=note, folded=len(rows) > 8)


def scores(o: Ordered) -> TableBlock:
    """Places of the samples."""
    s = o.samples
    rows = []
    for i in range(min(s.n, q.LINES)):
        cells = q.row(sample=q.name(s.labels[i], "Sample"), row=q.count(int(o.rows[i]), "Row"))
        if s.levels:
            cells["group"] = q.said(s.levels[int(s.codes[i])], o.spec.groups or "Group")
        for k in range(o.points.shape[1]):
            cells[f"axis_{k + 1}"] = q.num(float(o.points[i, k]), 3, f"Axis {k + 1}")
        rows.append(cells)
    made = q.table("scores", "Scores", rows, of=s.n, folded=True)
    return touch.pick(made, "beside", "row", "Compare this sample", most=2) if s.amounts else made


def facts(o: Ordered) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {"n": o.samples.n, "taxa": len(o.samples.taxa)}
    if o.scaled:
        out |= {"stress": o.scaled.stress, "found": o.scaled.found}
        out |= {f"stress_{k}": v for k, v in o.stresses.items()}
    if o.axes:
        out |= {f"axis_{k + 1}.share": v for k, v in enumerate(o.axes.shares[:6])}
        out |= {f"axis_{k + 1}.value": v for k, v in enumerate(o.axes.values[:6])}
        out["negative"] = o.axes.negative
    for m in o.arrows:
        out |= {f"{m.name}.r2": m.arrow.r2, f"{m.name}.p": m.p}
    return out


def all_checks(o: Ordered) -> list[Check | None]:
    """What the picture can carry."""
    return [_stress(o), _negative(o), _found(o), _downwards(o), advice(o.samples, o.spec)]


def _stress(o: Ordered) -> Check:
    base: dict[str, Any] = {"id": "stress", "title": "A true picture"}
    if o.scaled is None:
        assert o.axes
        part = float(o.axes.shares[o.shown[0]] + o.axes.shares[o.shown[1]])
        text = f"The two axes hold {percent(part)}; distances along others are not seen."
        return Check(**base, verdict=Verdict.holds if part >= 0.5 else Verdict.doubtful, text=text)
    stress = o.scaled.stress
    text = f"Stress {share_fine(stress)}: {likeness(stress)}{_detail(stress)}."
    if stress < NOTHING:
        text += " So little is what a few samples far from the others make: the rest may fall on one point."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    if stress < 0.2:
        return Check(**base, verdict=Verdict.holds, text=text)
    more = o.spec.dimensions + 1
    remedies = [Remedy(label=f"Take {more} dimensions", spec={"dimensions": more})] if more <= 4 else []
    return Check(**base, verdict=Verdict.doubtful if stress < 0.3 else Verdict.fails, text=text, remedies=remedies)


def _negative(o: Ordered) -> Check | None:
    if o.axes is None or o.spec.kind != "principal_coordinates":
        return None
    base: dict[str, Any] = {"id": "negative", "title": "Dissimilarities fit into space"}
    part = -o.axes.negative / float(o.axes.values.sum())
    if part < 0.05:
        return Check(**base, verdict=Verdict.holds, text=f"Eigenvalues below 0 are {percent(part)} of those above.")
    text = (
        f"Eigenvalues below 0 are {percent(part)} of those above: distances cannot show all of the dissimilarities."
    )
    roots = (
        [Remedy(label="Take square roots", spec={"transform": "sqrt"})]
        if o.spec.transform == "none" and o.samples.amounts
        else []
    )
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=roots)


def _found(o: Ordered) -> Check | None:
    if o.scaled is None:
        return None
    base: dict[str, Any] = {"id": "found", "title": "Found again from another start"}
    if o.scaled.found > 1:
        return Check(**base, verdict=Verdict.holds, text=f"{o.scaled.found} starts came to the same stress.")
    more = [Remedy(label="Take 100 starts", spec={"starts": 100})] if o.spec.starts < 100 else []
    text = f"Of {counted(o.spec.starts, 'start')} one came to the least stress: there may be a better picture."
    return Check(**base, verdict=Verdict.doubtful, text=text, remedies=more)


def _downwards(o: Ordered) -> Check | None:
    """Columns whose names say that more of them is less of something."""
    down = [m.name for m in o.arrows if not m.turned and DOWN.search(m.name.lower())]
    if not down:
        return None
    text = f"{listing(down)} {'counts' if len(down) == 1 else 'count'} downwards by the name: the arrow points to"
    text += " where the number is large. Turned, it points the other way; r², p and the samples stay."
    turn = Remedy(label=f"Turn {listing(down)}", spec={"turned": [*o.spec.turned, *down]})
    return Check(id="downwards", title="Which way arrows count", verdict=Verdict.unknown, text=text, remedies=[turn])


def write_up(o: Ordered) -> NoteBlock:
    s, spec = o.samples, o.spec
    text = f"{told_of(s, spec)} were ordered by {KINDS[spec.kind]}"
    if spec.kind != "principal_components":
        text += f" of {unlike_words(s, spec)} dissimilarities"
    if o.scaled:
        text += f" in {counted(spec.dimensions, 'dimension')} ({counted(spec.starts, 'start')}; stress-1"
        text += f" {share_fine(o.scaled.stress)}), turned to principal axes."
    else:
        assert o.axes
        held = " and ".join(percent(float(o.axes.shares[k])) for k in o.shown)
        text += f"; axes {o.shown[0] + 1} and {o.shown[1] + 1} hold {held}."
    told = [f"{m.label} (r² {share(m.arrow.r2)}, p {p_words(m.p)})" for m in o.arrows]
    if told:
        text += f" Columns fitted to the picture: {listing(told, 10)}; p by"
        text += f" {counted(spec.permutations, 'permutation')}."
    return NoteBlock(id="write_up", text=text)
