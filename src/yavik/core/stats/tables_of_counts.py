"""Two-way tables of counts: independence, exact tests, strength of association, layers."""

from dataclasses import dataclass

import numpy as np
from scipy import special, stats

from yavik.core.stats import distributions as laws
from yavik.core.stats.direction import Alternative
from yavik.core.stats.draws import Permuted
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.groups import Floats
from yavik.core.stats.shares import difference_of_shares
from yavik.core.stats.spread import Chi2Test

MOST_LISTED = 200_000


@dataclass(frozen=True)
class Independence:
    pearson: Chi2Test
    likelihood: Chi2Test
    yates: Chi2Test | None
    expected: Floats
    adjusted_residuals: Floats


def independence(counts: Floats) -> Independence:
    """Pearson's (1900) χ², the likelihood ratio, Yates's (1934) correction for 2 × 2, and Haberman's (1973)
    residuals.

    Args:
        counts: no row and no column that is all zero.
    """
    n = counts.sum()
    rows, columns = counts.sum(axis=1, keepdims=True), counts.sum(axis=0, keepdims=True)
    expected = rows * columns / n
    df = (counts.shape[0] - 1) * (counts.shape[1] - 1)
    chi2 = float(((counts - expected) ** 2 / expected).sum())
    g2 = float(2 * special.xlogy(counts, counts / expected).sum())
    yates = None
    if counts.shape == (2, 2):
        away = np.maximum(np.abs(counts - expected) - 0.5, 0)
        yates = _chi2(float((away**2 / expected).sum()), 1)
    spare = expected * (1 - rows / n) * (1 - columns / n)
    with np.errstate(invalid="ignore", divide="ignore"):
        residuals = (counts - expected) / np.sqrt(spare)
    return Independence(_chi2(chi2, df), _chi2(max(g2, 0.0), df), yates, expected, residuals)


def small_counts(expected: Floats) -> bool:
    """Cochran's (1954) rule: an expected count below 1, or more than a fifth of them below 5."""
    return bool(expected.min() < 1 or (expected < 5).mean() > 0.2)


def _chi2(chi2: float, df: float) -> Chi2Test:
    return Chi2Test(chi2, df, float(special.chdtrc(df, chi2)))


def fisher_2x2(counts: Floats, alternative: Alternative = "two_sided") -> float:
    """Fisher's (1935) exact p. Two-sided: all tables with these margins that are no likelier than the one seen.

    One-sided 'greater': tables whose first cell is as large or larger (the first column is commoner in the first row).
    """
    return _margins(counts).p(0.0, alternative)


@dataclass(frozen=True)
class _Margins:
    """Tables with the margins of one 2 × 2 table: possible first cells, the one seen, log chances at odds ratio 1."""

    cells: Floats
    seen: int
    log_chances: Floats

    def p(self, log_odds: float, alternative: Alternative) -> float:
        """p of the table at an odds ratio."""
        weight = self.log_chances + self.cells * log_odds
        chances = np.exp(weight - weight.max())
        chances /= chances.sum()
        if alternative == "greater":
            return float(min(1.0, chances[self.seen :].sum()))
        if alternative == "less":
            return float(min(1.0, chances[: self.seen + 1].sum()))
        return float(min(1.0, chances[chances <= chances[self.seen] * (1 + 1e-7)].sum()))


def _margins(counts: Floats) -> _Margins:
    (a, b), (c, d) = counts.astype(int)
    n, row, column = a + b + c + d, a + b, a + c
    low, high = max(0, row + column - n), min(row, column)
    cells = np.arange(low, high + 1)
    return _Margins(cells.astype(float), int(a - low), stats.hypergeom.logpmf(cells, n, row, column))


