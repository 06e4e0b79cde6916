"""Tables, pictures and facts of factors; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, grouped, number, share, significant
from yavik.core.figures.plots import block
from yavik.core.figures.shades import heat
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.loadings import (
    MOST_DRAWN,
    item_cells,
    key_of,
    loading_picture,
    loading_table,
    scree_picture,
)
from yavik.core.methods.scales.factor_analysis.compute import BIG_RESIDUAL, Factors, Solution

LIKE = {"principal_axis": "principal axes", "ml": "maximum likelihood", "minres": "least residuals"}
SINGULAR = "the correlations cannot be inverted"


def numbers(f: Factors) -> FigureBlock:
    """How many factors: eigenvalues, chance and the chosen number."""
    return scree_picture(f.data.eigenvalues, f.limits, f.m, "factors", "Number of factors", f.most)


def picture(f: Factors) -> FigureBlock | None:
    """Loadings as dots."""
    below = f.spec.hide_below
    return loading_picture(f.data.columns, f.solution.rotated.pattern, f.names, f.order, below, "Loadings")


def loadings(f: Factors) -> TableBlock:
    """What the factors mean: items sorted by factor, small loadings hidden."""
    s = f.solution
    beside = [q.row(h2=q.size(float(h), "Communality"), unique=q.size(float(1 - h), "Unique")) for h in s.communality]
    kind = (
        "Weights of the factors in each item; factors may correlate."
        if f.oblique
        else "Correlations of items with factors."
    )
    note = f"{kind} In bold: the factor that an item belongs to. Communality: share of the item’s variance that the"
    note += " factors explain."
    return loading_table(
        f.data.columns, s.rotated.pattern, f.names, f.order, f.spec.hide_below, beside,
        id="loadings", title="What the factors mean: loadings", note=note,
    )  # fmt: skip


def factors(f: Factors) -> TableBlock:
    """Each factor with its name, its marker and what it explains, before and after rotation."""
    s, k = f.solution, f.data.k
    before = (s.extracted.loadings**2).sum(axis=0)
    rows = []
    for j, name in enumerate(f.names):
        marker = f.data.columns[f.markers[j]]
        rows.append(
            q.row(
                factor=q.name(name, "Factor"), marker=q.word(marker.name, None), said=q.said(marker.title, "Marked by"),
                eigenvalue=q.num(float(f.data.eigenvalues[j]), 2, "Eigenvalue"),
                before=q.num(float(before[j]), 2, "Before rotation"),
                after=q.num(float(s.rotated.explained[j]), 2, "After rotation"),
                part=q.part(float(s.rotated.explained[j]) / k, "Of all variance"),
                caught=q.size(float(f.caught[j]) if f.caught is not None else np.nan, "R² of its score", SINGULAR),
            )
        )  # fmt: skip
    total = float(s.communality.sum())
    rows.append(
        q.row(
            factor=q.name("All", "Factor"), marker=q.blank(None), said=q.blank("Marked by"),
            eigenvalue=q.num(float(f.data.eigenvalues[: f.m].sum()), 2, "Eigenvalue"),
            before=q.num(total, 2, "Before rotation"), after=q.num(total, 2, "After rotation"),
            part=q.part(total / k, "Of all variance"), caught=q.blank("R² of its score"),
        )
    )  # fmt: skip
    note = (
        "Variance explained, in items. Eigenvalues are of the whole correlations. A name is changed by a click on it."
    )
    if f.oblique:
        note += " After rotation: each factor’s part of the common variance, what it shares with others included."
    made = q.table("factors", "The factors", rows, note=note)
    return touch.rename(made, "names", "marker", "Name of this factor", len(f.names))


def scales(f: Factors) -> TableBlock:
    """Items of each factor added up: how reliable a plain mean would be."""
    rows = []
    for j, name in enumerate(f.names):
        scale = f.scales[j]
        why = "fewer than two items belong to it"
        names = (
            [f.data.names[i] + (" (turned)" if t else "") for i, t in zip(scale.items, scale.turned, strict=True)]
            if scale
            else []
        )
        cells = q.row(
            factor=q.name(name, "Scale"), items=q.said(", ".join(names) or "none", "Its items"),
            n=q.count(len(names), "Items"),
            alpha=q.size(scale.alpha.raw if scale else np.nan, "Cronbach’s α", why),
        )  # fmt: skip
        cells |= q.size_ci(
            scale.alpha.low if scale else np.nan, scale.alpha.high if scale else np.nan, f.spec.alpha, why
        )
        rows.append(cells | {"omega": q.size(scale.omega if scale else np.nan, "ω", "one factor needs three items")})
    note = "Items that load on a factor most, and above the threshold. Their plain mean becomes a column with “Factor"
    note += " scores: means”."
    return q.table("scales", "As scales: each factor’s items added up", rows, note=note)


def factor_correlations(f: Factors) -> TableBlock | None:
    """How factors that may correlate do."""
    if not f.oblique:
        return None
    phi = f.solution.rotated.phi
    rows = [
        q.row(
            factor=q.name(name, "Factor"), **{key_of(j): q.size(float(phi[i, j]), n) for j, n in enumerate(f.names)}
        )
        for i, name in enumerate(f.names)
    ]
    return q.table("factor_correlations", "Correlations of the factors", rows)


def adequacy(f: Factors) -> TableBlock:
    """Whether the correlations are worth factoring."""
    a, c = f.data.adequacy, f.data.c
    nan = float("nan")

    def line(term: str, value: q.Quantity, df: float = nan, p: float = nan) -> q.Row:
        """One measure; only Bartlett's has df and p."""
        return q.row(term=q.name(term, "Measure"), value=value, df=q.df(df), p=q.p(p, why=q.NONE))

    det = float(np.exp(a.log_determinant)) if a else 0.0
    told = q.texted(det, significant(det, 2) if det < 0.001 else number(det, 3), "Value")
    rows = [
        line("Kaiser–Meyer–Olkin, all items", q.size(a.kmo if a else nan, "Value", SINGULAR)),
        line(
            "Bartlett’s test of sphericity, χ²", q.num(a.chi2 if a else nan, 2, "Value", why=SINGULAR), a.df if a else nan,
            a.p if a else nan,
        ),
        line("Determinant of the correlations", told),
    ]  # fmt: skip
    note = f"χ² = −(n − 1 − (2k + 5)/6) ln|R| with n = {grouped(c.rows)}, k = {f.data.k}."
    if f.spec.missing == "pairwise":
        note += " n is the smallest number of rows behind a pair."
    return q.table("adequacy", "Are the correlations worth it", rows, note=note)


