"""Exponential smoothing as models with a single source of error (Hyndman, Koehler, Ord and Snyder, 2008).

A level, its slope and a season are carried on and mended by each error. Smoothing weights and first states are those
of the greatest likelihood. One recursion runs many parameter sets at once, so that its derivatives cost one pass.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np
from scipy.special import ndtri

from yavik.core.stats.groups import Floats
from yavik.core.stats.series.criteria import Criteria
from yavik.core.stats.series.filtered import filtered_errors

Error = Literal["additive", "multiplicative"]
Trend = Literal["none", "additive", "damped"]
Season = Literal["none", "additive", "multiplicative"]
DRAWS = 20_000
ROUNDS = 60
STARTS = 2
FALLS = 10.0 ** np.arange(-4.0, 5.0)


class Kind(NamedTuple):
    """Which parts there are, and how they go together."""

    error: Error
    trend: Trend
    season: Season
    m: int

    @property
    def weights(self) -> int:
        """Smoothing weights: of level, slope, its damping, season."""
        return 1 + (self.trend != "none") + (self.trend == "damped") + (self.season != "none")

    @property
    def states(self) -> int:
        """First states that are free: the season's first m − 1 make the last."""
        return 1 + (self.trend != "none") + (self.m - 1 if self.season != "none" else 0)

    @property
    def linear(self) -> bool:
        """Whether errors and season add up, so that intervals have a formula."""
        return self.error == "additive" and self.season != "multiplicative"

    @property
    def words(self) -> str:
        """'damped trend, multiplicative season'."""
        trend = {"none": "", "additive": "trend", "damped": "damped trend"}[self.trend]
        season = "" if self.season == "none" else f"{self.season} season"
        return ", ".join(w for w in (trend, season) if w) or "level alone"


@dataclass(frozen=True)
class Sets:
    """Parameter sets side by side: shape (B,) each, ``season`` (B, m)."""

    alpha: Floats
    beta: Floats
    phi: Floats
    gamma: Floats
    level: Floats
    slope: Floats
    season: Floats


@dataclass(frozen=True)
class Walk:
    """What a recursion leaves.

    Args:
        errors, means, levels: shape (B, n). level, slope, season: the last states, season in order of its points.
    """

    errors: Floats
    means: Floats
    levels: Floats
    level: Floats
    slope: Floats
    season: Floats


def opened(x: Floats, kind: Kind) -> Sets:
    """Places of the search as parameters: weights by logistic curves that keep 0 < β < α and 0 < γ < 1 − α."""
    x = np.atleast_2d(x)
    size = len(x)
    half = 1 / (1 + np.exp(-np.clip(x[:, : kind.weights], -30, 30)))
    zero, one = np.zeros(size), np.ones(size)
    alpha = half[:, 0]
    at = 1
    beta, phi, gamma = zero, one, zero
    if kind.trend != "none":
        beta, at = alpha * half[:, at], at + 1
    if kind.trend == "damped":
        phi, at = 0.8 + 0.18 * half[:, at], at + 1
    if kind.season != "none":
        gamma, at = (1 - alpha) * half[:, at], at + 1
    level, at = x[:, at], at + 1
    slope = zero
    if kind.trend != "none":
        slope, at = x[:, at], at + 1
    season = np.zeros((size, 1))
    if kind.season != "none":
        free = x[:, at:]
        whole = kind.m if kind.season == "multiplicative" else 0
        season = np.column_stack([free, whole - free.sum(axis=1)])
    return Sets(alpha, beta, phi, gamma, level, slope, season)


