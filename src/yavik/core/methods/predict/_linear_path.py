"""The path of a selection among linear models, what it left out, and the models on the way."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from yavik.core.answers import NoteBlock, TableBlock
from yavik.core.answers.make import EMPTY, grid
from yavik.core.answers.model_card import Variant
from yavik.core.answers.wording import (
    listing,
    num,
    number,
    p_cell,
    share,
    stat,
    whole,
    word,
)
from yavik.core.methods.predict._coefficients import (
    with_terms,
)
from yavik.core.methods.predict._linear_fit import LinearFit
from yavik.core.stats.selection import Round

if TYPE_CHECKING:
    from yavik.core.methods.predict.linear import LinearSpec


def path_table(m: LinearFit, spec: LinearSpec) -> list[TableBlock]:
    if spec.selection == "none":
        return []
    if m.subsets:
        return [_subsets_table(m, spec)]
    rows, before = [], None
    for i, r in enumerate(m.rounds):
        model = m.judge.model(r.terms)
        rows.append(
            {
                "round": whole(i),
                "term": word(_action(m, r)),
                "f": stat(r.judged.statistic) if r.judged else EMPTY,
                "p": p_cell(r.judged.p) if r.judged else EMPTY,
                "r2": num(model.r2, 3),
                "change": num(model.r2 - before, 3) if before is not None else EMPTY,
                "adjusted_r2": num(model.adjusted_r2, 3),
                "aic": num(model.aic, 1),
                "bic": num(model.bic, 1),
            }
        )
        before = model.r2
    columns = [
        ("round", "Round"), ("term", "What changed<"), ("f", "F"), ("p", "p"), ("r2", "R²"), ("change", "Change"),
        ("adjusted_r2", "Adjusted"), ("aic", "AIC"), ("bic", "BIC"),
    ]  # fmt: skip
    made = [grid("path", "The path of the selection", columns, rows, strong=[])]
    out = left_out_table(m, spec)
    return [*made, out] if out else made


def _action(m: LinearFit, r: Round) -> str:
    if r.judged is None:
        return "all terms" if r.terms else "no term"
    return f"{'+' if r.action == 'enter' else '−'} {m.whole.term_title(m.whole.terms[r.judged.term])}"


def left_out_table(m: LinearFit, spec: LinearSpec) -> TableBlock | None:
    rows = []
    for i, term in enumerate(m.whole.terms):
        if i in m.chosen:
            continue
        judged = m.judge.add(m.chosen, i)
        under = [
            m.whole.term_title(m.whole.terms[u])
            for u in range(len(m.whole.terms))
            if m.whole.terms[u].within(term) and u not in m.chosen
        ]
        why = (
            f"stays out while {listing(under)} is out"
            if under
            else "follows from the others"
            if judged is None
            else "adds too little"
        )
        rows.append(
            {
                "term": word(m.whole.term_title(term)),
                "f": stat(judged.statistic if judged else np.nan, why),
                "p": p_cell(judged.p if judged else np.nan, why),
                "why": word(why),
            }
        )
    if not rows:
        return None
    columns = [("term", "Left out<"), ("f", "F if added"), ("p", "p if added"), ("why", "Why<")]
    return grid("left_out", "What was left out", columns, rows, strong=[])


def _subsets_table(m: LinearFit, spec: LinearSpec) -> TableBlock:
    rows = []
    for s in m.subsets:
        model = m.judge.model(s.terms)
        titles = [m.whole.term_title(m.whole.terms[i]) for i in s.terms]
        rows.append(
            {
                "term": word(", ".join(titles) or "no term"),
                "r2": num(model.r2, 3),
                "adjusted_r2": num(model.adjusted_r2, 3),
                "aic": num(model.aic, 1),
                "bic": num(model.bic, 1),
            }
        )
    columns = [("term", "Terms<"), ("r2", "R²"), ("adjusted_r2", "Adjusted"), ("aic", "AIC"), ("bic", "BIC")]
    return grid(
        "path",
        f"The {len(rows)} best of all {2 ** len(m.whole.terms):,} choices".replace(",", "\u2009"),
        columns,
        rows,
        strong=[],
    )


def variants(m: LinearFit, spec: LinearSpec) -> list[Variant]:
    """Models on the way, and runners-up."""
    base = spec.model_dump(mode="json")
    found = []
    for i, r in enumerate(m.rounds[1:] if m.rounds and not m.rounds[0].terms else m.rounds):
        model = m.judge.model(r.terms)
        label = _action(m, r) if r.judged else "all terms"
        found.append(
            Variant(label=label, spec=with_terms(base, _all(m), r.terms), said=f"round {i + 1}, R² {share(model.r2)}")
        )
    for s in m.subsets:
        titles = [m.whole.term_title(m.whole.terms[i]) for i in s.terms]
        found.append(Variant(label=", ".join(titles) or "no term", spec=with_terms(base, _all(m), s.terms),
                             said=f"BIC {number(m.judge.model(s.terms).bic, 1)}"))  # fmt: skip
    return [v for v in found if v.spec["terms"]]


def _all(m: LinearFit) -> Any:
    from dataclasses import replace

    return replace(m.fitted, data=m.whole)


def note_of_selection(spec: LinearSpec) -> NoteBlock | None:
    if spec.selection == "none":
        return None
    return NoteBlock(
        id="after_selection",
        text="The terms were chosen by looking at these same rows. Their p values and intervals do not know that: they are too good. Take them as description, or test the chosen model on other data.",
    )
