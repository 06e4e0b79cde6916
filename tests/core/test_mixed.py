"""Mixed models: what is refused and how, what is said, draws that are added to, and the model among others."""

from typing import Any

import numpy as np
import pytest

from tests.tables import demo_tables, table_from
from yavik.core.answers import TableBlock
from yavik.core.methods import answer
from yavik.core.methods.kit import draws as kit_draws
from yavik.core.methods.kit.draws import BATCH, drawn, p_of
from yavik.core.methods.registry import new_columns
from yavik.core.table import DataProblem, Table

DESKS: dict[str, Any] = {
    "response": "pages", "terms": ["lamp", "noise", {"interaction": ["lamp", "noise"]}],
    "random": [{"units": ["hall"]}, {"units": ["hall", "lamp"]}],
}  # fmt: skip
WEEKS: dict[str, Any] = {"response": "fluency", "subject": "child", "time": "week", "between": ["tutoring"]}


def units(g: int = 12, m: int = 5, sd: float = 1.0, seed: int = 1) -> dict[str, Any]:
    rng = np.random.default_rng(seed)
    own, x = np.repeat(np.arange(g), m), rng.normal(size=g * m)
    y = 1 + 0.5 * x + rng.normal(size=g)[own] * sd + rng.normal(size=g * m)
    return {"g": [f"u{i}" for i in own], "x": x.round(5).tolist(), "y": y.round(5).tolist()}


def block(found: Any, id: str) -> TableBlock:
    return next(b for b in found.blocks if b.type == "table" and b.id == id)


def check(found: Any, id: str) -> Any:
    return next((c for c in found.checks if c.id == id), None)


# -- refusals ------------------------------------------------------------------------------------------------

PLAIN = table_from(**units())
ONES = table_from(**units(40, 1))
SAME = table_from(**units(), h=[f"v{int(u[1:])}" for u in units()["g"]], flat=[float(u[1:]) for u in units()["g"]])
REFUSED: list[tuple[Table, dict[str, Any], str, str]] = [
    (ONES, {"random": [{"units": ["g"]}]}, "Every g has one row", "g"),
    (PLAIN, {"random": [{"units": ["g", "g"]}]}, "names a unit twice", "g"),
    (PLAIN, {"random": [{"units": ["y"]}]}, "names no units", "y"),
    (PLAIN, {"random": [{"units": ["g"], "intercept": False}]}, "nothing of it is left", "g"),
    (SAME, {"random": [{"units": ["g"]}, {"units": ["h"]}]}, "the same units", "h"),
    (SAME, {"random": [{"units": ["g"], "slopes": ["flat"]}]}, "the same throughout every g", "flat"),
    (SAME, {"terms": ["g"], "random": [{"units": ["g"]}]}, "names units too", "g"),
    (SAME, {"terms": ["h"], "random": [{"units": ["g"]}]}, "cannot be told from them", "g"),
    (SAME, {"response": "flat", "random": [{"units": ["g"]}]}, "exactly", "flat"),
    (PLAIN, {"random": [{"units": ["g"]}], "simulate": {"term": "zz"}}, "not among the terms", "zz"),
]


@pytest.mark.parametrize(("table", "spec", "said", "column"), REFUSED, ids=[r[2] for r in REFUSED])
def test_what_cannot_be_units_is_said(table: Table, spec: dict[str, Any], said: str, column: str) -> None:
    with pytest.raises(DataProblem, match=said) as problem:
        answer("mixed", table, {"response": "y", **spec})
    assert problem.value.column == column


def test_a_subject_measured_twice_at_a_time_is_named_with_its_rows() -> None:
    table = table_from(who=["a", "a", "a", "b", "b", "b"], day=["1", "2", "2", "1", "2", "3"], y=[1.0, 2, 3, 4, 5, 7])
    with pytest.raises(DataProblem, match="a has 2 rows at day 2") as problem:
        answer("mixed", table, {"response": "y", "subject": "who", "time": "day"})
    assert problem.value.column == "who" and list(problem.value.rows or []) == [2, 3]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"spread": "by_group", "between": []}, "groups of subjects"),
        ({"interactions": [["week", "slept"]]}, "neither the time nor between"),
        ({"covariates": ["week"]}, "two places"),
        ({"at": {"zz": 1}}, "not in the model"),
        ({"simulate": {"term": "tutoring", "type": "equivalence"}}, "needs a margin"),
        ({"simulate": {"term": "tutoring", "contrasts": [{"label": "a", "weights": {"none": 1}}]}}, "sum to zero"),
        (
            {"simulate": {"term": "tutoring", "contrasts": [{"label": "a", "weights": {"zz": 1, "none": -1}}]}},
            "no 'zz'",
        ),
    ],
)
def test_settings_that_cannot_be_followed_are_said(change: dict[str, Any], said: str) -> None:
    with pytest.raises(DataProblem, match=said):
        answer("mixed", demo_tables()["Fluency"], {**WEEKS, **change})


