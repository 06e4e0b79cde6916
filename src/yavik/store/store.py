"""The store: one folder, one database, everything in it."""

import getpass
from pathlib import Path
from typing import Any

from sqlalchemy import case, delete, func, select, text
from sqlalchemy.dialects.sqlite import insert as sqlite_insert
from sqlalchemy.orm import Session

from yavik.core.table.profile import Profile
from yavik.core.table.texts import cleaned_json
from yavik.store.budget import of_the_server, total
from yavik.store.columns import ColumnStore
from yavik.store.database import FILE, Watch, connect, migrate
from yavik.store.files import Files
from yavik.store.folder import in_sentences, prepare, private
from yavik.store.items import Items
from yavik.store.mapped import Mapped
from yavik.store.models import Item, Result, Shown
from yavik.store.profiles import Profiles
from yavik.store.tables import Tables
from yavik.store.trail import Trail
from yavik.store.versions import Snapshot, Versions


def who_am_i() -> str:
    """The name under which changes are kept: that of the account at this computer."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


class Store:
    """
    Args:
        folder: made when missing.
        memory: bytes of tables that this process may keep; None for a server's part of the budget.
        upgrade: bring the database to the newest shape; workers leave that to the server.

    Raises FolderTrouble where the folder or its database cannot be used.
    """

    def __init__(self, folder: Path, *, upgrade: bool = True, memory: int | None = None) -> None:
        if upgrade:
            prepare(folder)
        self.folder = folder
        if not (folder / FILE).exists():
            with private(folder / FILE):
                pass
        self.engine = connect(folder)
        if upgrade:
            with in_sentences():
                migrate(folder, self.engine)
        self.watch = Watch(folder)
        share = of_the_server(total()) if memory is None else memory
        self.cells = ColumnStore(self.engine, Mapped(folder), share * 2 // 3)
        self.versions = Versions(self.engine, self.cells, share // 3)
        self.items = Items(self.engine, who_am_i())
        self.files = Files(self.engine)
        self.trail = Trail(self.engine)
        self.profiles = Profiles(self.engine, self.cells)
        self._tidied = 0

    def tables(self, study_id: str, at: list[Item] | None = None) -> Tables:
        """The tables of a study; with its entries at a moment, those are not read again."""
        return Tables(self.items, self.versions, study_id, at)

    def close(self) -> None:
        """Lets go of the database."""
        self.watch.close()
        self.engine.dispose()

    def sound(self) -> bool:
        """Whether the database passes its own integrity check."""
        with self.engine.connect() as connection:
            good = connection.execute(text("PRAGMA integrity_check")).scalar() == "ok"
            return good and connection.execute(text("PRAGMA foreign_key_check")).first() is None

    def result(self, key: str) -> dict[str, Any] | None:
        """A stored result; None where there is none of that key."""
        with Session(self.engine) as session:
            return session.scalar(select(Result.data).where(Result.key == key))

    def has_result(self, key: str) -> bool:
        """Whether a result is kept."""
        with Session(self.engine) as session:
            return session.scalar(select(Result.key).where(Result.key == key)) is not None

    def drop_result(self, key: str) -> None:
        """Throws a result away."""
        with self.engine.begin() as connection:
            connection.execute(delete(Result).where(Result.key == key))

    def shown_in(self, study_id: str, item_id: str | None = None) -> dict[str, tuple[str, str | None]]:
        """What the entries of a study show, or one of them: the result's key, and the few words of an answer."""
        own = select(Shown.item_id, Shown.key, Result.short).join(Item, Item.id == Shown.item_id)
        own = own.outerjoin(Result, Result.key == Shown.key)
        own = own.where(Item.study_id == study_id, Item.deleted.is_(False))
        if item_id is not None:
            own = own.where(Item.id == item_id)
        with self.engine.connect() as connection:
            rows = connection.execute(own)
            return {item: (key, short) for item, key, short in rows}

    def statements(self, study_id: str) -> dict[str, str | None]:
        """What the answers that a study's questions show say, as JSON; None for one that cannot be read."""
        whole = case((func.json_valid(Result.data), func.json_extract(Result.data, "$.headline_spans")))
        shown = (
            select(Shown.item_id, whole).join(Result, Result.key == Shown.key).join(Item, Item.id == Shown.item_id)
        )
        own = shown.where(Item.study_id == study_id, Item.type == "question", Item.deleted.is_(False))
        with self.engine.connect() as connection:
            return dict(connection.execute(own).tuples().all())

    def computed(self, key: str) -> tuple[str, str]:
        """What an answer depends on but the code (its base), and the code that computed it."""
        with Session(self.engine) as session:
            found = session.execute(select(Result.base, Result.revision).where(Result.key == key)).first()
            return (found[0], found[1]) if found else ("", "")

    def keep_result(
        self, key: str, data: dict[str, Any], item_id: str | None = None, base: str = "", revision: str = ""
    ) -> None:
        """Keeps a result, cleaned once and for all, and shows it at an item."""
        row = {"key": key, "data": cleaned_json(data), "base": base, "revision": revision, "short": data.get("short")}
        with self.engine.begin() as connection:
            connection.execute(sqlite_insert(Result).on_conflict_do_nothing(), row)
        if item_id:
            self.show(item_id, key)
            self.trail.note(item_id, data)

    def show(self, item_id: str, key: str) -> None:
        """Says which result an item shows. An answer to the very same question by other code is remembered."""
        with self.engine.begin() as connection:
            old = connection.execute(select(Shown.key, Shown.before).where(Shown.item_id == item_id)).first()
            before = old[1] if old and old[0] == key else None
            if old and old[0] != key:
                bases = dict(
                    connection.execute(select(Result.key, Result.base).where(Result.key.in_([old[0], key])))
                    .tuples()
                    .all()
                )
                before = old[0] if bases.get(key) and bases.get(key) == bases.get(old[0]) else None
            statement = sqlite_insert(Shown).values(item_id=item_id, key=key, before=before)
            now_shown = {"key": key, "before": before}
            connection.execute(statement.on_conflict_do_update(index_elements=["item_id"], set_=now_shown))

    def before(self, item_id: str) -> str | None:
        """The answer to the question that an item shows, as other code gave it."""
        with Session(self.engine) as session:
            return session.scalar(select(Shown.before).where(Shown.item_id == item_id))

    def shown(self, item_id: str) -> str | None:
        """The result that an item shows."""
        with Session(self.engine) as session:
            return session.scalar(select(Shown.key).where(Shown.item_id == item_id))

    def profile(self, snapshot: Snapshot, name: str) -> Profile:
        """A column's distribution, computed once per column content."""
        return self.profiles.get(snapshot, name)

    def forget(self) -> None:
        """Forgets what was read of tables: what is kept may be less than it was. Other processes see it at their
        next work."""
        self.versions.forget()
        self.cells.forget()
        with self.engine.begin() as connection:
            number = int(connection.execute(text("PRAGMA user_version")).scalar() or 0)
            connection.execute(text(f"PRAGMA user_version={(number + 1) % (1 << 30)}"))
            self._tidied = number + 1

    def rest(self) -> None:
        """Between two pieces of work a process holds little: large columns are mapped again in no time."""
        self.versions.rest()
        self.cells.forget()

    def follow(self) -> None:
        """Forgets what was read of tables where another process threw some away since."""
        with self.engine.connect() as connection:
            number = int(connection.execute(text("PRAGMA user_version")).scalar() or 0)
        if number != self._tidied:
            self._tidied = number
            self.versions.forget()
            self.cells.forget()
