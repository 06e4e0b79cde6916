"""Preparation steps against pandas and numpy as the second route, and what each step says of itself."""

from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yavik.core.files.delimited import read
from yavik.core.steps import new_step
from yavik.core.steps.base import Around, Effect, Other
from yavik.core.steps.path import apply_step
from yavik.core.table import Column, DataProblem, Kind, Table
from yavik.core.table.about import About
from yavik.core.table.table import make_table

PANEL = b"""branch,year,loans,staff,town,q1,q2,q3
B1,2020,10,1.5,Corrin,1,5,4
B1,2021,14,,Corrin,2,4,
B1,2022,11,2.5,Corrin,5,1,3
B2,2021,20,3,Hollin,3,,
B2,2020,25,4,Hollin,4,2,2
B3,2020,7,0,,1,1,1
"""


def table_of(text: bytes = PANEL) -> Table:
    return read(text)[0]


def do(table: Table, around: Around | None = None, /, **step: Any) -> tuple[Table, Effect]:
    made = new_step(step)
    after, effect = apply_step(table, made, around or Around())
    assert effect.problem is None, effect.problem
    assert effect.title and effect.said and effect.rows_out == after.n_rows
    again, _ = apply_step(table, made, around or Around())
    assert again.frame.equals(after.frame) and again.columns == after.columns  # a step is pure
    return after, effect


def refused(table: Table, around: Around | None = None, /, **step: Any) -> str:
    after, effect = apply_step(table, new_step(step), around or Around())
    assert effect.problem and after is table
    return effect.problem


def cells(table: Table, name: str) -> list[Any]:
    return [None if v is None else v for v in table.array(name).to_pylist()]


def test_lag_difference_and_running_sum_within_units_in_order_of_time() -> None:
    table = table_of()
    frame = table.frame.reset_index(drop=True)
    ordered = frame.sort_values(["branch", "year"], kind="stable")
    by = ordered.groupby("branch", observed=True)
    for step, wanted in (
        ("lag", by["loans"].shift(1)),
        ("difference", by["loans"].diff()),
        ("cumulate", by["loans"].cumsum()),
    ):
        after, _ = do(table, step=step, columns=["loans"], by=["branch"], order="year")
        got = pd.Series(after.numbers(after.names[-1]))
        pd.testing.assert_series_equal(got, wanted.reindex(frame.index).astype(float), check_names=False)
    ahead, _ = do(table, step="lag", columns=["loans"], by=["branch"], order="year", steps=-1)
    assert ahead.names[-1] == "loans lead 1"
    assert cells(ahead, "loans lead 1") == [14, 11, None, None, 20, None]


def test_lag_keeps_what_a_column_is_and_says_when_time_repeats() -> None:
    after, effect = do(table_of(), step="lag", columns=["town"], by=["town"], order="branch")
    assert after.column("town lag 1").kind is Kind.category
    assert "occurs more than once within a unit" in effect.notes[0]


def test_running_sum_passes_over_empty_cells() -> None:
    after, _ = do(table_of(), step="cumulate", columns=["staff"], by=["branch"], order="year")
    assert cells(after, "staff running sum") == [1.5, None, 4.0, 7.0, 4.0, 0.0]


@pytest.mark.parametrize("how", ["z", "centre", "range"])
@pytest.mark.parametrize("by", [[], ["branch"]])
def test_standardise(how: str, by: list[str]) -> None:
    table = table_of()
    after, effect = do(table, step="standardise", columns=["loans"], how=how, by=by)
    x = pd.Series(table.numbers("loans"))
    keys = pd.Series(table.texts("branch") if by else ["all"] * 6)
    each = x.groupby(keys)
    low, high = each.transform("min"), each.transform("max")
    wanted = {
        "z": (x - each.transform("mean")) / each.transform("std"),
        "centre": x - each.transform("mean"),
        "range": (x - low) / (high - low),
    }[how]
    np.testing.assert_allclose(after.numbers(after.names[-1]), wanted, rtol=1e-12)
    assert bool(effect.notes) == (bool(by) and how != "centre")  # B3 is alone: no spread to divide by


def test_standardising_does_not_lose_digits_far_from_zero() -> None:
    values = 1e9 + np.array([0.1, 0.2, 0.3, 0.4])
    table = table_of("\n".join(["x", *(f"{v:.1f}" for v in values)]).encode())
    after, _ = do(table, step="standardise", columns=["x"])
    np.testing.assert_allclose(after.numbers("x z"), (np.arange(4) - 1.5) / np.std([0, 1, 2, 3], ddof=1), atol=1e-5)


@pytest.mark.parametrize(
    ("how", "wanted"),
    [
        ("log", np.log),
        ("log1p", np.log1p),
        ("sqrt", np.sqrt),
        ("fourth_root", lambda x: x**0.25),
        ("presence", lambda x: (x > 0).astype(float)),
        ("rank", lambda x: pd.Series(x).rank().to_numpy()),
    ],
)
def test_transform(how: str, wanted: Any) -> None:
    table = table_of()
    after, effect = do(table, step="transform", columns=["staff"], how=how)
    with np.errstate(divide="ignore"):
        expected = wanted(table.numbers("staff"))
    if how == "presence":
        expected = np.where(np.isnan(table.numbers("staff")), np.nan, expected)
    expected = np.where(np.isinf(expected), np.nan, expected)
    np.testing.assert_allclose(after.numbers(after.names[-1]), expected)
    assert ("1 cell has no logarithm and is empty" in " ".join(effect.notes)) == (how == "log")