def fisher_interval(counts: Floats, alpha: float, alternative: Alternative = "two_sided") -> tuple[float, float]:
    """Odds ratios that Fisher's test of the same kind would not reject (Fay, 2010): p and interval agree.

    An end is open where no odds ratio on that side can be rejected.
    """
    from scipy import optimize

    m = _margins(counts)
    first, last = m.seen == 0, m.seen == len(m.cells) - 1
    grid = np.linspace(-30.0, 30.0, 1201)

    def kept(log_odds: float) -> float:
        """How far p lies above α."""
        return m.p(log_odds, alternative) - alpha

    inside = np.flatnonzero(np.array([kept(x) for x in grid]) > 0)
    if not len(inside):
        return np.nan, np.nan

    def edge(i: int, step: int) -> float:
        """Where p crosses α between two neighbours of the grid."""
        a, b = grid[i], grid[i + step]
        # p jumps where a table becomes likelier than the one seen; bisection finds the jump as well as a crossing.
        return float(np.exp(optimize.bisect(kept, a, b, xtol=1e-10))) if kept(a) * kept(b) < 0 else float(np.exp(a))

    low = 0.0 if first or alternative == "less" or inside[0] == 0 else edge(int(inside[0]), -1)
    high = np.inf if last or alternative == "greater" or inside[-1] == len(grid) - 1 else edge(int(inside[-1]), 1)
    return low, high


