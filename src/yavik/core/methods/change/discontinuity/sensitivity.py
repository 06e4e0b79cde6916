"""How far the jump can be trusted: other windows, degrees, kernels, rows, and places and outcomes where none can be."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.answers.wording import given
from yavik.core.methods.change.discontinuity.compute import Discontinuity, chosen_windows
from yavik.core.methods.change.discontinuity.spec import KERNELS, JumpSpec
from yavik.core.stats.change.jump.bandwidths import Windows
from yavik.core.stats.change.jump.estimate import Jump, Sorted, jump
from yavik.core.stats.change.jump.local import TooFew
from yavik.core.stats.numbering import numbered
from yavik.core.table import Kind
from yavik.core.table.telling import Told, silent
from yavik.core.table.written import written

DEGREES = {0: "means", 1: "straight lines", 2: "parabolas", 3: "cubics"}
NUMBERS = (Kind.measure, Kind.count)
HOLES = (0.05, 0.1, 0.2)
"""Shares of the window that are left out at the cut-off."""


@dataclass(frozen=True)
class Variation:
    """One row of the set.

    Args:
        kind: window, degree, kernel, hole, covariates: the same jump otherwise; cutoff, outcome, balance: where none
            should be.
        jump: None with ``why``. changes: to the spec, to ask it as a question of its own.
    """

    kind: str
    label: str
    jump: Jump | None
    changes: dict[str, Any]
    why: str = ""

    @property
    def placebo(self) -> bool:
        """Whether no jump should be seen."""
        return self.kind in ("cutoff", "outcome", "balance")


def variations(r: Discontinuity, told: Told = silent) -> list[Variation]:
    """The whole set, in the order in which it is read."""
    steps = (_windows, _degrees, _kernels, _holes, _covariates, _cutoffs, _outcomes, _balance)
    out: list[Variation] = []
    for i, step in enumerate(steps):
        told(0.3 + 0.6 * i / len(steps), "Trying other windows, degrees and places")
        out += step(r)
    return out


def _estimated(
    kind: str, label: str, d: Sorted, spec: JumpSpec, changes: dict[str, Any], w: Windows | None = None
) -> Variation:
    """One row, with its own windows by the rule unless they are given."""
    found = w or chosen_windows(d, spec)
    if isinstance(found, str):
        return Variation(kind, label, None, changes, found)
    try:
        made = jump(d, found.h, found.b, spec.kernel, spec.degree)
    except TooFew:
        return Variation(kind, label, None, changes, "too few different scores within the window")
    if not np.isfinite(made.estimate):
        return Variation(kind, label, None, changes, "the treatment does not change there")
    return Variation(kind, label, made, changes)


def _windows(r: Discontinuity) -> list[Variation]:
    assert r.windows
    out = []
    for times, words in ((0.5, "half the window"), (1.0, "the window told"), (2.0, "twice the window")):
        h, b = (tuple(float(v) * times for v in pair) for pair in (r.windows.h, r.windows.b))
        changes = {} if times == 1 else {"bandwidth": float(np.mean(h)), "bias_bandwidth": float(np.mean(b))}
        w = Windows((h[0], h[1]), (b[0], b[1]))
        out.append(
            _estimated(
                "window", f"{words}, ±{r.study.distance_words(float(np.mean(h)))}", r.study.data, r.spec, changes, w
            )
        )
    return out


def _rule(spec: JumpSpec, **changes: Any) -> JumpSpec:
    """Another estimate finds its own window, unless one was typed."""
    return spec.model_copy(update=changes)


def _degrees(r: Discontinuity) -> list[Variation]:
    own = "mse" if r.spec.bandwidth == "plug_in" else r.spec.bandwidth
    return [
        _estimated(
            "degree",
            DEGREES[k],
            r.study.data,
            _rule(r.spec, degree=k, bandwidth=own),
            {"degree": k, "bandwidth": own},
        )
        for k in (1, 2, 3)
        if k != r.spec.degree
    ]


def _kernels(r: Discontinuity) -> list[Variation]:
    return [
        _estimated("kernel", f"{words} kernel", r.study.data, _rule(r.spec, kernel=k), {"kernel": k})
        for k, words in KERNELS.items()
        if k != r.spec.kernel
    ]


def _holes(r: Discontinuity) -> list[Variation]:
    assert r.windows
    d, out = r.study.data, []
    for share in HOLES:
        hole = float(np.mean(r.windows.h)) * share
        if r.spec.donut and hole <= r.spec.donut:
            continue
        keep = np.abs(d.u) >= hole
        clusters = None if d.clusters is None else numbered(d.clusters[keep])[1]
        rest = Sorted(d.u[keep], d.y[keep], d.z[keep], clusters, d.se)
        if rest.at == 0 or rest.at == len(rest.u):
            continue
        left = len(d.u) - len(rest.u)
        if left:
            what = "row" if left == 1 else f"{left} rows"
            label = f"without the {what} nearer than {given(float(f'{hole:.2g}'))}"
            out.append(_estimated("hole", label, rest, r.spec, {"donut": hole}, r.windows))
    return out


def _covariates(r: Discontinuity) -> list[Variation]:
    if not r.spec.covariates:
        return []
    d = r.study.data
    plain = Sorted(d.u, d.y, d.z[:, :0], d.clusters, d.se)
    return [_estimated("covariates", "without the covariates", plain, r.spec, {"covariates": []}, r.windows)]


def _cutoffs(r: Discontinuity) -> list[Variation]:
    """Within one side only, so that the jump at the true cut-off does not come in."""
    d, out = r.study.data, []
    plain = Sorted(d.u, d.y[:, :1], d.z, d.clusters, d.se)
    places = [c - r.study.cutoff for c in r.spec.placebo_cutoffs] or [float(np.median(d.u[s])) for s in d.sides]
    for at in places:
        if at == 0:
            continue
        side = plain.within(-np.inf, np.nextafter(0.0, -1)) if at < 0 else plain.within(0.0, np.inf)
        moved = side.moved(at)
        shown = given(r.study.at(at))
        below = "below" if at < 0 else "above"
        where = f"{_quoted(r.spec.running or '')} {'<' if at < 0 else '>='} {written(r.study.cutoff)}"
        if r.spec.where:
            where = f"({r.spec.where}) and {where}"
        changes = {"cutoff": r.study.at(at), "where": where, "treatment": None, "donut": None, "placebo_cutoffs": []}
        label = f"cut-off {shown}, rows {below} only"
        if min(moved.at, len(moved.u) - moved.at) < 8:
            out.append(Variation("cutoff", label, None, changes, "fewer than eight rows on a side"))
            continue
        out.append(_estimated("cutoff", label, moved, r.spec, changes))
    return out


def _quoted(name: str) -> str:
    return name if name.isidentifier() else f"`{name}`"


def _outcomes(r: Discontinuity) -> list[Variation]:
    out = []
    for name in r.spec.placebo_outcomes:
        values = r.study.table.numbers(name)[r.study.places]
        title = r.study.table.column(name).title
        changes: dict[str, Any] = {"outcome": name, "placebo_outcomes": [], "treatment": None}
        out.append(_other(r, "outcome", title, values, changes))
    return out


def _balance(r: Discontinuity) -> list[Variation]:
    d = r.study.data
    columns = r.study.covariates
    table = r.study.table
    numeric = [n for n in r.spec.covariates if table.column(n).kind in NUMBERS]
    out = []
    for j, title in enumerate(columns):
        name = next((n for n in numeric if table.column(n).title == title), None)
        left = [n for n in r.spec.covariates if n != name]
        changes: dict[str, Any] = {"outcome": name, "covariates": left, "treatment": None} if name else {}
        values = table.numbers(name)[r.study.places] if name else d.z[:, j]
        out.append(_other(r, "balance", title, values, changes))
    return out


def _other(r: Discontinuity, kind: str, title: str, values: Any, changes: dict[str, Any]) -> Variation:
    """The jump of another column, without covariates and treatment."""
    d = r.study.data
    keep = np.isfinite(values)
    clusters = None if d.clusters is None else numbered(d.clusters[keep])[1]
    own = Sorted(d.u[keep], values[keep][:, None], np.zeros((int(keep.sum()), 0)), clusters, d.se)
    if min(own.at, len(own.u) - own.at) < 8 or np.ptp(values[keep]) == 0:
        return Variation(kind, title, None, changes, "too few filled cells, or all the same")
    return _estimated(kind, title, own, r.spec, changes)