def items(f: Factors) -> TableBlock:
    """Each item's adequacy, and its communality before and after."""
    a, s, c = f.data.adequacy, f.solution, f.data.c
    rows = []
    for i in f.order:
        rows.append(
            item_cells(f.data.columns[i])
            | q.row(
                mean=q.num(float(c.mean[i]), 2, "Mean"), sd=q.num(float(c.sd[i]), 2, "SD"),
                msa=q.size(float(a.each[i]) if a else np.nan, "KMO", SINGULAR),
                start=q.size(float(s.extracted.start[i]), "Communality before"),
                h2=q.size(float(s.communality[i]), "after"),
            )
        )  # fmt: skip
    note = "KMO: adequacy of the item. Before: its squared multiple correlation with the others."
    return q.table("items", "Item by item", rows, note=note, folded=f.data.k > 20)


def eigenvalues(f: Factors) -> TableBlock:
    """Eigenvalues with their shares, and the limits of chance."""
    total, running, rows = f.data.k, 0.0, []
    for i, v in enumerate(f.data.eigenvalues):
        running += float(v) / total
        rows.append(
            q.row(
                number=q.count(i + 1, "Number"), eigenvalue=q.num(float(v), 3, "Eigenvalue"),
                share=q.part(float(v) / total, "Share"),
                running=q.part(running, "Together"), chance=q.num(float(f.limits[i]), 3, "Chance, 95th percentile"),
            )
        )  # fmt: skip
    note = f"Chance: of {counted(f.spec.draws, 'draw')} of {counted(f.data.c.rows, 'row')} of normal columns that"
    note += " have nothing in common."
    return q.table("eigenvalues", "Eigenvalues of the correlations", rows, note=note, folded=True)


def number_choice(f: Factors) -> TableBlock:
    """One factor fewer and one more, side by side; a click takes it."""

    def line(m: int, s: Solution) -> q.Row:
        """A solution in a row."""
        below = f.spec.hide_below
        made = q.row(
            number=q.count(m, "Factors"), part=q.part(s.explained, "Variance explained"),
            big=q.part(s.big, "Residuals above .05"), rmsr=q.fine(s.rmsr, "RMS residual"),
            stray=q.count(len(s.stray(below)), "On none"), crossed=q.count(len(s.crossed(below)), "On several"),
        )  # fmt: skip
        if f.spec.extraction == "ml":
            made |= q.chi2_cells(s.fit, why="no df are left")
        return made

    found = {**f.other_numbers, f.m: f.solution}
    ordered = sorted(found)
    rows = [line(m, found[m]) for m in ordered]
    note = "Residuals: correlations less what the factors say. On none, on several: items by loadings"
    note += f" of {share(f.spec.hide_below)} and above."
    if f.spec.extraction == "ml":
        note += " χ² with Bartlett’s factor, n − 1 − (2k + 5)/6 − 2m/3: a small p says that factors are missing."
    made = q.table("numbers", "One fewer, one more", rows, note=note, marked=[ordered.index(f.m)], strong=[])
    return touch.choose(made, "factors", "number", "Take this number of factors")


def _matrix(f: Factors, id: str, title: str, values: Any, note: str) -> TableBlock | None:
    """A square table of the items; None for more than fit a page."""
    if f.data.k > MOST_DRAWN:
        return None
    rows = [
        q.row(
            item=q.name(f.data.columns[i].name, "Item"),
            **{f"item_{j + 1}": q.size(float(values[i, j]), f.data.columns[j].name) for j in range(f.data.k)},
        )
        for i in range(f.data.k)
    ]
    return q.table(id, title, rows, note=note, folded=True)


