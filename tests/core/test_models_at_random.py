"""Models of random small tables, with empty cells, constant and copied columns, few rows and far scales: an answer
without
holes, or a sentence."""

import json
import random
import warnings
from typing import Any

import numpy as np
import pytest

from tests.core.test_options import sound
from tests.tables import table_from
from yavik.core.methods import answer
from yavik.core.table import DataProblem

NAMES = ["x0", "x1", "x2", "x3", "g", "h"]


def columns_of(r: random.Random, rng: Any, n: int) -> dict[str, list[str | None]]:
    def numbers() -> list[str | None]:
        kind = r.random()
        if kind < 0.5:
            values = rng.normal(r.choice([0, 10, 1e6, -3]), r.choice([1, 1e-6, 1e6, 0.1]), n)
        elif kind < 0.8:
            values = rng.integers(0, r.choice([2, 3, 8]), n).astype(float)
        else:
            values = np.round(rng.gamma(1, 3, n), 1) if kind < 0.95 else np.full(n, 3.0)
        gaps = r.choice([0, 0, 0.1])
        return [None if r.random() < gaps else repr(float(v)) for v in values]

    found = {name: numbers() for name in ("x0", "x1", "x2", "x3", "y")}
    if r.random() < 0.3:
        found["x3"] = [
            None if a is None or b is None else repr(float(a) + 2 * float(b))
            for a, b in zip(found["x0"], found["x1"], strict=True)
        ]
    found["g"] = [r.choice("ab" if r.random() < 0.5 else "abcd") for _ in range(n)]
    found["h"] = [r.choice("uvw") for _ in range(n)]
    found["d"] = [r.choice(["yes", "no"]) for _ in range(n)]
    if r.random() < 0.2:
        found["d"] = ["yes" if a is not None and float(a) > 0 else "no" for a in found["x0"]]
    return found


def asked(r: random.Random) -> tuple[str, dict[str, Any]]:
    terms: list[Any] = r.sample(NAMES, r.randint(1, 5))
    if r.random() < 0.4:
        terms.append({"column": r.choice(NAMES), "power": r.randint(2, 5)})
    if r.random() < 0.4:
        terms.append({"interaction": r.sample(NAMES, r.choice([2, 2, 3]))})
    method = r.choice(["linear", "logistic", "line_up"])
    selection = r.choice(["none", "none", "none", "forward", "backward", "stepwise"])
    if method == "linear":
        spec = {
            "response": "y",
            "terms": terms,
            "se": r.choice(["classical", "hc0", "hc2", "hc3"]),
            "selection": selection,
        }
        return method, {**spec, "choose_by": r.choice(["p", "aic", "bic"]), "intercept": r.random() < 0.85}
    if method == "logistic":
        spec = {
            "response": "d",
            "terms": terms,
            "link": r.choice(["logit", "logit", "probit", "cloglog"]),
            "selection": selection,
        }
        return method, {
            **spec,
            "interval": r.choice(["wald", "profile"]),
            "penalty": r.choice(["none", "none", "firth"]),
        }
    kind, response = r.choice([("linear", "y"), ("logistic", "d")])
    models = [
        {"method": kind, "spec": {"response": response, "terms": r.sample(NAMES, r.randint(1, 3))}}
        for _ in range(r.randint(1, 4))
    ]
    return method, {"models": models, "rows": r.choice(["same", "own"]), "show": r.choice(["effects", "b"])}


@pytest.mark.parametrize("block", range(8))
def test_an_answer_without_holes_or_a_sentence(block: int) -> None:
    answered = 0
    for seed in range(1000 * block, 1000 * block + 15):
        r, rng = random.Random(seed), np.random.default_rng(seed)
        table = table_from(**columns_of(r, rng, r.choice([3, 5, 6, 8, 10, 15, 30, 60])))
        method, spec = asked(r)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("error", RuntimeWarning)
                found = answer(method, table, spec)
        except DataProblem as problem:
            assert len(problem.message) > 15 and problem.message.endswith((".", "?")), (seed, problem.message)
            continue
        sound(found)
        json.dumps(found.model_dump(mode="json"), allow_nan=False)
        answered += 1
    assert answered
