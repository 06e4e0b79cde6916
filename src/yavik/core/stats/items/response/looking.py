"""How well fitted items agree with the answers: of items, of pairs of items, of people."""

from dataclasses import dataclass

import numpy as np

from yavik.core.stats import distributions as laws
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.response.curves import curves, expected
from yavik.core.stats.items.response.marginal import Fitted
from yavik.core.stats.items.response.people import Answers, Nodes, posterior

LEAST_EXPECTED = 1.0


@dataclass(frozen=True)
class ItemFit:
    """S-χ² of an item: answers of people with each sum score, seen and expected.

    Args:
        df: cells left after joining, less the item's parameters; p is NaN without df.
    """

    chi2: float
    df: int
    p: float


def score_chances(chance: Floats) -> tuple[Floats, Floats]:
    """Chances of every sum score at each node, of all items, shape (S, Q), and of all but one, shape (J, S, Q).

    By products of characteristic functions, which leave an item out without division; what Lord and Wingersky (1984)
    do one
    item after another.

    Args:
        chance: shape (J, K, Q).
    """
    items, most, points = chance.shape
    scores = items * (most - 1) + 1
    turn = np.exp(2j * np.pi * np.arange(scores)[:, None] * np.arange(most)[None, :] / scores)
    phi = np.einsum("tk,jkq->jtq", turn, chance)
    ahead = np.ones((items + 1, scores, points), complex)
    behind = np.ones((items + 1, scores, points), complex)
    for j in range(items):
        ahead[j + 1] = ahead[j] * phi[j]
        behind[items - 1 - j] = behind[items - j] * phi[items - 1 - j]
    rest = ahead[:-1] * behind[1:]
    both = np.concatenate([ahead[-1][None], rest])
    made = np.fft.fft(both, axis=1).real / scores
    made = np.maximum(made, 0.0)
    return made[0], made[1:]


def item_fit(f: Fitted) -> list[ItemFit]:
    """S-χ² of every item (Orlando and Thissen, 2000), over people who answered every item; neighbouring scores are
    joined
    until one person at least is expected to give each answer."""
    a = f.answers
    full = (a.codes >= 0).all(axis=1)
    codes, counts = a.codes[full], a.counts[full]
    chance = curves(f.model, f.beta, a.levels, f.at.theta).chance
    whole, rest = score_chances(chance)
    total = whole @ f.at.weight
    score = codes.sum(axis=1)
    people = np.bincount(score, counts, minlength=len(whole))
    made = []
    for j in range(a.items):
        most = int(a.levels[j])
        seen = np.zeros((len(whole), most))
        np.add.at(seen, (score, codes[:, j]), counts)
        share = np.zeros((len(whole), most))
        for k in range(most):
            both = (rest[j][: len(whole) - k] * chance[j, k]) @ f.at.weight
            share[k:, k] = both / np.maximum(total[k:], 1e-300)
        wanted = share * people[:, None]
        possible = (share > 1e-12).sum(axis=1) > 1  # a score that fixes the answer says nothing
        made.append(_joined(seen[possible], wanted[possible], _parameters(f, j)))
    return made


def _parameters(f: Fitted, j: int) -> int:
    return {"one_parameter": 1, "two_parameter": 2, "three_parameter": 3, "graded": int(f.answers.levels[j])}[f.model]


def _joined(seen: Floats, wanted: Floats, parameters: int) -> ItemFit:
    """χ² over score groups: in each neighbouring answers are joined until each is expected once, and scores are
    joined until
    two answers are left."""
    groups: list[tuple[Floats, Floats]] = []
    o, e = np.zeros(seen.shape[1]), np.zeros(seen.shape[1])
    for s, w in zip(seen, wanted, strict=True):
        o, e = o + s, e + w
        cells = _enough(o, e)
        if len(cells[1]) > 1:
            groups.append(cells)
            o, e = np.zeros_like(o), np.zeros_like(e)
    if e.sum() > 0 and groups and len(groups[-1][0]) == len(e):
        groups[-1] = (groups[-1][0] + o, groups[-1][1] + e)
    chi2 = float(sum(((o - e) ** 2 / e).sum() for o, e in groups))
    df = sum(len(e) - 1 for _, e in groups) - parameters
    if df <= 0:
        return ItemFit(np.nan, df, np.nan)
    return ItemFit(chi2, df, float(laws.chi2.sf(chi2, df)))


def _enough(o: Floats, e: Floats) -> tuple[Floats, Floats]:
    """Neighbouring answers joined until each is expected once at least."""
    seen, wanted, so, se = [], [], 0.0, 0.0
    for a, b in zip(o, e, strict=True):
        so, se = so + a, se + b
        if se >= LEAST_EXPECTED:
            seen.append(so)
            wanted.append(se)
            so, se = 0.0, 0.0
    if wanted and se > 0:
        seen[-1] += so
        wanted[-1] += se
    return np.array(seen), np.array(wanted)


@dataclass(frozen=True)
class AtAbility:
    """Of each pattern of answers at its own mean ability.

    Args:
        residual: answers less what is expected, shape (patterns, J), NaN where empty.
        fit: of the person, how likely the answers are against what is expected, in standard units (Drasgow, Levine and
            Williams, 1985), shape (patterns,).
        score: expected sum score over all items, shape (patterns,).
    """

    residual: Floats
    fit: Floats
    score: Floats


def at_ability(f: Fitted) -> AtAbility:
    """Answers beside what is expected at the mean of the posterior."""
    a = f.answers
    theta = f.over @ f.at.theta
    residual = np.empty(a.codes.shape)
    fit, score = np.empty(len(theta)), np.empty(len(theta))
    for low in range(0, len(theta), 4096):
        at = slice(low, low + 4096)
        chance = curves(f.model, f.beta, a.levels, theta[at]).chance
        mean = expected(chance)
        codes = a.codes[at]
        there = codes >= 0
        residual[at] = np.where(there, codes - mean.T, np.nan)
        score[at] = mean.sum(axis=0)
        log = np.log(np.maximum(chance, 1e-12))
        own = np.take_along_axis(log, np.maximum(codes.T, 0)[:, None, :], axis=1)[:, 0, :].T
        awaited = (chance * log).sum(axis=1).T
        spread = (chance * log**2).sum(axis=1).T - awaited**2
        gap = np.where(there, own - awaited, 0.0).sum(axis=1)
        var = np.where(there, spread, 0.0).sum(axis=1)
        fit[at] = np.where(var > 1e-12, gap / np.sqrt(np.maximum(var, 1e-12)), 0.0)
    return AtAbility(residual, fit, score)


def hanging_together(a: Answers, residual: Floats) -> Floats:
    """Correlations of residuals of each pair of items, Q3 (Yen, 1984), shape (J, J), NaN where there are none."""
    there = ~np.isnan(residual)
    w = there * a.counts[:, None]
    z = np.where(there, residual, 0.0)
    n = w.T @ there
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = (z * w).T @ there / n
        square = (z**2 * w).T @ there / n - mean**2
        r = ((z * a.counts[:, None]).T @ z / n - mean * mean.T) / np.sqrt(square * square.T)
    np.fill_diagonal(r, np.nan)
    return np.asarray(np.where(n > 2, r, np.nan))


def finer(f: Fitted, at: Nodes) -> float:
    """Log-likelihood of the same items with other nodes."""
    return posterior(f.answers, curves(f.model, f.beta, f.answers.levels, at.theta), at).log_likelihood
