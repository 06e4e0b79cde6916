"""The equations of a model, written out."""

from itertools import product
from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import SUPERSCRIPT, fixed, given, listing
from yavik.core.methods.kit.models.fitted import UNTOLD, Fitted

MOST_EQUATIONS, MOST_OPEN = 24, 8


def combinations(f: Fitted, factors: list[str]) -> list[tuple[str, dict[str, int]]]:
    """Every combination of levels, in words and as places."""
    found = []
    for places in product(*(range(len(f.data.factors[n].levels)) for n in factors)):
        words = [f.data.factors[n].levels[i] for n, i in zip(factors, places, strict=True)]
        # A bare yes or no beside another level says nothing without its column.
        said = [
            f"{f.data.title(n)}: {w}" if w in ("yes", "no") and len(factors) > 1 else w
            for n, w in zip(factors, words, strict=True)
        ]
        found.append((", ".join(said), dict(zip(factors, places, strict=True))))
    return found


def equations_table(f: Fitted, response: str) -> TableBlock | None:
    """The equation of each combination of levels, with the numbers' own coefficients worked out."""
    factors = list(f.data.factors)
    combos = combinations(f, factors)
    if len(combos) > MOST_EQUATIONS or not f.columns:
        return None
    middle = equation_origin(f)
    carried = f.coef_about(middle)
    # The response's own precision, or a thousandth of its spread.
    wanted = min(0.5 * 10.0 ** -(f.data.decimals + 1), (float(np.std(f.data.y)) or 1.0) / 1000)
    rows, title = [], listing([f.data.title(n) for n in factors]) or "Rows"
    for words, places in combos:
        line, _ = f.data.points({**f.typical, **places})
        if not f.told(line)[0]:
            rows.append(q.row(level=q.name(words, title), equation=q.gone(UNTOLD, "Equation", "said")))
            continue
        sums: dict[tuple[tuple[str, int], ...], float] = {}
        if f.intercept:
            sums[()] = float(carried[0])
        for i, column in enumerate(f.columns):
            c = f.data.design.columns[column]
            if all(places[n] == level for n, level in c.levels):
                sums[c.powers] = sums.get(c.powers, 0.0) + float(carried[i + f.first])
        told = _equation(f, response, sums, middle, wanted)
        rows.append(q.row(level=q.name(words or "all rows", title), equation=q.said(told, "Equation")))
    heading = "The equation" if len(rows) == 1 else "An equation for each combination of levels"
    return q.table("equations", heading, rows, folded=len(rows) > MOST_OPEN)


def equation_origin(f: Fitted) -> dict[str, float]:
    """Round middles about which an equation is written: of measures with powers, and of those far from their zero."""
    found = {}
    bent = {p.name for t in f.data.terms for p in t.parts if p.power > 1}
    for name in f.data.numbers:
        centre, half = f.data.design.origin.get(name, (0.0, 1.0))
        if centre and (name in bent or abs(centre) > 50 * half):
            digits = int(np.floor(np.log10(half))) - 1
            found[name] = (
                float(np.round(centre, -digits)) if digits <= 0 else float(np.round(centre / 10**digits) * 10**digits)
            )
    return found


def _equation(f: Fitted, response: str, sums: dict[Any, float], middle: dict[str, float], wanted: float) -> str:
    """Written with as many digits as keep fitted values within ``wanted``."""
    wanted /= max(len(sums), 1)
    text = f"{response} ="
    started = False
    for powers, b in sums.items():
        largest = float(np.prod([_farthest(f, n, middle) ** k for n, k in powers])) if powers else 1.0
        finest = int(np.ceil(-np.log10(wanted / max(largest, 1e-300))))
        digits = max(finest, int(3 - np.floor(np.log10(abs(b))))) if b else 0
        size = fixed(abs(b), int(np.clip(digits, 0, 40))) if b else "0"
        sign = ("−" if b < 0 else "") if not started else (" −" if b < 0 else " +")
        names = " × ".join(_about(f, n, middle) + (str(k).translate(SUPERSCRIPT) if k > 1 else "") for n, k in powers)
        text += f" {sign}{size}" if not started else f"{sign} {size}"
        text += f" × {names}" if names else ""
        started = True
    return text if started else f"{text} 0"


def _farthest(f: Fitted, name: str, middle: dict[str, float]) -> float:
    """How far any row lies from where the equation counts from: its range is known from the design's origin."""
    centre, half = f.data.design.origin[name]
    return abs(centre - middle.get(name, 0.0)) + half


def _about(f: Fitted, name: str, middle: dict[str, float]) -> str:
    """'floor area', or '(year − 2005)'."""
    title = f.data.title(name)
    if name not in middle:
        return title
    at = middle[name]
    return f"({title} {'−' if at > 0 else '+'} {given(abs(at))})"
