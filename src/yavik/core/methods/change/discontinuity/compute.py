"""The jump, its windows by every rule, the density at the cut-off, and pictures' numbers."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from yavik.core.answers.wording import given, grouped
from yavik.core.methods.change.discontinuity.data import Study, read_study
from yavik.core.methods.change.discontinuity.spec import RULES, JumpSpec
from yavik.core.methods.kit.kept import Kept, content
from yavik.core.stats.change.jump.bandwidths import Windows, coverage, mse, plug_in
from yavik.core.stats.change.jump.bins import Bins, binned, mimicking
from yavik.core.stats.change.jump.density import Binned, Densities, around, binned_density, local_density
from yavik.core.stats.change.jump.estimate import Jump, Sorted, jump
from yavik.core.stats.change.jump.local import TooFew
from yavik.core.stats.change.jump.validation import cross_validation
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Table
from yavik.core.table.telling import Told, silent

MOST_KEPT = 12
_kept: Kept[dict[str, Windows | str]] = Kept(MOST_KEPT)
"""Windows by rule of the last rows asked about: while a window is dragged they do not change."""
TOO_FEW = "too few different scores within the window"
ON_CURVE = 25
"""Windows of the picture of estimates over windows."""


@dataclass(frozen=True, eq=False)
class Discontinuity:
    """Everything that is told of one study.

    Args:
        windows: of the estimate told; main: that estimate, None where no outcome is asked about.
    """

    spec: JumpSpec
    study: Study
    windows: Windows | None
    main: Jump | None

    @property
    def jump(self) -> Jump:
        """The estimate told."""
        assert self.main is not None
        return self.main

    @cached_property
    def rules(self) -> dict[str, Windows | str]:
        """Windows by every rule, or why there is none."""
        d = self.study.data.alone
        key = (content(d.u, d.y, d.clusters), self.spec.kernel, self.spec.degree, self.spec.se)
        return _kept.of(key, lambda: {rule: windows_by(rule, d, self.spec) for rule in RULES})

    @cached_property
    def rule_jumps(self) -> dict[str, Jump | None]:
        """The estimate by every rule."""
        return {k: None if isinstance(w, str) else self.at(w) for k, w in self.rules.items()}

    def at(self, w: Windows, d: Sorted | None = None) -> Jump | None:
        """The jump with other windows or rows; None where there are too few."""
        try:
            return jump(d or self.study.data, w.h, w.b, self.spec.kernel, self.spec.degree)
        except TooFew:
            return None

    @cached_property
    def curve(self) -> list[tuple[float, Jump]]:
        """Estimates over windows from a third of the one told to three times as wide."""
        assert self.windows
        h, d = float(np.mean(self.windows.h)), self.study.data
        ratio = float(np.mean(self.windows.b)) / h
        high = min(3 * h, max(float(-d.u[0]), float(d.u[-1])))
        told = [
            (float(w), self.at(_same(float(w), ratio))) for w in np.geomspace(min(h / 3, high / 2), high, ON_CURVE)
        ]
        return [(w, j) for w, j in told if j is not None]

    @cached_property
    def density(self) -> Densities | None:
        """The test by a local polynomial; None where a side has too few different scores."""
        own = self.spec.density_bandwidth
        try:
            return local_density(self.study.u, self.spec.kernel, (own, own) if own else None)
        except TooFew:
            return None

    @cached_property
    def histogram(self) -> Binned | None:
        """The test by a histogram; None where it has too few bins."""
        try:
            return binned_density(self.study.u, self.spec.density_bin, self.spec.density_bandwidth)
        except TooFew:
            return None

    @cached_property
    def beside(self) -> list[tuple[float, int, int, float]]:
        """Rows within half-widths of the cut-off on either side, and the exact binomial p."""
        return [(w, *around(self.study.u, w)) for w in self.spec.windows or self._widths()]

    def _widths(self) -> list[float]:
        h = float(np.mean(self.windows.h)) if self.windows else (self.density.h[0] if self.density else np.nan)
        if not np.isfinite(h):
            h = float(np.abs(self.study.u).max()) / 2
        return list(dict.fromkeys(float(f"{h * part:.2g}") for part in (0.1, 0.25, 0.5, 1.0)))

    @cached_property
    def bins(self) -> tuple[Bins, Bins]:
        """Means of the outcome in bins on either side."""
        d = self.study.data
        out = []
        for s, edge in zip(d.sides, (float(d.u[0]), float(d.u[-1])), strict=True):
            x, y = d.u[s], d.y[s][:, 0]
            far = edge if edge != 0 else 1e-12
            out.append(binned(x, y, far, mimicking(x, y)))
        return out[0], out[1]

    @cached_property
    def courses(self) -> list[tuple[Floats, Floats]]:
        """A polynomial of the fourth degree through each side's rows, for the picture."""
        d, out = self.study.data, []
        for s in d.sides:
            x, y = d.u[s], d.y[s][:, 0]
            degree = min(4, len(np.unique(x)) - 1)
            fit = np.polynomial.Polynomial.fit(x, y, degree) if degree > 0 else None
            grid = np.linspace(x[0], 0.0, 60) if x[0] < 0 else np.linspace(0.0, x[-1], 60)
            out.append((grid, fit(grid) if fit else np.full(60, float(y.mean()))))
        return out

    @cached_property
    def assignment(self) -> list[tuple[int, int, float]] | None:
        """By side: rows, rows treated, share treated (or the mean dose)."""
        got = self.study.received
        if got is None:
            return None
        return [(len(got[s]), int((got[s] == 1).sum()), float(got[s].mean())) for s in self.study.data.sides]

    @property
    def sharp(self) -> bool:
        """Whether the treatment follows the rule in every row, or none is named."""
        got = self.study.received
        if got is None:
            return True
        sides = [np.unique(got[s]) for s in self.study.data.sides]
        return all(len(v) == 1 for v in sides) and sides[0][0] != sides[1][0]


