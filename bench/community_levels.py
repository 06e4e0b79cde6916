"""How often tests of communities and of telling groups apart find what is not there.

Run with ``--write`` to store ``docs/communities.json`` and the tables in ``docs/levels.md``; without, it prints them.
"""

from typing import Any

import numpy as np
from rates import rate, simulate

from yavik.core.methods.kit.draws import p_of
from yavik.core.stats.communities.group_tests import (
    Ranked,
    Spaced,
    distances_to_middle,
    draws_of_f,
    draws_of_r,
    draws_of_spread,
    f_of,
    permanova,
)
from yavik.core.stats.communities.ordination import arrow, draws_of_r2
from yavik.core.stats.communities.unlike import unlike
from yavik.core.stats.discriminant import box, discriminant, left_out

STUDIES = 800
DRAWS = 199
TAXA = 30
SIZES = ("5, 5", "10, 10, 10", "6, 18")
ALPHA = 0.05


def amounts(rng: Any, n: int, uneven: Any) -> Any:
    """Counts about means that differ from sample to sample, more where ``uneven`` is large."""
    mean = 8 * np.exp(rng.normal(size=TAXA))
    wide = np.broadcast_to(uneven, n)[:, None]
    x = rng.poisson(mean * np.exp(rng.normal(size=(n, TAXA)) * wide - wide**2 / 2)).astype(float)
    x[:, 0] += 1
    return x


def _p(rng: Any, seen: float, batch: Any) -> float:
    drawn = batch(rng, DRAWS)
    return p_of(int((drawn >= seen * (1 - 1e-9)).sum()), DRAWS)[0]


def tested(rng: Any, x: Any, codes: Any, blocks: Any = None) -> dict[str, bool]:
    groups = int(codes.max()) + 1
    d = unlike(x, "bray_curtis")
    spaced, ranked = Spaced.of(d), Ranked.of(d)
    away = distances_to_middle(spaced, codes, groups, "median")
    found = {
        "PERMANOVA": _p(rng, permanova(spaced, codes, groups).f, draws_of_f(spaced, codes, groups, blocks)),
        "ANOSIM": _p(rng, float(ranked.r(codes[None, :])[0]), draws_of_r(ranked, codes, blocks)),
        "spread about medians": _p(
            rng, float(f_of(away[None, :], codes, groups)[0]), draws_of_spread(away, codes, groups, blocks)
        ),
    }
    return {k: v <= ALPHA for k, v in found.items()}


def alarms(sizes: str, studies: int = STUDIES) -> dict[str, list[float]]:
    """Groups that do not differ, and groups that differ in scatter alone."""
    each = [int(s) for s in sizes.split(", ")]
    codes = np.repeat(np.arange(len(each)), each)
    rng = np.random.default_rng(sum(each))
    hits: dict[str, list[bool]] = {}
    for _ in range(studies):
        for key, v in tested(rng, amounts(rng, len(codes), 0.5), codes).items():
            hits.setdefault(f"{key}, nothing differs", []).append(v)
        wide = np.where(codes == 0, 0.9, 0.35)  # the first group, the smaller one, scatters more
        for key, v in tested(rng, amounts(rng, len(codes), wide), codes).items():
            hits.setdefault(f"{key}, the first group scatters more", []).append(v)
        x = amounts(rng, len(codes), 0.5)
        points, z = np.log1p(x[:, :2]), rng.normal(size=len(codes))
        hits.setdefault("arrow of a column that has nothing to do with it", []).append(
            _p(rng, arrow(points, z).r2, draws_of_r2(points, z)) <= ALPHA
        )
    return {key: rate(value) for key, value in hits.items()}


def sites(many: int, studies: int = STUDIES) -> dict[str, list[float]]:
    """Sites that differ, each visited four times, half of the visits in either group."""
    rng = np.random.default_rng(many)
    site, codes = np.repeat(np.arange(many), 4), np.tile([0, 0, 1, 1], many)
    hits: dict[str, list[bool]] = {}
    for _ in range(studies):
        own = np.exp(rng.normal(size=(many, TAXA)) * 0.8)[site]
        x = rng.poisson(8 * own * np.exp(rng.normal(size=(len(site), TAXA)) * 0.4)).astype(float)
        x[:, 0] += 1
        for words, blocks in (("within sites", site), ("over all samples", None)):
            for key, v in tested(rng, x, codes, blocks).items():
                if key != "spread about medians":
                    hits.setdefault(f"{key}, exchanged {words}", []).append(v)
    return {key: rate(value) for key, value in hits.items()}


def telling(sizes: str, studies: int = 4 * STUDIES) -> dict[str, list[float]]:
    """Three columns that tell nothing: Wilks' Λ and Box's M at 5 %; normal columns, and long-tailed ones."""
    each = [int(s) for s in sizes.split(", ")]
    codes = np.repeat(np.arange(len(each)), each)
    rng = np.random.default_rng(len(codes) + 7)
    hits: dict[str, list[bool]] = {}
    for _ in range(studies):
        for words, x in (
            ("normal columns", rng.normal(size=(len(codes), 3))),
            ("long-tailed columns", rng.standard_t(4, size=(len(codes), 3))),
        ):
            d = discriminant(x, codes, len(each))
            hits.setdefault(f"Wilks’ Λ, {words}", []).append(d.tested.p < ALPHA)
            spread = box(d)
            if not spread.why:
                hits.setdefault(f"Box’s M, {words}", []).append(spread.p < ALPHA)
            if words == "normal columns":
                chosen = left_out(d, np.full(len(each), 1 / len(each))).chosen
                hits.setdefault("right when left out, by chance 1 / groups", []).extend((chosen == codes).tolist())
    return {key: rate(value) for key, value in hits.items()}


if __name__ == "__main__":
    simulate(
        "communities",
        {"alarms": (alarms, SIZES), "sites": (sites, (4, 8)), "telling": (telling, SIZES)},
        {"alarms": "samples of each group", "sites": "sites", "telling": "rows of each group"},
    )