def fisher_by_draws(counts: Floats, draws: int, seed: int) -> Permuted:
    """Fisher's exact test of an r × c table by drawing tables with the same margins (Patefield, 1981).

    Tables are ordered by their chance, as Freeman and Halton (1951) have it.
    """
    rows, columns = counts.sum(axis=1).astype(int), counts.sum(axis=0).astype(int)
    log_factorial = special.gammaln(np.arange(int(counts.sum()) + 2) + 1.0)
    seen = float(log_factorial[counts.astype(int)].sum())
    law = stats.random_table(rows, columns, seed=np.random.default_rng(seed))
    hits, done = 0, 0
    while done < draws:
        block = min(draws - done, max(1, 2_000_000 // counts.size))
        tables = np.asarray(law.rvs(size=block)).astype(int).reshape(block, -1)
        hits += int((log_factorial[tables].sum(axis=1) >= seen - 1e-7).sum())
        done += block
    return Permuted((hits + 1) / (draws + 1), draws, False)


def cramer_v(chi2: float, counts: Floats, alpha: float) -> Size:
    """Cramér's (1946) V, its interval by turning the noncentral χ² distribution round (Smithson, 2003)."""
    from scipy import optimize

    n, smaller = counts.sum(), min(counts.shape) - 1
    df = (counts.shape[0] - 1) * (counts.shape[1] - 1)

    def bound(share: float) -> float:
        def gap(nc: float) -> float:
            return float(special.chndtr(chi2, df, nc)) - share

        if gap(1e-9) < 0:
            return 0.0
        high = chi2 + 20.0
        while gap(high) > 0 and high < 1e9:
            high *= 2
        return float(optimize.brentq(gap, 1e-9, high)) if high < 1e9 else np.nan

    low, high = (
        float(np.sqrt((nc + df) / (n * smaller))) if nc else 0.0 for nc in (bound(1 - alpha / 2), bound(alpha / 2))
    )
    return Size(float(np.sqrt(chi2 / (n * smaller))), min(low, 1.0), min(high, 1.0))


@dataclass(frozen=True)
class Ordinal:
    gamma: Size
    tau_b: Size


def ordinal(counts: Floats, alpha: float) -> Ordinal:
    """Goodman and Kruskal's γ and Kendall's τ-b with asymptotic SEs (Goodman & Kruskal, 1972; Agresti, 2010)."""
    n = counts.sum()
    agree, against = np.zeros_like(counts), np.zeros_like(counts)
    total = np.zeros((counts.shape[0] + 1, counts.shape[1] + 1))
    total[1:, 1:] = counts.cumsum(axis=0).cumsum(axis=1)
    for i in range(counts.shape[0]):
        for j in range(counts.shape[1]):
            up_left, down_right = (
                total[i, j],
                total[-1, -1] - total[i + 1, -1] - total[-1, j + 1] + total[i + 1, j + 1],
            )
            up_right, down_left = total[i, -1] - total[i, j + 1], total[-1, j] - total[i + 1, j]
            agree[i, j], against[i, j] = up_left + down_right, up_right + down_left
    p, q = float((counts * agree).sum()), float((counts * against).sum())
    z = float(laws.norm.isf(alpha / 2))
    nothing = Size(np.nan, np.nan, np.nan)
    if p + q == 0:
        return Ordinal(nothing, nothing)
    gamma = (p - q) / (p + q)
    se = 4 / (p + q) ** 2 * np.sqrt(float((counts * (q * agree - p * against) ** 2).sum()))
    rows, columns = counts.sum(axis=1), counts.sum(axis=0)
    d1, d2 = n**2 - (rows**2).sum(), n**2 - (columns**2).sum()
    root = np.sqrt(d1 * d2)
    if root == 0:
        return Ordinal(_sized(gamma, se, z), nothing)
    tau = (p - q) / root
    part = 2 * root * (agree - against) + tau * (rows[:, None] * d2 + columns[None, :] * d1)
    variance = (float((counts * part**2).sum()) - n**3 * tau**2 * (d1 + d2) ** 2) / root**4
    return Ordinal(_sized(gamma, se, z), _sized(tau, np.sqrt(max(variance, 0.0)), z))


def _sized(estimate: float, se: float, z: float) -> Size:
    if se == 0:
        return Size(float(estimate), np.nan, np.nan)
    return Size(float(estimate), max(-1.0, float(estimate - z * se)), min(1.0, float(estimate + z * se)))


@dataclass(frozen=True)
class TwoByTwo:
    odds_ratio: Size
    relative_risk: Size
    risk_difference: Size
    phi: float


def two_by_two(counts: Floats, alpha: float) -> TwoByTwo:
    """Odds ratio (Woolf, 1955) and relative risk (Katz et al., 1978) of the first column, row one over row two.

    Difference of risks by Newcombe's (1998) hybrid of Wilson intervals. With an empty cell the ratios have no interval.
    """
    (a, b), (c, d) = (tuple(float(x) for x in row) for row in counts)
    z = float(laws.norm.isf(alpha / 2))
    n1, n2 = a + b, c + d
    with np.errstate(divide="ignore", invalid="ignore"):
        odds = np.float64(a * d) / (b * c)
        risk = np.float64(a / n1) / (c / n2)
        se_odds = np.sqrt(np.float64(1) / a + np.float64(1) / b + np.float64(1) / c + np.float64(1) / d)
        se_risk = np.sqrt(np.float64(1) / a - 1 / n1 + np.float64(1) / c - 1 / n2)
    with np.errstate(divide="ignore", invalid="ignore"):
        phi = np.float64(a * d - b * c) / np.sqrt(n1 * n2 * (a + c) * (b + d))
    return TwoByTwo(
        _ratio(odds, se_odds, z), _ratio(risk, se_risk, z), difference_of_shares(a, n1, c, n2, alpha), float(phi)
    )


def _ratio(value: float, se: float, z: float) -> Size:
    if not (np.isfinite(value) and value > 0 and np.isfinite(se)):
        return Size(float(value) if np.isfinite(value) else np.nan, np.nan, np.nan)
    return Size(float(value), float(value * np.exp(-z * se)), float(value * np.exp(z * se)))


@dataclass(frozen=True)
class Layers:
    """Mantel and Haenszel's (1959) common odds ratio with Robins, Breslow and Greenland's (1986) interval."""

    odds_ratio: Size
    test: Chi2Test
    homogeneity: Chi2Test | None


def mantel_haenszel(layers: Floats, alpha: float) -> Layers | None:
    """2 × 2 tables of shape (layers, 2, 2), layers with one empty margin left out by the caller.

    The test is with the continuity correction; homogeneity of the odds ratios by Breslow and Day (1980) with
    Tarone's (1985) correction.
    """
    a, b, c, d = layers[:, 0, 0], layers[:, 0, 1], layers[:, 1, 0], layers[:, 1, 1]
    n = layers.sum(axis=(1, 2))
    r, s = a * d / n, b * c / n
    if not len(n) or r.sum() == 0 or s.sum() == 0:
        return None
    odds = float(r.sum() / s.sum())
    p, q = (a + d) / n, (b + c) / n
    variance = (
        (p * r).sum() / (2 * r.sum() ** 2)
        + (p * s + q * r).sum() / (2 * r.sum() * s.sum())
        + (q * s).sum() / (2 * s.sum() ** 2)
    )
    reach = float(laws.norm.isf(alpha / 2)) * np.sqrt(variance)
    size = Size(odds, float(odds * np.exp(-reach)), float(odds * np.exp(reach)))
    row, column = a + b, a + c
    expected = row * column / n
    spread = row * (c + d) * column * (b + d) / (n**2 * (n - 1))
    gap = max(abs(float((a - expected).sum())) - 0.5, 0.0)
    test = _chi2(gap**2 / float(spread.sum()), 1)
    return Layers(size, test, _breslow_day(a, row, column, n, odds) if len(n) > 1 else None)


def stratified_association(layers: Floats) -> Chi2Test | None:
    """Generalised Mantel–Haenszel test of any association in r × c tables within layers (Landis et al., 1978).

    Args:
        layers: counts of shape (layers, rows, columns). A layer with one case says nothing and is passed over.

    Returns:
        χ² on (r − 1)(c − 1) df, fewer where some combinations never vary; None where nothing varies.
    """
    away, covariance = 0.0, 0.0
    for counts in layers:
        n = counts.sum()
        if n < 2:
            continue
        row, column = counts.sum(axis=1), counts.sum(axis=0)
        away = away + (counts - np.outer(row, column) / n)[:-1, :-1].ravel()
        a = np.diag(row) * n - np.outer(row, row)
        b = np.diag(column) * n - np.outer(column, column)
        covariance = covariance + np.kron(a[:-1, :-1], b[:-1, :-1]) / (n**2 * (n - 1))
    if np.ndim(covariance) == 0:
        return None
    rank = int(np.linalg.matrix_rank(covariance, hermitian=True))
    if not rank:
        return None
    return _chi2(float(away @ np.linalg.pinv(covariance, hermitian=True) @ away), rank)


def _breslow_day(a: Floats, row: Floats, column: Floats, n: Floats, odds: float) -> Chi2Test:
    # The count that the common odds ratio expects solves a quadratic within the margins.
    u, v, w = 1 - odds, n - row - column + odds * (row + column), -odds * row * column
    if abs(u) < 1e-12:
        fitted = row * column / n
    else:
        root = np.sqrt(v * v - 4 * u * w)
        fitted = (-v + root) / (2 * u)
    spread = 1 / (1 / fitted + 1 / (row - fitted) + 1 / (column - fitted) + 1 / (n - row - column + fitted))
    chi2 = float(((a - fitted) ** 2 / spread).sum()) - float((a - fitted).sum()) ** 2 / float(spread.sum())
    return _chi2(max(chi2, 0.0), len(n) - 1)


def mcnemar(b: float, c: float, alternative: Alternative = "two_sided") -> tuple[Chi2Test, float]:
    """McNemar's (1947) χ² without correction, always two-sided, and the exact binomial p.

    'greater': rows of the first kind (b) are the commoner. Without a change there is no test: NaN.
    """
    n = b + c
    if n == 0:
        return Chi2Test(np.nan, 1, np.nan), np.nan
    less, greater = float(stats.binom.cdf(b, n, 0.5)), float(stats.binom.sf(b - 1, n, 0.5))
    exact = {"two_sided": min(1.0, 2 * min(less, greater)), "less": less, "greater": greater}[alternative]
    return _chi2((b - c) ** 2 / n, 1), exact


def cochran_q(y: Floats) -> Chi2Test:
    """Cochran's (1950) Q for 0/1 values of shape (rows, columns)."""
    k = y.shape[1]
    columns, rows = y.sum(axis=0), y.sum(axis=1)
    below = float((rows * (k - rows)).sum())
    if below == 0:
        return Chi2Test(np.nan, k - 1, np.nan)
    return _chi2(float(k * (k - 1) * ((columns - columns.mean()) ** 2).sum() / below), k - 1)


def goodness(counts: Floats, shares: Floats, fitted: int = 0) -> Chi2Test:
    """Pearson's χ² of counts against expected shares; ``fitted`` parameters are taken off the df."""
    expected = counts.sum() * shares
    return _chi2(float(((counts - expected) ** 2 / expected).sum()), len(counts) - 1 - fitted)
