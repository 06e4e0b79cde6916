"""Densities of one measurement, by a Gaussian kernel on a grid."""

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
GRID = 512


def bandwidth(ordered: Floats) -> float:
    """Silverman's (1986, eq. 3.31) rule: 0.9 · min(SD, IQR / 1.34) · n^(−1/5); 0 for values without spread."""
    n = len(ordered)
    if n < 2:
        return 0.0
    sd = float(ordered.std(ddof=1))
    q1, q3 = np.quantile(ordered, [0.25, 0.75])
    spread = min(sd, (q3 - q1) / 1.34) or sd
    return float(0.9 * spread * n ** (-0.2))


def density(
    ordered: Floats, width: float, low: float | None = None, high: float | None = None
) -> tuple[Floats, Floats]:
    """Gaussian kernel density at 128 places, by linear binning and convolution (Silverman 1982; Wand 1994).

    Args:
        ordered: shape (n,), sorted, n ≥ 1.
        width: the kernel's standard deviation, above 0.
        low, high: where the curve ends; three kernel widths beyond the data when left out.

    Returns:
        Places and densities, each of shape (128,). The curve integrates to 1 over the whole line.
    """
    start, end = float(ordered[0]) - 4 * width, float(ordered[-1]) + 4 * width
    cells = max(GRID, min(8192, int(np.ceil((end - start) / width * 8))))
    step = (end - start) / (cells - 1)
    at = (ordered - start) / step
    left = np.floor(at).astype(np.int64).clip(0, cells - 2)
    share = at - left
    counts: Floats = np.asarray(np.bincount(left, 1 - share, cells) + np.bincount(left + 1, share, cells), np.float64)
    reach = np.arange(-int(np.ceil(5 * width / step)), int(np.ceil(5 * width / step)) + 1) * step
    kernel = np.exp(-0.5 * (reach / width) ** 2) / (width * np.sqrt(2 * np.pi))
    whole = np.convolve(counts, kernel, mode="same") if len(kernel) <= cells else _long(counts, kernel)
    grid = start + step * np.arange(cells)
    places = np.linspace(
        ordered[0] - 3 * width if low is None else low, ordered[-1] + 3 * width if high is None else high, 128
    )
    return places, np.interp(places, grid, whole / len(ordered))


def _long(counts: Floats, kernel: Floats) -> Floats:
    extra = (len(kernel) - len(counts)) // 2 + 1
    return np.convolve(np.pad(counts, extra), kernel, mode="same")[extra:-extra]
