"""Every method on its table grown to sixty thousand rows: it answers or says why not, in words of a kind."""

import re

import numpy as np
import pytest

from tests.hostile import CASES, Case
from tests.laws import in_its_cells, in_its_size, in_its_words, words_of
from yavik.core.methods import answer
from yavik.core.table import DataProblem

ROWS = 60_000
BARE = re.compile(r"(?<![\d.\u2009])\d{5,}(?!\d)")
"""A number from ten thousand on without its thin spaces."""


@pytest.mark.parametrize("case", CASES, ids=lambda c: c.id)
def test_many_rows_are_answered_in_few_words(case: Case) -> None:
    table = case.data()
    many = table.take(np.random.default_rng(1).integers(0, table.n_rows, ROWS))
    try:
        found = answer(case.method, many, case.asked())
    except DataProblem as problem:
        assert not BARE.search(problem.message), problem.message
        return
    assert [*in_its_words(found), *in_its_cells(found), *in_its_size(found)] == []
    assert [(place, text) for place, text in words_of(found) if BARE.search(text)] == []
    assert len(found.model_dump_json()) < 5_000_000