def test_box_cox_is_the_power_of_largest_likelihood() -> None:
    from scipy import stats

    x = np.random.default_rng(3).lognormal(2, 0.7, 200).round(3)
    table = table_of("\n".join(["x", *map(str, x)]).encode())
    after, effect = do(table, step="transform", columns=["x"], how="box_cox")
    wanted, power = stats.boxcox(x)
    np.testing.assert_allclose(after.numbers("x Box–Cox"), wanted, rtol=1e-5)
    assert f"λ = {power:.3f}".replace("-", "−") in effect.notes[0]
    assert "too few different positive values" in refused(
        table_of(b"x\n1\n1\n1\n"), step="transform", columns=["x"], how="box_cox"
    )


def test_recode_numbers_ranges_and_the_rest() -> None:
    table = table_of()
    rules = [{"old": "..10", "new": "few"}, {"old": "11..19", "new": "some"}]
    after, effect = do(
        table, step="recode", columns=["loans"], rules=rules, otherwise="value", value="many", ending="class"
    )
    assert after.texts("loans class") == ["few", "some", "some", "many", "many", "few"]
    assert [lv.words for lv in after.column("loans class").levels] == ["few", "some", "many"]
    assert cells(after, "loans") == cells(table, "loans") and effect.said == "4 cells"
    numbers, _ = do(
        table, step="recode", columns=["loans"], rules=[{"old": "25", "new": "26"}, {"old": "7", "new": ""}]
    )
    assert cells(numbers, "loans") == [10, 14, 11, 20, 26, None] and numbers.column("loans").kind is Kind.count
    _, idle = do(table, step="recode", columns=["loans"], rules=[{"old": "99", "new": "1"}])
    assert "no cell fits 99" in idle.notes[0]


def test_recode_levels_keeps_the_order_of_those_that_stay() -> None:
    table = table_of()
    after, _ = do(table, step="recode", columns=["town"], rules=[{"old": "Corrin", "new": "Lower valley"}])
    assert after.texts("town") == ["Lower valley"] * 3 + ["Hollin"] * 2 + [None]
    merged, _ = do(table, step="recode", columns=["town"], rules=[{"old": "Corrin", "new": "Hollin"}])
    assert [lv.words for lv in merged.column("town").levels] == ["Hollin"]
    gone, _ = do(table, step="recode", columns=["town"], rules=[{"old": "Corrin", "new": "C"}], otherwise="empty")
    assert gone.texts("town") == ["C"] * 3 + [None] * 3


def test_bin_ways() -> None:
    table = table_of()
    x = table.numbers("loans")
    after, effect = do(table, step="bin", column="loans", way="equal_width", bins=3)
    wanted = pd.cut(x, [7, 13, 19, 25.0001], right=False, labels=False)
    assert after.codes("loans classes").codes.tolist() == wanted.tolist()
    assert after.texts("loans classes")[0] == "7 to under 13" and after.column("loans classes").kind is Kind.ordered
    assert "7 to under 13: 3" in effect.notes[0]
    cuts, _ = do(table, step="bin", column="loans", way="cuts", cuts=["10", "20"])
    assert cuts.texts("loans classes") == ["10 to under 20"] * 3 + ["20 and more"] * 2 + ["under 10"]
    equal, _ = do(table, step="bin", column="loans", way="equal_count", bins=2)
    assert np.bincount(equal.codes("loans classes").codes).tolist() == [3, 3]
    assert "All values of k are equal" in refused(table_of(b"k\n5\n5\n5\n"), step="bin", column="k")


def test_reverse_and_score() -> None:
    table = table_of()
    after, _ = do(table, step="reverse", columns=["q2"], low=1, high=5)
    assert cells(after, "q2") == [1, 2, 5, None, 4, 5]
    assert "outside 1 to 4" in refused(table, step="reverse", columns=["q2"], low=1, high=4)
    items = pd.DataFrame({q: table.numbers(q) for q in ("q1", "q2", "q3")})
    mean, effect = do(table, step="score", columns=["q1", "q2", "q3"], name="motive", at_least=2)
    wanted = items.mean(axis=1).where(items.notna().sum(axis=1) >= 2)
    np.testing.assert_allclose(mean.numbers("motive"), wanted)
    assert "1 row answered fewer than 2 items" in effect.notes[0]
    total, _ = do(table, step="score", columns=["q1", "q2", "q3"], name="motive", how="sum", at_least=2)
    np.testing.assert_allclose(total.numbers("motive"), wanted * 3)


