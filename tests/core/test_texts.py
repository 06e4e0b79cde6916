"""Texts from outside: what no page can hold goes, everything else stays, and is written as JSON only once."""

import json
from typing import Any

import pytest
from pydantic_core import from_json

from yavik.core.table.texts import Json, as_json, cleaned_deep, cleaned_json

ODD = ["\x00", "\x08", "\x0b", "\x0c", "\x1f", "\x7f", "\ufdd0", "\ufdef", "\ufffe", "\uffff", "\ud800", "\udfff"]
KEPT: list[Any] = [
    "a\tb\nc\rd",
    r"C:\bin\food",
    "minutes ² − „ö“ 🙂",
    {"x": [1, 2.5, True, None, 1e-7, 1e22, 0.1, 2**62], "y": {"z": ()}},
    [],
]


@pytest.mark.parametrize("odd", ODD, ids=ascii)
def test_a_sign_that_is_none_goes_wherever_it_stands(odd: str) -> None:
    data = {f"k{odd}ey": [f"a{odd}b", {"in": f"{odd}"}], "n": 1.5}
    clean = {"key": ["ab", {"in": ""}], "n": 1.5}
    assert cleaned_deep(data) == clean and json.loads(cleaned_json(data)) == clean


@pytest.mark.parametrize("data", KEPT, ids=repr)
def test_all_else_stays_and_comes_back_the_same(data: Any) -> None:
    back = json.loads(json.dumps(data))
    assert cleaned_deep(data) == data
    for written in (as_json(data), cleaned_json(data)):
        assert json.loads(written) == back == from_json(written)


def test_what_is_written_is_not_written_again() -> None:
    written = cleaned_json({"a": [1, 2]})
    assert isinstance(written, Json) and as_json(written) is written


def test_half_a_character_can_still_be_written() -> None:
    assert json.loads(as_json({"a": "\ud800"})) == {"a": "\ud800"}
    with pytest.raises(TypeError):
        as_json({"a": object()})
