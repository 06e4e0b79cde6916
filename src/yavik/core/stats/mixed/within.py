"""Covariance over the times of a subject: V has a block of its own for every subject, made of standard deviations and
correlations that all subjects share.

Subjects that have the same times (and, where the spread differs by group, are of the same group) share one block, so
that a step of the search inverts a few small matrices however many subjects there are.
"""

from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.components import MOST_R, complex_step, correlations, partials
from yavik.core.stats.mixed.likelihood import Derivatives, Products

MOST_PAIRS = 3_000_000
"""Numbers kept for each pattern, so that a step of the search needs no rows."""
Kind = Literal["independent", "compound", "ar1", "toeplitz", "unstructured"]
Spread = Literal["same", "by_time", "by_group"]


@dataclass(frozen=True)
class Shape:
    """A covariance of T times.

    Natural parameters are standard deviations (one, or one for each time or group) and then what makes the
    correlations: none, one, one for each lag as partial autocorrelations, or one for each pair of times as partial
    correlations. They are searched over as they are.
    """

    times: int
    kind: Kind
    spread: Spread
    groups: int = 1

    @property
    def n_sd(self) -> int:
        """Standard deviations."""
        return {"same": 1, "by_time": self.times, "by_group": self.groups}[self.spread]

    @property
    def n_r(self) -> int:
        """Parameters of the correlations."""
        t = self.times
        return {"independent": 0, "compound": 1, "ar1": 1, "toeplitz": t - 1, "unstructured": t * (t - 1) // 2}[
            self.kind
        ]

    @property
    def size(self) -> int:
        """Parameters."""
        return self.n_sd + self.n_r

    @property
    def bounds(self) -> list[tuple[float, float]]:
        """Correlations alike for all pairs cannot be lower than −1/(T − 1)."""
        low = -1 / max(self.times - 1, 1) + 1e-5 if self.kind == "compound" else -MOST_R
        return [(1e-6, np.inf)] * self.n_sd + [(low, MOST_R)] * self.n_r

    def correlation(self, phi: Any) -> Any:
        """Correlations of all times, shape (T, T); takes complex steps."""
        t, z = self.times, phi[self.n_sd :]
        lag = np.abs(np.subtract.outer(np.arange(t), np.arange(t)))
        if self.kind == "independent" or t == 1:
            return np.eye(t, dtype=np.asarray(phi).dtype)
        if self.kind == "compound":
            return np.where(lag > 0, z[0], 1.0)
        if self.kind == "ar1":
            return z[0] ** lag
        if self.kind == "toeplitz":
            return autocorrelations(z)[lag]
        return correlations(t, z)

    def covariance(self, phi: Any, group: int = 0) -> Any:
        """Shape (T, T)."""
        sd = phi[: self.n_sd]
        own = np.full(self.times, sd[group if self.spread == "by_group" else 0]) if self.spread != "by_time" else sd
        return own[:, None] * self.correlation(phi) * own[None, :]


def autocorrelations(z: Any) -> Any:
    """Autocorrelations from partial ones, lag 0 first (Durbin, 1960; Levinson, 1947); takes complex steps."""
    r = [np.ones((), np.asarray(z).dtype)]
    weights: list[Any] = []
    left = np.ones((), np.asarray(z).dtype)
    for k in range(len(z)):
        r.append(z[k] * left + sum(w * r[k - i] for i, w in enumerate(weights)))
        weights = [w - z[k] * weights[k - 1 - i] for i, w in enumerate(weights)] + [z[k]]
        left = left * (1 - z[k] ** 2)
    return np.array(r)


def partial_autocorrelations(r: Floats) -> Floats:
    """Partial autocorrelations of autocorrelations, lag 0 first; the inverse of ``autocorrelations``."""
    out: list[float] = []
    weights: list[float] = []
    left = 1.0
    for k in range(len(r) - 1):
        own = (r[k + 1] - sum(w * r[k - i] for i, w in enumerate(weights))) / max(left, 1e-9)
        own = float(np.clip(own, -0.95, 0.95))
        out.append(own)
        weights = [w - own * weights[k - 1 - i] for i, w in enumerate(weights)] + [own]
        left *= 1 - own**2
    return np.array(out)


@dataclass(frozen=True)
class Pattern:
    """Subjects with the same times and group.

    Args:
        times: places of the times that they have. rows: shape (times, subjects), their rows.
        x: shape (times, subjects, p). y: shape (times, subjects).
    """

    times: Any
    group: int
    rows: Any
    x: Floats
    y: Floats

    @property
    def subjects(self) -> int:
        """How many."""
        return int(self.rows.shape[1])

    @cached_property
    def _pairs(self) -> Floats | None:
        """Sums over subjects of products of two times' rows of X, shape (times², p²); None where they are too many."""
        t, p = len(self.times), self.x.shape[2]
        if t * t * p * p > MOST_PAIRS:
            return None
        flat = np.moveaxis(self.x, 1, 2).reshape(t * p, -1)
        return np.moveaxis((flat @ flat.T).reshape(t, p, t, p), 1, 2).reshape(t * t, p * p)

    def summed(self, weights: Floats) -> Floats:
        """Σ X′ W X over subjects for each matrix of times by times, shape (k, p, p)."""
        k, p = len(weights), self.x.shape[2]
        if self._pairs is not None:
            return np.asarray((weights.reshape(k, -1) @ self._pairs).reshape(k, p, p))
        flat = self.x.reshape(-1, p)
        return np.stack([flat.T @ np.tensordot(w, self.x, 1).reshape(-1, p) for w in weights])