def test_reverse_of_labelled_items_keeps_the_words() -> None:
    levels = [
        {"value": str(v), "label": w}
        for v, w in zip(range(1, 6), ["never", "seldom", "at times", "often", "always"], strict=True)
    ]
    table, _ = do(table_of(), step="levels", column="q1", levels=levels, also=["q3"])
    assert table.texts("q3")[0] == "often"
    after, _ = do(table, step="reverse", columns=["q1"])
    assert after.texts("q1") == ["always", "often", "never", "at times", "seldom", "always"]
    score, _ = do(after, step="score", columns=["q1", "q3"], name="s")
    assert cells(score, "s") == [4.5, None, 2.0, None, 2.0, 3.0]


def test_dummies() -> None:
    after, _ = do(table_of(), step="dummies", column="town")
    assert after.texts("town Corrin") == ["yes"] * 3 + ["no"] * 2 + [None]
    one, _ = do(table_of(), step="dummies", column="town", levels=["Hollin"])
    assert one.names[-1] == "town Hollin" and "town Corrin" not in one.names
    assert "no level 'Nowhere'" in refused(table_of(), step="dummies", column="town", levels=["Nowhere"])


def test_fill() -> None:
    table = table_of()
    frame = pd.DataFrame({"b": table.texts("branch"), "y": table.numbers("year"), "s": table.numbers("staff")})
    mean, effect = do(table, step="fill", columns=["staff"], how="mean", by=["branch"])
    np.testing.assert_allclose(mean.numbers("staff"), frame.s.fillna(frame.groupby("b").s.transform("mean")))
    assert effect.said == "1 cell"
    median, _ = do(table, step="fill", columns=["staff"], how="median")
    assert median.numbers("staff")[1] == frame.s.median()
    before, _ = do(table, step="fill", columns=["staff"], how="previous", by=["branch"], order="year")
    assert before.numbers("staff")[1] == 1.5
    line, _ = do(table, step="fill", columns=["staff"], how="interpolate", by=["branch"], order="year")
    assert line.numbers("staff")[1] == 2.0
    constant, _ = do(table, step="fill", columns=["town"], how="constant", value="Garrow")
    assert constant.texts("town")[-1] == "Garrow"
    stays, left = do(table, step="fill", columns=["q3"], how="interpolate", by=["branch"], order="year")
    assert cells(stays, "q3") == [4, 3.5, 3, None, 2, 1] and "1 cell could not be filled" in left.notes[0]
    assert "'x' is none" in refused(table, step="fill", columns=["staff"], how="constant", value="x")


def test_sort_by_several_columns_with_empty_cells_last() -> None:
    table = table_of()
    after, _ = do(table, step="sort", by=["town", "loans"], descending=["loans"])
    assert cells(after, "loans") == [14, 11, 10, 25, 20, 7]
    assert after.rows.tolist() == [2, 3, 1, 5, 4, 6]
    falling, _ = do(table, step="sort", by=["staff"], descending=["staff"])
    assert cells(falling, "staff") == [4, 3, 2.5, 1.5, 0, None]


def test_rows_steps_say_what_they_do() -> None:
    table = table_of()
    kept, effect = do(table, step="keep_rows", where="staff > 1")
    assert kept.n_rows == 4 and "In 1 row the condition is empty" in effect.notes[0]
    left, _ = do(table, step="leave_out_rows", where="staff > 1")
    assert left.rows.tolist() == [2, 6]
    _, broken = do(table, step="check_rows", rule="loans >= 10 and staff > 0", name="plausible")
    assert broken.broken == 1 and broken.said == "1 row breaks it" and broken.lists[0].numbers == [6]
    _, fine = do(table, step="check_rows", rule="year > 2000")
    assert fine.broken == 0 and fine.said == "holds in every row"


def test_unique_and_sample() -> None:
    table = table_of(b"a,b\n1,x\n2,y\n1,x\n1,z\n")
    first, effect = do(table, step="unique")
    assert first.rows.tolist() == [1, 2, 4] and effect.lists[0].numbers == [3]
    last, _ = do(table, step="unique", columns=["a"], keep="last")
    assert last.rows.tolist() == [2, 4]
    none, _ = do(table, step="unique", columns=["a"], keep="none")
    assert none.rows.tolist() == [2]
    some, _ = do(table_of(), step="sample", rows=1, by=["branch"], seed=4)
    assert sorted(some.texts("branch")) == ["B1", "B2", "B3"]
    assert do(table_of(), step="sample", rows=3, seed=4)[0].rows.tolist() == sorted(
        do(table_of(), step="sample", rows=3, seed=4)[0].rows.tolist()
    )


def test_drop_empty_rows_and_columns() -> None:
    table = table_of(b"site,a,b,c\ns1,0,,1\ns2,0,,0\n,,,\n")
    columns, _ = do(table, step="drop_empty", what="columns", zeros=True)
    assert columns.names == ["site", "c"]
    rows, effect = do(table, step="drop_empty", what="rows")
    assert rows.n_rows == 2 and effect.said == "3 → 2 rows"