def _same(h: float, ratio: float) -> Windows:
    return Windows((h, h), (h * ratio, h * ratio))


def windows_by(rule: str, d: Sorted, spec: JumpSpec) -> Windows | str:
    """A rule's windows, or why there are none."""
    plain = d.alone
    try:
        if rule == "plug_in":
            if spec.degree != 1:
                return "the rule is for straight lines"
            found = _same(plug_in(plain, spec.kernel), 1.0)
            return Windows(found.h, mse(plain, spec.kernel, spec.degree).b)
        if rule == "cross_validation":
            return _same(cross_validation(plain, spec.kernel, spec.degree)[0], 1.0)
        found = mse(plain, spec.kernel, spec.degree, rule == "mse_two_sided")
        return coverage(found, len(d.u), spec.degree) if rule == "coverage" else found
    except TooFew:
        return TOO_FEW


def chosen_windows(d: Sorted, spec: JumpSpec) -> Windows | str:
    """The windows that the spec asks for; without a typed one for the bias, the rule's, or as wide as that of the
    estimate where there is none."""
    if isinstance(spec.bandwidth, str):
        found = windows_by(spec.bandwidth, d, spec)
    else:
        rule = windows_by("mse", d, spec)
        h = float(spec.bandwidth)
        ratio = 1.0 if isinstance(rule, str) else max(float(np.mean(rule.b)) / float(np.mean(rule.h)), 1.0)
        found = _same(h, ratio)
    if isinstance(found, str) or not spec.bias_bandwidth:
        return found
    return Windows(found.h, (float(spec.bias_bandwidth), float(spec.bias_bandwidth)))


def compute_jump(table: Table, spec: JumpSpec, told: Told = silent) -> Discontinuity:
    """Raises DataProblem for what no jump can be read from."""
    study = read_study(table, spec)
    if study.d is None:
        return Discontinuity(spec, study, None, None)
    told(0.1, "Seeking the window")
    w = chosen_windows(study.d, spec)
    if isinstance(w, str):
        raise DataProblem(
            f"No window can be found by this rule: {w}. Type one, among the settings.", column=spec.running
        )
    try:
        main = jump(study.d, w.h, w.b, spec.kernel, spec.degree)
    except TooFew:
        raise DataProblem(_few_words(study, w), column=spec.running) from None
    if study.d.y.shape[1] == 2 and not np.isfinite(main.estimate):
        raise DataProblem(
            f"{study.got} does not change at the cut-off: there is no effect of it to be told.", column=spec.treatment
        )
    return Discontinuity(spec, study, w, main)


def _few_words(study: Study, w: Windows) -> str:
    u: Any = study.data.u
    n = (int(((u < 0) & (u >= -w.h[0])).sum()), int(((u >= 0) & (u <= w.h[1])).sum()))
    return (
        f"Within {study.distance_words(float(np.mean(w.h)))} of the cut-off {given(study.cutoff)} there are"
        f" {grouped(n[0])} rows below and {grouped(n[1])} above, with too few different values of {study.running.name}"
        " for the polynomials. Widen the window."
    )