class _States:
    """Level, slope and season of many parameter sets as they are carried on; ``season`` has a row for each point."""

    def __init__(self, p: Sets, kind: Kind) -> None:
        self.p, self.level, self.slope, self.season = p, p.level, p.slope, p.season.T.copy()
        self.relative, self.trending = kind.error == "multiplicative", kind.trend != "none"
        self.times, self.adds = kind.season == "multiplicative", kind.season == "additive"

    def ahead(self, j: int) -> tuple[Floats, Floats]:
        """What is expected at a point of the season, without it and with it."""
        base = self.level + self.p.phi * self.slope if self.trending else self.level
        mean = base * self.season[j] if self.times else base + self.season[j] if self.adds else base
        return base, mean

    def mend(self, j: int, base: Floats, mean: Floats, e: Floats) -> None:
        """By an error, a part of what was expected where errors multiply."""
        p, s = self.p, self.season[j]
        # what the error does to the level, in the level's own unit
        push = e
        if self.relative:
            push = mean * e if self.adds else base * e
        elif self.times:
            push = e / s
        self.level = base + p.alpha * push
        if self.trending:
            self.slope = p.phi * self.slope + p.beta * push
        if self.adds:
            self.season[j] = s + p.gamma * push
        elif self.times:
            self.season[j] = s * (1 + p.gamma * e) if self.relative else s + p.gamma * e / base


def walk(y: Floats, p: Sets, kind: Kind) -> Walk:
    """One pass over the series, all parameter sets at once."""
    n, size = len(y), len(p.alpha)
    errors, means, levels = np.empty((n, size)), np.empty((n, size)), np.empty((n, size))
    states = _States(p, kind)
    m = len(states.season)
    for t in range(n):
        base, mean = states.ahead(t % m)
        e = (y[t] - mean) / mean if states.relative else y[t] - mean
        states.mend(t % m, base, mean, e)
        errors[t], means[t], levels[t] = e, mean, states.level
    order = (n + np.arange(m)) % m
    return Walk(errors.T, means.T, levels.T, states.level, states.slope, states.season[order].T)


@dataclass(frozen=True)
class Smoothed(Criteria):
    """A model at its maximum.

    Args:
        y: the series; shift, scale: taken off it and divided by for the search. x: place of the search.
    """

    kind: Kind
    y: Floats
    shift: float
    scale: float
    x: Floats
    settled: bool

    @cached_property
    def sets(self) -> Sets:
        """The one parameter set, of the series as shifted and scaled."""
        return opened(self.x, self.kind)

    @cached_property
    def walk(self) -> Walk:
        """Over the series as shifted and scaled."""
        return walk((self.y - self.shift) / self.scale, self.sets, self.kind)

    @property
    def errors(self) -> Floats:
        """One-step errors: in the series' unit where they add up, as parts of the expectation where they multiply."""
        return np.asarray(self.walk.errors[0] * (self.scale if self.kind.error == "additive" else 1.0))

    @property
    def fitted(self) -> Floats:
        """One-step expectations."""
        return np.asarray(self.walk.means[0] * self.scale + self.shift)

    @property
    def levels(self) -> Floats:
        """The level after each point."""
        return np.asarray(self.walk.levels[0] * self.scale + self.shift)

    @property
    def sigma(self) -> float:
        """Root of the errors' mean square."""
        return float(np.sqrt((self.errors**2).mean()))

    @property
    def n(self) -> int:
        """Points."""
        return len(self.y)

    @property
    def counted(self) -> int:
        """Weights, first states and the errors' variance."""
        return self.kind.weights + self.kind.states + 1

    @cached_property
    def log_likelihood(self) -> float:
        """ln L, variance concentrated out."""
        n = len(self.y)
        out = -n / 2 * (np.log(2 * np.pi * (self.errors**2).mean()) + 1)
        if self.kind.error == "multiplicative":
            out -= np.log(np.abs(self.fitted)).sum()
        return float(out)


def fit(y: Floats, kind: Kind, rest: float = 1e-11) -> Smoothed | None:
    """At the greatest likelihood; None where the parts do not fit the series: too short, values not above 0, or no
    errors left.

    Args:
        rest: part of the sum of squares that a step must gain for another to be taken.
    """
    multiplies = kind.error == "multiplicative" or kind.season == "multiplicative"
    n = len(y)
    if n < kind.weights + kind.states + 3 or (multiplies and y.min() <= 0):
        return None
    if kind.season != "none" and n < 2 * kind.m:
        return None
    shift, scale = (0.0, float(y.mean())) if multiplies else (float(y.mean()), float(y.std()))
    if not scale > 1e-12 * max(abs(float(y.mean())), 1e-300):
        return None
    z = (y - shift) / scale
    near = [_search(z, kind, x, max(rest, 1e-3))[0] for x in _starts(z, kind)]
    sizes = [float((_residuals(z, kind, x) ** 2).sum()) for x in near]
    x, settled = _search(z, kind, near[int(np.argmin(sizes))], rest)
    made = Smoothed(kind, y, shift, scale, x, settled)
    return made if np.isfinite(made.log_likelihood) and made.sigma > 1e-10 * scale else None


