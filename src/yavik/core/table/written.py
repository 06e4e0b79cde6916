"""A number as a text that reads back as the very same number."""

import math

import numpy as np


def written(x: float) -> str:
    """All its digits and none more, without a power of ten where that can be read: '1234567.5', '-0.00005'."""
    if math.isfinite(x) and (x == 0 or 1e-7 <= abs(x) < 1e16):
        return np.format_float_positional(x, trim="-")
    return repr(x)