# -- what is said --------------------------------------------------------------------------------------------


def test_every_term_says_what_it_is_tested_against_and_that_the_classical_f_is_the_same() -> None:
    found = answer("mixed", demo_tables()["Quiet desks"], DESKS)
    terms = block(found, "terms")
    assert [r["error"].s for r in terms.rows] == [
        "scatter of hall × lamp",
        "scatter of rows within",
        "scatter of rows within",
    ]
    assert "The classical analysis of the strata has the same F and df." in (terms.note or "")
    assert [r["f"].s for r in block(found, "anova").rows] == [r["f"].s for r in terms.rows]
    assert (found.facts["lamp.df1"], found.facts["lamp.df2"]) == pytest.approx((2, 10))
    assert (
        "goes with lamp" in found.headline and "there is no evidence that it goes with lamp × noise" in found.headline
    )


def test_a_component_at_zero_is_named_with_what_to_do_and_the_model_without_it_has_the_same_tests() -> None:
    rng = np.random.default_rng(3)
    block_, plot = np.repeat(np.arange(6), 8), np.tile(np.repeat(np.arange(4), 2), 6)
    y = rng.normal(0, 2, (6, 4))[block_, plot] + rng.normal(size=48)
    y = y - np.array([y[block_ == b].mean() for b in range(6)])[block_]  # blocks do not differ at all
    table = table_from(
        b=[f"b{i}" for i in block_], p=[f"p{i}" for i in plot], y=y.tolist(), x=rng.normal(size=48).tolist()
    )
    spec = {"response": "y", "terms": ["x"], "random": [{"units": ["b"]}, {"units": ["b", "p"]}]}
    found = answer("mixed", table, spec)
    told = check(found, "components")
    assert told.verdict == "doubtful" and "B is estimated at zero" in told.text and "no proof of none" in told.text
    without = answer("mixed", table, {**spec, **told.remedies[0].spec})
    assert without.facts["x.f"] == pytest.approx(found.facts["x.f"], rel=1e-6)
    assert without.facts["x.df2"] == pytest.approx(found.facts["x.df2"], rel=1e-6)


def test_labels_that_begin_anew_are_noticed_and_nesting_is_offered() -> None:
    rng = np.random.default_rng(1)
    table = table_from(
        block=[f"b{i // 12}" for i in range(72)], plot=[f"p{(i // 3) % 4}" for i in range(72)],
        y=rng.normal(size=72).tolist(),
    )  # fmt: skip
    found = answer("mixed", table, {"response": "y", "random": [{"units": ["block"]}, {"units": ["plot"]}]})
    told = check(found, "nesting")
    assert told.verdict == "unknown" and "stand in every block" in told.text
    assert told.remedies[0].spec["random"][-1]["units"] == ["block", "plot"]
    assert check(answer("mixed", table, {"response": "y", **told.remedies[0].spec}), "nesting") is None


def test_terms_that_empty_cells_hide_are_said_not_passed_over() -> None:
    table = demo_tables()["Quiet desks"]
    lamp, noise = (table.codes(n).codes for n in ("lamp", "noise"))
    found = answer("mixed", table.keep(~((lamp == 0) & (noise == 0))), DESKS)
    assert "cannot be told: some combinations have no rows" in found.headline
    assert "lamp.f" not in found.facts


def test_missing_weeks_throw_no_child_out() -> None:
    table = demo_tables()["Fluency"]
    gone = np.random.default_rng(1).random(table.n_rows) < 0.2
    found = answer("mixed", table.keep(~gone), {**WEEKS, "covariance": "unstructured"})
    assert found.rows.used == int((~gone).sum())
    note = block(found, "times").note or ""
    assert note.startswith("36 subjects")


def test_time_as_a_number_is_a_straight_line_and_no_groups_are_needed() -> None:
    found = answer("mixed", demo_tables()["Fluency"], {**WEEKS, "between": [], "time_as": "number"})
    assert found.facts["week.df1"] == 1
    assert "One more in week goes with" in block(found, "in_words").rows[0]["says"].s


