"""What tables print, worked out again from the data or from the cells beside it."""

import re
from typing import Any

import numpy as np
import pytest

from tests.hostile import CASES
from tests.laws import in_its_parts
from tests.tables import demo_tables, table_from
from yavik.core.answers.answer import Cell, Head, TableBlock
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.table import DataProblem

RAISED = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹", "0123456789")


def value_of(equation: str, at: dict[str, float]) -> float:
    """An equation as it is printed, at a row: '… = 1.5 + 0.25 × width − 0.1 × (depth − 3)²'."""
    text = equation.split(" = ", 1)[1].replace("\u2009", "").replace("−", "-").replace("×", "*")
    for name in sorted(at, key=len, reverse=True):
        text = text.replace(name, f"({at[name]!r})")
    text = re.sub(r"([⁰¹²³⁴⁵⁶⁷⁸⁹]+)", lambda m: f"**{m[1].translate(RAISED)}", text)
    assert re.fullmatch(r"[-+*().e\d\s]+", text), text
    return float(eval(text))


def measured(n: int = 120, seed: int = 8, far: float = 0.0, unit: float = 1.0) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    width, depth = rng.uniform(2, 9, n).round(2), rng.uniform(40, 90, n).round(1)
    site = np.array(["marsh", "dune"])[rng.integers(0, 2, n)]
    y = 3 + 0.8 * width - 0.02 * (depth - 60) ** 2 + (site == "dune") * (1 + 0.3 * width) + rng.normal(size=n)
    return {
        "width": (width * unit + far).round(9).tolist(), "depth": depth.tolist(), "site": site.tolist(),
        "y": y.round(2).tolist(),
    }  # fmt: skip


BENT = ["width", "depth", {"column": "depth", "power": 2}]
MODELS: dict[str, list[Any]] = {
    "straight": ["width", "depth"],
    "bent": BENT,
    "by site": ["width", "site", {"interaction": ["width", "site"]}],
    "mixed": [*BENT, "site", {"interaction": ["width", "depth"]}],
}


@pytest.mark.parametrize(("far", "unit"), [(0.0, 1.0), (1e6, 1.0), (0.0, 1e-5), (0.0, 1e7)])
@pytest.mark.parametrize("model", list(MODELS))
def test_an_equation_gives_the_fitted_values_to_a_thousandth_of_the_spread(
    model: str, far: float, unit: float
) -> None:
    """As far as its digits promise, wherever the measures have their zero and whatever their unit."""
    columns = measured(far=far, unit=unit)
    spec = {"response": "y", "terms": MODELS[model]}
    table = table_from(**columns)
    rows = answer("linear", table, spec).block("equations").rows
    fitted = next(a for c, a in new_columns(table, "linear", spec) if c.name == "y predicted").to_pylist()
    first = next(iter(rows[0]))
    printed = {row[first].s.lower(): row["equation"].s for row in rows}
    allowed = max(np.std(columns["y"]) / 1000, 0.005) + 1e-9
    for i in range(0, len(fitted), 7):
        site = columns["site"][i]
        equation = next((e for level, e in printed.items() if site in level), next(iter(printed.values())))
        at = {"width": columns["width"][i], "depth": columns["depth"][i]}
        assert value_of(equation, at) == pytest.approx(fitted[i], abs=allowed), equation