def folded(f: Factors) -> list[Any]:
    """What few read: structure, correlations with p, reproduced and residual ones, anti-image, weights of scores."""
    s, a = f.solution, f.data.adequacy
    fitted = s.extracted.loadings @ s.extracted.loadings.T
    made: list[Any] = []
    if f.oblique:
        rows = [
            item_cells(f.data.columns[i])
            | {key_of(j): q.size(float(s.rotated.structure[i, j]), n) for j, n in enumerate(f.names)}
            for i in f.order
        ]
        made.append(q.table("structure", "Structure: correlations of items with factors", rows, folded=True))
    if f.spec.rotation != "none" and f.m > 1:
        rows = [
            item_cells(f.data.columns[i])
            | {key_of(j): q.size(float(s.extracted.loadings[i, j]), f"Unrotated {j + 1}") for j in range(f.m)}
            for i in f.order
        ]
        made.append(q.table("unrotated", "Loadings before rotation", rows, folded=True))
    made += [
        _matrix(f, "correlations", "Correlations of the items", f.data.c.r, "Their p are in the table below."),
        _p_table(f),
        _matrix(f, "reproduced", "Reproduced correlations", fitted, "On the diagonal: communalities."),
        _matrix(
            f, "residuals", "Residual correlations", s.residuals,
            f"{round(100 * s.big)}% lie beyond {share(BIG_RESIDUAL)} either way.",
        ),
    ]  # fmt: skip
    if a is not None:
        note = "On the diagonal: each item’s KMO; elsewhere partial correlations with their sign turned."
        made.append(_matrix(f, "anti_image", "Anti-image correlations", a.anti_image, note))
    w = f.score_weights
    if not isinstance(w, str):
        rows = [
            item_cells(f.data.columns[i]) | {key_of(j): q.fine(float(w[i, j]), n) for j, n in enumerate(f.names)}
            for i in f.order
        ]
        note = "What each standardised item counts in a score. “Add to the table” gives the scores as columns."
        made.append(q.table("weights", "Weights of the scores", rows, note=note, folded=True))
    return made


def _p_table(f: Factors) -> TableBlock | None:
    if f.data.k > MOST_DRAWN:
        return None
    p = f.data.c.p
    rows = [
        q.row(
            item=q.name(f.data.columns[i].name, "Item"),
            **{
                f"item_{j + 1}": q.blank(f.data.columns[j].name) if i == j else q.p(float(p[i, j]), f.data.columns[j].name)
                for j in range(f.data.k)
            },
        )
        for i in range(f.data.k)
    ]  # fmt: skip
    return q.table(
        "correlations_p",
        "p of the items’ correlations",
        rows,
        note="Two-sided, by t, not adjusted.",
        folded=True,
        strong=[],
    )


def shades(f: Factors) -> FigureBlock | None:
    """Every item with every other, in the order of the loadings."""
    if f.data.k > MOST_DRAWN:
        return None
    r = f.data.c.r[np.ix_(f.order, f.order)]
    names = [f.data.columns[i].name for i in f.order]
    texts = [[share(float(v)) for v in row] for row in r]
    alt = "Shaded matrix of the items’ correlations, in the order of the loadings."
    return block("correlations_figure", "Every item with every other", heat(names, r, texts, alt))


def facts(f: Factors) -> dict[str, Any]:
    """Numbers by name."""
    s, a = f.solution, f.data.adequacy
    out: dict[str, Any] = {
        "n": f.data.n, "items": f.data.k, "factors": f.m, "kaiser": f.by_kaiser, "parallel": f.by_parallel,
        "explained": s.explained, "residuals.big": s.big, "rmsr": s.rmsr, "rounds": s.extracted.rounds,
    }  # fmt: skip
    if a:
        out |= {
            "kmo": a.kmo,
            "bartlett.chi2": a.chi2,
            "bartlett.df": a.df,
            "bartlett.p": a.p,
            "determinant": np.exp(a.log_determinant),
        }
    if s.fit:
        out |= {"fit.chi2": s.fit.chi2, "fit.df": s.fit.df, "fit.p": s.fit.p, "p": s.fit.p}
    for i, v in enumerate(f.data.eigenvalues[:MOST_DRAWN]):
        out[f"eigenvalue_{i + 1}"] = v
    for j in range(f.m):
        out[f"{key_of(j)}.explained"] = s.rotated.explained[j]
        for i in range(j):
            out[f"{key_of(i)}.{key_of(j)}.r"] = s.rotated.phi[i, j]
    for i, name in enumerate(f.data.names):
        out[f"{name}.communality"] = s.communality[i]
        out |= {f"{name}.{key_of(j)}": s.rotated.pattern[i, j] for j in range(f.m)}
        if a:
            out[f"{name}.kmo"] = a.each[i]
    return out
