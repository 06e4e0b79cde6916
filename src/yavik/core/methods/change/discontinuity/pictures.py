"""Pictures of a jump: heaps of rows, means of bins, estimates over windows and over the sensitivity set."""

import numpy as np

from yavik.core.answers import FigureBlock
from yavik.core.answers.wording import given
from yavik.core.figures.caption import lower
from yavik.core.figures.jumps import bin_means, heaps, over_windows
from yavik.core.figures.plots import Bar, block, forest
from yavik.core.methods.change.discontinuity.compute import Discontinuity
from yavik.core.methods.change.discontinuity.numbers import edges_of, lines_of
from yavik.core.methods.change.discontinuity.sensitivity import Variation
from yavik.core.methods.change.discontinuity.spec import RULES
from yavik.core.methods.kit import touch
from yavik.core.stats.change.jump.bandwidths import Windows


def rows_picture(r: Discontinuity) -> FigureBlock:
    """Rows over the score in fine bins."""
    drawn = heaps(edges_of(r), r.study.cutoff, r.study.running.axis_title)
    return block("rows", f"Rows around {lower(r.study.running.title)} {given(r.study.cutoff)}", drawn)


def means_picture(r: Discontinuity) -> FigureBlock:
    """Means of bins with a curve on each side, the window, and the lines that the estimate stands on."""
    assert r.windows and r.study.outcome
    c = r.study.cutoff
    points = [
        (c + float(x), float(y), int(n))
        for side in r.bins
        for x, y, n in zip(side.middle, side.mean, side.n, strict=True)
    ]
    curves = [(c + x, y) for x, y in r.courses]
    window = (c - r.windows.h[0], c + r.windows.h[1])
    drawn = bin_means(
        points, curves, c, r.study.running.axis_title, r.study.outcome.axis_title, window, lines_of(r)
    )  # fmt: skip
    return block("figure", f"{r.study.outcome.title} around the cut-off", drawn)


def windows_picture(r: Discontinuity) -> FigureBlock:
    """The estimate and its robust interval over windows; the window is dragged."""
    assert r.windows and r.study.outcome
    alpha = r.spec.alpha
    points = [(w, j.estimate, *j.interval("robust", alpha)) for w, j in r.curve]
    rules = [(float(np.mean(w.h)), RULES[k]) for k, w in r.rules.items() if isinstance(w, Windows)]
    unit = f" ({r.study.running.unit})" if r.study.running.unit else ""
    what = "Jump of" if r.study.received is None else "Effect on"
    drawn = over_windows(points, rules, f"Window{unit}", f"{what} {lower(r.study.outcome.axis_title)}")
    made = block("windows", "The estimate over windows", drawn)
    if len(points) < 3:
        return made
    return touch.handle(
        made, "bandwidth", "Window", float(np.mean(r.windows.h)), (points[0][0], points[-1][0]),
        unit=r.study.running.unit or "",
    )  # fmt: skip


def set_picture(r: Discontinuity, rows: list[Variation]) -> FigureBlock | None:
    """Estimates of the sensitivity set with robust intervals; those of the outcome itself, whose unit is one."""
    bars = []
    for v in rows:
        if v.jump is None or v.kind in ("outcome", "balance"):
            continue
        low, high = v.jump.interval("robust", r.spec.alpha)
        bars.append(Bar(v.label, v.jump.corrected, low, high, low > 0 or high < 0))
    if len(bars) < 2 or r.study.outcome is None:
        return None
    unit = f" ({r.study.outcome.unit})" if r.study.outcome.unit else ""
    return block(
        "set_picture", "The jump under other choices", forest(bars, f"Jump, bias-corrected{unit}", width=230)
    )
