"""What nothing needs goes, what can be undone stays, and the file shrinks."""

from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from yavik.core.methods import Run
from yavik.core.steps import parse_step
from yavik.engine.descriptions import Ask, ReadFile
from yavik.engine.tasks import carry_out
from yavik.store import Store
from yavik.store.bodies import QuestionBody, TableBody
from yavik.store.models import ColumnData, Profile, Result, Study, Upload, Version, now
from yavik.store.tidy import Tidied
from yavik.store.tidy import tidy as tidied


def tidy(store: Store) -> Tidied:
    return tidied(store, young=timedelta(0))


RNG = np.random.default_rng(19)


def csv(rows: int = 4000) -> bytes:
    columns = [RNG.normal(size=rows).round(6) for _ in range(5)]
    lines = [f"{'abc'[i % 3]}," + ",".join(f"{c[i]}" for c in columns) for i in range(rows)]
    return ("g,a,b,c,d,e\n" + "\n".join(lines) + "\n").encode()


def brought(store: Store, study: str, data: bytes, name: str = "T") -> str:
    upload = store.files.put(study, "t.csv", data)
    from yavik.core.files.options import ReadOptions

    options = ReadOptions()
    key = carry_out(store, ReadFile(upload=upload.id, options=options), Run())["key"]
    body = TableBody(upload=upload.id, filename="t.csv", root=key, options=options)
    return store.items.add(study, "table", name, body.model_dump(mode="json"), "Bring").id


def asked(store: Store, study: str, table: str) -> str:
    body = QuestionBody(table=table, method="compare_groups", layout="stacked", spec={"response": "a", "groups": "g"})
    return store.items.add(study, "question", "Q", body.model_dump(mode="json"), "Ask").id


def set_steps(store: Store, study: str, table: str, *steps: dict[str, Any]) -> None:
    body = store.tables(study).body(table)
    kept = [parse_step(s).model_dump(mode="json", exclude_none=True) for s in steps]
    store.items.change(study, table, "Change", body=body.model_copy(update={"steps": kept}).model_dump(mode="json"))
    store.tables(study).replay(store.tables(study).body(table))


def answered(store: Store, study: str, question: str, **spec: Any) -> dict[str, Any]:
    body = QuestionBody.model_validate(store.items.item(study, question).body)
    body = body.model_copy(update={"spec": {**body.spec, **spec}})
    store.items.change(study, question, "Change", body=body.model_dump(mode="json"))
    held = store.tables(study).body(body.table)
    root = store.tables(study).root(held)
    ask = Ask(study=study, root=root, steps=held.steps, method=body.method, spec=body.spec, item=question)
    found = store.result(carry_out(store, ask, Run())["key"])
    assert found is not None
    return found


def counts(store: Store) -> dict[str, int]:
    with Session(store.engine) as s:
        return {m.__tablename__: s.scalar(select(func.count()).select_from(m)) or 0 for m in (Version, ColumnData, Result, Profile, Upload)}  # fmt: skip


def size(store: Store) -> int:
    store.engine.dispose()
    return (store.folder / "yavik.sqlite").stat().st_size


def test_a_thousand_edits_then_tidy_is_like_a_fresh_one(tmp_path: Path) -> None:
    """Settings of a question and steps of a table changed a thousand times: what stays is what a fresh study of the
    same content has, and its history."""
    data = csv()

    def filled(folder: Path) -> tuple[Store, str, str, str]:
        store = Store(folder)
        study = store.items.new_study("S").id
        table = brought(store, study, data)
        return store, study, table, asked(store, study, table)

    busy, study, table, question = filled(tmp_path / "busy")
    for i in range(40):
        set_steps(busy, study, table, {"step": "compute", "name": "x", "expression": f"a * {i}"})
        busy.profile(busy.tables(study).replay(busy.tables(study).body(table))[0], "x")
        for k in range(24):
            alpha = 0.01 + 0.001 * (i * 24 + k) / 24
            if k < 3:
                answered(busy, study, question, alpha=alpha)
            else:
                body = busy.items.item(study, question).body
                busy.items.change(study, question, "Change", body={**body, "spec": {**body["spec"], "alpha": alpha}})
    last = answered(busy, study, question)
    assert len(busy.items.changes(study, 5000)) > 1000
    fat = size(busy)
    done = tidy(busy)
    assert done.results > 100 and done.columns >= 38 and done.profiles >= 39 and done.after < done.before
    fresh, other, other_table, other_question = filled(tmp_path / "fresh")
    set_steps(fresh, other, other_table, {"step": "compute", "name": "x", "expression": "a * 39"})
    same = answered(fresh, other, other_question, alpha=busy.items.item(study, question).body["spec"]["alpha"])
    assert same["facts"] == last["facts"]
    assert {k: counts(busy)[k] for k in ("versions", "column_data", "results", "uploads")} == {
        k: counts(fresh)[k] for k in ("versions", "column_data", "results", "uploads")
    }
    tidy(fresh)
    assert size(busy) < fat / 3 and size(busy) < 1.5 * size(fresh)
    # Nothing that can be undone is lost: every one of the last steps back works and is worked out anew.
    for _ in range(60):
        assert busy.items.undo(study) is not None
    snapshot, effects = busy.tables(study).replay(busy.tables(study).body(table))
    assert effects[0].problem is None and snapshot.columns[-1].name == "x"
    assert answered(busy, study, question)["facts"]["welch.p"] == last["facts"]["welch.p"]
    assert busy.sound()
    busy.close()
    fresh.close()


