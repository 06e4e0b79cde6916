"""Coverage of intervals of a jump, false alarms of a density test and of differences in differences with few clusters.

Run with ``--write`` to store ``docs/change.json`` and the tables in ``docs/levels.md``; without, it prints them.
"""

from typing import Any

import numpy as np
from rates import rate, simulate

from yavik.core.methods.change.difference_in_differences.compute import compute_study
from yavik.core.methods.change.difference_in_differences.spec import DidSpec
from yavik.core.stats.change.jump.bandwidths import mse
from yavik.core.stats.change.jump.density import binned_density, local_density
from yavik.core.stats.change.jump.estimate import Sorted, jump
from yavik.core.stats.change.jump.local import TooFew
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table

STUDIES = 2000
CURVES = ("straight", "curved", "sharply curved")
CLUSTERS = (6, 10, 20, 40)


def outcome(kind: str, u: Any) -> Any:
    """Without the jump of 0.04."""
    if kind == "straight":
        return 0.5 + 0.8 * u
    if kind == "curved":
        return np.where(
            u < 0,
            0.48 + 1.27 * u + 7.18 * u**2 + 20.21 * u**3 + 21.54 * u**4 + 7.33 * u**5,
            0.48 + 0.84 * u - 3.00 * u**2 + 7.99 * u**3 - 9.01 * u**4 + 3.56 * u**5,
        )
    return np.where(
        u < 0, 3.71 + 2.30 * u + 3.28 * u**2 + 1.45 * u**3, 3.71 + 18.49 * u - 54.81 * u**2 + 74.30 * u**3
    )


def coverage(kind: str, studies: int = STUDIES, n: int = 500) -> dict[str, list[float]]:
    """How often the 95 % interval holds the jump of 0.04."""
    rng = np.random.default_rng(700 + CURVES.index(kind))
    hits: dict[str, list[bool]] = {"conventional": [], "bias-corrected": [], "robust": []}
    ways = {"conventional": "conventional", "bias-corrected": "corrected", "robust": "robust"}
    for _ in range(studies):
        u = np.sort(2 * rng.beta(2, 4, n) - 1)
        y = outcome(kind, u) + 0.04 * (u >= 0) + rng.normal(0, 0.1295, n)
        d = Sorted(u, y[:, None], np.zeros((n, 0)))
        w = mse(d, "triangular")
        found = jump(d, w.h, w.b)
        for name, way in ways.items():
            low, high = found.interval(way, 0.05)
            hits[name].append(low <= 0.04 <= high)
    return {k: rate(v) for k, v in hits.items()}


def density(kind: str, studies: int = STUDIES, n: int = 800) -> dict[str, list[float]]:
    """How often a test of the density finds a pile where there is none."""
    rng = np.random.default_rng(["normal", "skewed", "even"].index(kind) + 750)
    makes = {
        "normal": lambda: rng.normal(-0.2, 1, n),
        "skewed": lambda: rng.gamma(3, 1, n) - 2.5,
        "even": lambda: rng.uniform(-1, 1, n),
    }
    hits: dict[str, list[bool]] = {"local polynomial": [], "histogram": []}
    for _ in range(studies):
        u = np.sort(makes[kind]())
        hits["local polynomial"].append(local_density(u).p < 0.05)
        try:
            hits["histogram"].append(binned_density(u).p < 0.05)
        except TooFew:
            continue
    return {k: rate(v) for k, v in hits.items()}


def units_over_time(rng: Any, g: int, treated: int) -> Table:
    """Eight periods, the change after the fourth, without an effect; what a unit has carries on."""
    import pyarrow as pa

    unit, period = np.repeat(np.arange(g), 8), np.tile(np.arange(1, 9), g)
    drift = np.cumsum(rng.normal(0, 0.6, (g, 8)), axis=1).ravel()
    y = rng.normal(0, 1, g)[unit] + drift + rng.normal(0, 1, 8 * g)
    words = [f"u{i:02d}" for i in range(g)]
    coded = pa.DictionaryArray.from_arrays(pa.array(unit, pa.int32()), pa.array(words))
    yes = pa.DictionaryArray.from_arrays(
        pa.array((unit < treated).astype(np.int32), pa.int32()), pa.array(["no", "yes"])
    )
    columns = [
        Column(name="y", kind=Kind.measure, decimals=3), Column(name="t", kind=Kind.count, decimals=0),
        Column(name="u", kind=Kind.category, levels=tuple(Level(value=w) for w in words)),
        Column(name="d", kind=Kind.yes_no, levels=(Level(value="no"), Level(value="yes"))),
    ]  # fmt: skip
    return make_table(columns, [pa.array(y), pa.array(period, pa.int64()), coded, yes])


def few_clusters(g: int, studies: int = STUDIES) -> dict[str, list[float]]:
    """How often a change without an effect is found at α = .05, by errors; half of the units treated, or three."""
    rng = np.random.default_rng(800 + g)
    hits: dict[str, list[bool]] = {}
    for i in range(studies):
        for share, treated in (("half treated", g // 2), ("three treated", 3)):
            table = units_over_time(rng, g, treated)
            for words, se in (("HC1", "hc1"), ("by cluster", "cluster"), ("wild bootstrap", "wild")):
                spec = DidSpec(outcome="y", period="t", treated="d", unit="u", base="4", se=se, draws=399, seed=i + 1)  # type: ignore[arg-type]
                hits.setdefault(f"{words}, {share}", []).append(compute_study(table, spec).effect.p < 0.05)
    return {k: rate(v) for k, v in hits.items()}


PARTS: dict[str, tuple[Any, Any]] = {
    "coverage": (coverage, CURVES), "density": (density, ("normal", "skewed", "even")), "clusters": (few_clusters, CLUSTERS)
}  # fmt: skip


if __name__ == "__main__":
    simulate("change", PARTS)
