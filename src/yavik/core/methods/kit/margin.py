"""Equivalence and non-inferiority for any comparison of two: a margin in the unit, a sentence, a table, facts."""

from collections.abc import Callable

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import alpha_words, level_words, plain, say
from yavik.core.ask import amount, option
from yavik.core.methods.base import Spec
from yavik.core.stats.equivalence import Claim, Equivalence
from yavik.core.table import DataProblem

CLAIMS = {
    "equivalent": "equivalence: within the margin",
    "not_lower": "non-inferiority: not lower by it",
    "not_higher": "not higher by the margin",
}


class WithMargin(Spec):
    """The options of a comparison that can ask whether a difference is too small to matter."""

    margin: float | None = Field(
        None,
        gt=0,
        allow_inf_nan=False,
        json_schema_extra=amount(
            "Margin of equivalence",
            "The smallest difference that would matter, in the unit (shares: 0.1 is ten percentage points), fixed"
            " before the data are seen.",
            empty=True,
        ),
    )
    claim: Claim = Field("equivalent", json_schema_extra=option("What the margin is to show", CLAIMS))


def demand_share(margin: float) -> None:
    """Raises DataProblem for a margin between shares that is no share."""
    if margin >= 1:
        raise DataProblem(
            f"A margin between shares is a share itself, below 1: for {margin:g} percentage points type"
            f" {margin / 100:g}."
        )


def judged(
    answer: Answer,
    found: Equivalence,
    alpha: float,
    names: tuple[str, str],
    digits: Callable[[float], str],
    unit: str,
) -> Answer:
    """The answer with what the margin shows: a further sentence, a table and facts.

    Args:
        names: what is compared with what.
        digits: a difference in the digits that it is printed with.
        unit: what follows it, with its space.
    """
    if not np.isfinite(found.p):
        raise DataProblem("The margin cannot be judged: there is no spread to judge the difference against.")
    shown, m = found.p < alpha, digits(found.margin) + unit
    p = q.p_said(found.p)
    if found.claim == "equivalent":
        way = f"two one-sided tests; {level_words(2 * alpha)} CI {digits(found.low)} to {digits(found.high)}{unit}"
        start = (
            f" The difference lies within ±{m}: equivalence is shown, "
            if shown
            else f" That the difference lies within ±{m} is not shown, "
        )
    else:
        side, end, bound = (
            ("lower", "lower", found.low) if found.claim == "not_lower" else ("higher", "upper", found.high)
        )
        way = f"one-sided; {end} {level_words(alpha)} bound of the difference {digits(bound)}{unit}"
        start = (
            f" That {names[0]} is {side} than {names[1]} by {m} or more is ruled out, "
            if shown
            else f" That {names[0]} is {side} than {names[1]} by {m} or more is not ruled out, "
        )
    answer.headline_spans += say(start, *p, f" ({way}).")
    answer.headline = plain(answer.headline_spans)
    ruled_out = {"equivalent": f"within ±{m}", "not_lower": f"not lower by {m}", "not_higher": f"not higher by {m}"}
    said = ruled_out[found.claim]
    answer.short = f"{said}, {plain(p)}" if shown else f"not shown to be {said}, {plain(p)}"
    answer.settings.append(
        f"margin ±{m}" if found.claim == "equivalent" else f"margin {m}, {found.claim.replace('_', ' ')}"
    )
    answer.facts |= {
        "margin": found.margin,
        "equivalence.p": found.p,
        "equivalence.ci_low": found.low,
        "equivalence.ci_high": found.high,
    }
    place = next((i for i, b in enumerate(answer.blocks) if b.id in ("test", "tests")), len(answer.blocks) - 1)
    answer.blocks.insert(place + 1, _table(found, alpha, m))
    return answer


def _table(e: Equivalence, alpha: float, margin: str) -> TableBlock:
    symbol = "z" if e.df is None else "t"
    lines = [
        (f"Difference above −{margin}", e.above, e.p_above, e.claim != "not_higher"),
        (f"Difference below {margin}", e.below, e.p_below, e.claim != "not_lower"),
    ]
    free = {} if e.df is None else {"df": q.df(e.df)}
    rows = [
        q.row(
            term=q.name(text, "One-sided test"), **{symbol: q.stat(value, symbol, "the margin leads out of 0 to 1")},
            **free, p=q.p(p),
        )
        for text, value, p, asked in lines
        if asked
    ]  # fmt: skip
    note = (
        f"Equivalence at α = {alpha_words(alpha)} needs both; the {level_words(2 * alpha)} interval then lies within"
        " the margin. A large p shows neither a difference nor that there is none."
    )
    if e.claim != "equivalent":
        note = "Only the side that was asked about is tested."
    return q.table("equivalence", "Is the difference too small to matter?", rows, note=note)
