"""Tables, sentences, checks and pictures of components; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, FigureBlock, NoteBlock, Remedy, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    capital,
    counted,
    in_quotes,
    listing,
    number,
    percent,
    say,
    share,
    spelled,
)
from yavik.core.figures.items import arrows
from yavik.core.figures.plots import block, thin
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.loadings import item_cells, key_of, loading_picture, loading_table, scree_picture
from yavik.core.methods.scales.principal_components.compute import Components
from yavik.core.methods.scales.principal_components.spec import MATRICES, ROTATIONS

MOST_ARROWS = 40
MOST_SHOWN = 30


def _many(m: int) -> str:
    return capital(f"{spelled(m)} component{'' if m == 1 else 's'}")


def headline(c: Components) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    verb = "sums" if c.m == 1 else "sum"
    text = f"{_many(c.m)} {verb} up {percent(c.explained)} of the variance of {counted(c.data.k, 'column')}"
    text += f"; the first alone holds {percent(float(c.eigenvalues[0] / c.total))}." if c.m > 1 else "."
    said = []
    for j, name in enumerate(c.names[:3]):
        top = [int(i) for i in np.argsort(-np.abs(c.rotated.pattern[:, j]))[:2]]
        words = [f"{in_quotes(c.data.titles[i], 40)} ({share(float(c.rotated.pattern[i, j]))})" for i in top]
        said.append(f"{name} goes most with {listing(words)}")
    if c.m <= 3:
        text += f" {'; '.join(said)}."
    return say(text), f"{_many(c.m).lower()}, {percent(c.explained)}"


def blocks(c: Components) -> list[Any]:
    """Everything below the sentence."""
    return [
        _arrows(c), scree(c), loadings(c), components(c), _correlations(c),
        loading_picture(c.data.columns, c.rotated.pattern, c.names, c.order, c.spec.hide_below, "Loadings"),
        _other(c), write_up(c), _weights(c),
    ]  # fmt: skip


def scree(c: Components) -> FigureBlock:
    """Eigenvalues with a handle; of covariances in units of a column's mean variance."""
    mean = c.total / c.data.k
    top = int((c.eigenvalues > 1e-10 * c.total).sum())
    return scree_picture(c.eigenvalues / mean, c.limits / mean, c.m, "components", "Number of components", top)


def loadings(c: Components) -> TableBlock:
    """Columns sorted by component."""
    beside = [q.row(h2=q.size(float(h), "In these components")) for h in c.communality]
    kind = "Weights of components in each column." if c.oblique else "Correlations of columns with components."
    note = f"{kind} In these components: share of the column’s variance that they hold."
    return loading_table(
        c.data.columns,
        c.rotated.pattern,
        c.names,
        c.order,
        c.spec.hide_below,
        beside,
        id="loadings",
        title="Loadings",
        note=note,
    )


def components(c: Components) -> TableBlock:
    """Eigenvalues with their shares, and the limits of chance; a click takes so many."""
    rows, running = [], 0.0
    for i, v in enumerate(c.eigenvalues[:MOST_SHOWN]):
        running += float(v) / c.total
        cells = q.row(
            number=q.count(i + 1, "Component"), eigenvalue=q.num(float(v), 3, "Eigenvalue"),
            share=q.part(float(v) / c.total, "Share"),
            running=q.part(running, "Together"), chance=q.num(float(c.limits[i]), 3, "Chance, 95th percentile"),
        )  # fmt: skip
        if c.spec.rotation != "none" and c.m > 1:
            own = c.rotated.explained[i] if i < c.m else np.nan
            cells["after"] = q.num(float(own), 2, "After rotation, columns", why="not taken")
        rows.append(cells)
    note = f"Chance: of {counted(c.spec.draws, 'draw')} of {counted(c.data.c.rows, 'row')} of normal columns that"
    note += " have nothing in common."
    made = q.table(
        "components",
        "Components in order",
        rows,
        note=note,
        marked=list(range(min(c.m, len(rows)))),
        strong=["eigenvalue"],
    )
    return touch.choose(made, "components", "number", "Take so many components")


def _correlations(c: Components) -> TableBlock | None:
    if not c.oblique:
        return None
    rows = [
        q.row(
            component=q.name(n, "Component"),
            **{key_of(j): q.size(float(c.rotated.phi[i, j]), o) for j, o in enumerate(c.names)},
        )
        for i, n in enumerate(c.names)
    ]
    return q.table("component_correlations", "Correlations of the components", rows)


def _arrows(c: Components) -> FigureBlock | None:
    """Rows and columns on the first two components."""
    if c.m < 2 or c.data.k > MOST_ARROWS:
        return None
    scores = c.scores
    there = np.flatnonzero(~np.isnan(scores[:, :2]).any(axis=1))
    there = there[thin(len(there))]
    points = scores[there, :2]
    ends = c.rotated.structure[:, :2] * float(np.quantile(np.abs(points), 0.98))
    names = [n if len(n) <= 16 else f"{n[:15]}…" for n in c.data.names]
    drawn = arrows(points, there + 1, ends, names, _axis(c, 0), _axis(c, 1))
    return block("figure", "Rows and columns on the first two components", drawn)


def _axis(c: Components, j: int) -> str:
    if c.spec.rotation != "none":
        return f"{c.names[j]}, rotated"
    return f"{c.names[j]} ({percent(float(c.eigenvalues[j] / c.total))})"


