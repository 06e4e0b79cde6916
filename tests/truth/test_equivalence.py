"""Equivalence: one-sided tests against a margin by a second route, and their interval."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from tests.tables import demo_tables, table_from
from yavik.core.methods import answer
from yavik.core.stats.equivalence import of_means, of_share, of_shares
from yavik.core.stats.tables_of_counts import independence
from yavik.core.table import DataProblem

laws = settings(max_examples=25, deadline=None)


@laws
@given(st.integers(0, 10_000), st.floats(0.1, 3.0))
def test_means_by_shifted_one_sided_tests(seed: int, margin: float) -> None:
    rng = np.random.default_rng(seed)
    a, b = rng.normal(10, 1, 14).round(2), rng.normal(10.3, 2, 19).round(2)
    table = table_from(y=[*a, *b], g=["a"] * len(a) + ["b"] * len(b))
    for test, equal in (("welch", False), ("student", True)):
        found = answer("compare_two", table, {"response": "y", "groups": "g", "test": test, "margin": margin}).facts
        low = stats.ttest_ind(a + margin, b, equal_var=equal, alternative="greater").pvalue
        high = stats.ttest_ind(a - margin, b, equal_var=equal, alternative="less").pvalue
        assert found["equivalence.p"] == pytest.approx(max(low, high), rel=1e-8)
        inside = -margin < found["equivalence.ci_low"] and found["equivalence.ci_high"] < margin  # type: ignore[operator]
        assert inside == (found["equivalence.p"] < 0.05)  # type: ignore[operator]


@laws
@given(st.integers(0, 10_000))
def test_pairs_and_one_sample_agree(seed: int) -> None:
    rng = np.random.default_rng(seed)
    a, b = rng.normal(10, 1, 12).round(2), rng.normal(10, 1, 12).round(2)
    d = (a - b).round(2)
    table = table_from(a=a.tolist(), b=b.tolist(), d=d.tolist())
    for claim in ("equivalent", "not_lower", "not_higher"):
        more = {"margin": 0.5, "claim": claim}
        pairs = answer("compare_paired", table, {"first": "a", "second": "b", **more}).facts["equivalence.p"]
        one = answer("one_sample", table, {"column": "d", "value": 0, **more}).facts["equivalence.p"]
        assert pairs == pytest.approx(one, rel=1e-6)
    by_hand = stats.ttest_1samp(d, -0.5, alternative="greater").pvalue
    assert of_means(d.mean(), d.std(ddof=1) / 12**0.5, 11, 0.5, 0.05, "not_lower").p == pytest.approx(by_hand)


def test_two_shares_at_no_margin_are_pearsons_and_the_interval_turns_at_alpha() -> None:
    counts = np.array([[30.0, 70.0], [45.0, 55.0]])
    found = of_shares(30, 100, 45, 100, 1e-9, 0.05, "not_lower")
    assert found.above**2 == pytest.approx(independence(counts).pearson.chi2, rel=1e-5)
    edge = of_shares(30, 100, 45, 100, 0.3, 0.05, "not_lower").low
    assert of_shares(30, 100, 45, 100, -edge, 0.05, "not_lower").p == pytest.approx(0.05, abs=1e-6)


def test_one_share_by_hand() -> None:
    found = of_share(60, 100, 0.55, 0.15, 0.05, "equivalent")
    by_hand = stats.norm.sf((0.6 - 0.4) / np.sqrt(0.4 * 0.6 / 100)), stats.norm.cdf((0.6 - 0.7) / np.sqrt(0.21 / 100))
    assert found.p == pytest.approx(max(by_hand))
    assert of_share(99, 100, 0.95, 0.2, 0.05, "equivalent").p_below == 0.0  # no share is above 1


ROOMS = {"response": "brightness", "groups": "mill"}


def test_what_is_said() -> None:
    tint = demo_tables()["Page tint"]
    shown = answer("compare_two", tint, {**ROOMS, "margin": 3})
    assert "The difference lies within ±3.00" in shown.headline and "equivalence is shown, p = .001" in shown.headline
    assert (
        "Lower mill is 1.46 percentage points lower" in shown.headline
    )  # of shares in percent, 1.46% would be a ratio
    assert len(shown.block("equivalence").rows) == 2
    not_shown = answer("compare_two", tint, {**ROOMS, "margin": 1})
    assert "That the difference lies within ±1.00" in not_shown.headline and "is not shown" in not_shown.headline
    side = answer("compare_two", tint, {**ROOMS, "margin": 1, "claim": "not_higher"})
    assert "higher than Upper mill by 1.00" in side.headline and "is ruled out, p < .001" in side.headline
    assert len(side.block("equivalence").rows) == 1
    with pytest.raises(DataProblem, match="difference of means"):
        answer("compare_two", tint, {**ROOMS, "margin": 1, "test": "mann_whitney"})
    cards = {"column": "finished", "groups": "card", "margin": 0.1}
    with pytest.raises(DataProblem, match="two shares; there are 4 groups"):
        answer("proportion", demo_tables()["Winter challenge"], cards)


def test_false_claims_of_equivalence_stay_below_alpha() -> None:
    """At a true difference as large as the margin the claim is false; it may be made in one study of twenty."""
    rng = np.random.default_rng(5)
    made = 0
    for _ in range(4000):
        a, b = rng.normal(0.5, 1, 40), rng.normal(0, 1, 40)
        se = float(np.sqrt((a.var(ddof=1) + b.var(ddof=1)) / 40))
        made += of_means(float(a.mean() - b.mean()), se, 78, 0.5, 0.05, "equivalent").p < 0.05
    assert made / 4000 < 0.05 + 3 * np.sqrt(0.05 * 0.95 / 4000)
