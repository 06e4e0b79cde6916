"""The path of a selection: its rounds, what it left out, and the models on the way; the same for every kind of model."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

import numpy as np

from yavik.core.answers import Cell, NoteBlock, TableBlock
from yavik.core.answers.make import EMPTY, grid
from yavik.core.answers.model_card import Variant
from yavik.core.answers.wording import df_cell, listing, num, p_cell, stat, whole, word
from yavik.core.methods.kit.models.coefficients import with_terms
from yavik.core.methods.kit.models.terms import ModelData
from yavik.core.stats.selection import Judge, Round, Terms

WARNING = (
    "The terms were chosen by looking at these same rows. Their p values and intervals do not know that: they are too"
    " good. Take them as description, or test the chosen model on other data."
)


class Selected(Protocol):
    """A fitted model that terms were chosen for."""

    @property
    def whole(self) -> ModelData: ...
    @property
    def rounds(self) -> list[Round]: ...
    @property
    def chosen(self) -> Terms: ...
    @property
    def judge(self) -> Judge: ...


def titles(m: Selected, terms: Sequence[int]) -> str:
    return ", ".join(m.whole.term_title(m.whole.terms[i]) for i in terms) or "no term"


def action(m: Selected, r: Round) -> str:
    """What a round did: '+ Floor area'."""
    if r.judged is None:
        return "all terms" if r.terms else "no term"
    return f"{'+' if r.action == 'enter' else '−'} {titles(m, [r.judged.term])}"


def path_blocks(
    m: Selected, statistic: tuple[str, str], fit: Sequence[tuple[str, str]], of: Callable[[Terms, Terms | None], Mapping[str, Cell]],
    note: str | None = None,
) -> list[TableBlock | NoteBlock]:  # fmt: skip
    """The rounds with their fit, what stayed out and why, and what a selection does to p values.

    Args:
        statistic: key and title of the tests' statistic.
        fit: keys and titles of the measures of fit.
        of: the cells of a model's fit, from its terms and those of the round before.
    """
    key, title = statistic
    with_df = key == "chi2"
    rows = []
    for i, r in enumerate(m.rounds):
        j = r.judged
        row = {"round": whole(i), "term": word(action(m, r)), key: stat(j.statistic) if j else EMPTY}
        row |= {"df": df_cell(j.df1) if j else EMPTY} if with_df else {}
        rows.append({**row, "p": p_cell(j.p) if j else EMPTY, **of(r.terms, m.rounds[i - 1].terms if i else None)})
    columns = [
        ("round", "Round"),
        ("term", "What changed<"),
        (key, title),
        *([("df", "df")] if with_df else []),
        ("p", "p"),
    ]
    table = grid("path", "The path of the selection", [*columns, *fit], rows, strong=[], note=note)
    out = _left_out(m, key, title)
    return [NoteBlock(id="after_selection", text=WARNING), table, *([out] if out else [])]


def _left_out(m: Selected, key: str, title: str) -> TableBlock | None:
    terms, rows = m.whole.terms, []
    for i, term in enumerate(terms):
        if i in m.chosen:
            continue
        judged = m.judge.add(m.chosen, i)
        under = [u for u in range(len(terms)) if terms[u].within(term) and u not in m.chosen]
        if under:
            why = f"stays out while {listing([m.whole.term_title(terms[u]) for u in under])} is out"
        else:
            why = "adds too little" if judged else "follows from the others"
        rows.append(
            {
                "term": word(m.whole.term_title(term)),
                key: stat(judged.statistic if judged else np.nan, why),
                "p": p_cell(judged.p if judged else np.nan, why),
                "why": word(why),
            }
        )
    if not rows:
        return None
    columns = [("term", "Left out<"), (key, f"{title} if added"), ("p", "p if added"), ("why", "Why<")]
    return grid("left_out", "What was left out", columns, rows, strong=[])


def criteria(model: Any) -> dict[str, Cell]:
    return {"aic": num(model.aic, 1), "bic": num(model.bic, 1)}


def round_variants(m: Selected, spec: dict[str, Any], said: Callable[[Terms], str]) -> list[Variant]:
    """Every round with terms as a model of its own."""
    return [
        Variant(label=action(m, r), spec=with_terms(spec, m.whole, r.terms), said=f"round {i}, {said(r.terms)}")
        for i, r in enumerate(m.rounds)
        if r.terms
    ]
