"""The path of a selection among models of a yes/no response, and the models on the way."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers.make import EMPTY, grid, share_cell
from yavik.core.answers.model_card import Variant
from yavik.core.answers.wording import (
    df_cell,
    listing,
    num,
    number,
    p_cell,
    stat,
    whole,
    word,
)
from yavik.core.methods.predict._binary_fit import BinaryModel
from yavik.core.methods.predict._coefficients import (
    with_terms,
)
from yavik.core.stats.selection import Round

if TYPE_CHECKING:
    from yavik.core.methods.predict.logistic import LogisticSpec


def path_tables(m: BinaryModel, spec: LogisticSpec) -> list[TableBlock]:
    if not m.rounds:
        return []
    rows = []
    from yavik.core.stats.telling import auc_of

    for i, r in enumerate(m.rounds):
        model = m.judge.model(r.terms)
        auc = auc_of(model.mu, m.whole.y > 0.5)[0]
        rows.append(
            {
                "round": whole(i),
                "term": word(_action(m, r)),
                "chi2": stat(r.judged.statistic) if r.judged else EMPTY,
                "df": df_cell(r.judged.df1) if r.judged else EMPTY,
                "p": p_cell(r.judged.p) if r.judged else EMPTY,
                "auc": share_cell(auc) if r.terms else EMPTY,
                "aic": num(model.aic, 1),
                "bic": num(model.bic, 1),
            }
        )
    columns = [
        ("round", "Round"),
        ("term", "What changed<"),
        ("chi2", "χ²"),
        ("df", "df"),
        ("p", "p"),
        ("auc", "AUC"),
        ("aic", "AIC"),
        ("bic", "BIC"),
    ]
    note = "Score tests to enter, Wald tests to leave."
    made = [grid("path", "The path of the selection", columns, rows, strong=[], note=note)]
    out = []
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
            else "adds too little"
            if judged
            else "follows from the others"
        )
        out.append({"term": word(m.whole.term_title(term)), "chi2": stat(judged.statistic if judged else np.nan, why), "p": p_cell(judged.p if judged else np.nan, why), "why": word(why)})  # fmt: skip
    if out:
        made.append(
            grid(
                "left_out",
                "What was left out",
                [("term", "Left out<"), ("chi2", "χ² if added"), ("p", "p if added"), ("why", "Why<")],
                out,
                strong=[],
            )
        )
    return made


def _action(m: BinaryModel, r: Round) -> str:
    if r.judged is None:
        return "all terms" if r.terms else "no term"
    return f"{'+' if r.action == 'enter' else '−'} {m.whole.term_title(m.whole.terms[r.judged.term])}"


def variants(m: BinaryModel, spec: LogisticSpec) -> list[Variant]:
    from dataclasses import replace

    base, f = spec.model_dump(mode="json"), replace(m.fitted, data=m.whole)
    found = []
    for i, r in enumerate(m.rounds):
        if not r.terms:
            continue
        model = m.judge.model(r.terms)
        found.append(
            Variant(
                label=_action(m, r), spec=with_terms(base, f, r.terms), said=f"round {i}, AIC {number(model.aic, 1)}"
            )
        )
    return found
