"""Differences as people write them: values that are equal in decimal are equal, whatever doubles make of them.

37.4 − 37.1 and 36.8 − 36.5 differ in their last bits; ranks and signs of such differences must see a tie.
"""

import numpy as np

from yavik.core.stats.groups import Floats

SPARE = 64 * float(np.finfo(np.float64).eps)
"""Relative size below which digits of a difference are noise of the values it was made of."""


def places(*parts: Floats | float) -> int:
    """Decimals to which sums and differences of these values can be trusted."""
    largest = max((_furthest(p) for p in parts if np.size(p)), default=0.0)
    return int(np.floor(-np.log10(SPARE * largest))) if largest > 0 else 300


def _furthest(values: Floats | float) -> float:
    """The largest distance from 0, without an array of distances."""
    return max(float(np.max(values)), -float(np.min(values)))


def settled(values: Floats, *parts: Floats | float) -> Floats:
    """Values without the noise left by adding or subtracting ``parts``; without parts, of the values themselves."""
    k = places(*(parts or (values,)))
    if k > 290:
        return values
    rounded: Floats = np.round(values, min(k, 300)) if k >= 0 else np.round(values / 10.0**-k) * 10.0**-k
    return rounded + 0.0  # no negative zeros


def difference(a: Floats, b: Floats | float) -> Floats:
    """a − b, settled."""
    return settled(a - b, a, b)
