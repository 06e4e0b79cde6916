"""Repeated measurements: the same subjects at several times, within groups of subjects.

Values are turned into orthonormal contrasts over time; each effect's hypothesis and error matrices over these give
the univariate sums of squares as traces, the sphericity measures, and nothing else has to be fitted.
"""

from dataclasses import dataclass

import numpy as np
from scipy import special, stats

from yavik.core.stats.groups import Floats
from yavik.core.stats.oneway import FTest, f_test


@dataclass(frozen=True)
class Sphericity:
    """Mauchly's (1940) W with its χ² approximation, and the two ε; W is None where errors are singular."""

    w: float | None
    chi2: float
    df: float
    p: float
    greenhouse_geisser: float
    huynh_feldt: float
    lower_bound: float


@dataclass(frozen=True)
class Effect:
    term: str
    ss: float
    df: float
    error_ss: float
    error_df: float
    test: FTest

    @property
    def partial_eta2(self) -> float:
        """Share of what the other terms leave."""
        return self.ss / (self.ss + self.error_ss)

    def corrected(self, epsilon: float) -> FTest:
        """The same F with both df multiplied by ε."""
        return f_test(self.test.f, self.df * epsilon, self.error_df * epsilon)


@dataclass(frozen=True)
class Repeated:
    between: list[Effect]
    within: list[Effect]
    sphericity: Sphericity | None
    residuals: Floats
    df_subjects: int


def effects(y: Floats, design: dict[str, Floats], time: str) -> Repeated:
    """Tests between and within subjects.

    Args:
        y: subjects × times, no empty cells.
        design: columns of each term between subjects (sum-to-zero, centred covariates), shape (subjects, c) each;
            an intercept is added. Tests are of type III.
        time: what the within factor is called.
    """
    y = y - y.mean()  # nothing here hangs on where zero is
    n, t = y.shape
    one = np.ones((n, 1))
    x = np.hstack([one, *design.values()])
    contrasts = np.asarray(np.linalg.qr(np.column_stack([np.ones(t), np.eye(t)[:, 1:]]))[0][:, 1:])
    inner, outer = y @ contrasts, y.sum(axis=1, keepdims=True) / np.sqrt(t)
    rank = int(np.linalg.matrix_rank(x))
    df = n - rank
    rest_in, rest_out = _residual(x, inner), _residual(x, outer)
    error_in, error_out = rest_in.T @ rest_in, float((rest_out**2).sum())
    between, within = [], []
    start = 1
    for name, columns in design.items():
        width = columns.shape[1]
        others = np.delete(x, np.s_[start : start + width], axis=1)
        start += width
        gone = rank - int(np.linalg.matrix_rank(others))
        ss = float((_residual(others, outer) ** 2).sum()) - error_out
        between.append(_effect(name, ss, gone, error_out, df))
        ss = float((_residual(others, inner) ** 2).sum() - np.trace(error_in))
        within.append(_effect(f"{time} × {name}", ss, gone * (t - 1), float(np.trace(error_in)), df * (t - 1)))
    ss = (
        float((_residual(x[:, 1:], inner) ** 2).sum() - np.trace(error_in))
        if x.shape[1] > 1
        else float((inner**2).sum() - np.trace(error_in))
    )
    within.insert(0, _effect(time, ss, t - 1, float(np.trace(error_in)), df * (t - 1)))
    fitted = y - (rest_in @ contrasts.T + rest_out / np.sqrt(t))
    return Repeated(between, within, sphericity(error_in, df) if t > 2 else None, y - fitted, df)


@dataclass(frozen=True)
class Times:
    """Means of the times as the tests take them: groups counting alike, covariates at their mean.

    Args:
        means: shape (times,).
        spread: covariance of a subject's values within groups, shape (times, times).
        share: what of it is the variance of a mean (1/n where nothing else is in the design).
    """

    means: Floats
    spread: Floats
    share: float
    df: int

    def difference(self, a: int, b: int) -> tuple[float, float]:
        """Mean difference of two times and its SE."""
        variance = self.spread[a, a] + self.spread[b, b] - 2 * self.spread[a, b]
        return float(self.means[a] - self.means[b]), float(np.sqrt(max(variance, 0.0) * self.share))


