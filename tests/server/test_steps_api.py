"""Steps over HTTP: what is not understood is said by the field's name, and nothing is changed by it."""

from typing import Any

import pytest

from tests.conftest import Client

DATA = b"unit,year,x,town\nA,2020,1.5,Corrin\nA,2021,2.5,Corrin\nB,2020,,Hollin\n"


@pytest.mark.parametrize(
    ("step", "words"),
    [
        ({"step": "sort", "by": []}, "Columns: "),
        ({"step": "sort", "by": ["x"], "nonsense": 1}, "nonsense: "),
        ({"step": "fly"}, "The step: "),
        ({}, "The step: "),
        ({"step": "bin", "column": "x", "bins": 1}, "How many: "),
        ({"step": "bin", "column": "x", "way": "magic"}, "Classes: "),
        ({"step": "sample", "rows": "many"}, "Rows: "),
        ({"step": "recode", "columns": ["x"], "rules": [{"old": "1"}]}, "Rules.0.new: "),
        ({"step": "kind", "column": "x", "kind": "colour"}, "What its values are: "),
        ({"step": "summarise", "columns": ["x"], "what": ["mode"]}, "What.0: "),
        ({"step": "edit_cells", "edits": [{"row": "first", "column": "x"}]}, "Cells.0.row: "),
        ({"step": "join_waves", "label": "a", "weight": "x", "replicates": ["x"], "waves": []}, "Other waves: "),
    ],
)
def test_a_step_that_is_not_understood(client: Client, step: dict[str, Any], words: str) -> None:
    table = client.bring(DATA)["id"]
    for method, path, body in (
        ("PUT", f"/tables/{table}/steps", {"steps": [step], "label": "x"}),
        ("POST", f"/tables/{table}/try", {"step": step, "at": 0}),
        ("POST", f"/tables/{table}/derived", {"name": "n", "steps": [step]}),
        ("POST", f"/tables/{table}/try-path", {"steps": [step]}),
    ):
        assert client.call(method, path, 422, json=body)["detail"].startswith(words), path
    assert client.get(f"/tables/{table}")["table"]["steps"] == [] and client.get()["undo"] == "Bring in data.csv"
    assert len(client.entries("table")) == 1


def test_the_columns_before_a_step_are_those_that_it_sees(client: Client) -> None:
    table = client.bring(DATA)["id"]
    client.steps(
        table,
        [
            {"step": "rename", "names": [{"old": "x", "new": "length"}]},
            {"step": "drop_columns", "columns": ["length"]},
        ],
    )
    names = [[c["name"] for c in client.get(f"/tables/{table}/before", params={"at": at})] for at in (0, 1, 2)]
    assert names == [["unit", "year", "x", "town"], ["unit", "year", "length", "town"], ["unit", "year", "town"]]


def test_a_step_is_tried_where_it_would_stand(client: Client) -> None:
    table = client.bring(DATA)["id"]
    client.steps(table, [{"step": "keep_rows", "where": 'town == "Corrin"'}])
    first = client.call(
        "POST",
        f"/tables/{table}/try",
        json={"step": {"step": "summarise", "columns": ["x"], "by": ["town"]}, "at": 0},
    )
    last = client.call(
        "POST",
        f"/tables/{table}/try",
        json={"step": {"step": "summarise", "columns": ["x"], "by": ["town"]}, "at": 1},
    )
    assert first["effect"]["said"] == "3 → 2 rows" and last["effect"]["said"] == "2 → 1 row"
    assert last["columns"] == ["town", "rows", "x mean"] and last["rows"] == [["Corrin", "2", "2.000"]]


def test_likeness_of_two_tables(client: Client) -> None:
    a, b = client.bring(DATA)["id"], client.bring(b"Unit,when,x\nA,2020,1\n")["id"]
    found = {m["mine"]: m["theirs"] for m in client.get(f"/tables/{a}/likeness", params={"other": b})}
    assert found == {"unit": "Unit", "year": None, "x": "x", "town": None}


def test_columns_of_an_answer_come_to_the_table_and_stay_right(client: Client) -> None:
    table = client.bring(b"g,y\n" + b"".join(f"{'ab'[i % 2]},{i}.5\n".encode() for i in range(12)))["id"]
    spec = {"response": "y", "groups": "g"}
    asked = client.ask(table, **spec)
    client.steps(table, [{"step": "from_answer", "method": "compare_groups", "spec": spec}])
    names = [c["name"] for c in client.get(f"/tables/{table}")["table"]["columns"]]
    assert names == ["g", "y", "y group mean", "y residual"]
    assert client.get(f"/questions/{asked['id']}")["out_of_date"] is False  # it reads none of them
    summed = client.ask(table, "describe", columns=["y residual"])["answer"]
    assert (
        abs(summed["facts"]["y residual.mean"]) < 1e-12
        if "y residual.mean" in summed["facts"]
        else summed["headline"]
    )


def test_outputs_say_what_they_keep(client: Client) -> None:
    found = {o["id"]: o["keeps"] for o in client.http.get("/api/outputs").json()}
    assert found["csv"] is False and found["package"] is True and len(found) == 8
