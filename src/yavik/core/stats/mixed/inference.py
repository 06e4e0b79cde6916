"""Degrees of freedom and tests of coefficients: Satterthwaite's and Kenward and Roger's, by the expected information.

Every routine takes the parameters' derivatives in any parameters: the degrees of freedom do not hang on which.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import special

from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.likelihood import Derivatives

MOST_DF = 1e7


@dataclass(frozen=True)
class Test:
    """A test of combinations of coefficients: F (or a χ² where ``df2`` is infinite) and Wald's χ² beside it."""

    f: float
    df1: int
    df2: float
    p: float
    wald: float
    wald_p: float


@dataclass(frozen=True)
class Inference:
    """Of the coefficients of one model.

    Args:
        coef: shape (p,). c: (X′V⁻¹X)⁻¹.
        d: derivatives by the parameters that are not on their bound.
        kind: how degrees of freedom are had. ``none``: none, normal theory.
    """

    coef: Floats
    c: Floats
    d: Derivatives
    restricted: bool
    kind: str

    @cached_property
    def w(self) -> Floats:
        """Inverse of the expected information of the covariance's parameters."""
        info = self.d.information(self.c if self.restricted else None)
        if not len(info):
            return np.zeros((0, 0))
        size = np.sqrt(np.maximum(np.diag(info), 1e-300))
        return np.asarray(
            np.linalg.pinv(info / np.outer(size, size), rcond=1e-12, hermitian=True) / np.outer(size, size)
        )

    @cached_property
    def cpc(self) -> Floats:
        """Derivatives of C by the parameters with the sign turned, shape (k, p, p)."""
        return np.asarray(self.c @ self.d.p @ self.c)

    @cached_property
    def covariance(self) -> Floats:
        """C, or as Kenward and Roger (1997) widen it."""
        if self.kind != "kenward_roger" or not len(self.w):
            return self.c
        p, q, c, w = self.d.p, self.d.q, self.c, self.w
        lost = np.einsum("ij,ijab->ab", w, q) - np.einsum("ij,iab,bc,jcd->ad", w, p, c, p, optimize=True)
        wide = c + 2 * c @ lost @ c
        return np.asarray(0.5 * (wide + wide.T))

    def df(self, rows: Floats) -> Floats:
        """Degrees of freedom of single combinations, shape (m, p): 2v²/Var(v) (Satterthwaite, 1946; Giesbrecht and
        Burns, 1985). Kenward and Roger's are the same for single combinations."""
        if self.kind == "none" or not len(self.w):
            return np.full(len(rows), np.inf)
        v = np.einsum("mi,ij,mj->m", rows, self.c, rows)
        g = np.einsum("mi,kij,mj->mk", rows, self.cpc, rows)
        spread = np.einsum("mk,kl,ml->m", g, self.w, g)
        with np.errstate(divide="ignore", invalid="ignore"):
            found = np.where(spread > 0, 2 * v**2 / spread, np.inf)
        return np.where(found > MOST_DF, np.inf, found)

    def test(self, rows: Floats) -> Test | None:
        """All combinations, shape (m, p), being nought at once; None where they say nothing."""
        rows = independent(rows)
        if not len(rows):
            return None
        m, estimate = len(rows), rows @ self.coef
        plain = rows @ self.c @ rows.T
        wald = float(estimate @ np.linalg.solve(plain, estimate))
        wald_p = float(special.chdtrc(m, wald))
        if self.kind == "none" or not len(self.w):
            return Test(wald / m, m, np.inf, wald_p, wald, wald_p)
        if self.kind == "kenward_roger":
            wide = rows @ self.covariance @ rows.T
            scale, df2 = self._kenward_roger(rows, plain)
            f = scale * float(estimate @ np.linalg.solve(wide, estimate)) / m
        else:
            df2, f = self._fai_cornelius(rows, plain), wald / m
        p = wald_p if np.isinf(df2) else float(special.fdtrc(m, df2, f))
        return Test(f, m, df2, p, wald, wald_p)

    def _fai_cornelius(self, rows: Floats, plain: Floats) -> float:
        """df of F from those of independent combinations (Fai and Cornelius, 1996)."""
        size = np.sqrt(np.diag(plain))
        turn = np.linalg.eigh(plain / np.outer(size, size))[1]
        single = self.df(turn.T @ (rows / size[:, None]))
        if np.all(np.isinf(single)) or single.max() - single.min() <= 1e-6 * single.min():
            return float(single.min())
        m = len(single)
        with np.errstate(invalid="ignore"):
            e = float(sum(v / (v - 2) if np.isfinite(v) else 1.0 for v in single if v > 2))
        return 2 * e / (e - m) if e > m else float(min(single.min(), 2.0))

    def _kenward_roger(self, rows: Floats, plain: Floats) -> tuple[float, float]:
        """The factor of F and its df (Kenward and Roger, 1997)."""
        m = len(rows)
        theta = rows.T @ np.linalg.solve(plain, rows)
        tp = theta @ self.cpc
        traces = np.trace(tp, axis1=1, axis2=2)
        a1 = float(traces @ self.w @ traces)
        a2 = float(np.einsum("ij,iab,jba->", self.w, tp, tp, optimize=True))
        if a2 <= 1e-12:
            return 1.0, np.inf
        if m == 1:
            return 1.0, 2.0 / a2
        b = (a1 + 6 * a2) / (2 * m)
        g = ((m + 1) * a1 - (m + 4) * a2) / ((m + 2) * a2)
        below = 3 * m + 2 * (1 - g)
        c1, c2, c3 = g / below, (m - g) / below, (m + 2 - g) / below
        mean = 1 / (1 - a2 / m)
        variance = 2 / m * (1 + c1 * b) / ((1 - c2 * b) ** 2 * (1 - c3 * b))
        rho = variance / (2 * mean**2)
        df = 4 + (m + 2) / (m * rho - 1)
        return float(df / (mean * (df - 2))), float(df)


def independent(rows: Floats, tolerance: float = 1e-9) -> Floats:
    """Rows that follow from none of the others."""
    kept: list[Floats] = []
    basis = np.zeros((0, rows.shape[1]))
    for row in rows:
        size = float(np.linalg.norm(row))
        if size == 0:
            continue
        rest = row / size
        for _ in range(2):
            rest = rest - basis.T @ (basis @ rest)
        if np.linalg.norm(rest) > tolerance:
            kept.append(row)
            basis = np.vstack([basis, rest / np.linalg.norm(rest)])
    return np.array(kept).reshape(-1, rows.shape[1])


def free_of(d: Derivatives, flat: list[int]) -> Derivatives:
    """The same without the parameters on their bound, as if the model did not have them."""
    keep = [i for i in range(len(d.score)) if i not in flat]
    return Derivatives(d.score[keep], d.p[keep], d.q[np.ix_(keep, keep)], d.traces[np.ix_(keep, keep)])