def best(
    y: Floats, m: int, errors: Iterable[Error] = ("additive", "multiplicative"),
    trends: Iterable[Trend] = ("none", "additive", "damped"),
    seasons: Iterable[Season] = ("none", "additive", "multiplicative"), rest: float = 1e-11,
) -> Smoothed | None:  # fmt: skip
    """Of every combination that fits the series the one with the least AICc."""
    made = [fit(y, k, rest) for k in kinds(m, errors, trends, seasons)]
    standing = [s for s in made if s is not None and np.isfinite(s.aicc)]
    return min(standing, key=lambda s: s.aicc) if standing else None


def kinds(m: int, errors: Iterable[Error], trends: Iterable[Trend], seasons: Iterable[Season]) -> list[Kind]:
    """Combinations; additive errors with a multiplicative season are left out, whose variance is not steady."""
    seasons = [s for s in seasons if s == "none" or m > 1]
    return [
        Kind(e, t, s, m if s != "none" else 1)
        for e in errors for t in trends for s in seasons
        if not (e == "additive" and s == "multiplicative")
    ]  # fmt: skip


def _residuals(z: Floats, kind: Kind, x: Floats) -> Floats:
    """Shape (B, n): errors, where they multiply times the geometric mean of expectations, whose sum of squares is
    least where ln L is most; huge where an expectation is not above 0."""
    with np.errstate(all="ignore"):
        means, out = _expected(z, opened(x, kind), kind)
        if kind.error == "multiplicative":
            good = np.asarray((means > 0).all(axis=1))
            out = out * np.exp(np.log(np.maximum(means, 1e-300)).mean(axis=1))[:, None]
        else:
            good = np.ones(len(out), bool)
        good &= np.isfinite(out).all(axis=1)
    return np.where(good[:, None], out, 1e8)


def _expected(z: Floats, p: Sets, kind: Kind) -> tuple[Floats, Floats]:
    """One-step expectations and errors, shape (B, n)."""
    if kind.season == "multiplicative":
        w = walk(z, p, kind)
        return w.means, w.errors
    # Errors that multiply mend the states by the same amounts as those that add up.
    weights = np.column_stack([p.alpha, p.beta, p.phi, p.gamma])
    errors = filtered_errors(z, weights, np.column_stack([p.level, p.slope]), p.season, kind.trend != "none")
    means = z - errors
    return means, errors / means if kind.error == "multiplicative" else errors


def _search(z: Floats, kind: Kind, x: Floats, rest: float) -> tuple[Floats, bool]:
    """Levenberg and Marquardt, all dampings of a step tried at once; the place, and whether it came to rest."""
    k, h = len(x), 1e-6
    near = _residuals(z, kind, x)[0]
    value = float(near @ near)
    for _ in range(ROUNDS):
        moved = _residuals(z, kind, np.vstack([x + h * np.eye(k), x - h * np.eye(k)]))
        j = (moved[:k] - moved[k:]).T / (2 * h)
        gram, down = j.T @ j, j.T @ near
        size = np.maximum(np.diag(gram), 1e-8 * max(float(np.diag(gram).max()), 1e-300))
        steps = np.array([np.linalg.solve(gram + f * np.diag(size), down) for f in FALLS])
        tried = _residuals(z, kind, x - np.clip(steps, -5.0, 5.0))
        values = (tried**2).sum(axis=1)
        at = int(np.argmin(values))
        if not values[at] < value * (1 - 1e-12):
            return x, True
        x = x - np.clip(steps[at], -5.0, 5.0)
        x[: kind.weights] = np.clip(x[: kind.weights], -12.0, 12.0)
        done = value - values[at] < rest * value
        near, value = tried[at], float(values[at])
        if done:
            return x, True
    return x, False


