"""Scales and items at the edges: what cannot be asked is refused by name, what is doubtful is checked, remedies
work."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import Answer, Check
from yavik.core.methods import answer
from yavik.core.methods.fit import fitting
from yavik.core.methods.registry import new_columns
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem, Table

MOTIVES = [f"m{i}" for i in range(1, 13)]
QUIZ = [f"item{i}" for i in range(1, 10)]


def scale(seed: int = 1, n: int = 150, k: int = 6, m: int = 1) -> dict[str, list[Any]]:
    """Answers from 1 to 5 to items of m factors."""
    rng = np.random.default_rng(seed)
    f = rng.normal(size=(n, m))
    y = np.column_stack([f[:, j % m] + rng.normal(0, 0.8, n) for j in range(k)])
    return {f"q{j + 1}": np.clip(np.round(3 + y[:, j]), 1, 5).astype(int).tolist() for j in range(k)}


def right(seed: int = 1, n: int = 300, k: int = 6) -> dict[str, list[Any]]:
    """Right and wrong answers of one ability."""
    rng = np.random.default_rng(seed)
    theta = rng.normal(size=(n, 1))
    b = np.linspace(-1, 1, k)
    return {
        f"q{j + 1}": v.tolist()
        for j, v in enumerate((rng.random((n, k)) < 1 / (1 + np.exp(-1.4 * (theta - b)))).astype(int).T)
    }


def check(a: Answer, id: str) -> Check:
    """One of its checks."""
    return next(c for c in a.checks if c.id == id)


def remedied(method: str, table: Table, spec: dict[str, Any], a: Answer, id: str, which: int = 0) -> Answer:
    """The answer after a remedy of a check."""
    remedy = check(a, id).remedies[which]
    if remedy.step:
        made = apply_path(table, [new_step(remedy.step)])
        assert made.effects[-1].problem is None
        return answer(method, made.table, spec)
    assert remedy.spec is not None
    return answer(method, table, {**spec, **remedy.spec})


def cells(a: Answer, id: str) -> list[dict[str, Any]]:
    """Rows of one of its tables."""
    return next(b.rows for b in a.blocks if b.type == "table" and b.id == id)  # type: ignore[return-value]


REFUSED: list[tuple[str, dict[str, list[Any]], dict[str, Any], list[str]]] = [
    ("factor_analysis", scale(k=2), {"items": ["q1", "q2"]}, ["three items"]),
    (
        "factor_analysis",
        scale(k=5),
        {"items": ["q1", "q2", "q3", "q4", "q5"], "factors": 3},
        ["3 factors", "5 items", "at most 2"],
    ),
    (
        "factor_analysis",
        scale() | {"q2": [4] * 150},
        {"items": ["q1", "q2", "q3"]},
        ["q2", "the same", "Leave it out"],
    ),
    ("factor_analysis", scale(), {"items": ["q1", "q2", "q2"]}, ["q2 is chosen twice"]),
    ("factor_analysis", scale() | {"q3": ["x", *[2] * 149]}, {"items": ["q1", "q2", "q3"]}, ["q3", "x"]),
    ("factor_analysis", scale() | {"q3": [None] * 150}, {"items": ["q1", "q2", "q3"], "missing": "pairwise"}, ["q3"]),
    (
        "factor_analysis",
        scale() | {"q6": scale()["q1"]},
        {"items": ["q1", "q2", "q3", "q6"], "extraction": "ml"},
        ["q1 and q6", "principal axes"],
    ),
    (
        "principal_components",
        scale(n=4, k=8),
        {"items": [f"q{j}" for j in range(1, 9)], "components": 6},
        ["too many"],
    ),
    ("item_response", right(k=1), {"items": ["q1"]}, ["two items"]),
    (
        "item_response",
        right() | {"q4": [1] * 300},
        {"items": ["q1", "q2", "q4"]},
        ["Everyone answered q4 with 1", "Leave it out"],
    ),
    ("item_response", right() | {"q4": [None] * 300}, {"items": ["q1", "q2", "q4"]}, ["q4"]),
    (
        "item_response",
        right() | {"q4": ["a", "b"] * 150},
        {"items": ["q1", "q2", "q4"]},
        ["q4 is answered in words (a and b)", "Right answers"],
    ),
    (
        "item_response",
        right() | {"q4": ["a", "b"] * 150},
        {"items": ["q1", "q4"], "key": {"q4": "c"}},
        ["No answer to q4 is “c”", "a and b"],
    ),
    (
        "item_response",
        scale(),
        {"items": ["q1", "q2", "q3"], "model": "two_parameter"},
        ["q1 has 5 different answers", "graded"],
    ),
    (
        "item_response",
        right() | {"q4": list(range(300))},
        {"items": ["q1", "q2", "q4"]},
        ["q4 has 300 different answers"],
    ),
    ("item_response", right(), {"items": ["q1", "q2"], "key": {"q9": "1"}}, ["q9", "not among the items"]),
    ("agreement", {"p": [1, 2, 3, 4]}, {"raters": ["p"]}, ["two raters"]),
    ("agreement", {"p": ["a"] * 5, "q": ["a"] * 5}, {"raters": ["p", "q"]}, ["Every rating is “a”"]),
    (
        "agreement",
        {"p": ["a", "b"] * 5, "q": ["b", "a"] * 5},
        {"raters": ["p", "q"], "weights": "linear"},
        ["no order"],
    ),
    (
        "agreement",
        {"p": ["a", "b"] * 5, "q": ["b", "a"] * 5},
        {"raters": ["p", "q"], "kind": "icc"},
        ["p holds words"],
    ),
    (
        "agreement",
        {"p": [1.5, None, 2.0, None], "q": [None, 1.0, 2.1, 3.0]},
        {"raters": ["p", "q"]},
        ["1 row is rated by both", "three"],
    ),
]


@pytest.mark.parametrize(("method", "columns", "spec", "words"), REFUSED)
def test_what_cannot_be_asked_is_refused_by_name(
    method: str, columns: dict[str, list[Any]], spec: dict[str, Any], words: list[str]
) -> None:
    with pytest.raises(DataProblem) as e:
        answer(method, table_from(**columns), spec)
    for w in words:
        assert w in str(e.value)


def test_a_stray_item_goes_and_the_rest_stays() -> None:
    table, spec = demo_tables()["Reading motives"], {"items": MOTIVES}
    a = answer("factor_analysis", table, spec)
    assert check(a, "stray").verdict == "doubtful" and "pencil" in check(a, "stray").text
    b = remedied("factor_analysis", table, spec, a, "stray")
    assert check(b, "stray").verdict == "holds" and b.facts["items"] == 11
    told = check(a, "stray").text
    share = float(b.facts["explained"])
    assert f"{100 * share:.1f}%" in told or abs(share - 0.454) < 0.02


def test_factors_that_hardly_correlate_may_be_kept_apart() -> None:
    table, spec = demo_tables()["Reading motives"], {"items": MOTIVES}
    a = answer("factor_analysis", table, spec)
    b = remedied("factor_analysis", table, spec, a, "related")
    assert b.spec["rotation"] == "varimax" and check(b, "related").verdict == "holds"
    related = table_from(**_related_scale())
    apart = {"items": [f"q{j}" for j in range(1, 9)], "rotation": "varimax", "factors": 2}
    c = answer("factor_analysis", related, apart)
    assert check(c, "related").verdict == "doubtful"
    d = remedied("factor_analysis", related, apart, c, "related")
    assert d.spec["rotation"] == "oblimin" and abs(float(d.facts["factor_1.factor_2.r"])) > 0.4


def _related_scale() -> dict[str, list[Any]]:
    rng = np.random.default_rng(5)
    f = rng.multivariate_normal([0, 0], [[1, 0.6], [0.6, 1]], 400)
    return {f"q{j + 1}": np.round(f[:, j % 2] + rng.normal(0, 0.7, 400), 2).tolist() for j in range(8)}


def test_items_that_repeat_one_another_are_named() -> None:
    columns = scale(k=5)
    twice = table_from(**columns, again=columns["q2"])
    spec = {"items": [*columns, "again"]}
    a = answer("factor_analysis", twice, spec)
    assert check(a, "singular").verdict == "fails" and "q2 and again are the same" in check(a, "singular").text
    assert check(a, "adequacy").verdict == "unknown"
    b = remedied("factor_analysis", twice, spec, a, "singular")
    assert all(c.id != "singular" for c in b.checks)
    with pytest.raises(DataProblem, match="no factor scores"):
        new_columns(twice, "factor_analysis", spec)


def test_a_sum_of_items_is_named() -> None:
    columns = scale(k=5)
    total = [x + y for x, y in zip(columns["q1"], columns["q3"], strict=True)]
    a = answer("factor_analysis", table_from(**columns, total=total), {"items": [*columns, "total"], "factors": 1})
    said = check(a, "singular").text
    assert all(n in said for n in ("q1", "q3", "total")) and "q2" not in said


def test_twelve_people_are_too_few_but_answered() -> None:
    columns = scale(n=12, k=12, m=2)
    a = answer("factor_analysis", table_from(**columns), {"items": list(columns)})
    assert check(a, "complete").verdict == "fails"
    assert check(a, "singular").verdict == "fails" and "12 rows for 12 items" in check(a, "singular").text
    assert cells(a, "adequacy")[0]["value"].why == "the correlations cannot be inverted"


def test_an_item_explained_whole_is_named_with_what_to_do() -> None:
    rng = np.random.default_rng(3)
    f = rng.normal(size=(60, 1))
    y = np.column_stack([f[:, 0] + rng.normal(0, s, 60) for s in (0.02, 1, 1, 1.2)])
    table = table_from(**{f"q{j + 1}": y[:, j].round(3).tolist() for j in range(4)})
    spec = {"items": ["q1", "q2", "q3", "q4"], "factors": 1, "extraction": "ml"}
    a = answer("factor_analysis", table, spec)
    proper = check(a, "proper")
    assert proper.verdict == "fails" and "“q1”" in proper.text and "Heywood" in proper.text
    assert all(np.isfinite(v) for v in a.facts.values() if not isinstance(v, str))


def test_nothing_in_common_is_said() -> None:
    rng = np.random.default_rng(8)
    columns = {f"q{j}": rng.integers(1, 6, 200).tolist() for j in range(8)}
    a = answer("factor_analysis", table_from(**columns), {"items": list(columns)})
    assert check(a, "number").verdict == "fails" and "No factor stands out" in check(a, "number").text
    assert a.facts["factors"] == 1 and a.facts["parallel"] == 0


def test_a_hidden_loading_keeps_its_value() -> None:
    a = answer("factor_analysis", demo_tables()["Reading motives"], {"items": MOTIVES, "hide_below": 0.5})
    for row in cells(a, "loadings"):
        for key in ("factor_1", "factor_2"):
            cell = row[key]
            assert isinstance(cell.v, float)
            assert (cell.s == "") == (abs(cell.v) < 0.5)


def test_a_name_goes_with_its_item_to_any_number_of_factors() -> None:
    table = demo_tables()["Reading motives"]
    for m in (2, 3, 4):
        a = answer(
            "factor_analysis", table, {"items": MOTIVES, "factors": m, "names": {"m2": "Escape", "m7": "Curiosity"}}
        )
        names = [row["factor"].s for row in cells(a, "factors")]
        at = {row["name"].s: row for row in cells(a, "loadings")}
        for item, name in (("m2", "Escape"), ("m7", "Curiosity")):
            j = names.index(name) + 1
            sizes = [abs(float(at[item][f"factor_{i + 1}"].v)) for i in range(m)]
            assert int(np.argmax(sizes)) + 1 == j
        assert "Escape" in a.headline or m > 4


def test_factors_as_scales_of_plain_means() -> None:
    table = demo_tables()["Reading motives"]
    spec = {"items": MOTIVES, "scores": "means", "names": {"m1": "Escape"}}
    a = answer("factor_analysis", table, spec)
    rows = cells(a, "scales")
    alone = answer("reliability", table.select(MOTIVES), {"items": [*MOTIVES[:5], "m11"]})
    assert rows[0]["items"].s == "m1, m2, m3, m4, m5, m11"
    assert float(rows[0]["alpha"].v) == pytest.approx(
        float(alone.facts["cronbach_alpha"]), abs=0.03
    )  # rows differ a little
    mean = new_columns(table, "factor_analysis", spec)[0][1].to_numpy(zero_copy_only=False)
    own = table.numbers("escape")
    both = ~np.isnan(own)
    assert np.allclose(mean[both], own[both])


def test_one_fewer_and_one_more_are_those_solutions() -> None:
    table = demo_tables()["Reading motives"]
    a = answer("factor_analysis", table, {"items": MOTIVES, "extraction": "ml"})
    rows = {int(r["number"].v): r for r in cells(a, "numbers")}
    assert set(rows) == {1, 2, 3}
    for m in (1, 3):
        b = answer("factor_analysis", table, {"items": MOTIVES, "extraction": "ml", "factors": m})
        assert rows[m]["part"].v == pytest.approx(b.facts["explained"])
        assert rows[m]["p"].v == pytest.approx(b.facts["fit.p"])


def test_components_of_covariances_say_whose_they_are() -> None:
    table = demo_tables()["Reading pace"]
    spec = {"items": ["pace", "span", "recall", "rest"], "matrix": "covariance"}
    a = answer("principal_components", table, spec)
    assert check(a, "scale").verdict == "doubtful" and "mostly those of pace" in check(a, "scale").text
    b = remedied("principal_components", table, spec, a, "scale")
    assert check(b, "scale").verdict == "holds"


def test_an_item_that_runs_backwards_is_turned_by_its_remedy() -> None:
    columns = right(n=600)
    table = table_from(**columns | {"q2": [1 - v for v in columns["q2"]]})
    spec = {"items": list(columns)}
    a = answer("item_response", table, spec)
    found = check(a, "backwards")
    assert found.verdict == "fails" and "q2" in found.text
    turn = next(i for i, r in enumerate(found.remedies) if r.spec and "key" in r.spec)
    b = remedied("item_response", table, spec, a, "backwards", turn)
    assert float(b.facts["q2.discrimination"]) == pytest.approx(-float(a.facts["q2.discrimination"]), rel=1e-4)
    assert all(c.id != "backwards" for c in b.checks)


def test_people_with_all_or_nothing_right_keep_an_ability() -> None:
    columns = right(n=120, k=4)
    table = table_from(**columns)
    a = answer("item_response", table, {"items": list(columns)})
    total = np.sum(list(columns.values()), axis=0)
    assert a.facts["all_right"] == (total == 4).sum() and a.facts["none_right"] == (total == 0).sum()
    made = {
        c.name: v.to_numpy(zero_copy_only=False)
        for c, v in new_columns(table, "item_response", {"items": list(columns)})
    }
    assert np.isfinite(made["ability"]).all()
    assert made["ability"][total == 4].min() > made["ability"][total == 0].max()


def test_an_all_empty_person_is_left_out_and_empty_cells_are_not_wrong() -> None:
    columns = {k: [None, *v] for k, v in right().items()}
    columns["q1"][5] = None
    table = table_from(**columns)
    a = answer("item_response", table, {"items": list(columns)})
    assert a.rows.used == 300 and a.rows.left_out[0].n == 1
    assert "1 row without any answer left out" in check(a, "empty").text and "most in q1" in check(a, "empty").text
    ability = new_columns(table, "item_response", {"items": list(columns)})[0][1]
    assert ability.null_count == 1


def test_people_in_another_order_keep_their_own_ability() -> None:
    columns = right(n=150, k=5)
    order = np.random.default_rng(3).permutation(150)
    turned = {k: [v[i] for i in order] for k, v in columns.items()}
    spec = {"items": list(columns)}
    plain, moved = (
        new_columns(table_from(**c), "item_response", spec)[0][1].to_numpy(zero_copy_only=False)
        for c in (columns, turned)
    )
    assert np.allclose(plain[order], moved)


def test_a_level_that_nobody_chose_is_said() -> None:
    columns = scale()
    columns["q2"] = [min(v, 4) for v in columns["q2"]]
    steps: list[dict[str, Any]] = [
        {"step": "levels", "column": "q1", "levels": [{"value": str(v)} for v in range(1, 6)], "also": ["q2", "q3", "q4"]},
        *({"step": "kind", "column": f"q{j}", "kind": "ordered"} for j in range(1, 5)),
    ]  # fmt: skip
    table = apply_path(table_from(**columns), [new_step(s) for s in steps]).table
    a = answer("item_response", table, {"items": ["q1", "q2", "q3", "q4"]})
    assert "q2 (5)" in check(a, "unused").text
    row = next(r for r in cells(a, "estimates") if r["item"].s == "q2")
    assert row["threshold_4"].why == "the item has fewer answers" and row["threshold_3"].v is not None


def test_an_item_that_orders_without_error_is_held_and_named() -> None:
    columns = right(n=200, k=5)
    total = np.sum([columns[f"q{j}"] for j in range(1, 6)], axis=0)
    columns["cut"] = (total >= 3).astype(int).tolist()
    a = answer("item_response", table_from(**columns), {"items": list(columns)})
    assert all(np.isfinite(v) for v in a.facts.values() if not isinstance(v, str))
    told = check(a, "telling")
    if float(a.facts["cut.discrimination"]) >= 24.9:
        assert told.verdict == "fails" and "“cut”" in told.text
        assert next(r for r in cells(a, "estimates") if r["item"].s == "cut")["discrimination_se"].why


def test_hidden_dependence_and_rows_that_do_not_fit_are_named() -> None:
    columns = right(n=500, k=8)
    columns["again"] = columns["q4"]
    a = answer("item_response", table_from(**columns), {"items": list(columns)})
    found = check(a, "one_thing")
    assert found.verdict != "holds" and "again" in found.text and "q4" in found.text


def test_items_of_different_length_in_one_sum_are_said() -> None:
    columns = scale()
    columns["q2"] = [2 * v - 1 for v in columns["q2"]]
    a = answer("reliability", table_from(**columns), {"items": list(columns)})
    assert check(a, "lengths").verdict == "doubtful" and "q2 over 8" in check(a, "lengths").text
    assert all(
        c.id != "lengths" for c in answer("reliability", table_from(**scale()), {"items": list(columns)}).checks
    )


def test_one_answer_in_nearly_all_ratings_is_said() -> None:
    rng = np.random.default_rng(2)
    p = np.where(rng.random(100) < 0.95, "fine", "poor")
    q = np.where(rng.random(100) < 0.95, "fine", "poor")
    a = answer("agreement", table_from(p=p.tolist(), q=q.tolist()), {"raters": ["p", "q"]})
    assert check(a, "prevalence").verdict == "doubtful"
    assert float(a.facts["same"]) > 0.8 and float(a.facts["kappa"]) < 0.4


def test_differences_that_grow_are_said() -> None:
    rng = np.random.default_rng(3)
    x = rng.uniform(10, 100, 80)
    a = answer(
        "agreement",
        table_from(p=(x * 1.1).round(2).tolist(), q=(x + rng.normal(0, 1, 80)).round(2).tolist()),
        {"raters": ["p", "q"]},
    )
    assert check(a, "growing").verdict == "doubtful" and "grows with what is measured" in check(a, "growing").text
    wide = answer(
        "agreement",
        table_from(p=x.round(2).tolist(), q=(x + rng.normal(0, 0.1 * x)).round(2).tolist()),
        {"raters": ["p", "q"], "kind": "limits"},
    )
    assert "spread otherwise" in check(wide, "growing").text


def test_full_agreement_is_no_crash() -> None:
    x = [1.0, 2.0, 3.0, 4.5, 5.0]
    for kind in ("icc", "limits"):
        a = answer("agreement", table_from(p=x, q=x), {"raters": ["p", "q"], "kind": kind})
        assert float(a.facts["bias"]) == 0 and float(a.facts["icc_2_1"]) == pytest.approx(1)
    words = ["a", "b", "c", "a", "b"]
    k = answer("agreement", table_from(p=words, q=words, r=words), {"raters": ["p", "q", "r"]})
    assert float(k.facts["kappa"]) == pytest.approx(1)


@pytest.mark.parametrize(
    ("table", "columns", "first"),
    [
        ("Word quiz", QUIZ, "item_response"),
        ("Reading motives", MOTIVES, "factor_analysis"),
        ("Reading motives", MOTIVES[:5], "reliability"),
        ("Returned books", ["ines", "oskar", "petra"], "agreement"),
        ("Returned books", ["counter", "cellar"], "agreement"),
    ],
)
def test_ask_finds_them_for_the_tables_they_were_made_for(table: str, columns: list[str], first: str) -> None:
    found = [f.method for f in fitting(demo_tables()[table], columns)]
    assert first in found[:3], found[:5]


@pytest.mark.parametrize("scaled", [1e-6, 1.0, 1e6])
def test_shift_and_scale_leave_factors_alone(scaled: float) -> None:
    rng = np.random.default_rng(4)
    f = rng.normal(size=(120, 2))
    y = np.column_stack([f[:, j % 2] + rng.normal(0, 0.7, 120) for j in range(6)])
    names = [f"v{j}" for j in range(6)]
    plain = answer(
        "factor_analysis", table_from(**{n: y[:, j].tolist() for j, n in enumerate(names)}), {"items": names}
    )
    moved = y * scaled + np.array([1e9, 0, -1e5, 1e9, 3, 1e7]) * scaled
    other = answer(
        "factor_analysis", table_from(**{n: moved[:, j].tolist() for j, n in enumerate(names)}), {"items": names}
    )
    for key in ("kmo", "explained", "v0.factor_1", "factor_1.factor_2.r"):
        assert float(other.facts[key]) == pytest.approx(float(plain.facts[key]), abs=1e-4)