def estimated_times(y: Floats, design: dict[str, Floats]) -> Times:
    """From the same design as ``effects``."""
    shift = float(y.mean())
    x = np.hstack([np.ones((len(y), 1)), *design.values()])
    rank = int(np.linalg.matrix_rank(x))
    b = np.linalg.lstsq(x, y - shift, rcond=None)[0]
    rest = y - shift - x @ b
    inverse = np.linalg.pinv(x.T @ x, hermitian=True)
    df = len(y) - rank
    return Times(b[0] + shift, rest.T @ rest / max(df, 1), float(inverse[0, 0]), df)


def _effect(name: str, ss: float, df: float, error: float, error_df: float) -> Effect:
    ss = max(ss, 0.0)
    return Effect(name, ss, df, error, error_df, f_test((ss / df) / (error / error_df), df, error_df))


def _residual(x: Floats, y: Floats) -> Floats:
    if not x.shape[1]:
        return y
    return np.asarray(y - x @ np.linalg.lstsq(x, y, rcond=None)[0])


def sphericity(error: Floats, df: int) -> Sphericity:
    """From the error matrix of orthonormal contrasts.

    ε̂ by Greenhouse and Geisser (1959); ε̃ by Huynh and Feldt (1976) with Lecoutre's (1991) correction, at most 1.
    """
    q = len(error)
    trace = float(np.trace(error))
    gg = trace**2 / (q * float((error**2).sum()))
    gg = min(max(gg, 1 / q), 1.0)
    below = q * (df - q * gg)
    hf = min(1.0, ((df + 1) * q * gg - 2) / below) if below > 0 else 1.0
    sign, log_det = np.linalg.slogdet(error / df)
    if sign <= 0 or df < q:
        return Sphericity(None, np.nan, np.nan, np.nan, gg, max(hf, gg), 1 / q)
    log_w = float(log_det - q * np.log(trace / df / q))
    scale = 1 - (2 * q**2 + q + 2) / (6 * q * df)
    chi2, free = -df * scale * log_w, q * (q + 1) / 2 - 1
    # Second-order term of the approximation (Anderson, 2003).
    w2 = (q + 2) * (q - 1) * (q - 2) * (2 * q**3 + 6 * q**2 + 3 * q + 2) / (288 * (df * q * scale) ** 2)
    tail, next_ = float(special.chdtrc(free, chi2)), float(special.chdtrc(free + 4, chi2))
    return Sphericity(
        float(np.exp(log_w)),
        float(chi2),
        free,
        float(np.clip(tail + w2 * (next_ - tail), 0, 1)),
        gg,
        max(hf, gg),
        1 / q,
    )


@dataclass(frozen=True)
class Friedman:
    chi2: float
    df: int
    p: float
    w: float
    mean_ranks: Floats
    f: FTest | None
    tie_factor: float


def friedman(y: Floats) -> Friedman:
    """Friedman's (1937) test corrected for ties, Kendall's W, and Iman and Davenport's (1980) F.

    Args:
        y: blocks × treatments, no empty cells.
    """
    b, k = y.shape
    ranks = stats.rankdata(y, axis=1)
    sums = ranks.sum(axis=0)
    # A value that ties with t − 1 others of its block adds t² − 1; over a run of t that makes t³ − t.
    ties = sum(
        float(((block[:, :, None] == block[:, None, :]).sum(axis=2) ** 2.0 - 1).sum())
        for block in np.array_split(y, max(1, y.size * k // 4_000_000))
    )
    spread = b * k * (k + 1) / 12 - ties / (12 * (k - 1))
    chi2 = float(((sums - b * (k + 1) / 2) ** 2).sum() / b / (spread / b)) if spread > 0 else np.nan
    w = chi2 / (b * (k - 1))
    below = b * (k - 1) - chi2
    f = f_test((b - 1) * chi2 / below, k - 1, (k - 1) * (b - 1)) if below > 1e-12 else None
    return Friedman(chi2, k - 1, float(special.chdtrc(k - 1, chi2)), float(w), sums / b, f, ties)
