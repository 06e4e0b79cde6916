"""Two waves of the reader survey, with a final weight and 50 replicate weights each; some questions were renamed
between.

The truth: the share that read in the last week is 58 % in 2023 and 63 % in 2025; visits a month ~ 2.1 and 2.4 (negative
binomial, size 1.5); trust 1 to 5 about 3.4 in both. Replicates are jackknife: 50 random groups, one left out at a time.
"""

from typing import Any

import numpy as np

from yavik.demo.table import TOWNS, Columns, DemoTable, describe_many, fixed, levels

REPLICATES = 50
SHARE = {2023: 0.58, 2025: 0.63}
VISITS = {2023: 2.1, 2025: 2.4}
ADULTS = 41_000
"""Grown-up inhabitants of the valley, which the weights add up to."""


def wave(year: int, n: int, seed: int) -> dict[str, np.ndarray]:
    rng = np.random.default_rng(seed)
    raw = rng.gamma(6, 1, n) + 1
    weight = raw / raw.sum() * ADULTS
    group = rng.permutation(n) % REPLICATES
    keep = REPLICATES / (REPLICATES - 1)
    replicates = np.where(group[:, None] == np.arange(REPLICATES), 0.0, weight[:, None] * keep)
    trust = np.clip(np.round(rng.normal(3.4, 1.0, n)), 1, 5)
    return {
        "read": rng.random(n) < SHARE[year],
        "visits": rng.poisson(rng.gamma(1.5, VISITS[year] / 1.5, n)),
        "trust": np.where(rng.random(n) < 0.04, -8, np.where(rng.random(n) < 0.02, -9, trust)),
        "age": np.clip(rng.normal(46, 17, n), 16, 95),
        "sex": rng.integers(1, 3, n),
        "town": rng.integers(0, 9, n),
        "weight": weight,
        "replicates": replicates,
    }


def weights(w: dict[str, np.ndarray], name: str, stem: str) -> Columns:
    columns = {name: fixed(w["weight"], 4)}
    return columns | {f"{stem}{j + 1}": fixed(w["replicates"][:, j], 4) for j in range(REPLICATES)}


def survey_2023() -> Columns:
    w = wave(2023, 3300, 701)
    n = len(w["age"])
    return {
        "person": [f"A{i + 1:04d}" for i in range(n)],
        "read_week": ["1" if r else "2" for r in w["read"]],
        "visits": [str(v) for v in w["visits"]],
        "trust": [str(int(t)) for t in w["trust"]],
        "age": [str(int(a)) for a in w["age"]],
        "sex": [str(s) for s in w["sex"]],
        "town": [TOWNS[t] for t in w["town"]],
        **weights(w, "wt", "rw"),
    }


def survey_2025() -> Columns:
    """'read_week' became 'last_week_read' with the codes turned round, 'trust' became 'trust_library'; a new
    question came."""
    w = wave(2025, 3660, 702)
    n = len(w["age"])
    return {
        "person": [f"C{i + 1:04d}" for i in range(n)],
        "last_week_read": ["0" if not r else "1" for r in w["read"]],
        "visits": [str(v) for v in w["visits"]],
        "trust_library": [str(int(t)) for t in w["trust"]],
        "age": [str(int(a)) for a in w["age"]],
        "sex": [str(s) for s in w["sex"]],
        "town": [TOWNS[t] for t in w["town"]],
        "e_books": ["yes" if (i * 7919) % 100 < 37 else "no" for i in range(n)],
        **weights(w, "weight", "rep_"),
    }


NO_ANSWER = [{"code": "-8", "meaning": "refused"}, {"code": "-9", "meaning": "does not know"}]
TRUST = {"1": "none", "2": "little", "3": "some", "4": "much", "5": "full"}
SEX = {"1": "female", "2": "male"}


def steps(read: str, yes_no: dict[str, str], trust: str, weight: str, stem: str) -> list[dict[str, Any]]:
    return [
        levels(read, yes_no),
        levels("sex", SEX),
        {"step": "empty_codes", "columns": [trust], "codes": ["-8", "-9"], "meanings": NO_ANSWER},
        levels(trust, TRUST),
        {"step": "kind", "column": trust, "kind": "ordered"},
        describe_many(
            (read, "Read a book in the last week", None),
            (trust, "How much do you trust the library?", None),
            ("visits", "Visits in the last month", "visits"),
            ("age", "Age", "years"),
            (weight, "Survey weight", None),
        ),
        {
            "step": "design",
            "weight": weight,
            "replicates": [f"{stem}{j + 1}" for j in range(REPLICATES)],
            "method": "jk1",
        },
    ]


TABLES = (
    DemoTable(
        "Reader survey 2023",
        "reader-survey-2023.csv",
        survey_2023,
        steps("read_week", {"1": "yes", "2": "no"}, "trust", "wt", "rw"),
    ),
    DemoTable(
        "Reader survey 2025",
        "reader-survey-2025.csv",
        survey_2025,
        steps("last_week_read", {"1": "yes", "0": "no"}, "trust_library", "weight", "rep_"),
    ),
)


def join_step(other: str) -> dict[str, Any]:
    """The waves in one table; ``other`` is the id of the second one."""
    both = {
        "visits": "visits",
        "age": "age",
        "sex": "sex",
        "town": "town",
        "read_week": "last_week_read",
        "trust": "trust_library",
    }
    return {
        "step": "join_waves",
        "label": "2023",
        "weight": "wt",
        "replicates": [f"rw{j + 1}" for j in range(REPLICATES)],
        "waves": [
            {
                "table": other,
                "label": "2025",
                "weight": "weight",
                "replicates": [f"rep_{j + 1}" for j in range(REPLICATES)],
            }
        ],
        "variables": [{"name": a, "columns": {"2023": a, "2025": b}} for a, b in both.items()],
    }
