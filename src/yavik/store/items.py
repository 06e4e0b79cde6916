"""Studies and what is in them, with undo and redo that survive anything: every change keeps its before and after."""

from datetime import timedelta
from typing import Any

from sqlalchemy import Engine, func, select, update
from sqlalchemy.orm import Session

from yavik.store.models import Change, Item, Shown, Study, Upload, new_id, now

TOGETHER = timedelta(seconds=20)
"""Typing in one place within this time is one change to undo."""


class Items:
    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def session(self) -> Session:
        return Session(self.engine, expire_on_commit=False)

    # Studies

    def studies(self) -> list[Study]:
        with self.session() as s:
            return list(s.scalars(select(Study).where(Study.deleted.is_(None)).order_by(Study.touched.desc())))

    def study(self, study_id: str, *, deleted: bool = False) -> Study:
        """Raises LookupError."""
        with self.session() as s:
            study = s.get(Study, study_id)
            if study is None or (study.deleted is not None and not deleted):
                raise LookupError(study_id)
            return study

    def new_study(self, name: str, *, demo: bool = False) -> Study:
        with self.session() as s, s.begin():
            study = Study(name=name, demo=demo)
            s.add(study)
            s.flush()
            return study

    def set_study(self, study_id: str, **values: Any) -> Study:
        with self.session() as s, s.begin():
            s.execute(update(Study).where(Study.id == study_id).values(**values, touched=now()))
        return self.study(study_id, deleted=True)

    def duplicate_study(self, study_id: str, name: str) -> Study:
        """A copy of everything; cells, files and answers are shared, as they never change."""
        with self.session() as s, s.begin():
            copy = Study(name=name)
            s.add(copy)
            s.flush()
            items = list(s.scalars(select(Item).where(Item.study_id == study_id, Item.deleted.is_(False))))
            ids = {item.id: new_id() for item in items}
            for item in items:
                s.add(
                    Item(
                        id=ids[item.id],
                        study_id=copy.id,
                        type=item.type,
                        name=item.name,
                        position=item.position,
                        body=_renamed(item.body, ids),
                    )
                )
            s.flush()
            for row in s.scalars(select(Shown).where(Shown.item_id.in_(ids))).all():
                s.add(Shown(item_id=ids[row.item_id], key=row.key))
            return copy

    # Items

    def items(self, study_id: str) -> list[Item]:
        with self.session() as s:
            return list(
                s.scalars(
                    select(Item).where(Item.study_id == study_id, Item.deleted.is_(False)).order_by(Item.position)
                )
            )

    def item(self, study_id: str, item_id: str, type: str | None = None) -> Item:
        """Raises LookupError."""
        with self.session() as s:
            item = s.get(Item, item_id)
            if item is None or item.deleted or item.study_id != study_id or (type and item.type != type):
                raise LookupError(item_id)
            return item

    def find(self, item_id: str, type: str | None = None) -> Item:
        """An entry of whatever study. Raises LookupError."""
        with self.session() as s:
            item = s.get(Item, item_id)
            if item is None or item.deleted or (type and item.type != type):
                raise LookupError(item_id)
            return item

    def add(self, study_id: str, type: str, name: str, body: dict[str, Any], label: str) -> Item:
        with self.session() as s, s.begin():
            last = s.scalar(select(func.max(Item.position)).where(Item.study_id == study_id)) or 0.0
            item = Item(
                id=new_id(), study_id=study_id, type=type, name=name, position=last + 1, body=body, deleted=False
            )
            s.add(item)
            s.flush()
            self._record(s, item, _state(item) | {"deleted": True}, label)
            return item

    def change(self, study_id: str, item_id: str, label: str, *, together: bool = False, **values: Any) -> Item:
        """Sets name, position, body or deleted. ``together`` joins quick successive changes into one undo."""
        with self.session() as s, s.begin():
            item = s.get(Item, item_id)
            if item is None or item.study_id != study_id:
                raise LookupError(item_id)
            before = _state(item)
            for key, value in values.items():
                setattr(item, key, value)
            if _state(item) != before:
                s.flush()
                self._record(s, item, before, label, together)
            return item

    def _record(self, s: Session, item: Item, before: dict[str, Any], label: str, together: bool = False) -> None:
        last = s.scalars(
            select(Change).where(Change.study_id == item.study_id).order_by(Change.id.desc()).limit(1)
        ).first()
        # A new change ends the redo line: what was undone before it is gone from there.
        for old in s.scalars(select(Change).where(Change.study_id == item.study_id, Change.undone.is_(True))):
            s.delete(old)
        if (
            together
            and last
            and not last.undone
            and last.item_id == item.id
            and last.label == label
            and now() - last.at < TOGETHER
        ):
            last.after, last.at = _state(item), now()
        else:
            s.add(
                Change(
                    study_id=item.study_id,
                    item_id=item.id,
                    label=label,
                    before=before,
                    after=_state(item),
                    undone=False,
                )
            )
        s.execute(update(Study).where(Study.id == item.study_id).values(touched=now()))

    # Undo

    def undo(self, study_id: str) -> Change | None:
        return self._move(study_id, undone=False)

    def redo(self, study_id: str) -> Change | None:
        return self._move(study_id, undone=True)

    def _move(self, study_id: str, *, undone: bool) -> Change | None:
        """Takes back the last change that stands, or does again the first that was taken back."""
        order = Change.id.asc() if undone else Change.id.desc()
        with self.session() as s, s.begin():
            change = s.scalars(
                select(Change).where(Change.study_id == study_id, Change.undone.is_(undone)).order_by(order).limit(1)
            ).first()
            if change is None:
                return None
            item = s.get(Item, change.item_id)
            if item is not None:
                for key, value in (change.after if undone else change.before).items():
                    setattr(item, key, value)
            change.undone = not undone
            s.execute(update(Study).where(Study.id == study_id).values(touched=now()))
            return change

    def changes(self, study_id: str, most: int = 100) -> list[Change]:
        with self.session() as s:
            return list(
                s.scalars(select(Change).where(Change.study_id == study_id).order_by(Change.id.desc()).limit(most))
            )

    def uploads(self, study_id: str) -> list[Upload]:
        with self.session() as s:
            return list(s.scalars(select(Upload).where(Upload.study_id == study_id, Upload.complete.is_(True))))


def _state(item: Item) -> dict[str, Any]:
    return {"name": item.name, "position": item.position, "body": item.body, "deleted": bool(item.deleted)}


def _renamed(value: Any, ids: dict[str, str]) -> Any:
    """Ids inside descriptions point to the copies."""
    if isinstance(value, dict):
        return {k: _renamed(v, ids) for k, v in value.items()}
    if isinstance(value, list):
        return [_renamed(v, ids) for v in value]
    return ids.get(value, value) if isinstance(value, str) else value
