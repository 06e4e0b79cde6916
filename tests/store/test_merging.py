"""Two changes of one description: put together where they differ in place, told where they do not."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yavik.store.merging import Apart, merge

LEAF = st.none() | st.booleans() | st.integers(0, 3) | st.text("ab ", max_size=5)
DOC = st.recursive(
    LEAF,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(["x", "y", "text"]), inner),
    max_leaves=8,
)


@given(DOC, DOC)
def test_one_change_alone_is_taken_whole(base: Any, changed: Any) -> None:
    assert merge(base, changed, base) == changed == merge(base, base, changed)
    assert merge(base, changed, changed) == changed


@given(st.lists(st.integers(), unique=True, min_size=2, max_size=12), st.data())
def test_changes_in_different_places_are_both_there(base: list[int], data: st.DataObject) -> None:
    one = data.draw(st.integers(0, len(base) - 2))
    other = data.draw(st.integers(one + 1, len(base) - 1))
    theirs, mine = [*base], [*base]
    theirs[one], mine[other] = -(10**30), 10**30
    merged = merge(base, theirs, mine)
    assert merged[one] == -(10**30) and merged[other] == 10**30 and len(merged) == len(base)


@given(
    st.lists(st.integers(0, 5), max_size=6),
    st.lists(st.integers(10, 15), max_size=4),
    st.lists(st.integers(20, 25), max_size=4),
)
def test_what_both_add_at_the_end_stands_there_twice(base: list[int], theirs: list[int], mine: list[int]) -> None:
    assert merge(base, base + theirs, base + mine) == base + theirs + mine


@pytest.mark.parametrize(
    ("base", "theirs", "mine", "merged"),
    [
        ({"a": 1, "b": 2}, {"a": 1, "b": 3}, {"a": 4, "b": 2}, {"a": 4, "b": 3}),
        ({"a": 1}, {}, {"a": 1, "b": 2}, {"b": 2}),
        ([{"id": 1, "v": 1, "w": 1}], [{"id": 1, "v": 2, "w": 1}], [{"id": 1, "v": 1, "w": 3}], [{"id": 1, "v": 2, "w": 3}]),
        ([1, 2, 3], [2, 3], [1, 2, 3, 4], [2, 3, 4]),
        ([1, 2, 3], [1, 9, 2, 3], [1, 2, 7], [1, 9, 2, 7]),
        ({"text": "one two three"}, {"text": "one 2 three"}, {"text": "one two three four"}, {"text": "one 2 three four"}),
        ({"text": "so"}, {"text": "so far"}, {"text": "so far so good"}, {"text": "so far so good"}),
    ],
)  # fmt: skip
def test_by_hand(base: Any, theirs: Any, mine: Any, merged: Any) -> None:
    assert merge(base, theirs, mine) == merged


@pytest.mark.parametrize(
    ("base", "theirs", "mine", "path"),
    [
        ({"a": 1}, {"a": 2}, {"a": 3}, ("a",)),
        ({"a": 1}, {}, {"a": 3}, ("a",)),
        ([{"v": 1}], [{"v": 2}], [{"v": 3}], (0, "v")),
        ([1, 2, 3], [1, 3], [1, 5, 6, 3], (1,)),
        ({"text": "a b c"}, {"text": "a x c"}, {"text": "a y c"}, ("text",)),
        ({"name": "a b c"}, {"name": "a x c"}, {"name": "a b y"}, ("name",)),
        # Another method has other fields: a mixture of both would be a question that nobody asked.
        ({"method": "m", "spec": {"a": 1}}, {"method": "n", "spec": {"b": 1}}, {"method": "m", "spec": {"a": 2}}, ()),
    ],
)
def test_the_same_place_is_told_with_both(base: Any, theirs: Any, mine: Any, path: tuple[Any, ...]) -> None:
    with pytest.raises(Apart) as told:
        merge(base, theirs, mine)
    assert [p.path for p in told.value.places] == [path]
