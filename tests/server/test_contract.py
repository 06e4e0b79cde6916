"""The catalogue, problems as problem details, and small calls."""

from typing import Any

from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.core.methods import methods


def test_the_catalogue_draws_everything(http: TestClient) -> None:
    found = http.get("/api/catalogue").json()
    assert [a["id"] for a in found["aims"]][:2] == ["describe", "compare"]
    named = "describe frequencies distribution missing correlate one_sample compare_two compare_spread compare_paired"
    named += " compare_groups factorial repeated crosstab proportion goodness_of_fit paired_proportions"
    assert set(named.split()) <= {m["id"] for m in found["methods"]}
    directed = {m["id"] for m in found["methods"] if "alternative" in m["spec"]["properties"]}
    assert {"compare_two", "compare_groups"} <= directed and "factorial" not in directed
    for method in found["methods"]:
        for layout in method["layouts"]:
            assert set(layout["needed"]) <= set(layout["slots"]) <= set(method["spec"]["properties"])
    named = (
        "rename kind describe_column levels empty_codes keep_rows leave_out_rows keep_columns drop_columns compute"
    )
    named += (
        " recode bin standardise transform reverse score lag difference cumulate dummies fill sort lengthen widen"
    )
    named += " summarise append join transpose drop_empty unique edit_cells sample from_answer design join_waves"
    assert set(named.split()) <= {s["step"] for s in found["steps"]}
    assert "lag" in {f["name"] for f in found["functions"]}
    kinds = found["figure_kinds"]
    for kind in kinds:
        assert set(kind["needed"]) <= set(kind["slots"]) <= set(found["figure"]["properties"])
        assert set(kind["usual"]) <= {layer["id"] for layer in kind["layers"]}
        assert all(f"{{{slot}}}" in kind["sentence"] for slot in kind["slots"]) and "{show}" in kind["sentence"]
    assert {"groups", "spread", "relation", "course", "shares", "paired", "matrix", "forest", "roc"} <= {
        k["id"] for k in kinds
    }


def test_every_method_has_its_page(http: TestClient) -> None:
    parts = ("answers", "assumes", "formulas", "reading", "conventions", "references")
    for method in methods():
        page = http.get(f"/api/catalogue/methods/{method}").json()
        assert [k for k in parts if not page[k]] == [], method


def test_problems_are_problem_details(client: Client) -> None:
    table = client.bring(b"g,y\na,1\nb,2\nc,4\na,7\n")
    found = client.http.post(
        f"/api/studies/{client.study}/tables/{table['id']}/try",
        json={"step": {"step": "keep_rows", "where": "z > 1"}, "at": 0},
    )
    assert found.headers["content-type"] == "application/problem+json"
    body = found.json()
    assert (body["status"], body["column"], body["position"]) == (422, "z", 0)
    assert body["title"] and body["detail"].startswith("There is no column 'z'.")


NOT_THERE: list[tuple[str, str, Any, int]] = [
    ("GET", "/tables/nothing", None, 404),
    ("GET", "/questions/nothing", None, 404),
    ("POST", "/questions", {"table": "nothing", "method": "describe"}, 404),
    ("POST", "/uploads/nothing/preview", {}, 404),
    ("PATCH", "/items/nothing", {"name": "x"}, 404),
    ("PATCH", "/items/nothing", {"name": ""}, 422),
    ("POST", "/reports", {"name": ""}, 422),
    ("POST", "/reports", {}, 422),
]


def test_what_is_not_there_or_not_understood(client: Client) -> None:
    for method, path, body, status in NOT_THERE:
        found = client.call(method, path, status, json=body)
        assert found["status"] == status and found["detail"], path


def test_a_step_that_is_not_understood_changes_nothing(client: Client) -> None:
    table = client.bring(b"g,y\na,1\nb,2\n")
    for step in (
        {"step": "fly"},
        {"step": "keep_rows"},
        {"step": "kind", "column": "y", "kind": "colour"},
        {"step": "compute", "name": "x", "expression": "1", "more": 2},
    ):
        assert client.steps(table["id"], [step], 422)["detail"]
        assert client.get(f"/tables/{table['id']}")["table"]["steps"] == []


