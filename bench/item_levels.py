"""How often intervals and tests of scales, items and raters hold what they promise.

Run with ``--write`` to store ``docs/items.json`` and the tables in ``docs/levels.md``; without, it prints them.
"""

from typing import Any

import numpy as np
from rates import rate, simulate

from yavik.core.stats.items.adequacy import beyond_chance, by_chance, correlated
from yavik.core.stats.items.agreement import fleiss, intraclass, kappa, limits
from yavik.core.stats.items.response.looking import item_fit
from yavik.core.stats.items.response.marginal import fit
from yavik.core.stats.items.response.people import answers, nodes
from yavik.core.stats.scales import cronbach

STUDIES = 1000
TESTS = 300
PEOPLE = (150, 400, 1000)
SUBJECTS = (15, 30, 100)
ROWS = (50, 100, 300)


def response(n: int, studies: int = TESTS) -> dict[str, list[float]]:
    """Intervals of discriminations and difficulties, and false alarms of S-χ², of eight items."""
    rng = np.random.default_rng(n)
    hits: dict[str, list[bool]] = {}
    for _ in range(studies):
        for words, levels in (("right and wrong", 2), ("four answers", 4)):
            a = rng.uniform(0.8, 1.8, 8)
            b = np.sort(rng.normal(0, 1, (8, levels - 1)), axis=1)
            y = a * rng.normal(size=(n, 1)) + rng.logistic(size=(n, 8))
            x = (y[:, :, None] > a[:, None] * b).sum(axis=2)
            if any(len(np.unique(x[:, j])) < levels for j in range(8)):
                continue
            found = fit(answers(x, [levels] * 8), "graded" if levels > 2 else "two_parameter", nodes(41))
            width = found.beta.shape[1]
            se = np.sqrt(np.diag(found.covariance)).reshape(8, width)
            if not np.isfinite(se[:, 0]).all():
                continue
            hits.setdefault(f"discrimination, {words}", []).extend(np.abs(found.discrimination - a) < 1.96 * se[:, 0])
            fits = [v.p for v in item_fit(found)]
            hits.setdefault(f"false alarms of S-χ², {words}", []).extend(np.array(fits)[np.isfinite(fits)] < 0.05)
    return {k: rate(v) for k, v in hits.items()}


def raters(n: int, studies: int = STUDIES) -> dict[str, list[float]]:
    """Intervals of ICC(2,1), ICC(3,1), κ of two and of three raters, and a limit of agreement."""
    rng = np.random.default_rng(2000 + n)
    p = np.array([[0.3, 0.06, 0.01], [0.05, 0.2, 0.06], [0.02, 0.05, 0.25]])
    true = kappa(p * 1e6, "quadratic", 0.95)
    chance = np.array([0.6, 0.3, 0.1])
    hits: dict[str, list[bool]] = {
        k: []
        for k in (
            "ICC(2,1), four raters",
            "ICC(3,1), four raters",
            "κ by squared steps",
            "κ of three raters",
            "upper limit of agreement",
        )
    }
    for _ in range(studies):
        x = rng.normal(0, 1, (n, 1)) + rng.normal(0, 0.5, 4) + rng.normal(0, 0.8, (n, 4))
        forms = intraclass(x, 0.95).forms
        hits["ICC(2,1), four raters"].append(forms[1].low <= 1 / 1.89 <= forms[1].high)
        hits["ICC(3,1), four raters"].append(forms[2].low <= 1 / 1.64 <= forms[2].high)
        k = kappa(rng.multinomial(n, p.ravel()).reshape(3, 3).astype(float), "quadratic", 0.95)
        hits["κ by squared steps"].append(bool(k and true and k.low <= true.value <= k.high))
        kept = rng.choice(3, n, p=chance)
        given = np.stack([np.where(rng.random(n) < 0.7, kept, rng.choice(3, n, p=chance)) for _ in range(3)], axis=1)
        f, _ = fleiss(np.stack([(given == v).sum(axis=1) for v in range(3)], axis=1).astype(float), 0.95)
        hits["κ of three raters"].append(bool(f and f.low <= 0.49 <= f.high))
        low, high = limits(rng.normal(size=n), np.zeros(n), 0.95).high_ends
        hits["upper limit of agreement"].append(low <= 1.959964 <= high)
    return {k: rate(v) for k, v in hits.items()}


def scales(n: int, studies: int = STUDIES) -> dict[str, list[float]]:
    """Feldt's interval of α, and how often as many factors are found as there are: of twelve items, answered from 1
    to 5."""
    rng = np.random.default_rng(3000 + n)
    hits: dict[str, list[bool]] = {
        k: []
        for k in (
            "Feldt’s interval of α, six items",
            "two factors found, by chance",
            "two factors found, by eigenvalues above 1",
            "no factor found where there is none",
        )
    }
    alpha = 6 / 5 * (1 - 6 * 1.64 / (36 + 6 * 0.64))
    limits_ = np.quantile(by_chance(n, 12, 400, rng), 0.95, axis=0)
    for _ in range(studies):
        y = rng.normal(size=(n, 1)) + rng.normal(0, 0.8, (n, 6))
        found = cronbach(np.cov(y.T), n, 0.95)
        hits["Feldt’s interval of α, six items"].append(found.low <= alpha <= found.high)
        f = rng.normal(size=(n, 2))
        z = 0.6 * f[:, np.arange(12) % 2] + 0.8 * rng.normal(size=(n, 12))
        values = np.linalg.eigvalsh(correlated(np.digitize(z, [-1.4, -0.5, 0.4, 1.2]).astype(float)).r)[::-1]
        hits["two factors found, by chance"].append(beyond_chance(values, limits_) == 2)
        hits["two factors found, by eigenvalues above 1"].append(int((values > 1).sum()) == 2)
        void = np.linalg.eigvalsh(correlated(rng.normal(size=(n, 12))).r)[::-1]
        hits["no factor found where there is none"].append(beyond_chance(void, limits_) == 0)
    return {k: rate(v) for k, v in hits.items()}


PARTS: dict[str, tuple[Any, Any]] = {
    "response": (response, PEOPLE),
    "raters": (raters, SUBJECTS),
    "scales": (scales, ROWS),
}


HEADS = {"response": "people", "raters": "subjects", "scales": "rows"}


if __name__ == "__main__":
    simulate("items", PARTS, HEADS)