class Within:
    """The engine of a covariance over times; see ``likelihood.Engine``. ``theta`` and ``phi`` are the same.

    Args:
        x: shape (n, p). y: shape (n,), best about nought and of spread one.
        subject, time: codes from 0, each pair at most once. group: of rows, for a spread by group.
    """

    def __init__(self, x: Floats, y: Floats, subject: Any, time: Any, shape: Shape, group: Any = None) -> None:
        self.n, self.p = x.shape
        self.x, self.y, self.shape, self.subject, self.time = x, y, shape, subject, time
        self.group = np.zeros(self.n, np.int64) if group is None else group
        self.bounds = shape.bounds
        self.names = [f"sd.{i}" for i in range(shape.n_sd)] + [f"r.{i}" for i in range(shape.n_r)]
        self.patterns = self._patterns()

    def _patterns(self) -> list[Pattern]:
        order = np.lexsort((self.time, self.subject))
        subject, time = self.subject[order], self.time[order]
        starts = np.flatnonzero(np.concatenate([[True], subject[1:] != subject[:-1]]))
        ends = np.append(starts[1:], self.n)
        found: dict[tuple[Any, int], list[Any]] = {}
        by_group = self.shape.spread == "by_group"
        for a, b in zip(starts, ends, strict=True):
            key = (tuple(time[a:b].tolist()), int(self.group[order[a]]) if by_group else 0)
            found.setdefault(key, []).append(order[a:b])
        made = []
        for (times, group), rows in found.items():
            at = np.array(rows).T
            made.append(Pattern(np.array(times), group, at, self.x[at], self.y[at]))
        return made

    def with_response(self, y: Floats) -> "Within":
        """The same design with another response."""
        made = copy(self)
        made.__dict__.pop("observed", None)
        made.y = y
        made.patterns = [replace(m, y=y[m.rows]) for m in self.patterns]
        return made

    def starts(self) -> list[Floats]:
        """From the residuals as they go together, and from none going together."""
        s = self.shape
        r, sd = self.observed
        level = float(np.sqrt((self.y**2).mean()))
        spread = {"same": np.array([level]), "by_time": np.maximum(sd, 0.1 * level)}.get(
            s.spread, np.full(s.n_sd, level)
        )
        lag = np.abs(np.subtract.outer(np.arange(s.times), np.arange(s.times)))
        mean = float(r[lag > 0].mean()) if s.times > 1 else 0.0
        begin = {
            "independent": np.zeros(0), "compound": np.array([mean]),
            "ar1": np.array([float(r[lag == 1].mean()) if s.times > 1 else 0.0]),
        }  # fmt: skip
        if s.kind == "toeplitz":
            begin["toeplitz"] = partial_autocorrelations(
                np.array([float(r[lag == k].mean()) for k in range(s.times)])
            )
        if s.kind == "unstructured":
            begin["unstructured"] = 0.9 * partials(0.9 * r + 0.1 * np.eye(s.times))
        own = np.clip(begin[s.kind], -0.9, 0.9)
        return [np.concatenate([spread, own]), np.concatenate([np.full(s.n_sd, level), np.zeros(s.n_r)])]

    @cached_property
    def observed(self) -> tuple[Floats, Floats]:
        """Correlations of ``y`` between times, pair by pair, and its SD at each time."""
        t = self.shape.times
        wide = np.full((int(self.subject.max()) + 1, t), np.nan)
        wide[self.subject, self.time] = self.y
        here = ~np.isnan(wide)
        y = np.where(here, wide, 0.0)
        n, square = here.astype(float).T @ here.astype(float), y.T @ y
        a = (y**2).T @ here.astype(float)
        with np.errstate(invalid="ignore", divide="ignore"):
            r = square / np.sqrt(a * a.T)
        sd = np.sqrt(np.diag(square) / np.maximum(np.diag(n), 1))
        return np.where(np.isfinite(r), r, 0.0), sd

    def theta(self, phi: Floats) -> Floats:
        """As they are."""
        return np.asarray(phi, np.float64)

    def jacobian(self, phi: Floats) -> Floats:
        """One."""
        return np.eye(len(phi))

    def flat(self, phi: Floats) -> list[int]:
        """Correlations at their end."""
        own = range(self.shape.n_sd, len(phi))
        return [i for i in own if phi[i] >= 0.9999 or phi[i] <= self.bounds[i][0] + 1e-4]

    def inverse(self, theta: Floats) -> list[tuple[Floats, float]]:
        """V⁻¹ and log |V| of a subject of each pattern. Raises LinAlgError."""
        out, whole = [], {}
        for m in self.patterns:
            if m.group not in whole:
                whole[m.group] = np.asarray(self.shape.covariance(theta, m.group), np.float64)
            root = np.linalg.cholesky(whole[m.group][np.ix_(m.times, m.times)])
            inverse = np.linalg.inv(root)
            out.append((inverse.T @ inverse, 2 * float(np.log(np.diag(root)).sum())))
        return out

    def products(self, theta: Floats) -> Products:
        """Raises LinAlgError where V is not positive."""
        p, logdet = self.p, 0.0
        xvx, xvy, yvy = np.zeros((p, p)), np.zeros(p), 0.0
        for m, (w, own) in zip(self.patterns, self.inverse(theta), strict=True):
            logdet += m.subjects * own
            wx, wy = np.tensordot(w, m.x, 1), w @ m.y
            flat = wx.reshape(-1, p)
            xvx += m.x.reshape(-1, p).T @ flat
            xvy += flat.T @ m.y.ravel()
            yvy += float((m.y * wy).sum())
        return Products(logdet, 0.5 * (xvx + xvx.T), xvy, yvy)

    def _slopes(self, theta: Floats) -> list[Floats]:
        """Derivatives of a whole block by every parameter, for each group, shape (k, T, T)."""
        t = self.shape.times
        groups = self.shape.groups if self.shape.spread == "by_group" else 1
        made = []
        for g in range(groups):
            flat = complex_step(lambda z, g=g: self.shape.covariance(z, g).ravel(), theta)
            made.append(np.moveaxis(flat.reshape(t, t, len(theta)), 2, 0))
        return made

    def score(self, theta: Floats, found: Products, restricted: bool) -> Floats:
        """Derivatives of the log-likelihood."""
        slopes, out = self._slopes(theta), np.zeros(len(theta))
        for m, (w, _) in zip(self.patterns, self.inverse(theta), strict=True):
            r = w @ (m.y - m.x @ found.coef)
            inner = m.subjects * w - r @ r.T
            if restricted:
                flat = np.tensordot(w, m.x, 1)
                inner -= np.tensordot(flat @ found.covariance, flat, ([1, 2], [1, 2]))
            dv = slopes[m.group][:, m.times[:, None], m.times[None, :]]
            out -= 0.5 * np.einsum("kab,ba->k", dv, inner)
        return out

    def scored(self, theta: Floats, found: Products, restricted: bool) -> tuple[Floats, Floats]:
        """Score and expected information, from matrices of times by times alone."""
        k, slopes = len(theta), self._slopes(theta)
        score, info, cp = np.zeros(k), np.zeros((k, k)), np.zeros((k, self.p, self.p))
        c = found.covariance
        for m, (w, _) in zip(self.patterns, self.inverse(theta), strict=True):
            r = w @ (m.y - m.x @ found.coef)
            dv = slopes[m.group][:, m.times[:, None], m.times[None, :]]
            wd = w @ dv
            inner, turned = m.subjects * w - r @ r.T, np.swapaxes(wd, 1, 2).reshape(k, -1)
            own = m.subjects * (wd.reshape(k, -1) @ turned.T)
            if restricted:
                flat = np.tensordot(w, m.x, 1)
                seen = np.tensordot(flat @ c, flat, ([1, 2], [1, 2]))  # V⁻¹ Σ XCX′ V⁻¹
                inner -= seen
                own -= 2 * ((seen @ dv).reshape(k, -1) @ turned.T)
                cp -= m.summed(wd @ w)
            info += 0.5 * own
            score -= 0.5 * np.einsum("kab,ba->k", dv, inner)
        if restricted:
            cp = c @ cp
            info += 0.5 * cp.reshape(k, -1) @ np.swapaxes(cp, 1, 2).reshape(k, -1).T
        return score, 0.5 * (info + info.T)

    def derivatives(self, theta: Floats, found: Products, restricted: bool) -> Derivatives:
        """P, Q and traces by every parameter."""
        k, p, slopes = len(theta), self.p, self._slopes(theta)
        first, second, traces = np.zeros((k, p, p)), np.zeros((k, k, p, p)), np.zeros((k, k))
        for m, (w, _) in zip(self.patterns, self.inverse(theta), strict=True):
            dv = slopes[m.group][:, m.times[:, None], m.times[None, :]]
            wd = w @ dv
            traces += m.subjects * (wd.reshape(k, -1) @ np.swapaxes(wd, 1, 2).reshape(k, -1).T)
            first += m.summed(wd @ w)
            outer = (wd[:, None] @ wd[None]) @ w
            second += m.summed(outer.reshape(k * k, *w.shape)).reshape(k, k, p, p)
        return Derivatives(self.score(theta, found, restricted), -first, second, traces)