def test_an_unknown_method_is_said(client: Client) -> None:
    table = client.bring(b"g,y\na,1\nb,2\n")
    problem = client.call("POST", "/questions", 422, json={"table": table["id"], "method": "divine"})
    assert (
        "There is no method 'divine'. There are: agreement, arima, clustering, community_test, " in problem["detail"]
    )


def test_columns_in_view_with_their_distributions(demo: Client) -> None:
    table = demo.entries("table")[0]["id"]
    found = demo.get(f"/tables/{table}/columns", params={"names": ["room", "minutes", "nothing"]})
    assert [c["column"]["name"] for c in found] == ["room", "minutes"]
    assert found[0]["profile"]["bars"] == [30, 40, 38]
    assert sum(found[1]["profile"]["bars"]) == 108


def test_large_tables_are_looked_at_by_their_first_rows() -> None:
    from tests.tables import demo_tables
    from yavik.core.methods.fit import fitting
    from yavik.server.routes.tables import looked_at

    whole = demo_tables()["Grant round"]
    part = looked_at(whole, 500)
    assert part.n_rows == 500 and looked_at(whole, 5000) is whole
    assert fitting(part, ["visits_after", "score", "grant"])[0].method == "discontinuity"


def test_a_rule_in_a_column_that_was_not_chosen_is_seen(demo: Client) -> None:
    table = next(e["id"] for e in demo.entries("table") if e["name"] == "Grant round")
    found = demo.get(f"/tables/{table}/fits", params={"names": ["visits_after", "score"]})["fits"]
    assert (found[0]["method"], found[0]["spec"]["cutoff"]) == ("discontinuity", 50.0)


def test_fits_say_what_was_chosen(demo: Client) -> None:
    table = demo.entries("table")[0]["id"]
    found = demo.get(f"/tables/{table}/fits", params={"names": ["room", "seat", "minutes"]})
    assert found["said"] == "2 categories and 1 measure; 108 rows."
    assert any(f["missing"] for f in demo.get(f"/tables/{table}/fits", params={"names": []})["fits"])


def test_history_is_kept_in_order(client: Client) -> None:
    table = client.bring(b"g,y\na,1\nb,2\n", "x.csv")
    client.call("PATCH", f"/items/{table['id']}", json={"name": "Renamed"})
    client.call("POST", "/undo")
    changes = client.get("/changes")
    assert [(c["label"], c["undone"]) for c in changes] == [("Rename x.csv", True), ("Bring in x.csv", False)]
    contents = client.get()
    assert (contents["undo"], contents["redo"]) == ("Bring in x.csv", "Rename x.csv")


def test_undo_of_nothing(client: Client) -> None:
    assert client.call("POST", "/undo") == {"label": None, "item_id": None}
    assert client.call("POST", "/redo") == {"label": None, "item_id": None}


def test_a_copied_study_is_independent(demo: Client) -> None:
    copy = demo.http.post(f"/api/studies/{demo.study}/duplicate").json()
    other = Client(demo.http, copy["id"])
    table = other.entries("table")[0]["id"]
    other.steps(table, [])
    assert other.entries("table")[0]["line"] == "112 rows · 8 columns"
    assert demo.entries("table")[0]["line"] == "108 rows · 9 columns"
    assert not any(e["out_of_date"] for e in demo.entries("question"))
    assert other.entries("question")[0]["out_of_date"] is True


def test_side_by_side_and_figures_of_it(demo: Client) -> None:
    glue = demo.entries("question")[1]
    figure = demo.call("POST", "/figures", 201, json={"table": glue["table"], "from_question": glue["id"]})
    assert figure["figure"]["kind"] == "samples" and figure["figure"]["samples"] == [
        "bone glue",
        "starch paste",
        "resin",
    ]
    assert figure["figure"]["marks_from"] == glue["id"]
    assert figure["drawing"]["levels"] == ["Bone glue", "Starch paste", "Resin"]


def test_a_figure_with_impossible_bounds_is_refused_and_kept_as_it_was(demo: Client) -> None:
    figure = demo.get(f"/figures/{demo.entries('figure')[0]['id']}")
    problem = demo.call(
        "PATCH", f"/figures/{figure['id']}", 422, json={"figure": {**figure["figure"], "y_min": 9, "y_max": 3}}
    )
    assert "end above where it begins" in problem["detail"]
    assert demo.get(f"/figures/{figure['id']}")["figure"] == figure["figure"]