def _other(c: Components) -> NoteBlock:
    text = "Components sum up all of the columns’ variance, what is unique to each included. Where columns are"
    text += " answers behind which something common is"
    text += " looked for, factor analysis is the question to ask: its loadings are smaller, and its factors may"
    text += " correlate."
    return NoteBlock(id="not_factors", text=text)


def _weights(c: Components) -> TableBlock:
    of = "standardised" if c.spec.matrix == "correlation" else "centred"
    rows = [
        item_cells(c.data.columns[i]) | {key_of(j): q.fine(float(c.weights[i, j]), n) for j, n in enumerate(c.names)}
        for i in c.order
    ]
    note = f"What each {of} column counts in a score, scores having SD 1."
    return q.table("weights", "Weights of the scores", rows, note=note, folded=True)


def write_up(c: Components) -> NoteBlock:
    """As methods and results of a paper tell it."""
    matrix = MATRICES[c.spec.matrix].split(":")[0]
    text = f"Principal components of the {matrix} of {counted(c.data.k, 'column')} ({counted(c.data.n, 'row')}):"
    told = [f"{number(float(v), 2)} ({percent(float(v / c.total))})" for v in c.eigenvalues[: min(c.m, 6)]]
    text += f" the first {spelled(c.m)} had"
    text += f" {'eigenvalues' if c.m > 1 else 'an eigenvalue of'} {listing(told, 6)}"
    text += f", together {percent(c.explained)} of the variance." if c.m > 1 else " of the variance."
    if c.spec.rotation != "none" and c.m > 1:
        text += f" Components were rotated by {ROTATIONS[c.spec.rotation].split(':')[0]} with Kaiser’s normalisation."
    return NoteBlock(id="write_up", text=text)


def settings(c: Components) -> list[str]:
    """What was done, for the line under the sentence."""
    how = {"kaiser": "eigenvalues above the mean", "parallel": "more than chance gives"}
    made = [MATRICES[c.spec.matrix].split(":")[0], how.get(str(c.spec.components), "number chosen")]
    return made + ([ROTATIONS[c.spec.rotation].split(":")[0]] if c.spec.rotation != "none" else [])


def all_checks(c: Components) -> list[Check | None]:
    """What the data can carry."""
    return [_scale(c), _number(c), _rows(c)]


def _scale(c: Components) -> Check | None:
    base: dict[str, Any] = {"id": "scale", "title": "Columns that count alike"}
    sd = c.data.c.sd
    ratio = float(sd.max() / sd.min())
    if c.spec.matrix == "correlation":
        return Check(**base, verdict=Verdict.holds, text="Every column is divided by its SD and counts alike.")
    units = {k.unit for k in c.data.columns}
    widest = c.data.names[int(np.argmax(sd))]
    if len(units) > 1 or ratio > 3:
        text = f"{'Columns have different units, and s' if len(units) > 1 else 'S'}preads differ up to"
        text += f" {number(ratio, 1)}-fold:"
        text += f" the components are mostly those of {widest}."
        remedy = Remedy(label="Use correlations", spec={"matrix": "correlation"})
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[remedy])
    return Check(**base, verdict=Verdict.holds, text=f"Spreads differ by no more than {number(ratio, 1)}-fold.")


def _number(c: Components) -> Check:
    base: dict[str, Any] = {"id": "number", "title": "Number of components"}
    text = f"More than chance gives: {c.by_parallel}. Above a column’s own variance: {c.by_kaiser}. Taken: {c.m}."
    if c.spec.matrix == "covariance":
        text = f"Above the mean variance of a column: {c.by_kaiser}. Taken: {c.m}. Of covariances chance is mostly"
        text += " the spread of the widest"
        return Check(**base, verdict=Verdict.unknown, text=f"{text} column, so it does not say how many.")
    if c.by_parallel == 0:
        return Check(
            **base,
            verdict=Verdict.fails,
            text=f"{text} These columns have little in common: components will not sum them up.",
        )
    if c.m > c.by_parallel:
        remedy = Remedy(label=f"Take {c.by_parallel}", spec={"components": "parallel"})
        return Check(
            **base,
            verdict=Verdict.doubtful,
            text=f"{text} Those beyond {c.by_parallel} may be chance.",
            remedies=[remedy],
        )
    return Check(**base, verdict=Verdict.holds, text=text)


def _rows(c: Components) -> Check:
    total = len(c.data.use)
    lost = total - c.data.n
    text = f"{counted(c.data.n, 'row')} for {counted(c.data.k, 'column')}"
    text += f"; {counted(lost, 'row')} with an empty cell left out ({percent(lost / total)})." if lost else "."
    few = c.data.n < 3 * c.data.k
    text += " With so few rows components are those of this sample." if few else ""
    remedies = []
    if lost > 0.1 * total and c.spec.missing == "listwise":
        remedies = [Remedy(label="Use pairs of filled cells", spec={"missing": "pairwise"})]
    return Check(
        id="complete",
        title="Rows",
        verdict=Verdict.doubtful if few or remedies else Verdict.holds,
        text=text,
        remedies=remedies,
    )


def facts(c: Components) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {
        "n": c.data.n, "columns": c.data.k, "components": c.m, "explained": c.explained, "kaiser": c.by_kaiser,
        "parallel": c.by_parallel,
    }  # fmt: skip
    for i, v in enumerate(c.eigenvalues[:MOST_SHOWN]):
        out[f"eigenvalue_{i + 1}"] = v
    for i, name in enumerate(c.data.names):
        out |= {f"{name}.{key_of(j).replace('factor', 'component')}": c.rotated.pattern[i, j] for j in range(c.m)}
    return out
