"""A number as a text that reads back as the very same number, and a count as sentences have it."""

import math

import numpy as np

THIN = "\u2009"


def grouped(n: int) -> str:
    """Whole numbers with thin spaces from ten thousand on."""
    return f"{n:,}".replace(",", THIN).replace("-", "−") if abs(n) >= 10_000 else str(n).replace("-", "−")


def written(x: float) -> str:
    """All its digits and none more, without a power of ten where that can be read: '1234567.5', '-0.00005'."""
    if math.isfinite(x) and (x == 0 or 1e-7 <= abs(x) < 1e16):
        return np.format_float_positional(x, trim="-")
    return repr(x)