def test_a_deleted_study_goes_for_good_after_a_while_and_copies_keep_their_files(store: Store) -> None:
    first = store.items.new_study("First").id
    table = brought(store, first, csv(50))
    copy = store.items.duplicate_study(first, "Copy").id
    store.items.set_study(first, deleted=now())
    tidy(store)
    assert store.items.study(first, deleted=True)  # it can still be brought back
    with Session(store.engine) as s, s.begin():
        s.execute(update(Study).where(Study.id == first).values(deleted=now() - timedelta(days=31)))
    assert tidy(store).studies == 1
    with pytest.raises(LookupError):
        store.items.study(first, deleted=True)
    [copied] = [i for i in store.items.items(copy) if i.type == "table"]
    body = store.tables(copy).body(copied.id)
    assert b"".join(store.files.pieces(store.files.own(copy, body.upload).id)).startswith(b"g,a,b")
    assert store.tables(copy).replay(body)[0].n_rows == 50 and table != copied.id
    store.items.set_study(copy, deleted=now() - timedelta(days=40))
    tidy(store)
    assert counts(store) == dict.fromkeys(counts(store), 0)


def test_what_was_deleted_in_a_study_comes_back(store: Store) -> None:
    study = store.items.new_study("S").id
    table = brought(store, study, csv(50))
    set_steps(store, study, table, {"step": "compute", "name": "x", "expression": "a + 1"})
    store.items.change(study, table, "Delete", deleted=True)
    tidy(store)
    store.items.undo(study)
    assert store.tables(study).replay(store.tables(study).body(table))[0].columns[-1].name == "x"


def test_files_that_became_no_table_go_after_a_day(store: Store) -> None:
    study = store.items.new_study("S").id
    fresh, old = store.files.put(study, "a.csv", b"a\n1\n"), store.files.put(study, "b.csv", b"a\n2\n")
    with Session(store.engine) as s, s.begin():
        s.execute(update(Upload).where(Upload.id == old.id).values(created=now() - timedelta(hours=25)))
    assert tidy(store).files == 1
    assert store.files.get(fresh.id).filename == "a.csv"
    with pytest.raises(LookupError):
        store.files.get(old.id)


def test_another_process_sees_that_columns_went(store: Store) -> None:
    """What it had in memory is not taken as stored: the table it saves next has its columns."""
    study = store.items.new_study("S").id
    table = brought(store, study, csv(50))
    other = Store(store.folder, upgrade=False)
    step = {"step": "compute", "name": "x", "expression": "a + 1"}
    set_steps(other, study, table, step)
    set_steps(store, study, table)
    tidy(store)
    other.items.change(study, table, "Again", body=other.tables(study).body(table).model_dump(mode="json"))
    other.versions._found.clear()  # the version is gone, the cells are still in memory
    set_steps(other, study, table, step)
    again = Store(store.folder, upgrade=False)
    snapshot, _ = again.tables(study).replay(again.tables(study).body(table))
    assert again.versions.table(snapshot).column("x").name == "x"
    tidy(store)
    other.follow()
    assert other.versions._found == {} and other.cells._kept == {}
    other.close()
    again.close()


def test_a_file_from_before_is_written_anew_once(tmp_path: Path) -> None:
    import sqlite3

    store = Store(tmp_path)
    store.close()
    with sqlite3.connect(tmp_path / "yavik.sqlite") as db:
        db.execute("PRAGMA auto_vacuum=0")
        db.execute("VACUUM")
    db.close()
    again = Store(tmp_path)
    with again.engine.connect() as c:
        assert c.exec_driver_sql("PRAGMA auto_vacuum").scalar() == 0
    tidy(again)
    with again.engine.connect() as c:
        assert c.exec_driver_sql("PRAGMA auto_vacuum").scalar() == 2
    again.close()
