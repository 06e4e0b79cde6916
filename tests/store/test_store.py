"""What lasts: columns by content, versions by path, undo, and the database's own soundness."""

import sqlite3
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from sqlalchemy import func, select

from yavik.core.files.delimited import read
from yavik.core.steps import new_step
from yavik.core.steps.base import Effect
from yavik.store import Store
from yavik.store.columns import pack, unpack
from yavik.store.database import backup
from yavik.store.models import ColumnData

EFFECT = Effect(title="file", said="", rows_in=0, rows_out=0)


def count(store: Store) -> int:
    with store.engine.connect() as c:
        return c.execute(select(func.count()).select_from(ColumnData)).scalar_one()


def wide(n: int = 50) -> bytes:
    rng = np.random.default_rng(1)
    lines = [",".join(f"c{i}" for i in range(n))] + [
        ",".join(f"{v:.3f}" for v in rng.normal(size=n)) for _ in range(30)
    ]
    return "\n".join(lines).encode()


@pytest.mark.parametrize(
    "array",
    [
        pa.array([1.5, None, 3]),
        pa.array([1, None]),
        pa.array(["a", None], pa.large_string()),
        pa.array(["x", "y", "x"]).dictionary_encode(),
        pa.array([], pa.float64()),
    ],
)
def test_columns_come_back(array: pa.Array) -> None:
    name, data = pack(array)
    assert unpack(bytes(data)).equals(array)
    assert pack(pa.concat_arrays([array[:0], array]))[0] == name


def test_a_step_on_one_column_of_fifty_stores_one_column(store: Store) -> None:
    store.versions.save("root", read(wide())[0], EFFECT)
    before = count(store)
    store.versions.replay("root", [new_step({"step": "compute", "name": "c7", "expression": "c7 * 2"}).model_dump()])
    assert count(store) == before + 1


def test_describing_stores_no_cells(store: Store) -> None:
    store.versions.save("root", read(wide())[0], EFFECT)
    before = count(store)
    store.versions.replay("root", [new_step({"step": "describe_column", "column": "c1", "unit": "m"}).model_dump()])
    assert count(store) == before


def test_versions_come_back_from_the_database(store: Store) -> None:
    table, _ = read(b"g,y\na,1\nb,2\na,3\n")
    store.versions.save("root", table, EFFECT)
    steps = [new_step({"step": "keep_rows", "where": "y > 1"}).model_dump()]
    store.versions.replay("root", steps)
    fresh = Store(store.folder)
    snapshot, effects = fresh.versions.replay("root", steps)
    again = fresh.versions.table(snapshot)
    assert again.rows.tolist() == [2, 3]
    assert again.texts("g") == ["b", "a"]
    assert effects[0].said == "3 → 2 rows"
    fresh.close()


def test_keys_pass_over_ids_and_steps_that_are_off(store: Store) -> None:
    a = {"step": "keep_rows", "where": "y > 1", "id": "1"}
    off = {"step": "keep_rows", "where": "y > 9", "id": "3", "on": False}
    keys = store.versions.keys
    assert (
        keys("r", [a])[-1] == keys("r", [{**a, "id": "2"}])[-1] == keys("r", [a, off])[-1] == keys("r", [off, a])[-1]
    )
    assert keys("r", [a]) != keys("q", [a])


def test_an_answer_depends_only_on_its_columns(store: Store) -> None:
    table, _ = read(b"g,y,z\na,1,5\nb,2,6\na,3,7\n")
    store.versions.save("root", table, EFFECT)
    base, _ = store.versions.replay("root", [])
    other, _ = store.versions.replay(
        "root", [new_step({"step": "compute", "name": "z", "expression": "z + 1"}).model_dump()]
    )
    assert base.fingerprint(["g", "y"]) == other.fingerprint(["g", "y"])
    assert base.fingerprint(["z"]) != other.fingerprint(["z"])


def test_undo_and_redo_across_a_restart(store: Store) -> None:
    items = store.items
    study = items.new_study("S")
    item = items.add(study.id, "report", "R", {"doc": {"v": 1}}, "Begin")
    items.change(study.id, item.id, "Write", body={"doc": {"v": 2}})
    items.change(study.id, item.id, "Rename", name="R2")
    fresh = Store(store.folder)
    assert fresh.items.undo(study.id).label == "Rename"  # type: ignore[union-attr]
    assert fresh.items.undo(study.id).label == "Write"  # type: ignore[union-attr]
    assert fresh.items.item(study.id, item.id).body == {"doc": {"v": 1}}
    assert fresh.items.redo(study.id).label == "Write"  # type: ignore[union-attr]
    assert fresh.items.item(study.id, item.id).body == {"doc": {"v": 2}}
    assert fresh.items.undo(study.id) and fresh.items.undo(study.id)
    assert fresh.items.items(study.id) == []
    assert fresh.items.undo(study.id) is None
    fresh.close()


def test_a_new_change_ends_the_redo_line(store: Store) -> None:
    study = store.items.new_study("S")
    item = store.items.add(study.id, "report", "R", {}, "Begin")
    store.items.change(study.id, item.id, "Rename", name="A")
    store.items.undo(study.id)
    store.items.change(study.id, item.id, "Rename", name="B")
    assert store.items.redo(study.id) is None
    assert store.items.item(study.id, item.id).name == "B"


def test_typing_together_is_one_change(store: Store) -> None:
    study = store.items.new_study("S")
    item = store.items.add(study.id, "report", "R", {"doc": 0}, "Begin")
    for v in range(1, 5):
        store.items.change(study.id, item.id, "Write", together=True, body={"doc": v})
    store.items.undo(study.id)
    assert store.items.item(study.id, item.id).body == {"doc": 0}


def test_a_copied_study_points_to_its_own_items(store: Store) -> None:
    study = store.items.new_study("S")
    table = store.items.add(study.id, "table", "T", {}, "")
    store.items.add(study.id, "question", "Q", {"table": table.id}, "")
    copy = store.items.duplicate_study(study.id, "S2")
    copied = {i.type: i for i in store.items.items(copy.id)}
    assert copied["question"].body["table"] == copied["table"].id != table.id


def test_files_come_back_byte_for_byte(store: Store) -> None:
    study = store.items.new_study("S")
    data = np.random.default_rng(0).bytes(9_000_001)
    upload = store.files.put(study.id, "x.bin", data)
    assert b"".join(store.files.pieces(upload.id)) == data
    assert store.files.head(upload.id, 10) == data[:10]


def test_a_backup_stands_before_a_migration(store: Store) -> None:
    store.items.new_study("Kept")
    copy = backup(store.folder, "0001")
    assert sqlite3.connect(copy).execute("select name from studies").fetchall() == [("Kept",)]


def test_models_and_migrations_agree(store: Store) -> None:
    from alembic.autogenerate import compare_metadata
    from alembic.runtime.migration import MigrationContext

    from yavik.store.models import Base

    with store.engine.connect() as c:
        assert compare_metadata(MigrationContext.configure(c), Base.metadata) == []


def test_sound(store: Store, tmp_path: Path) -> None:
    assert store.sound()
