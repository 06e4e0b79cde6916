"""Whether colours can be told apart: by most people, with the common colour blindnesses, and in grey."""

import math
from collections.abc import Sequence
from itertools import combinations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

SEEN: dict[str, list[list[float]]] = {
    "without red cones": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "without green cones": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
}  # fmt: skip
"""Of linear RGB, for the two common kinds in full (Machado, Oliveira & Fernandes, 2009); the third meets one in ten
thousand."""
LEAST = 9.0
"""CIEDE2000 below which two small marks are easily taken for one another."""
LEAST_GREY = 9.0
"""Of lightness L*, for the same in grey."""


def linear(colour: str) -> Floats:
    """Linear RGB of a #rrggbb (IEC 61966-2-1)."""
    c = np.array([int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)])
    out: Floats = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    return out


def lab(rgb: Floats) -> Floats:
    """CIE L*a*b* (D65) of linear RGB."""
    to_xyz = np.array(
        [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
    )
    t = to_xyz @ np.clip(rgb, 0, 1) / np.array([0.95047, 1.0, 1.08883])
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def difference(one: Floats, other: Floats) -> float:
    """CIEDE2000 between two L*a*b* colours (Sharma, Wu & Dalal, 2005)."""
    l1, a1, b1 = map(float, one)
    l2, a2, b2 = map(float, other)
    c_mean = (math.hypot(a1, b1) + math.hypot(a2, b2)) / 2
    g = 0.5 * (1 - math.sqrt(c_mean**7 / (c_mean**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = math.hypot(a1, b1), math.hypot(a2, b2)
    h1, h2 = (math.degrees(math.atan2(b, a)) % 360 if c else 0.0 for a, b, c in ((a1, b1, c1), (a2, b2, c2)))
    dh = 0.0 if c1 * c2 == 0 else (h2 - h1 + 180) % 360 - 180
    big_dh = 2 * math.sqrt(c1 * c2) * math.sin(math.radians(dh / 2))
    if h2 - h1 == 180:  # the way round is a matter of convention at exactly half a turn
        big_dh = abs(big_dh)
    l_, c_ = (l1 + l2) / 2, (c1 + c2) / 2
    h_ = (
        h1 + h2
        if c1 * c2 == 0
        else (h1 + h2) / 2
        if abs(h1 - h2) <= 180
        else (h1 + h2 + 360) / 2
        if h1 + h2 < 360
        else (h1 + h2 - 360) / 2
    )
    t = 1 - 0.17 * _cos(h_ - 30) + 0.24 * _cos(2 * h_) + 0.32 * _cos(3 * h_ + 6) - 0.20 * _cos(4 * h_ - 63)
    sl = 1 + 0.015 * (l_ - 50) ** 2 / math.sqrt(20 + (l_ - 50) ** 2)
    sc, sh = 1 + 0.045 * c_, 1 + 0.015 * c_ * t
    rt = -2 * math.sqrt(c_**7 / (c_**7 + 25.0**7)) * math.sin(math.radians(60 * math.exp(-(((h_ - 275) / 25) ** 2))))
    dl, dc, dhh = (l2 - l1) / sl, (c2 - c1) / sc, big_dh / sh
    return math.sqrt(dl**2 + dc**2 + dhh**2 + rt * dc * dhh)


def _cos(degrees: float) -> float:
    return math.cos(math.radians(degrees))


def alike(colours: Sequence[tuple[str, str]]) -> tuple[list[str], list[str]]:
    """What to warn of: for readers of colour (each pair once, with who cannot tell it apart), and for print in grey.

    Args:
        colours: names with their #rrggbb.
    """
    shown, grey = [], []
    for (a, ca), (b, cb) in combinations(list(colours)[:30], 2):
        one, other = linear(ca), linear(cb)
        if difference(lab(one), lab(other)) < LEAST:
            shown.append(f"{a} and {b} have colours that are hard to tell apart.")
        else:
            who = [w for w, m in SEEN.items() if difference(lab(np.array(m) @ one), lab(np.array(m) @ other)) < LEAST]
            if who:
                shown.append(f"{a} and {b} are hard to tell apart for readers {who[0]}.")
        if abs(lab(one)[0] - lab(other)[0]) < LEAST_GREY:
            grey.append(f"{a} and {b} are hard to tell apart in grey.")
    return shown, grey