def test_rows_put_into_their_groups_are_counted_and_shared() -> None:
    rng = np.random.default_rng(5)
    group = np.repeat(["a", "b", "c"], [20, 14, 9])
    x = rng.normal(size=(43, 2)) + 1.2 * np.repeat(np.arange(3), [20, 14, 9])[:, None]
    table = table_from(g=group.tolist(), x1=x[:, 0].tolist(), x2=x[:, 1].tolist())
    spec = {"groups": "g", "columns": ["x1", "x2"]}
    found = answer("discriminant", table, spec)
    tables = [b for b in found.blocks if isinstance(b, TableBlock) and any(c.key == "to_1" for c in b.columns)]
    assert tables
    for block in tables:
        for own, (row, n) in enumerate(zip(block.rows, (20, 14, 9), strict=True)):
            counts = [float(row[f"to_{h + 1}"].v or 0) for h in range(3)]
            assert sum(counts) == n
            assert row["right"].v == pytest.approx(counts[own] / n)
            assert [row[f"to_{h + 1}"].strong for h in range(3)] == [h == own for h in range(3)]
    right = sum(float(row[f"to_{i + 1}"].v or 0) for i, row in enumerate(tables[0].rows))
    assert f"{right:.0f} of 43 rows right, {100 * right / 43:.1f}%" in (tables[0].note or "")


def test_as_many_models_as_can_be_read_stand_side_by_side() -> None:
    table = demo_tables()["Branches"]
    models = [
        {"method": "linear", "spec": {"response": "visits", "terms": ["floor_area"], "where": f"row > {i}"}}
        for i in range(13)
    ]
    assert answer("line_up", table, {"models": models[:12]}).facts["models"] == 12
    with pytest.raises(DataProblem, match="13 models are too many to read side by side; up to 12"):
        answer("line_up", table, {"models": models})


@pytest.mark.parametrize(("design", "least"), [("correlation", 4), ("chi_square", 6), ("one_mean", 3)])
def test_the_fewest_rows_of_a_design(design: str, least: int) -> None:
    """Fisher's z of a correlation needs four rows; each design says so below its fewest."""
    spec = {"design": design, "find": "power", "df": 4, "effect": 0.5, "difference": 0.5, "sd": 1.0}
    nothing = table_from(a=[1.0, 2.0])
    assert 0 < answer("study_size", nothing, {**spec, "n": least}).facts["power"] < 1
    with pytest.raises(DataProblem, match=f"needs at least {least} rows|greater than or equal to {least}"):
        answer("study_size", nothing, {**spec, "n": least - 1})


def test_courses_are_cut_before_the_first_time_after_the_start() -> None:
    case = next(c for c in CASES if c.method == "difference_in_differences")
    found = answer(case.method, case.data(), case.asked())
    picture = next(b for b in found.blocks if b.type == "figure" and b.id == "figure")
    rules = [layer for layer in picture.drawing["layer"] if str(layer.get("mark", {})).find("rule") >= 0]
    starts = [v for rule in rules for v in rule.get("data", {}).get("values", []) if isinstance(v, dict)]
    at = {float(v["x"]) for v in starts if "x" in v}
    assert len(at) == 1 and at.pop() % 1 == 0.5  # between two times


def cell_table(**cells: float) -> Any:
    """An answer of one row, which is all that the law looks at."""

    class One:
        blocks = (
            TableBlock(
                id="t", title="T", columns=[Head(key=k, title=k) for k in cells],
                rows=[{k: Cell(v=v, s=str(v)) for k, v in cells.items()}],
            ),
        )  # fmt: skip

    return One()


@pytest.mark.parametrize(
    ("cells", "holds"),
    [
        ({"ss": 12.0, "df": 3, "ms": 4.0}, True), ({"ss": 12.0, "df": 3, "ms": 5.0}, False),
        ({"estimate": 2.0, "se": 0.5, "t": 4.0}, True), ({"estimate": 2.0, "se": 0.5, "z": 3.0}, False),
        ({"mean": 2.0, "ci_low": 1.0, "ci_high": 3.0}, True), ({"mean": 4.0, "ci_low": 1.0, "ci_high": 3.0}, False),
        ({"estimate": 0.5, "ci_low": 1.2, "ci_high": 2.5}, True),  # an interval of its exponential
        ({"difference": -1.0, "ci_low": 0.1}, True), ({"difference": -1.0, "ci_high": -2.0}, False),
    ],
)  # fmt: skip
def test_the_law_of_parts_can_be_broken(cells: dict[str, float], holds: bool) -> None:
    assert (in_its_parts(cell_table(**cells)) == []) is holds