def _starts(z: Floats, kind: Kind) -> list[Floats]:
    """First states from the first seasons, weights from the best places of a grid that differ in the level's."""
    m = kind.m if kind.season != "none" else 1
    width = min(len(z), max(2 * m, 10))
    slope = float(np.polyfit(np.arange(width), z[:width], 1)[0]) if width > 2 else 0.0
    level = float(z[:width].mean()) - slope * (width + 1) / 2 * (kind.trend != "none")
    parts: list[Floats] = [np.array([level])]
    if kind.trend != "none":
        parts.append(np.array([slope]))
    if kind.season != "none":
        whole = z[: len(z) // m * m].reshape(-1, m)
        rows = whole.mean(axis=1, keepdims=True)
        own = (whole / rows if kind.season == "multiplicative" else whole - rows).mean(axis=0)
        own = own * m / own.sum() if kind.season == "multiplicative" else own - own.mean()
        parts.append(own[:-1])
    states = np.concatenate(parts)
    grid = np.array(np.meshgrid(*[[-3.0, 0.0, 2.0]] * kind.weights)).reshape(kind.weights, -1).T
    tried = np.column_stack([grid, np.tile(states, (len(grid), 1))])
    sizes = (_residuals(z, kind, tried) ** 2).sum(axis=1)
    out: list[Floats] = []
    for i in np.argsort(sizes, kind="stable"):
        if len(out) < STARTS and all(abs(tried[i, 0] - x[0]) > 0.5 for x in out):
            out.append(tried[i])
    return out


def _last(made: Smoothed, size: int) -> Sets:
    """The states at the end, as the first ones of what follows, ``size`` times."""
    p, w = made.sets, made.walk
    return Sets(*(np.repeat(v, size, axis=0) for v in (p.alpha, p.beta, p.phi, p.gamma, w.level, w.slope, w.season)))


def follow(made: Smoothed, horizon: int) -> Floats:
    """What is expected without errors: shape (horizon,)."""
    return np.asarray(_path(made, np.zeros((1, horizon)))[0] * made.scale + made.shift)


def _path(made: Smoothed, errors: Floats) -> Floats:
    """Series that errors (B, h) make after the end, as shifted and scaled."""
    states = _States(_last(made, len(errors)), made.kind)
    m = len(states.season)
    out = np.empty_like(errors)
    for t in range(errors.shape[1]):
        base, mean = states.ahead(t % m)
        e = errors[:, t]
        out[:, t] = mean * (1 + e) if states.relative else mean + e
        states.mend(t % m, base, mean, e)
    return out


def intervals(made: Smoothed, horizon: int, levels: Sequence[float]) -> dict[float, tuple[Floats, Floats]]:
    """Ends of what follows at each level: by formula where errors and season add up, else by 20 000 paths drawn, always
    the same."""
    if made.kind.linear:
        middle = follow(made, horizon)
        unit = np.zeros((1, horizon))
        unit[0, 0] = 1.0
        answer = _path(made, unit)[0] - _path(made, np.zeros((1, horizon)))[0]
        se = made.sigma * np.sqrt(np.cumsum(answer**2))
        reach = {level: float(ndtri((1 + level) / 2)) * se for level in levels}
        return {level: (middle - r, middle + r) for level, r in reach.items()}
    rng = np.random.default_rng(1)
    spread = made.sigma / (made.scale if made.kind.error == "additive" else 1.0)
    paths = _path(made, rng.normal(size=(DRAWS, horizon)) * spread) * made.scale + made.shift
    shares = [s for level in levels for s in ((1 - level) / 2, (1 + level) / 2)]
    ends = np.quantile(paths, shares, axis=0)
    return {level: (ends[2 * i], ends[2 * i + 1]) for i, level in enumerate(levels)}
