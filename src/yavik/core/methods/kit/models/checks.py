"""Checks that every kind of model has: collinearity, terms that belong together, what was left out, selection,
room."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import SUPERSCRIPT, counted, listing, number, p_words, significant
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.checks import leave_out
from yavik.core.methods.kit.models.terms import ModelData, spec_term
from yavik.core.stats.design import missing_lower, movable
from yavik.core.stats.groups import Floats
from yavik.core.table import rows_in_words

MOST_FOR_PAIRS = 50_000
SAME_FROM = 0.9


def collinearity(data: ModelData, vif: Sequence[float], used: Sequence[int], spec: Any) -> Check | None:
    """VIF of main columns; what powers and interactions share with their own columns is no fault."""
    base: dict[str, Any] = {"id": "collinearity", "title": "Columns that say the same"}
    plain = [
        (float(v), j) for v, j in zip(vif, used, strict=True)
        if not any(t != data.terms[data.design.columns[j].term] and set(t.names) & set(data.terms[data.design.columns[j].term].names) for t in data.terms)
    ]  # fmt: skip
    if len(data.names) < 2:
        return None
    pairs = _alike(data)
    worst = max(plain, default=(np.nan, -1))
    said = [f"{data.title(a)} and {data.title(b)} go together at r = {number(r, 2)}" for a, b, r in pairs[:3]]
    text = f"The largest VIF is {number(worst[0], 1)}, of {data.column_title(worst[1])}." if plain else ""
    if said:
        text = f"{listing(said, 3)}: they carry much the same information. {text}".strip()
    verdict = (
        Verdict.fails
        if plain and worst[0] > 10
        else Verdict.doubtful
        if (plain and worst[0] > 5) or pairs
        else Verdict.holds
    )
    remedies = []
    if verdict is not Verdict.holds:
        for name in list(dict.fromkeys(n for a, b, _ in pairs[:1] for n in (b, a)))[:2]:
            kept = [spec_term(t) for t in data.terms if name not in t.names]
            if kept:
                remedies.append(
                    Remedy(label=f"Leave out {data.title(name)}", spec=without_columns(spec, [name], kept))
                )
    if not text:
        text = "VIF of powers and interactions is large by their making and says nothing here."
    facts = {"vif_largest": worst[0]} if plain else {}
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def without_columns(spec: Any, names: Sequence[str], terms: Sequence[Any]) -> dict[str, Any]:
    """A change of the spec to fewer terms, with nothing left that speaks of the columns gone."""
    change: dict[str, Any] = {"terms": list(terms)}
    for field in ("reference", "per", "at"):
        kept = {k: v for k, v in getattr(spec, field).items() if k not in names}
        if kept != getattr(spec, field):
            change[field] = kept
    if spec.means_of:
        change["means_of"] = [m for m in spec.means_of if not set(m) & set(names)]
    if spec.sets:
        change["sets"] = [s.model_dump() for s in spec.sets if not set(s.names) & set(names)]
    if spec.predict_at:
        change["predict_at"] = [{k: v for k, v in c.items() if k not in names} for c in spec.predict_at]
    return change


def _alike(data: ModelData) -> list[tuple[str, str, float]]:
    """Pairs of measures with a correlation beyond ±.9, the strongest first."""
    names = [n for n in data.numbers if any(t.is_main and t.names == (n,) for t in data.terms)]
    if len(names) < 2:
        return []
    places = np.linspace(0, data.n - 1, min(data.n, MOST_FOR_PAIRS)).astype(int)
    x: Floats = np.column_stack([data.design.data[n][places] for n in names])
    sd = x.std(axis=0)
    if (sd == 0).any():
        return []
    r = np.asarray(np.corrcoef(x, rowvar=False))
    found = [
        (names[i], names[j], float(r[i, j])) for i in range(len(names)) for j in range(i) if abs(r[i, j]) > SAME_FROM
    ]
    return sorted(((b, a, r) for a, b, r in found), key=lambda f: -abs(f[2]))


def left_out(data: ModelData, follows: dict[int, list[int]]) -> Check | None:
    """Columns without an estimate, and what they follow from."""
    if not follows:
        return None
    said = []
    for j, others in list(follows.items())[:4]:
        of = listing([data.column_title(k) for k in others], 4)
        said.append(
            f"{data.column_title(j)} follows from {of}"
            if others
            else f"{data.column_title(j)} is the same in all rows"
        )
    more = f" So do {len(follows) - 4} more." if len(follows) > 4 else ""
    text = (
        f"{'; '.join(said)}.{more} {'It has' if len(follows) == 1 else 'They have'} no estimate; the others stand for"
        " both."
    )
    return Check(
        id="rank",
        title="Columns without an estimate",
        verdict=Verdict.doubtful,
        text=text,
        facts={"left_out": float(len(follows))},
    )


def belonging(data: ModelData) -> Check | None:
    """A square without its column, an interaction without its parts."""
    lacking = missing_lower(data.terms)
    if not lacking:
        return None
    said = [f"{data.term_title(t)} stands without {data.term_title(u)}" for t, u in lacking[:3]]
    terms = [spec_term(t) for t in data.terms]
    add = [spec_term(u) for u in dict.fromkeys(u for _, u in lacking)]
    return Check(
        id="belonging", title="Terms that belong together", verdict=Verdict.doubtful,
        text=f"{listing(said, 3)}. What such a model says hangs on where the column's zero is and on the reference"
             " level.",
        remedies=[Remedy(label="Add what is missing", spec={"terms": [*add, *terms]})],
    )  # fmt: skip


def zero_of_numbers(data: ModelData, spec: Any) -> Check | None:
    """Coefficients told of a zero that no row comes near: lower powers, parts of interactions."""
    if not spec.intercept or spec.zero == "mean":
        return None
    values = data.design.data
    far = [n for n in data.bent if movable(data.terms, n) and not values[n].min() <= 0 <= values[n].max()]
    if not far:
        return None
    ranges = [
        f"{lower(data.title(n))} ({data.said_place(n, values[n].min())} to {data.said_place(n, values[n].max())})"
        for n in far[:3]
    ]
    return Check(
        id="zero", title="Where zero lies", verdict=Verdict.doubtful,
        text=f"Zero lies outside the values of {listing(ranges, 3)}. Intercept, lower powers and parts of"
             " interactions, with their p,"
        " are said of that zero, where there are no data; predictions, means and pictures are not touched by it.",
        remedies=[Remedy(label="Count from the means", spec={"zero": "mean"})],
    )  # fmt: skip


def thin_levels(data: ModelData) -> Check | None:
    """Levels with one row: their estimate rests on it alone."""
    found = []
    for name, factor in data.factors.items():
        n = np.bincount(data.design.data[name], minlength=len(factor.levels))
        found += [f"{factor.levels[i]} ({data.title(name)})" for i in np.flatnonzero(n == 1)]
    if not found:
        return None
    return Check(
        id="levels", title="Levels with one row", verdict=Verdict.doubtful,
        text=f"{listing(found, 4)} {'has' if len(found) == 1 else 'have'} a single row: the estimate is that row.",
    )  # fmt: skip


def lost_levels(data: ModelData) -> Check | None:
    """Levels that had rows with a response and lost all of them, since another column of the model is empty there."""
    table, there = data.table, ~data.table.empty(data.response.name)
    used = np.zeros(table.n_rows, bool)
    used[data.places] = True
    said: list[str] = []
    rows: list[int] = []
    for name in data.factors:
        codes = table.codes(name)
        had = np.bincount(codes.codes[there & (codes.codes >= 0)], minlength=len(codes.levels))
        has = np.bincount(codes.codes[used], minlength=len(codes.levels))
        for level in np.flatnonzero((had > 0) & (has == 0)):
            own = np.flatnonzero(there & (codes.codes == level))
            empty = [n for n in data.names if n != name and table.empty(n)[own].all()]
            why = f": {listing([data.title(n) for n in empty], 3)} is empty there" if empty else ""
            said.append(f"{data.title(name)} = {codes.levels[level]} ({counted(len(own), 'row')}{why})")
            rows += table.rows[own].tolist()
    if not said:
        return None
    return Check(
        id="lost_levels", title="Levels that drop out", verdict=Verdict.fails,
        text=f"All rows of {listing(said, 4)} are left out, and the answer says nothing of them.",
        remedies=[Remedy(label="Show the rows", rows=sorted(set(rows))[:200])],
    )  # fmt: skip


def room(n: float, coefficients: int, what: str) -> Check:
    """Rows, or events, for each coefficient."""
    each = n / max(coefficients, 1)
    verdict = Verdict.holds if each >= 10 else Verdict.doubtful if each >= 5 else Verdict.fails
    text = f"{significant(each, 3)} {what} for each of the {counted(coefficients, 'coefficient')}"
    text += (
        "."
        if verdict is Verdict.holds
        else ": fewer than ten, so that the model bends to these rows and predicts others worse."
    )
    return Check(
        id="room",
        title=f"{what[0].upper()}{what[1:]} per coefficient",
        verdict=verdict,
        text=text,
        facts={"per_coefficient": each},
    )


def after_selection(spec: Any) -> Check | None:
    """What a selection does to p and intervals; None where there was none."""
    if spec.selection == "none":
        return None
    return Check(
        id="selection", title="After a selection", verdict=Verdict.doubtful,
        text="The same rows chose the terms and judge them: p values and intervals are too good, and other rows"
             " might have chosen others.",
    )  # fmt: skip


def straight_enough(
    data: ModelData, score: Callable[[Floats], tuple[float, int]], what: str, terms: Sequence[Any]
) -> Check | None:
    """Would a further power of a measure add to the model? Score tests, Holm-adjusted.

    Args:
        score: χ² and df of adding columns to the model, shape (n, k).
        what: the response on the scale of the terms, with its verb: 'the log odds bend'.
        terms: those of the spec, to add to.
    """
    base: dict[str, Any] = {"id": "linearity", "title": "Straight enough"}
    powers: dict[str, int] = {}
    for t in data.terms:
        if len(t.parts) == 1 and t.parts[0].name in data.numbers:
            powers[t.parts[0].name] = max(powers.get(t.parts[0].name, 1), t.parts[0].power)
    found = []
    for name, power in powers.items():
        x = data.design.data[name]
        u = (x - x.mean()) / x.std()
        chi2, df = score((u ** (power + 1))[:, None])
        if df:
            found.append((float(special.chdtrc(df, chi2)), name, power))
    if not found:
        return None
    p, name, power = min(found)
    p = min(1.0, p * len(found))
    facts = {"linearity.p": p}
    if p >= 0.05:
        text = (
            f"Nothing says that a further power of a measure would add to the model (smallest p {p_words(p)}, Holm)."
        )
        return Check(**base, verdict=Verdict.holds, text=text, facts=facts)
    next_ = f"{data.title(name)}{str(power + 1).translate(SUPERSCRIPT)}"
    further = " further" if power > 1 else ""
    text = f"{next_} would add to the model (p {p_words(p)}, Holm): over {data.title(name)} {what}{further}."
    remedies = []
    if power < 5:
        more = {"column": name, "power": power + 1}
        remedies.append(Remedy(label=f"Add {next_}", spec={"terms": [*terms, more]}))
    verdict = Verdict.fails if p < 0.001 else Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def influential(data: ModelData, cook: Floats, residual: Floats, where: str | None) -> Check:
    """Rows that move the model by themselves, or lie far from it.

    Args:
        cook: Cook's distances. residual: standardised residuals.
    """
    base: dict[str, Any] = {"id": "influence", "title": "Influential rows"}
    far = np.flatnonzero((cook > 0.5) | (np.abs(residual) > 5))
    top = int(np.argmax(cook))
    facts = {"cook_largest": float(cook[top])}
    largest = f"The largest Cook’s distance is {significant(float(cook[top]), 2)} (row {data.rows[top]})."
    if not len(far):
        return Check(**base, verdict=Verdict.holds, text=f"No row moves the model by itself. {largest}", facts=facts)
    rows = data.rows[far]
    words = rows_in_words(rows.tolist())
    lie = "lies" if len(far) == 1 else "lie"
    text = f"{words[0].upper()}{words[1:]} {lie} far from what the model says. {largest}"
    remedies = [Remedy(label="Show the rows", rows=rows[:200].tolist())]
    remedies += leave_out(rows.tolist(), where) if len(rows) <= 40 else []
    verdict = Verdict.holds
    if cook[top] > 1:
        verdict = Verdict.fails
    elif cook[top] > 0.5 or len(far) > max(1, 0.005 * data.n):
        verdict = Verdict.doubtful
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)