def test_columns_steps() -> None:
    table = table_of()
    renamed, _ = do(table, step="rename", names=[{"old": "q1", "new": "first item"}, {"old": "q2", "new": "q1"}])
    assert renamed.names[5:] == ["first item", "q1", "q3"]
    assert "Two columns would be called 'q2'" in refused(table, step="rename", names=[{"old": "q1", "new": "q2"}])
    assert do(table, step="keep_columns", columns=["year", "branch"])[0].names == ["year", "branch"]
    assert do(table, step="drop_columns", columns=["year", "branch"])[0].names[0] == "loans"
    said, _ = do(
        table,
        step="describe_columns",
        descriptions=[{"column": "q1", "label": "I read to rest"}, {"column": "q2", "unit": "points"}],
    )
    assert said.column("q1").label == "I read to rest" and said.column("q2").unit == "points"


def test_edit_cells_hold_only_what_they_replaced() -> None:
    edits = [
        {"row": 4, "column": "loans", "old": "20", "new": "21", "reason": "misread"},
        {"row": 6, "column": "town", "new": "Isbury"},
    ]
    after, effect = do(table_of(), step="edit_cells", edits=edits)
    assert cells(after, "loans")[3] == 21 and after.texts("town")[5] == "Isbury"
    assert effect.notes[0] == "loans, row 4: 20 → 21 (misread)."
    assert "is 20 here, not 19" in refused(
        table_of(), step="edit_cells", edits=[{"row": 4, "column": "loans", "old": "19", "new": "1"}]
    )
    assert "Row 9 is not in the table" in refused(
        table_of(), step="edit_cells", edits=[{"row": 9, "column": "loans", "new": "1"}]
    )
    twice = [
        {"row": 4, "column": "loans", "old": "20", "new": "21"},
        {"row": 4, "column": "loans", "old": "21", "new": "22"},
    ]
    assert cells(do(table_of(), step="edit_cells", edits=twice)[0], "loans")[3] == 22
    emptied, _ = do(table_of(), step="edit_cells", edits=[{"row": 1, "column": "loans", "old": "10"}])
    assert cells(emptied, "loans")[0] is None


def test_edits_find_their_rows_wherever_these_stand() -> None:
    turned = do(table_of(), step="sort", by=["loans"], descending=["loans"])[0]
    places = {int(row): i for i, row in enumerate(turned.rows)}
    loans = cells(turned, "loans")
    edits = [
        {"row": row, "column": "loans", "old": str(loans[places[row]]), "new": str(100 + row)} for row in (4, 1, 2)
    ]
    after, _ = do(turned, step="edit_cells", edits=edits)
    assert [cells(after, "loans")[places[row]] for row in (1, 2, 4)] == [101, 102, 104]
    untouched = set(places) - {1, 2, 4}
    assert all(cells(after, "loans")[places[row]] == loans[places[row]] for row in untouched)


def test_an_edit_of_a_value_too_small_for_its_column_is_still_understood() -> None:
    table = make_table([Column(name="x", kind=Kind.measure, decimals=1)], [pa.array([3e-9, 2.0])])
    for old in ("0.0", "3e−09"):
        after, _ = do(table, step="edit_cells", edits=[{"row": 1, "column": "x", "old": old, "new": "1"}])
        assert cells(after, "x") == [1.0, 2.0]
    assert "is 3e−09 here, not 0.1" in refused(
        table, step="edit_cells", edits=[{"row": 1, "column": "x", "old": "0.1", "new": "1"}]
    )


def test_kinds_of_emptiness_are_kept_and_counted() -> None:
    table = table_of(b"income\n1200\n-8\n-9\n-9\n950\n")
    after, effect = do(
        table,
        step="empty_codes",
        columns=["income"],
        codes=["-8", "-9"],
        meanings=[{"code": "-8", "meaning": "refused"}, {"code": "-9", "meaning": "not asked"}],
        reasons="why no income",
    )
    assert effect.notes == ["refused: 1 cell", "not asked: 2 cells"]
    assert after.texts("why no income") == [None, "refused", "not asked", "not asked", None]
    assert after.column("income").empty_meanings == {"-8": "refused", "-9": "not asked"}
    assert after.numbers("income")[0] == 1200 and np.isnan(after.numbers("income")[1:4]).all()


def test_dates_in_day_first_order_and_before_1900() -> None:
    table, _ = do(
        table_of(b"born\n01.02.1885\n31.12.1999\n,\n".replace(b",", b"")),
        step="kind",
        column="born",
        kind="date",
        dates="day_first",
    )
    assert table.texts("born")[:2] == ["1885-02-01", "1999-12-31"]
    problem = refused(
        table_of(b"born\nspring\n31.12.1999\nautumn\n"), step="kind", column="born", kind="date", dates="day_first"
    )
    assert "2 cells are not dates in this form ('autumn', 'spring'; rows 1 and 3)" in problem


def test_panel_structure() -> None:
    after, effect = do(table_of(), step="panel", unit="branch", time="year")
    assert effect.said == "3 units × 3 times, not balanced"
    assert "2 units lack times (B2, B3): 3 rows in all, 0 units with a gap" in effect.notes[0]
    assert after.about.panel and after.about.panel.time == "year"
    renamed, _ = do(after, step="rename", names=[{"old": "year", "new": "jahr"}])
    assert renamed.about.panel and renamed.about.panel.time == "jahr"
    _, gone = do(renamed, step="drop_columns", columns=["jahr"])
    assert "Unit and time are forgotten here" in gone.notes[0]
    balanced, _ = do(table_of(), step="keep_rows", where='branch == "B1"')
    assert do(balanced, step="panel", unit="branch", time="year")[1].said == "1 unit × 3 times, balanced"


