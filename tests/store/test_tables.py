"""Tables made from tables, versions under their keys, and a store from before."""

import sqlite3
from pathlib import Path
from typing import Any

import pytest
from alembic import command
from alembic.config import Config

from yavik.core.files.options import ReadOptions
from yavik.core.methods import Run
from yavik.core.table import DataProblem
from yavik.engine.descriptions import ReadFile, Replay
from yavik.engine.tasks import carry_out
from yavik.store import Store
from yavik.store import database as db
from yavik.store.bodies import TableBody

LOANS = b"branch,loans\nB1,10\nB1,14\nB2,20\nB3,7\n"


def table(store: Store, study: str, name: str, data: bytes = LOANS, *steps: dict[str, Any]) -> str:
    upload = store.files.put(study, f"{name}.csv", data)
    root = carry_out(store, ReadFile(upload=upload.id, options=ReadOptions()), Run())["key"]
    body = TableBody(upload=upload.id, filename=f"{name}.csv", root=root, steps=list(steps))
    return store.items.add(study, "table", name, body.model_dump(mode="json"), "new").id


def linked(store: Store, study: str, name: str, source: str, *steps: dict[str, Any]) -> str:
    body = TableBody(link=source, steps=list(steps))
    return store.items.add(study, "table", name, body.model_dump(mode="json"), "new").id


def change(store: Store, study: str, item: str, *steps: dict[str, Any]) -> None:
    body = store.tables(study).body(item).model_copy(update={"steps": list(steps)})
    store.items.change(study, item, "change", body=body.model_dump(mode="json"))


def test_a_key_changes_with_what_it_is_made_from_and_with_nothing_else(store: Store) -> None:
    study = store.items.new_study("s").id
    a, b = table(store, study, "a"), table(store, study, "b")
    c = linked(store, study, "c", a, {"step": "summarise", "columns": ["loans"], "by": ["branch"]})
    d = table(store, study, "d", LOANS, {"step": "append", "table": b})
    keys = {k: store.tables(study).key(k) for k in (a, b, c, d)}
    change(store, study, a, {"step": "sort", "by": ["loans"]})
    assert (
        store.tables(study).key(c) != keys[c]
        and store.tables(study).key(d) == keys[d]
        and store.tables(study).key(b) == keys[b]
    )
    change(store, study, a)
    assert store.tables(study).key(c) == keys[c]
    change(store, study, b, {"step": "keep_rows", "where": "loans > 9"})
    assert store.tables(study).key(d) != keys[d]
    snapshot, effects = store.tables(study).replay(store.tables(study).body(d))
    assert snapshot.n_rows == 7 and effects[0].said == "4 + 3 = 7 rows"
    store.items.change(study, b, "rename", name="other name")
    assert store.tables(study).replay(store.tables(study).body(d))[0].columns[-1].levels[1].value == "other name"


def test_a_chain_of_links_is_worked_out_from_its_beginning(store: Store) -> None:
    study = store.items.new_study("s").id
    a = table(store, study, "a")
    b = linked(store, study, "b", a, {"step": "summarise", "columns": ["loans"], "by": ["branch"], "what": ["sum"]})
    c = linked(store, study, "c", b, {"step": "keep_rows", "where": "`loans sum` > 10"})
    body = store.tables(study).body(c)
    done = carry_out(
        store, Replay(study=study, root=store.tables(study).root(body), steps=body.steps, link=body.link), Run()
    )
    assert store.versions.find(done["key"]) is not None and store.tables(study).known(body)
    assert store.tables(study).replay(body)[0].n_rows == 2
    assert store.tables(study).made_from(a) == ["b"] and store.tables(study).made_from(b) == ["c"]
    with pytest.raises(DataProblem, match="in a circle"):
        store.tables(study).refuse_circle(a, TableBody(steps=[{"step": "append", "table": c}]))


def test_a_circle_that_came_about_anyhow_ends_in_words(store: Store) -> None:
    study = store.items.new_study("s").id
    a, b = table(store, study, "a"), table(store, study, "b")
    change(store, study, a, {"step": "append", "table": b})
    change(store, study, b, {"step": "append", "table": a})  # past the check that refuses it
    _, effects = store.tables(study).replay(store.tables(study).body(a))
    assert effects[0].rows_in == 4  # it ends, with or without the other's rows
    one, two = linked(store, study, "one", a), ""
    two = linked(store, study, "two", one)
    store.items.change(study, one, "change", body=TableBody(link=two).model_dump(mode="json"))
    with pytest.raises(DataProblem, match="in a circle"):
        store.tables(study).key(one)


def test_what_is_known_of_a_table_is_kept_with_its_version(store: Store, tmp_path: Path) -> None:
    study = store.items.new_study("s").id
    a = table(
        store,
        study,
        "a",
        b"u,t,w\nA,1,2\nA,2,3\nB,1,1\n",
        {"step": "panel", "unit": "u", "time": "t"},
        {"step": "design", "weight": "w"},
    )
    store.tables(study).replay(store.tables(study).body(a))
    again = Store(tmp_path / "data")
    snapshot, _ = again.tables(study).replay(again.tables(study).body(a))
    assert (
        snapshot.about.panel
        and snapshot.about.panel.unit == "u"
        and snapshot.about.design
        and snapshot.about.design.weight == "w"
    )
    assert again.versions.table(snapshot).about == snapshot.about
    again.close()


def test_large_tables_do_not_fill_the_memory(store: Store, monkeypatch: pytest.MonkeyPatch) -> None:

    store.versions.memory = 100
    study = store.items.new_study("s").id
    a = table(
        store,
        study,
        "a",
        LOANS,
        *({"step": "compute", "name": f"x{i}", "expression": f"loans + {i}"} for i in range(6)),
    )
    store.tables(study).replay(store.tables(study).body(a))
    assert len(store.versions._tables) == 2
    assert store.tables(study).replay(store.tables(study).body(a))[0].n_rows == 4


def test_a_store_from_before_is_brought_up_with_everything_in_it(tmp_path: Path) -> None:
    folder = tmp_path / "old"
    folder.mkdir()
    engine = db.connect(folder)
    config = Config()
    config.set_main_option("script_location", str(Path(db.__file__).with_name("migrations")))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
    engine.dispose()
    with sqlite3.connect(folder / db.FILE) as raw:
        raw.execute("INSERT INTO studies VALUES ('s1', 'Old study', '2026-01-01', '2026-01-01', NULL, 0)")
        raw.execute(
            "INSERT INTO changes (study_id, item_id, at, label, before, after, undone) VALUES ('s1', 'i1', '2026-01-01', 'Sort', '{}', '{}', 0)"
        )
    store = Store(folder)
    assert [s.name for s in store.items.studies()] == ["Old study"]
    old = store.items.changes("s1")[0]
    assert (old.label, old.who, old.moment) == ("Sort", "", None)
    assert store.sound() and list(folder.glob("backup-before-0001*"))
    table(store, "s1", "new")
    store.close()
