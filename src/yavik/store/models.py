"""Tables of the database. Everything a study is lives here; cell data are columns under their hash."""

from datetime import UTC, datetime
from typing import Any
from uuid import uuid4

from sqlalchemy import JSON, Float, ForeignKey, Index, LargeBinary, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, validates

from yavik.core.table.texts import cleaned, keepable


def now() -> datetime:
    """The present, as it is stored."""
    return datetime.now(UTC).replace(tzinfo=None)


def new_id() -> str:
    """A fresh id."""
    return uuid4().hex[:12]


class Base(DeclarativeBase):
    pass


class Study(Base):
    __tablename__ = "studies"
    id: Mapped[str] = mapped_column(String(12), primary_key=True, default=new_id)
    name: Mapped[str]
    created: Mapped[datetime] = mapped_column(default=now)
    touched: Mapped[datetime] = mapped_column(default=now)
    deleted: Mapped[datetime | None] = mapped_column(default=None)
    demo: Mapped[bool] = mapped_column(default=False)

    @validates("name")
    def _name(self, _key: str, value: str) -> str:
        return cleaned(value)


class Item(Base):
    """A table, question, figure or report: a name and a typed description as JSON."""

    __tablename__ = "items"
    id: Mapped[str] = mapped_column(String(12), primary_key=True, default=new_id)
    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"), index=True)
    type: Mapped[str] = mapped_column(String(10))
    name: Mapped[str]
    position: Mapped[float] = mapped_column(Float, default=0.0)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    deleted: Mapped[bool] = mapped_column(default=False)
    revision: Mapped[int] = mapped_column(default=0, server_default="0")
    """How often it was changed, taking back and doing again included."""

    @validates("name", "body")
    def _kept(self, _key: str, value: Any) -> Any:
        """Whatever way an entry comes, nothing is kept that a page, a document or a renderer cannot hold."""
        return keepable(value)


class Change(Base):
    """One undoable change of one item, with what it was before and after."""

    __tablename__ = "changes"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    item_id: Mapped[str] = mapped_column(String(12))
    at: Mapped[datetime] = mapped_column(default=now)
    label: Mapped[str]
    before: Mapped[dict[str, Any]] = mapped_column(JSON)
    after: Mapped[dict[str, Any]] = mapped_column(JSON)
    undone: Mapped[bool] = mapped_column(default=False)
    who: Mapped[str] = mapped_column(default="", server_default="")
    moment: Mapped[str | None] = mapped_column(default=None)
    """A name for the study as it was right after this change."""
    revision: Mapped[int] = mapped_column(default=0, server_default="0")
    """The entry's revision with ``after``."""
    revision_before: Mapped[int] = mapped_column(default=0, server_default="0")
    """The entry's revision with ``before``."""
    __table_args__ = (Index("changes_by_study", "study_id", "id"),)


class Upload(Base):
    """A file as it was brought, whole. ``complete`` turns true in the transaction that writes its last piece."""

    __tablename__ = "uploads"
    id: Mapped[str] = mapped_column(String(12), primary_key=True, default=new_id)
    study_id: Mapped[str] = mapped_column(ForeignKey("studies.id", ondelete="CASCADE"))
    filename: Mapped[str]
    sha: Mapped[str] = mapped_column(String(64), default="")
    size: Mapped[int] = mapped_column(default=0)
    complete: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=now)


class Piece(Base):
    __tablename__ = "pieces"
    upload_id: Mapped[str] = mapped_column(ForeignKey("uploads.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class ColumnData(Base):
    """A column's cells: compressed Arrow bytes, once under their hash."""

    __tablename__ = "column_data"
    hash: Mapped[str] = mapped_column(String(40), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Version(Base):
    """A table after some steps: a list of column hashes. Keyed by what it was made from."""

    __tablename__ = "versions"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    columns: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    rows_hash: Mapped[str] = mapped_column(String(40))
    n_rows: Mapped[int]
    effect: Mapped[dict[str, Any]] = mapped_column(JSON)
    about: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict, server_default="{}")
    """What is known of the whole table: survey design, unit and time."""
    made: Mapped[datetime] = mapped_column(default=now, server_default="2026-01-01 00:00:00")


class Result(Base):
    """A computed answer or drawing, keyed by everything it depends on."""

    __tablename__ = "results"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
    made: Mapped[datetime] = mapped_column(default=now)
    base: Mapped[str] = mapped_column(String(40), default="", server_default="")
    """Of an answer: a key of everything it depends on but the code."""
    revision: Mapped[str] = mapped_column(default="", server_default="")
    """The code that computed it."""
    short: Mapped[str | None] = mapped_column(default=None)
    """Of an answer: its few words for the contents."""


class Shown(Base):
    """Which result an item shows now; it is out of date when its present key is another."""

    __tablename__ = "shown"
    item_id: Mapped[str] = mapped_column(ForeignKey("items.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(String(40))
    before: Mapped[str | None] = mapped_column(String(40), default=None)
    """The answer to the very same question that another version of the code gave."""


class TrailRound(Base):
    """A model that a question has had: its spec, and how well it fitted. Undo does not take it away."""

    __tablename__ = "rounds"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    item_id: Mapped[str] = mapped_column(ForeignKey("items.id", ondelete="CASCADE"))
    key: Mapped[str] = mapped_column(String(40))
    spec: Mapped[dict[str, Any]] = mapped_column(JSON)
    card: Mapped[dict[str, Any]] = mapped_column(JSON)
    name: Mapped[str | None] = mapped_column(default=None)
    at: Mapped[datetime] = mapped_column(default=now)
    __table_args__ = (UniqueConstraint("item_id", "key"),)


class Profile(Base):
    """A column's small distribution, kept under the column's hash and kind."""

    __tablename__ = "profiles"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[dict[str, Any]] = mapped_column(JSON)