def test_kenward_and_roger_stand_back_where_they_are_not_had() -> None:
    found = answer("mixed", demo_tables()["Fluency"], {**WEEKS, "covariance": "ar1", "df": "kenward_roger"})
    assert "Satterthwaite’s df stand in" in (block(found, "terms").note or "")
    assert "df by Satterthwaite" in found.settings


def test_a_click_on_a_covariance_takes_it_and_the_table_is_the_same_from_each() -> None:
    from_one = answer("mixed", demo_tables()["Fluency"], {**WEEKS, "covariance": "compound"})
    table = block(from_one, "covariances")
    assert table.pick is not None and table.pick.single and table.pick.field == "covariance"
    from_other = block(answer("mixed", demo_tables()["Fluency"], {**WEEKS, "covariance": "toeplitz"}), "covariances")
    for a, b in zip(table.rows, from_other.rows, strict=True):
        assert a["kind"].v == b["kind"].v
        assert a["aic"].v == pytest.approx(b["aic"].v, abs=1e-3)


def test_without_degrees_of_freedom_there_is_a_warning() -> None:
    found = answer("mixed", demo_tables()["Quiet desks"], {**DESKS, "df": "none"})
    told = check(found, "units")
    assert told.verdict == "fails" and told.remedies[0].spec == {"df": "satterthwaite"}
    assert "χ²" in found.headline


# -- draws ---------------------------------------------------------------------------------------------------