def test_what_division_and_logarithm_leave_empty_is_counted_and_said() -> None:
    _, effect = do(table_of(), step="compute", name="ratio", expression="log(loans - 10) + 1 / staff")
    assert effect.notes == [
        "2 cells are empty because of the logarithm of a number that is not positive.",
        "1 cell is empty because of a division by zero.",
    ]


@settings(deadline=None, max_examples=60)
@given(
    st.lists(
        st.tuples(st.sampled_from("abc"), st.integers(0, 4), st.one_of(st.none(), st.integers(-9, 9))),
        min_size=1,
        max_size=30,
    )
)
def test_summarise_agrees_with_pandas(rows: list[tuple[str, int, int | None]]) -> None:
    frame = pd.DataFrame(rows, columns=["g", "t", "x"])
    table = table_of(
        (
            "g,t,x\n"
            + "\n".join(f"{g},{t},{'' if x is None else x}.0" if x is not None else f"{g},{t}," for g, t, x in rows)
            + "\n"
        ).encode()
    )
    if table.column("x").kind is not Kind.measure:
        return  # all empty
    what = ["n", "empty", "mean", "sd", "se", "median", "q1", "q3", "sum", "min", "max", "first", "last", "distinct"]
    after, _ = apply_step(table, new_step({"step": "summarise", "columns": ["x"], "by": ["g"], "what": what}))
    by = frame.assign(x=frame.x.astype(float)).groupby("g").x
    wanted = {
        "n": by.count(), "empty": by.size() - by.count(), "mean": by.mean(), "SD": by.std(), "SE": by.sem(), "median": by.median(),
        "q1": by.quantile(0.25), "q3": by.quantile(0.75), "sum": by.sum(min_count=1), "min": by.min(), "max": by.max(),
        "first": by.first(), "last": by.last(), "different values": by.nunique(),
    }  # fmt: skip
    assert after.texts("g") == list(by.size().index)
    for word, values in wanted.items():
        np.testing.assert_allclose(
            after.numbers(f"x {word}"), values.astype(float), rtol=1e-9, atol=1e-9, err_msg=word
        )


def test_summarise_levels_and_groups_without_a_name() -> None:
    after, effect = do(table_of(), step="summarise", columns=["town", "loans"], by=["branch"], what=["share", "sum"])
    assert cells(after, "town Corrin share") == [1, 0, None]
    assert cells(after, "rows") == [3, 2, 1] and after.column("loans sum").kind is Kind.count
    assert "There is no sum of town" in " ".join(effect.notes)
    by_town, said = do(table_of(), step="summarise", columns=["loans"], by=["town"], what=["max"])
    assert by_town.texts("town") == ["Corrin", "Hollin", None] and "a group of their own" in said.notes[0]
    whole, _ = do(table_of(), step="summarise", columns=["loans"], what=["mean"])
    assert cells(whole, "loans mean") == [14.5]


def test_lengthen_and_widen_are_each_others_way_back() -> None:
    table = table_of()
    long, effect = do(table, step="lengthen", columns=["q1", "q2", "q3"], values_to="answer", names_to="item")
    frame = pd.DataFrame(
        {n: table.texts(n) for n in ("branch", "year")} | {q: table.numbers(q) for q in ("q1", "q2", "q3")}
    )
    melted = frame.melt(["branch", "year"], ["q1", "q2", "q3"]).sort_values(
        ["branch", "year", "variable"], kind="stable"
    )
    ordered, _ = do(long, step="sort", by=["branch", "year", "item"])
    np.testing.assert_allclose(ordered.numbers("answer"), melted["value"])
    assert effect.said == "6 → 18 rows"
    back, _ = do(long, step="widen", values=["answer"], names="item")
    assert cells(back, "q2") == cells(table, "q2") and back.texts("branch") == table.texts("branch")


def test_lengthen_with_names_that_are_cut() -> None:
    table = table_of(b"child,read_1,read_2,sleep_1,sleep_2\nA,10,12,8,7\nB,20,,9,9\n")
    long, _ = do(
        table, step="lengthen", columns=table.names[1:], values_to="v", names_to="week", split_at="_", numbers=True
    )
    assert long.names == ["child", "week", "read", "sleep"]
    assert cells(long, "week") == [1, 2, 1, 2] and cells(long, "read") == [10, 12, 20, None]
    short, _ = do(
        table, step="lengthen", columns=["read_1", "read_2"], values_to="read", names_to="week", drop_empty=True
    )
    assert short.n_rows == 3
    problem = refused(
        table, step="lengthen", columns=["read_1", "read_2", "sleep_1"], values_to="v", names_to="week", split_at="_"
    )
    assert "sleep has no column for 2" in problem


