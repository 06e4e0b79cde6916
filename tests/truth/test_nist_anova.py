"""The eleven certified one-way analysis of variance sets of NIST's Statistical Reference Datasets."""

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import scipy.stats

from yavik.core.stats.groups import Groups
from yavik.core.stats.oneway import anova

FOLDER = Path(scipy.stats.__file__).parent / "tests/data/nist_anova"
# Values around 10¹² leave a double four digits of the differences; those three sets ask no more than that.
DIGITS = {"SmLs07": 4, "SmLs08": 4, "SmLs09": 4}


def read(name: str) -> tuple[Groups, dict[str, float]]:
    path = FOLDER / f"{name}.dat"
    lines = path.read_text().split("\n")
    certified = [line.split() for line in lines[40:48] if line.strip()]
    data = np.loadtxt(path, skiprows=60)
    levels = np.unique(data[:, 0])
    codes = np.searchsorted(levels, data[:, 0]).astype(np.int32)
    groups = Groups.of(data[:, 1], codes, np.arange(1, len(data) + 1), tuple(str(int(v)) for v in levels))
    return groups, {
        "f": float(certified[0][-1]),
        "ss_between": float(certified[0][-3]),
        "ss_within": float(certified[1][-2]),
    }


def digits(found: float, certified: float) -> float:
    """Log relative error: the number of right digits."""
    return 16.0 if found == certified else -np.log10(abs(found - certified) / abs(certified))


@pytest.mark.parametrize("name", sorted(p.stem for p in FOLDER.glob("*.dat")))
def test_certified_f(name: str) -> None:
    groups, certified = read(name)
    found = anova(groups)
    assert digits(found.test.f, certified["f"]) >= DIGITS.get(name, 9)
    if name not in DIGITS:
        assert digits(found.ss_between, certified["ss_between"]) >= 9
        assert digits(found.ss_within, certified["ss_within"]) >= 9


@pytest.mark.parametrize("name", sorted(DIGITS))
def test_nothing_is_lost_beyond_what_doubles_lose(name: str) -> None:
    """On the hard sets our sums agree with exact rational arithmetic on the same doubles."""
    groups, _ = read(name)
    parts = [[Fraction(float(v)) for v in groups.part(i)] for i in range(groups.k)]
    n = sum(map(len, parts))
    grand = sum(map(sum, parts)) / n
    between = sum(len(p) * (sum(p) / len(p) - grand) ** 2 for p in parts)
    within = sum(sum(v * v for v in p) - sum(p) ** 2 / len(p) for p in parts)
    found = anova(groups)
    assert found.ss_between == pytest.approx(float(between), rel=1e-10)
    assert found.ss_within == pytest.approx(float(within), rel=1e-10)


def test_all_eleven_are_there() -> None:
    assert len(list(FOLDER.glob("*.dat"))) == 11
