"""What a linear model lends to figures: its curves with bands, its equation, R², p."""

import numpy as np

from yavik.core.answers import FittedLine, Marks, Span
from yavik.core.answers.wording import italic, level_words, p_words, say, share_fine
from yavik.core.figures.layers import spread_along
from yavik.core.methods.kit.models.effects import line_factors
from yavik.core.methods.kit.models.equations import equations_table
from yavik.core.methods.kit.models.fitted import Fitted
from yavik.core.stats.groups import Floats

STEPS = 40
MOST_MEASURES = 8
MOST_LEVELS = 12


def lent(f: Fitted, response: str, r2: float, p: float | None, alpha: float) -> Marks:
    """Curves over each measure of the model: one for the rows as a whole, and one for each level of a single
    category."""
    fitted: list[FittedLine] = []
    measures = [n for n in f.data.names if n not in f.data.factors][:MOST_MEASURES]
    for name in measures:
        lines = [_line(f, name, None, None, {})]
        factors = line_factors(f, name)
        if len(factors) == 1 and len(f.data.factors[factors[0]].levels) <= MOST_LEVELS:
            levels = f.data.factors[factors[0]].levels
            lines += [_line(f, name, factors[0], level, {factors[0]: i}) for i, level in enumerate(levels)]
        fitted += [line for line in lines if line is not None]
    others = len(f.data.names) > 1
    note = f"Lines are the model’s means with {level_words(alpha)} confidence bands"
    note += ", the other terms at their usual values." if others else "."
    equations = equations_table(f, response)
    one = equations.rows[0]["equation"].s if equations and len(equations.rows) == 1 else ""
    said: list[Span] = say(f"{one}, " if one else "", italic("R"), f"² = {share_fine(r2)}") if np.isfinite(r2) else []
    return Marks(
        p=say(italic("p"), f" {p_words(p)}") if p is not None else [],
        fitted=fitted,
        fitted_note=note if fitted else "",
        equation=said,
    )


def _line(f: Fitted, name: str, by: str | None, level: str | None, places: dict[str, int]) -> FittedLine | None:
    values = f.data.design.data[name]
    x = _places(float(values.min()), float(values.max()))
    rows, _ = f.data.points({**f.typical, **places}, **{name: x})
    y, low, high = f.means(rows)
    if np.isnan(y).any():  # no row has this combination
        return None
    low, high = (np.where(np.isnan(v), y, v) for v in (low, high))
    return FittedLine(over=name, by=by, group=level, x=_brief(x), y=_brief(y), low=_brief(low), high=_brief(high))


def _places(low: float, high: float) -> Floats:
    """Evenly spread, and evenly on a logarithmic axis as well where that is another thing."""
    x = spread_along(low, high, STEPS, "linear")
    return np.unique(np.concatenate([x, spread_along(low, high, STEPS, "log")])) if 0 < low < high / 4 else x


def _brief(values: object) -> list[float]:
    """As many digits as the range needs, whatever the values' offset."""
    x = np.asarray(values, float)
    span = float(np.ptp(x)) if len(x) else 0.0
    digits = int(6 - np.floor(np.log10(span))) if span > 0 else 6
    return [float(v) for v in np.round(x, digits)]
