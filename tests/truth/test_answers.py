"""Every number printed in an answer, against other libraries on the same columns."""

from itertools import combinations
from typing import Any

import numpy as np
import pandas as pd
import pytest
from scipy import stats
from statsmodels.stats.oneway import anova_oneway

from yavik.core.answers import Answer
from yavik.core.files.delimited import read
from yavik.core.methods import answer
from yavik.core.table import Table

GROUPS = ["Alcove", "Gallery", "Terrace", "Winter garden"]


def case(seed: int) -> tuple[Table, pd.DataFrame]:
    """Unequal sizes and spreads, ties, empty cells in both columns."""
    rng = np.random.default_rng(seed)
    g = rng.choice(GROUPS, 160, p=[0.1, 0.2, 0.3, 0.4])
    y = np.round(rng.normal([20 + 3 * GROUPS.index(x) for x in g], [1 + GROUPS.index(x) for x in g]), 1)
    frame = pd.DataFrame({"g": g, "y": y})
    frame.loc[rng.choice(160, 9, replace=False), "y"] = np.nan
    frame.loc[rng.choice(160, 5, replace=False), "g"] = None
    return read(frame.to_csv(index=False).encode())[0], frame


def column(found: Answer, block: str, key: str) -> list[Any]:
    return [row[key].v for row in found.block(block).rows]


def samples(frame: pd.DataFrame) -> list[np.ndarray]:
    full = frame.dropna()
    return [full.y[full.g == name].to_numpy() for name in GROUPS]


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_groups(seed: int) -> None:
    table, frame = case(seed)
    found = answer("compare_groups", table, {"response": "y", "groups": "g"})
    by = frame.dropna(subset=["g"]).groupby("g").y
    assert column(found, "groups", "n") == by.count().tolist()
    assert column(found, "groups", "missing") == by.apply(lambda s: int(s.isna().sum())).tolist()
    assert column(found, "groups", "mean") == pytest.approx(by.mean().tolist())
    assert column(found, "groups", "sd") == pytest.approx(by.std().tolist())
    assert column(found, "groups", "median") == pytest.approx(by.median().tolist())
    assert column(found, "groups", "q1") == pytest.approx(by.quantile(0.25).tolist())
    assert column(found, "groups", "q3") == pytest.approx(by.quantile(0.75).tolist())
    for row, sample in zip(found.block("groups").rows, samples(frame), strict=True):
        low, high = stats.t.interval(0.95, len(sample) - 1, sample.mean(), stats.sem(sample))
        assert (row["ci_low"].v, row["ci_high"].v) == pytest.approx((low, high))
    assert found.rows.used == len(frame.dropna())
    assert sum(x.n for x in found.rows.left_out) == len(frame) - len(frame.dropna())


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_tests_and_facts(seed: int) -> None:
    table, frame = case(seed)
    found = answer("compare_groups", table, {"response": "y", "groups": "g"})
    parts = samples(frame)
    classical, ranks = stats.f_oneway(*parts), stats.kruskal(*parts)
    welch = anova_oneway(parts, use_var="unequal")
    facts = found.facts
    assert (facts["anova.f"], facts["anova.p"]) == pytest.approx((classical.statistic, classical.pvalue))
    assert (facts["welch.f"], facts["welch.df2"], facts["welch.p"]) == pytest.approx(
        (welch.statistic, welch.df_denom, welch.pvalue)
    )
    assert (facts["kruskal_wallis.h"], facts["kruskal_wallis.p"]) == pytest.approx((ranks.statistic, ranks.pvalue))
    table_p = dict(zip(column(found, "tests", "term"), column(found, "tests", "p"), strict=True))
    assert table_p["Classical F"] == pytest.approx(classical.pvalue)
    assert table_p["Kruskal–Wallis"] == pytest.approx(ranks.pvalue)
    every = np.concatenate(parts)
    between = sum(len(p) * (p.mean() - every.mean()) ** 2 for p in parts)
    total = ((every - every.mean()) ** 2).sum()
    within = (total - between) / (len(every) - 4)
    assert column(found, "effects", "estimate") == pytest.approx(
        [between / total, (between - 3 * within) / (total + within)]
    )


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_checks(seed: int) -> None:
    table, frame = case(seed)
    found = {c.id: c for c in answer("compare_groups", table, {"response": "y", "groups": "g"}).checks}
    parts = samples(frame)
    for centre in ("median", "mean"):
        other = stats.levene(*parts, center=centre)
        facts = found["equal_spread"].facts
        assert (facts[f"levene_{centre}.f"], facts[f"levene_{centre}.p"]) == pytest.approx(
            (other.statistic, other.pvalue)
        )
    shapiro = [stats.shapiro(p).pvalue for p in parts]
    assert found["normal"].facts["shapiro.p_lowest"] == pytest.approx(min(shapiro))
    far, kept = 0, []
    for p in parts:
        q1, q3 = np.quantile(p, [0.25, 0.75])
        inside = (p >= q1 - 1.5 * (q3 - q1)) & (p <= q3 + 1.5 * (q3 - q1))
        far += int((~inside).sum())
        kept.append(p[inside])
    assert found["outlying"].facts["outlying.n"] == far
    if far:
        assert found["outlying"].facts["outlying.p_without"] == pytest.approx(
            anova_oneway(kept, use_var="unequal").pvalue
        )


