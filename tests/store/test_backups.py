"""Backups are proved by opening them; what they replace is kept; a damaged one never takes a place."""

import os
import sqlite3
import stat
import threading
from contextlib import closing
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from yavik.cli import main
from yavik.store import Store
from yavik.store.backups import backup, daily, latest, restore
from yavik.store.database import FILE
from yavik.store.folder import Hold
from yavik.store.troubles import FolderTrouble


def names(folder: Path) -> list[str]:
    opened = Store(folder)
    found = sorted(s.name for s in opened.items.studies())
    opened.close()
    return found


def test_a_backup_is_opened_and_brought_back(tmp_path: Path, capsys: Any) -> None:
    folder, file = tmp_path / "data", tmp_path / "kept.sqlite"
    store = Store(folder)
    store.items.new_study("Before")
    assert main(["backup", str(file), "--data-dir", str(folder)]) == 0  # while it is in use
    store.items.new_study("After")
    store.close()
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert main(["restore", str(file), "--data-dir", str(folder)]) == 0
    assert names(folder) == ["Before"]
    [kept] = folder.glob("before-restore-*.sqlite")
    other = tmp_path / "other"
    other.mkdir()
    kept.rename(other / FILE)
    assert names(other) == ["After", "Before"]
    assert "opened and found whole" in capsys.readouterr().out


def test_a_backup_while_others_write_is_consistent(tmp_path: Path) -> None:
    store, over = Store(tmp_path / "data"), threading.Event()

    def write() -> None:
        while not over.is_set():
            study = store.items.new_study("S").id
            store.items.add(study, "report", "R", {"doc": {}}, "Begin")

    writer = threading.Thread(target=write)
    writer.start()
    try:
        for i in range(3):
            backup(tmp_path / "data", tmp_path / f"{i}.sqlite")
    finally:
        over.set()
        writer.join()
    for i in range(3):
        folder = tmp_path / f"from-{i}"
        folder.mkdir()
        restore(folder, tmp_path / f"{i}.sqlite")
        opened = Store(folder)
        assert opened.sound()
        assert all(len(opened.items.items(s.id)) == 1 for s in opened.items.studies()[1:])
        opened.close()
    store.close()


def test_what_is_no_backup_replaces_nothing(tmp_path: Path, capsys: Any) -> None:
    folder = tmp_path / "data"
    store = Store(folder)
    store.items.new_study("Mine")
    store.close()
    good = backup(folder, tmp_path / "good.sqlite")
    cut, newer, other = tmp_path / "cut.sqlite", tmp_path / "newer.sqlite", tmp_path / "other.sqlite"
    cut.write_bytes(good.read_bytes()[: good.stat().st_size // 2])
    newer.write_bytes(good.read_bytes())
    with closing(sqlite3.connect(newer)) as db, db:
        db.execute("update alembic_version set version_num = '9999'")
    with closing(sqlite3.connect(other)) as db, db:
        db.execute("create table t (x)")
    for bad in (cut, newer, other, tmp_path / "none.sqlite", tmp_path):
        assert main(["restore", str(bad), "--data-dir", str(folder)]) == 1
        assert "Traceback" not in capsys.readouterr().err
    assert names(folder) == ["Mine"] and not list(folder.glob("before-restore-*"))
    with pytest.raises(FolderTrouble, match="is a folder"):
        backup(folder, tmp_path)
    assert main(["backup", str(tmp_path / "no" / "such.sqlite"), "--data-dir", str(folder)]) == 1
    assert not list(tmp_path.glob(".*coming"))


def test_restoring_under_a_server_is_refused(tmp_path: Path, capsys: Any) -> None:
    Store(tmp_path / "data").close()
    good = backup(tmp_path / "data", tmp_path / "good.sqlite")
    hold = Hold(tmp_path / "data", "http://127.0.0.1:1/?key=k")
    assert main(["restore", str(good), "--data-dir", str(tmp_path / "data")]) == 1
    assert "already works on" in capsys.readouterr().err
    hold.release()


def test_a_damaged_database_gives_way_to_the_last_backup(tmp_path: Path) -> None:
    store = Store(tmp_path)
    store.items.new_study("Kept")
    made = daily(tmp_path)
    store.close()
    (tmp_path / FILE).write_bytes(os.urandom(50_000))
    with pytest.raises(FolderTrouble, match="yavik restore"):
        Store(tmp_path)
    assert main(["restore", "--data-dir", str(tmp_path)]) == 0
    assert names(tmp_path) == ["Kept"] and latest(tmp_path) == made


def test_a_backup_a_day_and_a_stated_number_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    Store(tmp_path).close()
    days = [datetime(2026, 3, d) for d in range(1, 12)]
    made = [daily(tmp_path, d) for d in days]
    assert all(made) and daily(tmp_path, days[-1]) is None
    kept = sorted(p.name for p in (tmp_path / "backups").iterdir())
    assert kept == [f"yavik-2026-03-{d:02d}.sqlite" for d in range(5, 12)]
    monkeypatch.setenv("YAVIK_BACKUPS", "2")
    daily(tmp_path, datetime(2026, 3, 20))
    left = sorted(p.name for p in (tmp_path / "backups").iterdir())
    assert left == ["yavik-2026-03-11.sqlite", "yavik-2026-03-20.sqlite"]
    monkeypatch.setenv("YAVIK_BACKUPS", "0")
    assert daily(tmp_path, datetime(2026, 4, 1)) is None