def test_widen_refuses_or_folds_several_values() -> None:
    table = table_of()
    problem = refused(table, step="widen", values=["loans"], names="town", rows=["branch"])
    assert "3 rows have another with the same branch and town" in problem or "5 rows" in problem
    mean, _ = do(table, step="widen", values=["loans"], names="town", rows=["branch"], several="mean")
    wanted = table.frame.pivot_table("loans", "branch", "town", "mean", observed=True)
    np.testing.assert_allclose(mean.numbers("Hollin")[:2], wanted["Hollin"].to_numpy()[:2])
    assert cells(mean, "Corrin") == pytest.approx([35 / 3, None, None], nan_ok=True)


def test_transpose_twice_is_the_table() -> None:
    table = table_of(b"species,hill,shore\nfern,1,0\nmoss,4,2\nreed,0,9\n")
    turned, effect = do(table, step="transpose", names="species", names_to="site")
    assert turned.names == ["site", "fern", "moss", "reed"] and cells(turned, "reed") == [0, 9]
    assert effect.said == "3 × 3 → 2 × 4"
    back, _ = do(turned, step="transpose", names="site", names_to="species")
    assert cells(back, "hill") == [1, 4, 0]
    assert "holds words and other columns numbers" in refused(table, step="transpose")


OTHER = table_of(b"town,Branch,rent\nCorrin,B1,100\nhollin,B2,200\nIsbury,B9,300\n")


def test_append_keeps_every_row_and_says_what_is_missing() -> None:
    around = Around({"t2": Other("Rents", OTHER)})
    after, effect = do(
        table_of(), around, step="append", table="t2", matches=[{"mine": "branch", "theirs": "Branch"}]
    )
    assert after.n_rows == 9 and effect.said == "6 + 3 = 9 rows"
    assert after.texts("branch")[6:] == ["B1", "B2", "B9"] and cells(after, "rent")[:6] == [None] * 6
    assert after.texts("table")[5:7] == ["first", "Rents"]
    assert any("Rents lacks year, loans" in n for n in effect.notes) and any(
        "Only Rents has rent" in n for n in effect.notes
    )
    assert "no longer in this study" in refused(table_of(), step="append", table="gone")


@settings(deadline=None, max_examples=80)
@given(
    st.lists(st.one_of(st.none(), st.integers(0, 5)), min_size=1, max_size=15),
    st.lists(st.one_of(st.none(), st.integers(0, 5)), min_size=1, max_size=15),
    st.sampled_from(["left", "inner", "outer"]),
)
def test_join_agrees_with_pandas(left: list[int | None], right: list[int | None], how: str) -> None:
    def made(keys: list[int | None], value: str) -> Table:
        body = "\n".join(f"{'' if k is None else f'k{k}'},{i + 0.25}" for i, k in enumerate(keys))
        table = table_of(f"key,{value}\n{body}\n".encode())
        return apply_step(table, new_step({"step": "kind", "column": "key", "kind": "text"}))[0]

    a, b = made(left, "x"), made(right, "y")
    step = new_step(
        {"step": "join", "table": "b", "keys": [{"mine": "key", "theirs": "key"}], "how": how, "many_to_many": True}
    )
    after, effect = apply_step(a, step, Around({"b": Other("B", b)}))
    assert effect.problem is None
    # An empty key matches nothing: to make pandas agree, every empty key is given a word of its own.
    frames = []
    for side, keys, value in (("l", left, "x"), ("r", right, "y")):
        words = [f"{side} empty {i}" if k is None else f"k{k}" for i, k in enumerate(keys)]
        frames.append(pd.DataFrame({"key": words, value: np.arange(len(keys)) + 0.25}))
    wanted = frames[0].merge(frames[1], on="key", how=how)  # type: ignore[call-overload]
    got = list(zip(np.nan_to_num(after.numbers("x"), nan=-1), np.nan_to_num(after.numbers("y"), nan=-1), strict=True))
    assert sorted(got) == sorted(zip(wanted["x"].fillna(-1), wanted["y"].fillna(-1), strict=True))
    if how == "outer":
        assert [k for k in after.texts("key") if k] == [k for k in after.texts("key") if k is not None]


def test_join_lists_what_has_no_partner_and_warns_of_near_misses() -> None:
    around = Around({"t2": Other("Rents", OTHER)})
    after, effect = do(table_of(), around, step="join", table="t2", keys=[{"mine": "town", "theirs": "town"}])
    assert cells(after, "rent") == [100, 100, 100, None, None, None] and after.n_rows == 6
    text = " ".join(effect.notes)
    assert "3 rows of this table found no partner" in text and "2 rows of Rents found no partner" in text
    assert "1 key differs only by case or spaces ('Hollin' and 'hollin')" in text
    assert [lst.numbers for lst in effect.lists] == [[4, 5, 6], [2, 3]]
    doubled = Around({"t2": Other("Twice", table_of(b"town,x\nCorrin,1\nCorrin,2\n"))})
    problem = refused(table_of(), doubled, step="join", table="t2", keys=[{"mine": "town", "theirs": "town"}])
    assert "1 key occurs several times in both tables" in problem
    many, _ = do(
        table_of(), doubled, step="join", table="t2", keys=[{"mine": "town", "theirs": "town"}], many_to_many=True
    )
    assert many.n_rows == 9
    assert "cannot be matched" in refused(
        table_of(), around, step="join", table="t2", keys=[{"mine": "loans", "theirs": "town"}]
    )