@pytest.mark.parametrize(("pairs", "equal"), [("tukey", True), ("games_howell", False)])
@pytest.mark.parametrize("seed", [1, 2])
def test_pairs(pairs: str, equal: bool, seed: int) -> None:
    table, frame = case(seed)
    found = answer("compare_groups", table, {"response": "y", "groups": "g", "pairs": pairs})
    parts = samples(frame)
    other = stats.tukey_hsd(*parts, equal_var=equal)
    for i, (a, b) in enumerate(combinations(range(4), 2)):
        row = found.block("pairs").rows[i]
        assert (row["group_a"].v, row["group_b"].v) == (GROUPS[a], GROUPS[b])
        assert row["difference"].v == pytest.approx(parts[a].mean() - parts[b].mean())
        assert row["p_adjusted"].v == pytest.approx(other.pvalue[a, b], abs=1e-6)
    apart = {(row["group_a"].v, row["group_b"].v) for row in found.block("pairs").rows if row["p_adjusted"].v < 0.05}
    letters = found.marks.letters
    assert {p for p in combinations(GROUPS, 2) if not set(letters[p[0]]) & set(letters[p[1]])} == apart


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_describe(seed: int) -> None:
    table, frame = case(seed)
    by = frame.dropna(subset=["g"]).groupby("g").y
    found = answer("describe", table, {"columns": ["y"], "by": "g"})
    for key, wanted in {
        "n": by.count(),
        "mean": by.mean(),
        "sd": by.std(),
        "se": by.sem(),
        "min": by.min(),
        "max": by.max(),
        "median": by.median(),
        "q1": by.quantile(0.25),
        "q3": by.quantile(0.75),
        "skewness": by.skew(),
        "kurtosis": by.apply(lambda s: s.kurt()),
    }.items():
        assert column(found, "groups", key) == pytest.approx(wanted.tolist()), key
    whole = answer("describe", table, {"columns": ["g", "y"]})
    counts = frame.g.value_counts().sort_index()
    listed = dict(zip(column(whole, "frequencies", "level"), column(whole, "frequencies", "n"), strict=True))
    assert [listed[name] for name in GROUPS] == counts.tolist()
    assert listed["empty"] == int(frame.g.isna().sum())
    shares = dict(zip(column(whole, "frequencies", "level"), column(whole, "frequencies", "share"), strict=True))
    assert shares["Alcove"] == pytest.approx(counts["Alcove"] / counts.sum())
