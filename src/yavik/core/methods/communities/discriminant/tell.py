"""The sentence, tables and picture of functions that tell groups apart; nothing is computed here."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, NoteBlock, Span, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import (
    counted,
    decimals_of,
    grouped,
    listing,
    number,
    p_words,
    percent,
    say,
    share,
    share_fine,
)  # fmt: skip
from yavik.core.figures.ordinations import map_of
from yavik.core.figures.plots import block
from yavik.core.figures.strips import strips
from yavik.core.methods.communities.discriminant.compute import Told
from yavik.core.methods.communities.discriminant.spec import PRIORS
from yavik.core.methods.kit.claims import claimed
from yavik.core.stats.discriminant import Placed

MOST_WRONG, MOST_MEANS, MOST_ACROSS = 100, 8, 12
CANNOT = "its group has no other row"


def headline(t: Told) -> tuple[list[Span], str]:
    """The statement, and a few words for the contents."""
    test, d = t.d.tested, t.d
    claim = f"{listing(t.columns, 4)} {'tells' if len(t.columns) == 1 else 'tell'} {_of(t)} apart"
    told = f"Wilks’ Λ = {share_fine(test.wilks)}, F({number(test.df1, 0)}, {_df(test.df2)}) = {number(test.f, 2)},"
    text = f"{claimed(claim, test.p < t.spec.alpha)} ({told} p {p_words(test.p)})."
    right, known = t.right(t.outside)
    short = f"p {p_words(test.p)}"
    if known:
        text += f" Left out one at a time, {percent(right / known)} of {counted(known, 'row')} fall into their own"
        text += f" group; all put into the largest, {percent(t.largest)} would."
        short = f"{percent(right / known)} right left out, {short}"
    return say(text), f"{short}, {counted(d.n, 'row')}"


def _df(df: float) -> str:
    return number(df, 0 if abs(df - round(df)) < 1e-9 else 1)


def _of(t: Told) -> str:
    named = listing(t.levels) if len(t.levels) <= 4 else f"the {counted(len(t.levels), 'level')}"
    return f"{named} of {t.spec.groups}" if len(t.levels) > 4 else f"{named} ({t.spec.groups})"


def settings(t: Told) -> list[str]:
    """What was done, for the line under the sentence."""
    functions = counted(len(t.d.values), "function")
    return [
        f"{counted(t.d.n, 'row')}, {counted(len(t.columns), 'column')}",
        functions,
        f"prior {PRIORS[t.spec.prior]}",
    ]


def blocks(t: Told) -> list[Any]:
    """Everything below the sentence."""
    return [
        picture(t),
        classified(t, t.outside, "left_out", "Each row placed without it"),
        functions(t), coefficients(t), columns(t),
        classified(t, t.inside, "placed", "Rows placed by functions made with them", folded=True),
        wrong(t), centroids(t), raw(t), _write_up(t),
    ]  # fmt: skip


def axis_title(t: Told, k: int) -> str:
    """'Function 1 (88%)'."""
    return f"Function {k + 1} ({percent(float(t.d.shares[k]))})" if len(t.d.values) > 1 else "Function 1"


def picture(t: Told) -> FigureBlock:
    """Rows on the first two functions, with columns as arrows; of one function a strip for each group."""
    d = t.d
    labels = [f"row {int(r)}" for r in t.numbers]
    if len(d.values) == 1:
        drawn = strips(d.scores[:, 0], [t.levels[int(c)] for c in d.codes], t.levels, t.numbers, "Function 1")
        return block("picture", "Rows on the function", drawn)
    ends = [(c, float(d.structure[j, 0]), float(d.structure[j, 1])) for j, c in enumerate(t.columns)]
    named = sorted(ends, key=lambda e: -float(np.hypot(e[1], e[2])))[:10]
    drawn = map_of(
        d.scores[:, :2], labels, [t.levels[int(c)] for c in d.codes], t.levels, named,
        (axis_title(t, 0), axis_title(t, 1)), t.numbers, named=False, what="row",
    )  # fmt: skip
    return block("picture", "Rows on two functions, columns as arrows", drawn)


def functions(t: Told) -> TableBlock:
    """Every function, and what is left from it on."""
    d = t.d
    rows = []
    for k, value in enumerate(d.values):
        left = d.remaining(k)
        rows.append(
            q.row(
                function=q.name(f"{k + 1}", "Function"), value=q.num(float(value), 3, "Eigenvalue"),
                share=q.part(float(d.shares[k]), "Share"), canonical=q.fine(float(d.canonical[k]), "Canonical r"),
                wilks=q.fine(left.wilks, "Λ from here on"), chi2=q.stat(left.chi2, "χ²"), df=q.df(left.df),
                p=q.p(left.p),
            )
        )  # fmt: skip
    test = d.tested
    note = f"Λ of a function and all after it, with Bartlett’s χ². All together: F({number(test.df1, 0)},"
    note += f" {_df(test.df2)}) = {number(test.f, 2)} (Rao{', exact' if test.exact else ''}), p {p_words(test.p)}."
    return q.table("functions", "Functions", rows, note=note, strong=["p"])


def coefficients(t: Told) -> TableBlock:
    """What each function is made of."""
    d = t.d
    many = min(len(d.values), 4)
    rows = []
    for j, name in enumerate(t.columns):
        cells = q.row(column=q.name(name, "Column"))
        for k in range(many):
            cells[f"b{k + 1}"] = q.num(float(d.standardised[j, k]), 2, f"Coefficient {k + 1}")
            cells[f"r{k + 1}"] = q.fine(float(d.structure[j, k]), f"r with {k + 1}")
        rows.append(cells)
    note = "Coefficients of columns divided by their SD within groups; r within groups, which says what a function"
    note += " measures whatever the other columns are. The coefficient largest in size is above 0 in each function."
    return q.table("coefficients", "What functions are made of", rows, note=note)


def columns(t: Told) -> TableBlock:
    """Every column by itself."""
    d = t.d
    df1, df2 = d.groups - 1, d.n - d.groups
    rows = []
    for j, (name, a) in enumerate(zip(t.columns, t.alone, strict=True)):
        cells = q.row(
            column=q.name(name, "Column"), wilks=q.fine(a.wilks, "Λ"), f=q.stat(a.f, "F"), p=q.p(a.p),
            tolerance=q.fine(float(t.tolerance[j]), "Of its own"),
        )  # fmt: skip
        sd = [float(d.x[d.codes == g, j].std(ddof=1)) if d.sizes[g] > 1 else np.nan for g in range(d.groups)]
        high = float(np.abs(d.means[:, j]).max())
        places = decimals_of(float(np.sqrt(d.pooled[j, j])) / 20, max(high, 1e-300))
        for g in range(min(d.groups, MOST_MEANS)):
            around = f" ± {number(sd[g], places)}" if np.isfinite(sd[g]) else ""
            m = float(d.means[g, j])
            cells[f"mean_{g + 1}"] = q.texted(m, f"{number(m, places)}{around}", t.levels[g])
        rows.append(cells)
    note = (
        f"F({df1}, {grouped(df2)}) of each column alone; means ± SD of groups. Of its own: the part of its variance"
    )
    note += " within groups that no other column has."
    return q.table("columns", "Columns alone", rows, note=note, strong=["p"], folded=len(rows) > 15)


def classified(t: Told, found: Placed, id: str, title: str, folded: bool = False) -> TableBlock:
    """Groups down, the groups that rows are put into across."""
    counts = t.counts(found)
    shown = min(t.d.groups, MOST_ACROSS)
    rows = []
    for g, level in enumerate(t.levels):
        known = int(counts[g].sum())
        cells = q.row(group=q.name(level, t.spec.groups or "Group"))
        for h in range(shown):
            made = q.count(int(counts[g, h]), t.levels[h])
            cells[f"to_{h + 1}"] = made.bold if g == h else made
        cells["right"] = q.part(float(counts[g, g]) / known if known else np.nan, "Right", CANNOT)
        rows.append(cells)
    right, known = t.right(found)
    note = "Groups down, the groups that rows are put into across."
    note += f" {grouped(right)} of {counted(known, 'row')} right, {percent(right / known)}." if known else ""
    gone = t.d.n - known
    note += f" {counted(gone, 'row')} cannot be placed: without it no other row of its group is left." if gone else ""
    note += f" Chances beforehand {PRIORS[t.spec.prior]}."
    note += f" The first {shown} groups are shown across." if shown < t.d.groups else ""
    return q.table(id, title, rows, note=note.strip(), folded=folded)


def wrong(t: Told) -> TableBlock | None:
    """Rows that fall into another group when left out, those with the least chance of their own first."""
    found, d = t.outside, t.d
    own = found.chances[np.arange(d.n), d.codes]
    off = np.flatnonzero((found.chosen >= 0) & (found.chosen != d.codes))
    if not len(off):
        return None
    order = off[np.argsort(own[off], kind="stable")][:MOST_WRONG]
    rows = [
        q.row(
            row=q.count(int(t.numbers[i]), "Row"), group=q.said(t.levels[int(d.codes[i])], t.spec.groups or "Group"),
            to=q.said(t.levels[int(found.chosen[i])], "Put into"),
            chance=q.fine(float(found.chances[i, found.chosen[i]]), "Chance of it"),
            own=q.fine(float(own[i]), "Chance of its own"),
        )
        for i in order
    ]  # fmt: skip
    made = q.table("wrong", "Rows put into another group", rows, of=len(off), folded=True)
    return made.model_copy(update={"shows": [int(t.numbers[i]) for i in order]})


def centroids(t: Told) -> TableBlock:
    """Groups on the functions."""
    rows = []
    for g, level in enumerate(t.levels):
        cells = q.row(group=q.name(level, t.spec.groups or "Group"), n=q.count(int(t.d.sizes[g]), "n"))
        cells["prior"] = q.fine(float(t.priors[g]), "Chance beforehand")
        for k in range(min(len(t.d.values), 6)):
            cells[f"function_{k + 1}"] = q.num(float(t.d.centroids[g, k]), 3, f"Function {k + 1}")
        rows.append(cells)
    return q.table("centroids", "Groups on the functions", rows, folded=True)


def raw(t: Told) -> TableBlock:
    """Coefficients of the columns as they stand."""
    d = t.d
    many = min(len(d.values), 6)
    rows = []
    for j, name in enumerate(t.columns):
        cells = q.row(column=q.name(name, "Column"))
        for k in range(many):
            value = float(d.raw[j, k])
            cells[f"b{k + 1}"] = q.texted(value, number(value, _places(value)), f"Function {k + 1}")
        rows.append(cells)
    cells = q.row(column=q.name("constant", "Column"))
    for k in range(many):
        value = -float(d.grand @ d.raw[:, k])
        cells[f"b{k + 1}"] = q.texted(value, number(value, _places(value)), f"Function {k + 1}")
    note = "A row’s score is the sum of its columns by these, and the constant; within groups scores have variance 1."
    return q.table("raw", "Coefficients of the columns as they stand", [*rows, cells], note=note, folded=True)


def _places(value: float) -> int:
    """Decimals for four figures."""
    return min(12, max(2, 3 - int(np.floor(np.log10(abs(value)))))) if value else 2


def facts(t: Told) -> dict[str, Any]:
    """Numbers by name."""
    d, test = t.d, t.d.tested
    out: dict[str, Any] = {
        "n": d.n, "groups": d.groups, "wilks": test.wilks, "f": test.f, "df1": test.df1, "df2": test.df2, "p": test.p,
        "largest": t.largest,
    }  # fmt: skip
    for k, value in enumerate(d.values):
        out |= {f"eigenvalue_{k + 1}": float(value), f"canonical_{k + 1}": float(d.canonical[k])}
    for key, found in (("right", t.inside), ("right_left_out", t.outside)):
        right, known = t.right(found)
        if known:
            out[key] = right / known
    if not t.spreads.why:
        out |= {"box_m": t.spreads.m, "box_p": t.spreads.p}
    return out


def _write_up(t: Told) -> NoteBlock:
    d, test = t.d, t.d.tested
    text = f"Linear discriminant analysis of {listing(t.columns, 12)} between {_of(t)} ({counted(d.n, 'row')}) gave"
    text += f" {counted(len(d.values), 'function')} (Wilks’ Λ = {share_fine(test.wilks)}, F({number(test.df1, 0)},"
    text += f" {_df(test.df2)}) = {number(test.f, 2)}, p {p_words(test.p)}"
    text += f"; canonical r {listing([share(float(v)) for v in d.canonical], 6)})."
    main = np.abs(d.structure[:, 0]).argsort()[::-1][:3]
    told = [f"{t.columns[int(j)]} ({share(float(d.structure[int(j), 0]))})" for j in main]
    text += f" The first went most with {listing(told)} within groups."
    right, known = t.right(t.outside)
    if known:
        text += f" Leaving one row out at a time, {percent(right / known)} were put into their own group (chances"
        text += f" beforehand {PRIORS[t.spec.prior]}; the largest group held {percent(t.largest)})."
    return NoteBlock(id="write_up", text=text)