def waves() -> tuple[Table, Around]:
    rng = np.random.default_rng(5)

    def wave(n: int, reading: str, extra: str) -> Table:
        rows = [
            f"{rng.integers(1, 4)},{'yes' if rng.random() < 0.6 else 'no'},{rng.uniform(1, 3):.3f},{rng.uniform(1, 3):.3f},{rng.uniform(1, 3):.3f}"
            for _ in range(n)
        ]
        return table_of(
            f"{reading},member,{extra}w,{extra}r1,{extra}r2\n".encode() + "\n".join(rows).encode() + b"\n"
        )

    return wave(40, "reads", "a"), Around({"b": Other("Wave B", wave(50, "how_often", "b"))})


def test_a_join_tells_how_far_it_is_and_a_problem_carries_no_more_rows_than_are_read() -> None:
    told: list[tuple[float, str]] = []
    around = Around({"t2": Other("Rents", OTHER)}, told=lambda part, what: told.append((part, what)))
    join = new_step({"step": "join", "table": "t2", "keys": [{"mine": "town", "theirs": "town"}]})
    join.apply(table_of(), around)
    assert [part for part, _ in told] == sorted(part for part, _ in told) and told[-1] == (0.85, "Taking rent")
    doubled = table_of(b"town\n" + b"Corrin\n" * 3000)
    with pytest.raises(DataProblem) as refusal:
        join.apply(doubled, Around({"t2": Other("Twice", doubled)}))
    assert refusal.value.rows == list(range(1, 1001))


def test_join_waves_builds_weight_and_blocks_of_replicates() -> None:
    table, around = waves()
    step = {
        "step": "join_waves", "label": "2023", "weight": "aw", "replicates": ["ar1", "ar2"],
        "waves": [{"table": "b", "label": "2025", "weight": "bw", "replicates": ["br1", "br2"]}],
        "variables": [{"name": "reading", "columns": {"2023": "reads", "2025": "how_often"}}, {"name": "member", "columns": {"2023": "member", "2025": "member"}}],
    }  # fmt: skip
    after, effect = do(table, around, **step)
    b = around.tables["b"].table
    full = np.concatenate([table.numbers("aw"), b.numbers("bw")])
    assert after.n_rows == 90 and np.array_equal(after.numbers("weight"), full)
    for k, (own, source) in enumerate(
        [
            (slice(0, 40), table.numbers("ar1")),
            (slice(0, 40), table.numbers("ar2")),
            (slice(40, 90), b.numbers("br1")),
            (slice(40, 90), b.numbers("br2")),
        ]
    ):
        wanted = full.copy()
        wanted[own] = source
        assert np.array_equal(after.numbers(f"replicate {k + 1}"), wanted)
    assert after.about.design and after.about.design.scale == 0.5 and len(after.about.design.replicates) == 4
    assert "2 of 2 checked" in effect.notes[-1]
    # The variance of a mean from the joined table is what each wave gives alone, added up.
    x, design = after.numbers("reading"), after.about.design
    in_first = np.arange(90) < 40

    def difference(w: Any) -> float:
        return float(np.average(x[~in_first], weights=w[~in_first]) - np.average(x[in_first], weights=w[in_first]))

    joined = design.scale * sum((difference(after.numbers(r)) - difference(full)) ** 2 for r in design.replicates)
    apart = 0.0
    for t, column, w, rs in ((table, "reads", "aw", ["ar1", "ar2"]), (b, "how_often", "bw", ["br1", "br2"])):
        mean = np.average(t.numbers(column), weights=t.numbers(w))
        apart += 0.5 * sum((np.average(t.numbers(column), weights=t.numbers(r)) - mean) ** 2 for r in rs)
    assert joined == pytest.approx(apart, rel=1e-12)
    step["waves"] = [{"table": "b", "label": "2025", "weight": "bw", "replicates": ["br1"]}]
    assert "waves must have equally many" in refused(table, around, **step)


def test_design_is_kept_with_the_table() -> None:
    table, _ = waves()
    after, effect = do(table, step="design", weight="aw", replicates=["ar1", "ar2"], method="bootstrap")
    assert after.about == About(design=after.about.design) and after.about.design and after.about.design.scale == 0.5
    assert "multiplier 0.5" in effect.notes[1]
    assert "every row needs a weight" in refused(table_of(), step="design", weight="staff")


def test_columns_of_an_answer_become_columns_of_the_table() -> None:
    from yavik.core.methods.registry import new_columns

    around = Around(columns_of_answer=new_columns)
    spec = {"response": "loans", "groups": "branch", "where": 'branch != "B3"'}
    after, _ = do(
        table_of(), around, step="from_answer", method="compare_groups", spec=spec, columns=["loans residual"]
    )
    means = table_of().frame.groupby("branch").loans.transform("mean")
    wanted = (table_of().frame.loans - means).to_numpy()
    np.testing.assert_allclose(after.numbers("loans residual")[:5], wanted[:5])
    assert np.isnan(after.numbers("loans residual")[5])
    assert "makes no column 'nothing'" in refused(
        table_of(), around, step="from_answer", method="compare_groups", spec=spec, columns=["nothing"]
    )


