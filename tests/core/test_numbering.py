"""Small numbers numbered anew and paired: the same as by sorting, whatever their size."""

import numpy as np
import pytest

from yavik.core.stats.numbering import first_of, lies_within, numbered, occurring, paired


@pytest.mark.parametrize("far", [1, 10**10], ids=["counted", "sorted"])
@pytest.mark.parametrize("low", [0, -3])
def test_numbers_are_numbered_as_by_sorting(far: int, low: int) -> None:
    codes = np.random.default_rng(1).integers(low, 40, 500) * far
    there, place = np.unique(codes, return_inverse=True)
    assert occurring(codes).tolist() == there.tolist()
    found, own = numbered(codes)
    assert found.tolist() == there.tolist() and own.tolist() == place.tolist()
    assert first_of(own, len(found)).tolist() == np.unique(codes, return_index=True)[1].tolist()


def test_of_no_rows_nothing_occurs() -> None:
    there, own = numbered(np.empty(0, np.int64))
    assert len(there) == len(own) == 0 and paired([], []).shape == (0, 2)


@pytest.mark.parametrize("far", [1, 10**6])
def test_pairs_stand_once_in_order(far: int) -> None:
    rng = np.random.default_rng(2)
    a, b = rng.integers(0, 7, 300) * far, rng.integers(0, 5, 300) * far
    assert paired(a, b).tolist() == np.unique(np.column_stack([a, b]), axis=0).tolist()


def test_desks_lie_within_halls_and_not_the_other_way() -> None:
    hall = np.array([0, 0, 1, 1, 1])
    desk = np.array([0, 1, 2, 3, 2])
    assert lies_within(desk, hall)
    assert not lies_within(hall, desk)
    assert not lies_within(np.array([0, 1, 0, 1, 1]), hall)