def test_more_draws_are_added_to_those_there_whatever_was_kept() -> None:
    made: list[int] = []

    def batch(rng: np.random.Generator, count: int) -> Any:
        made.append(count)
        return rng.normal(size=(count, 1))

    few = drawn(150, 7, batch, key=b"a test of draws")
    many = drawn(400, 7, batch, key=b"a test of draws")
    assert len(made) == -(-400 // BATCH)  # the first batches were not made again
    assert np.array_equal(many[:150], few)
    kit_draws._kept.clear()
    assert np.array_equal(drawn(400, 7, batch, key=b"a test of draws"), many)
    assert not np.array_equal(drawn(400, 8, batch, key=b"a test of draws"), many)


def test_draws_tell_how_far_they_are_and_stop() -> None:
    seen: list[tuple[float, str]] = []
    drawn(
        300,
        1,
        lambda rng, n: rng.normal(size=(n, 1)),
        told=lambda a, b: seen.append((a, b)),
        so_far=lambda v: f"{len(v)} so far",
    )
    assert [round(a, 2) for a, _ in seen] == [0.0, 0.37, 0.74]
    assert seen[1][1].endswith("111 so far")

    class Enough(Exception):
        pass

    def stop(part: float, what: str) -> None:
        if part > 0.3:
            raise Enough

    with pytest.raises(Enough):
        drawn(300, 1, lambda rng, n: rng.normal(size=(n, 1)), told=stop)


def test_p_of_draws_never_is_zero() -> None:
    assert p_of(0, 999)[0] == pytest.approx(0.001)
    assert p_of(999, 999) == (1.0, 0.0)


@pytest.mark.parametrize("type", ["two_sided", "less", "greater", "non_inferiority", "equivalence"])
def test_claims_of_contrasts_look_to_their_side(type: str) -> None:
    ask = {
        "term": "noise", "draws": 333, "type": type, "margin": 6.0,
        "contrasts": [{"label": "loud", "weights": {"65": 1, "35": -1}}],
    }  # fmt: skip
    found = answer("mixed", demo_tables()["Quiet desks"], {**DESKS, "simulate": ask})
    p = float(found.facts["simulated.contrast_1.p"])
    row = block(found, "simulated").rows[-1]
    assert float(row["estimate"].v or 0) < 0
    assert (p < 0.05) == (type in ("two_sided", "less", "non_inferiority", "equivalence"))
    assert float(row["smallest"].v or 0) > 0
    again = answer("mixed", demo_tables()["Quiet desks"], {**DESKS, "simulate": ask})
    assert again.facts == found.facts


def test_the_check_of_draws_offers_more_of_them_and_the_model_without_the_term() -> None:
    ask = {"term": ["lamp", "noise"], "draws": 222}
    found = answer("mixed", demo_tables()["Quiet desks"], {**DESKS, "simulate": ask})
    told = check(found, "simulated")
    more, without = told.remedies
    assert more.spec["simulate"]["draws"] == 1222
    small = answer("mixed", demo_tables()["Quiet desks"], {**DESKS, **without.spec})
    assert "lamp*noise.f" not in small.facts and "lamp.f" in small.facts


# -- the model among others ----------------------------------------------------------------------------------


def test_new_columns_are_fitted_residual_and_the_units_effects() -> None:
    made = new_columns(demo_tables()["Quiet desks"], "mixed", DESKS)
    assert [c.name for c, _ in made] == ["fitted pages", "residual pages", "effect, hall", "effect, lamp in hall"]
    values = {c.name: np.array(a.to_pylist(), float) for c, a in made}
    y = demo_tables()["Quiet desks"].numbers("pages")
    assert values["fitted pages"] + values["residual pages"] == pytest.approx(y)
    hall = demo_tables()["Quiet desks"].codes("hall").codes
    assert len({(h, round(v, 9)) for h, v in zip(hall, values["effect, hall"], strict=True)}) == 6


def test_a_line_up_sets_mixed_beside_linear_and_says_what_cannot_be_compared() -> None:
    table = demo_tables()["Story hours"]
    base = {"response": "words", "terms": ["telling"], "random": [{"units": ["group"]}]}
    linear = {"method": "linear", "spec": {"response": "words", "terms": ["telling"]}}
    full = answer("line_up", table, {"models": [linear, {"method": "mixed", "spec": {**base, "fit": "ml"}}]})
    assert check(full, "footing") is None or check(full, "footing").verdict == "holds"
    restricted = answer("line_up", table, {"models": [linear, {"method": "mixed", "spec": base}]})
    told = check(restricted, "footing")
    assert told.verdict == "fails" and "restricted" in told.text
    two = [{"method": "mixed", "spec": base}, {"method": "mixed", "spec": {**base, "terms": []}}]
    terms = answer("line_up", table, {"models": two})
    assert check(terms, "footing").verdict == "fails" and "same terms" in check(terms, "footing").text


def test_a_group_whose_covariate_is_empty_is_named_with_its_rows() -> None:
    table = demo_tables()["Fluency"]
    import pyarrow as pa

    gone = table.codes("tutoring").codes == 1
    slept = np.where(gone, np.nan, table.numbers("slept"))
    table = table.with_column(table.column("slept"), pa.array(slept, pa.float64(), mask=gone))
    for method, spec in (
        ("mixed", {**WEEKS, "covariates": ["slept"]}),
        ("linear", {"response": "fluency", "terms": ["tutoring", "slept"]}),
    ):
        told = check(answer(method, table, spec), "lost_levels")
        assert told.verdict == "fails"
        assert "Tutoring = volunteer (72 rows: Hours slept is empty there)" in told.text
        assert len(told.remedies[0].rows) == 72


def test_an_outlying_unit_is_named() -> None:
    data = units(14, 6, 1.0)
    far = table_from(
        g=data["g"], x=data["x"], y=[y + 25 * (g == "u3") for y, g in zip(data["y"], data["g"], strict=True)]
    )
    told = check(answer("mixed", far, {"response": "y", "terms": ["x"], "random": ["g"]}), "outlying_units")
    assert told.verdict == "doubtful" and told.text.startswith("u3 (g, ")
    assert check(answer("mixed", PLAIN, {"response": "y", "random": ["g"]}), "outlying_units") is None


def test_whole_plots_are_offered_where_the_table_cannot_tell_them() -> None:
    found = answer(
        "mixed", demo_tables()["Quiet desks"], {"response": "pages", "terms": ["lamp", "noise"], "random": ["hall"]}
    )
    told = check(found, "design")
    assert told.text.startswith("Hall: 6 units of 12 rows.") and told.verdict == "unknown"
    assert [r.label for r in told.remedies] == ["Lamp to whole plots", "Noise at the desk to whole plots"]
    again = check(answer("mixed", demo_tables()["Quiet desks"], DESKS), "design")
    assert (
        again.verdict == "holds" and "Hall × lamp: 18 units of 4 rows" in again.text
    ) or "hall × lamp: 18 units of 4 rows" in again.text


def test_columns_are_read_from_the_table_when_questions_are_offered() -> None:
    from yavik.core.methods.fit import fitting

    best = fitting(demo_tables()["Fluency"], ["fluency", "child", "week", "tutoring"])[0]
    assert (best.method, best.layout) == ("mixed", "over_time")
    assert best.spec == {
        "response": "fluency",
        "subject": "child",
        "time": "week",
        "between": ["tutoring"],
        "covariates": [],
    }
    split = fitting(demo_tables()["Quiet desks"], ["pages", "hall", "lamp", "noise"])[0]
    assert split.spec["random"] == [{"units": ["hall"]}] and split.spec["terms"] == ["lamp", "noise"]
