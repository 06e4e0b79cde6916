"""Effects of units, nested or crossed, on rows with one residual variance: V = Σ Z D Z′ + σ²I.

Rows are read once, into cross-products of the units' columns. Units that share no row stand in blocks of their own, so
that a step of the search costs what the blocks cost, however many rows there are. With A = Z′Z of a block and H, the
least squares of X on Z, everything follows from M = Z′V⁻¹Z = (A⁻¹σ² + D)⁻¹ without cancellation:
X′V⁻¹X = X′(1 − ZA⁻Z′)X/σ² + H′MH.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.components import Component
from yavik.core.stats.mixed.likelihood import Derivatives, Products
from yavik.core.stats.mixed.stacks import Middle, Stack

MOST_WIDE = 4000
"""Effects in one block; beyond, a step of the search takes minutes."""


class TooWide(Exception):
    """A block has more effects than can be solved for."""


@dataclass(frozen=True)
class Units:
    """One random term.

    Args:
        codes: shape (n,), which unit a row belongs to, from 0.
        z: shape (n, k), what multiplies each of its effects.
    """

    codes: Any
    z: Floats
    component: Component

    @property
    def n_units(self) -> int:
        """Units."""
        return int(self.codes.max()) + 1


class Blocks:
    """The engine of units' effects; see ``likelihood.Engine``.

    Args:
        x: shape (n, p), of full rank. y: shape (n,), best about nought and of spread one.
        units: the random terms; none for plain least squares.

    Raises:
        TooWide: for crossed units that are too many.
    """

    def __init__(self, x: Floats, y: Floats, units: Sequence[Units]) -> None:
        self.n, self.p = x.shape
        self.units = list(units)
        self.components = [u.component for u in units]
        self.plain = all(c.size == c.k for c in self.components)
        """Whether all parameters are variances."""
        self.names = [f"{t}.{i}.{j}" for t, c in enumerate(self.components) for i, j in c.entries] + ["residual"]
        self.bounds = [b for c in self.components for b in c.bounds] + [(1e-8, np.inf)]
        self.x, self.y = x, y
        xy = np.column_stack([x, y])
        self.z = self._design()
        self.stacks = self._stacked(xy) if self.units else []
        own = xy.T @ xy
        for s in self.stacks:
            h = np.concatenate([s.h, s.hy[..., None]], axis=2)
            own -= np.einsum("gai,gaj->ij", h, np.broadcast_to(s.a, (s.blocks, *s.a.shape[1:])) @ h)
        self._last: tuple[bytes, list[Middle]] = (b"", [])
        self.within = 0.5 * (own + own.T)
        """Cross-products of X and y beyond what units' columns explain."""

    @property
    def left_within(self) -> float:
        """Squares of y that neither X nor any unit's columns explain."""
        p = self.p
        xx, xy = self.within[:p, :p], self.within[:p, p]
        return float(self.within[p, p] - xy @ np.linalg.pinv(xx, rcond=1e-9, hermitian=True) @ xy)

    def _design(self) -> Any:
        """All effects' columns, sparse, shape (n, effects); effects of a term stand unit by unit."""
        parts, n = [], self.n
        for u in self.units:
            k = u.z.shape[1]
            columns = (u.codes[:, None] * k + np.arange(k)).ravel()
            rows = np.repeat(np.arange(n), k)
            parts.append(sparse.csr_array((u.z.ravel(), (rows, columns)), shape=(n, u.n_units * k)))
        return sparse.hstack(parts, format="csr") if parts else sparse.csr_array((n, 0))

    @cached_property
    def labels(self) -> tuple[Any, Any, Any]:
        """Of every effect its term, its place within the unit, and its unit."""
        term = np.concatenate([np.full(u.n_units * u.z.shape[1], t) for t, u in enumerate(self.units)])
        effect = np.concatenate([np.tile(np.arange(u.z.shape[1]), u.n_units) for u in self.units])
        unit = np.concatenate([np.repeat(np.arange(u.n_units), u.z.shape[1]) for u in self.units])
        return term, effect, unit

    @cached_property
    def block_of(self) -> Any:
        """The block of every effect: units that share a row stand together."""
        linked = abs(self.z.T) @ abs(self.z)
        # A unit's effects belong together even where one of its columns is nought throughout.
        term, _, unit = self.labels
        key = np.unique(np.column_stack([term, unit]), axis=0, return_inverse=True)[1].ravel()
        first = np.zeros(key.max() + 1, np.int64)
        first[key[::-1]] = np.arange(len(key))[::-1]
        ties = sparse.csr_array((np.ones(len(key)), (np.arange(len(key)), first[key])), shape=linked.shape)
        return connected_components(linked + ties, directed=False)[1]

    def _stacked(self, xy: Floats) -> list[Stack]:
        zz, zx = (self.z.T @ self.z).tocsr(), np.asarray(self.z.T @ xy)
        block = self.block_of
        widths = np.bincount(block)
        if widths.max() > MOST_WIDE:
            raise TooWide
        order = np.argsort(block, kind="stable")
        starts = np.concatenate([[0], np.cumsum(widths)])
        place = np.empty(len(block), np.int64)  # of an effect within its block
        place[order] = np.arange(len(block)) - np.repeat(starts[:-1], widths)
        entries = zz.tocoo()
        made = []
        for width in np.unique(widths):
            own = np.flatnonzero(widths == width)
            rank = np.full(len(widths), -1)
            rank[own] = np.arange(len(own))
            slots = order[starts[own][:, None] + np.arange(width)]
            mine = rank[block[entries.row]]
            on = mine >= 0
            a = np.zeros((len(own), width, width))
            a[mine[on], place[entries.row[on]], place[entries.col[on]]] = entries.data[on]
            made.append(self._stack(a, zx[slots], slots))
        return made

    def _stack(self, a: Floats, zx: Floats, slots: Any) -> Stack:
        inverse = 1 / a if a.shape[1] == 1 else np.linalg.pinv(a, rcond=1e-12, hermitian=True)
        h = inverse @ zx
        at = self._places(slots)
        if len(at) > 1 and (at == at[0]).all():
            at = at[:1]
        if len(a) > 1 and np.abs(a - a[0]).max() <= 1e-13 * np.abs(a[0]).max() and len(at) == 1:
            a = a[:1]
        return Stack(a, h[..., :-1], h[..., -1], at, slots)

    def _places(self, slots: Any) -> Any:
        """For each pair of effects of a block its natural parameter, 1 on."""
        term, effect, unit = (v[slots] for v in self.labels)
        same = (term[:, :, None] == term[:, None, :]) & (unit[:, :, None] == unit[:, None, :])
        out, start = np.zeros(same.shape, np.int64), 1
        for t, c in enumerate(self.components):
            lookup = np.zeros((c.k, c.k), np.int64)
            for m, (i, j) in enumerate(c.entries):
                lookup[i, j] = lookup[j, i] = start + m
            own = same & (term[:, :, None] == t)
            pair = lookup[np.minimum(effect, c.k - 1)[:, :, None], np.minimum(effect, c.k - 1)[:, None, :]]
            out = np.where(own, pair, out)
            start += c.size
        return out

    # -- parameters ------------------------------------------------------------------------------------------------

    def starts(self) -> list[Floats]:
        """Even shares of the spread, and little of it for the units."""

        def begin(share: float) -> Floats:
            """Standard deviations with this share of the variance for the units together."""
            phi: list[float] = []
            for u, c in zip(self.units, self.components, strict=True):
                size = np.sqrt(np.maximum((u.z**2).mean(axis=0), 1e-12))
                phi += [float(np.sqrt(share / max(len(self.units), 1)) / s / np.sqrt(c.k)) for s in size]
                phi += [0.0] * (c.size - c.k)
            return np.array([*phi, np.sqrt(1 - share)])

        return [begin(0.5), begin(0.05)] if self.units else [begin(0.0)]

    def parts(self, values: Floats) -> list[Floats]:
        """Parameters of each component."""
        out, start = [], 0
        for c in self.components:
            out.append(values[start : start + c.size])
            start += c.size
        return out

    def theta(self, phi: Floats) -> Floats:
        """Variances and covariances, the residual variance last."""
        own = [c.theta(v) for c, v in zip(self.components, self.parts(phi), strict=True)]
        return np.concatenate([*own, [phi[-1] ** 2]])

    def phi(self, theta: Floats) -> Floats:
        """Standard deviations and partial correlations."""
        own = [c.phi(v) for c, v in zip(self.components, self.parts(theta), strict=True)]
        return np.concatenate([*own, [np.sqrt(theta[-1])]])

    def jacobian(self, phi: Floats) -> Floats:
        """Of ``theta`` by ``phi``."""
        out, start = np.zeros((len(phi), len(phi))), 0
        for c, v in zip(self.components, self.parts(phi), strict=True):
            out[start : start + c.size, start : start + c.size] = c.jacobian(v)
            start += c.size
        out[-1, -1] = 2 * phi[-1]
        return out

    def flat(self, phi: Floats) -> list[int]:
        """Standard deviations at nought and correlations of one."""
        out, start = [], 0
        for c in self.components:
            out += [start + i for i in range(c.k) if phi[start + i] < 1e-5]
            out += [start + i for i in range(c.k, c.size) if abs(phi[start + i]) > MOST_FLAT]
            start += c.size
        return out

    # -- the likelihood --------------------------------------------------------------------------------------------

    def products(self, theta: Floats) -> Products:
        """Raises LinAlgError where V is not positive."""
        s2 = float(theta[-1])
        if not s2 > 0:
            raise np.linalg.LinAlgError
        own, logdet = self.within / s2, self.n * float(np.log(s2))
        p = self.p
        for s, mid in zip(self.stacks, self.middles(theta), strict=True):
            logdet += mid.logdet
            own[:p, :p] += s.flat_h.T @ mid.mh
            own[:p, p] += s.flat_h.T @ mid.my
            own[p, p] += float(s.hy.ravel() @ mid.my)
        return Products(logdet, 0.5 * (own[:p, :p] + own[:p, :p].T), own[:p, p].copy(), float(own[p, p]))

    def middles(self, theta: Floats) -> list[Middle]:
        """Of every stack; those of the last place are kept, as its slopes are asked for next."""
        key = theta.tobytes()
        if self._last[0] != key:
            self._last = (key, [s.middle(theta) for s in self.stacks])
        return self._last[1]

    def score(self, theta: Floats, found: Products, restricted: bool) -> Floats:
        """By variances and covariances; that of the residual variance follows, as Σ θ V_i = V."""
        k = len(theta) - 1
        trace, squares = np.zeros(k + 1), np.zeros(k + 1)
        for s, mid in zip(self.stacks, self.middles(theta), strict=True):
            m, r = mid.m, (mid.my - mid.mh @ found.coef).reshape(s.hy.shape)
            mh = mid.mh.reshape(s.h.shape)
            if self.plain:  # variances alone: only diagonals are needed
                own = np.broadcast_to(np.einsum("gaa->ga", m), s.hy.shape)
                if restricted:
                    own = own - ((mid.mh @ found.covariance) * mid.mh).sum(axis=1).reshape(s.hy.shape)
                at = np.broadcast_to(s.own, s.hy.shape).ravel()
                trace += np.bincount(at, own.ravel(), minlength=k + 1)
                squares += np.bincount(at, r.ravel() ** 2, minlength=k + 1)
                continue
            n = np.broadcast_to(m, (s.blocks, *m.shape[1:]))
            if restricted:
                n = n - (mh @ found.covariance) @ np.swapaxes(mh, 1, 2)
            at = np.broadcast_to(s.at, n.shape)
            trace += np.bincount(at.ravel(), n.ravel(), minlength=k + 1)
            squares += np.bincount(at.ravel(), (r[:, :, None] * r[:, None, :]).ravel(), minlength=k + 1)
        trace, squares, s2 = trace[1:], squares[1:], theta[-1]
        rows = self.n - self.p if restricted else self.n
        last = (rows - theta[:-1] @ trace) / s2, (found.rest - theta[:-1] @ squares) / s2
        return np.asarray(0.5 * (np.append(squares, last[1]) - np.append(trace, last[0])))

    def scored(self, theta: Floats, found: Products, restricted: bool) -> tuple[Floats, Floats]:
        """Score and expected information."""
        d = self.derivatives(theta, found, restricted)
        return d.score, d.information(found.covariance if restricted else None)

    def derivatives(self, theta: Floats, found: Products, restricted: bool) -> Derivatives:
        """P, Q and traces by the entries of D; those of the residual variance follow, as Σ θ V_i = V."""
        k, p, s2 = len(theta) - 1, self.p, float(theta[-1])
        first, second, traces = np.zeros((k + 1, p, p)), np.zeros((k + 1, k + 1, p, p)), np.zeros((k + 1, k + 1))
        alone = np.zeros(k + 1)  # tr(V⁻¹V_i)
        for s, mid in zip(self.stacks, self.middles(theta), strict=True):
            m, mh = mid.m, mid.mh.reshape(s.h.shape)
            whole = s.blocks / len(m)
            flat = mh.reshape(-1, p)
            if self.plain:
                mask = (s.own == np.arange(1, k + 1)[:, None, None]).astype(np.float64)  # (k, G or 1, q)
                alone[:k] += whole * (mask * np.einsum("gaa->ga", m)).sum(axis=(1, 2))
                wide = np.broadcast_to(mask, (k, len(m), mask.shape[2]))
                traces[:k, :k] += whole * np.einsum("iga,jga->ij", np.einsum("iga,gab->igb", wide, m**2), wide)
                parts = [mask[i][..., None] * mh for i in range(k)]
            else:
                e = (s.at == np.arange(1, k + 1)[:, None, None, None]).astype(np.float64)  # (k, G or 1, q, q)
                inner = e @ m
                alone[:k] += whole * np.trace(inner, axis1=2, axis2=3).sum(axis=1)
                turned = np.swapaxes(inner, 2, 3).reshape(k, -1)
                traces[:k, :k] += whole * (inner.reshape(k, -1) @ turned.T)
                parts = [e[i] @ mh for i in range(k)]
            for i in range(k):
                first[i] += flat.T @ parts[i].reshape(-1, p)
                pushed = (m @ parts[i]).reshape(-1, p)
                for j in range(i + 1):
                    second[i, j] += pushed.T @ parts[j].reshape(-1, p)
        for i in range(k):
            for j in range(i):
                second[j, i] = second[i, j].T
        for i in range(k):
            second[i, i] = 0.5 * (second[i, i] + second[i, i].T)
        t = theta[:-1]
        first[k] = (found.xvx - np.tensordot(t, first[:k], 1)) / s2
        alone[k] = (self.n - t @ alone[:k]) / s2
        for i in range(k):
            second[i, k] = (first[i] - np.tensordot(t, second[i, :k], 1)) / s2
            second[k, i] = second[i, k].T
            traces[i, k] = traces[k, i] = (alone[i] - traces[i, :k] @ t) / s2
        second[k, k] = (first[k] - np.tensordot(t, second[k, :k], 1)) / s2
        traces[k, k] = (alone[k] - traces[k, :k] @ t) / s2
        return Derivatives(self.score(theta, found, restricted), -first, second, traces)

    # -- units -----------------------------------------------------------------------------------------------------

    def effects(self, theta: Floats, found: Products) -> tuple[Floats, Floats]:
        """Predicted effects of every unit and the standard errors of their errors, shape (effects,) (Henderson,
        1975)."""
        value, variance = np.zeros(self.z.shape[1]), np.zeros(self.z.shape[1])
        for s, mid in zip(self.stacks, self.middles(theta), strict=True):
            m, mh = mid.m, mid.mh.reshape(s.h.shape)
            r = (mid.my - mid.mh @ found.coef).reshape(s.hy.shape)
            d = np.concatenate([[0.0], theta[:-1]])[s.at]
            value[s.slots] = (d @ r[..., None])[..., 0]
            dm = d @ m
            dh = d @ mh
            own = np.broadcast_to(np.einsum("gab,gba->ga", dm, np.broadcast_to(d, dm.shape)), s.slots.shape)
            spread = np.broadcast_to(np.einsum("gaa->ga", d), s.slots.shape)
            variance[s.slots] = spread - own + np.einsum("gai,ij,gaj->ga", dh, found.covariance, dh)
        return value, np.sqrt(np.maximum(variance, 0.0))


MOST_FLAT = 0.9999
