"""The path of a selection: its rounds, what it left out, and the models on the way; the same for every kind of
model."""

from collections.abc import Callable, Sequence
from typing import Any, Protocol

import numpy as np

from yavik.core.answers import NoteBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.model_card import Variant
from yavik.core.answers.wording import listing
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
    """The terms in words; 'no term' for none."""
    return ", ".join(m.whole.term_title(m.whole.terms[i]) for i in terms) or "no term"


def action(m: Selected, r: Round) -> str:
    """What a round did: '+ Floor area'."""
    if r.judged is None:
        return "all terms" if r.terms else "no term"
    return f"{'+' if r.action == 'enter' else '−'} {titles(m, [r.judged.term])}"


def path_blocks(
    m: Selected, letter: str, of: Callable[[Terms, Terms | None], q.Row], note: str | None = None
) -> list[TableBlock | NoteBlock]:
    """The rounds with their fit, what stayed out and why, and what a selection does to p values.

    Args:
        letter: the tests' statistic, F or χ².
        of: the cells of a model's fit, from its terms and those of the round before.
    """
    key, rows = {"F": "f", "χ²": "chi2"}[letter], []
    for i, r in enumerate(m.rounds):
        j = r.judged
        row = q.row(round=q.count(i, "Round"), term=q.name(action(m, r), "What changed"))
        row[key] = q.stat(j.statistic, letter) if j else q.blank(letter, "statistic")
        if letter == "χ²":
            row["df"] = q.df(j.df1) if j else q.blank("df", "df")
        row["p"] = q.p(j.p) if j else q.blank("p", "p")
        rows.append(row | of(r.terms, m.rounds[i - 1].terms if i else None))
    table = q.table("path", "The path of the selection", rows, strong=[], note=note)
    out = _left_out(m, key, letter)
    return [NoteBlock(id="after_selection", text=WARNING), table, *([out] if out else [])]


def _left_out(m: Selected, key: str, letter: str) -> TableBlock | None:
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
        statistic, p = (judged.statistic, judged.p) if judged else (np.nan, np.nan)
        row = q.row(term=q.name(m.whole.term_title(term), "Left out"))
        row[key] = q.stat(statistic, f"{letter} if added", why)
        rows.append(row | q.row(p=q.p(p, "p if added", why), why=q.said(why, "Why")))
    return q.table("left_out", "What was left out", rows, strong=[]) if rows else None


def criteria(model: Any) -> q.Row:
    """AIC and BIC of a model on the way."""
    return q.row(aic=q.num(model.aic, 1, "AIC"), bic=q.num(model.bic, 1, "BIC"))


def round_variants(m: Selected, spec: dict[str, Any], said: Callable[[Terms], str]) -> list[Variant]:
    """Every round with terms as a model of its own."""
    return [
        Variant(label=action(m, r), spec=with_terms(spec, m.whole, r.terms), said=f"round {i}, {said(r.terms)}")
        for i, r in enumerate(m.rounds)
        if r.terms
    ]