def test_a_table_of_an_answer_becomes_a_table() -> None:
    from yavik.core.methods import answer

    around = Around(answer=lambda table, method, spec: answer(method, table, spec))
    spec = {"response": "loans", "groups": "branch"}
    after, _ = do(table_of(), around, step="table_of_answer", method="compare_groups", spec=spec, block="groups")
    block = answer("compare_groups", table_of(), spec).block("groups")
    assert [c.name for c in after.columns][:2] == [h.title for h in block.columns][:2]
    assert after.n_rows == len(block.rows) and after.columns[0].kind.value == "category"
    n = next(c for c in after.columns if c.name == "n")
    assert n.kind.value == "count"
    assert after.numbers("n").tolist() == [row["n"].v for row in block.rows]
    mean = next(h for h in block.columns if h.title == "Mean")
    np.testing.assert_allclose(after.numbers(mean.title), [row[mean.key].v for row in block.rows])
    assert "no table 'nothing'; it has" in refused(
        table_of(), around, step="table_of_answer", method="compare_groups", spec=spec, block="nothing"
    )


@pytest.mark.parametrize(
    "step",
    [
        {"step": "sort", "by": ["gone"]},
        {"step": "lag", "columns": ["gone"]},
        {"step": "score", "columns": ["loans"], "name": "", "how": "mean"},
        {"step": "score", "columns": ["town"], "name": "s"},
        {"step": "standardise", "columns": ["town"]},
        {"step": "summarise", "columns": ["branch"], "by": ["branch"]},
        {"step": "drop_columns", "columns": ["branch", "year", "loans", "staff", "town", "q1", "q2", "q3"]},
        {"step": "panel", "unit": "year", "time": "year"},
        {"step": "compute", "name": "a`b", "expression": "1"},
    ],
)
def test_what_cannot_be_done_is_said_in_a_sentence(step: dict[str, Any]) -> None:
    assert refused(table_of(), **step).endswith((".", "'.")) and "nan" not in refused(table_of(), **step)


def test_a_table_of_no_rows_goes_through_every_simple_step() -> None:
    nothing, _ = do(table_of(), step="keep_rows", where="loans > 1000")
    for step in (
        {"step": "sort", "by": ["loans"]}, {"step": "lag", "columns": ["loans"], "by": ["branch"]}, {"step": "cumulate", "columns": ["loans"]},
        {"step": "standardise", "columns": ["loans"]}, {"step": "transform", "columns": ["loans"], "how": "rank"}, {"step": "unique"},
        {"step": "summarise", "columns": ["loans", "town"], "by": ["branch"], "what": ["mean", "median", "share", "first"]},
        {"step": "lengthen", "columns": ["q1", "q2"], "values_to": "v", "names_to": "n"}, {"step": "widen", "values": ["loans"], "names": "town"},
        {"step": "recode", "columns": ["town"], "rules": [{"old": "a", "new": "b"}]}, {"step": "dummies", "column": "town"},
        {"step": "fill", "columns": ["staff"], "how": "mean"}, {"step": "sample", "rows": 3}, {"step": "drop_empty"}, {"step": "panel", "unit": "branch", "time": "year"},
        {"step": "empty_codes", "columns": ["loans"], "codes": ["1"]}, {"step": "score", "columns": ["q1"], "name": "s"},
    ):  # fmt: skip
        after, effect = apply_step(nothing, new_step(step))
        assert effect.problem is None, (step, effect.problem)
        assert after.n_rows == 0


def test_wide_and_strange_names() -> None:
    table = table_of("Ärger,ärger , ärger,‏עברית,é\n1,2,3,4,5\n".encode())
    assert len({*table.names}) == 5
    after, _ = do(table, step="rename", names=[{"old": table.names[0], "new": "x" * 300}])
    assert len(after.names[0]) == 300


def test_stacked_columns_share_levels_by_their_words() -> None:
    a, _ = do(
        table_of(b"s\n1\n2\n1\n"),
        step="levels",
        column="s",
        levels=[{"value": "1", "label": "yes"}, {"value": "2", "label": "no"}],
    )
    b, _ = do(
        table_of(b"s\n1\n2\n2\n"),
        step="levels",
        column="s",
        levels=[{"value": "1", "label": "no"}, {"value": "2", "label": "yes"}],
    )
    after, _ = do(a, Around({"b": Other("B", b)}), step="append", table="b")
    assert after.texts("s") == ["yes", "no", "yes", "no", "yes", "yes"]
    assert len(after.column("s").levels) == 2
    assert pa.types.is_dictionary(after.array("s").type)


def test_no_step_leaves_a_problem_unnamed() -> None:
    with pytest.raises(DataProblem, match="Columns"):
        from yavik.core.steps import parse_step

        parse_step({"step": "sort", "by": []})
