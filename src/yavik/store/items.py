"""Studies and what is in them, with undo and redo that survive anything: every change keeps its before and after."""

import threading
from datetime import timedelta
from typing import Any

from sqlalchemy import Engine, func, select, update
from sqlalchemy.orm import Session

from yavik.core.table.texts import cleaned, keepable
from yavik.store.models import Change, Item, Shown, Study, TrailRound, Upload, new_id, now

TOGETHER = timedelta(seconds=20)
"""Typing in one place within this time is one change to undo."""


BACK = "Go back"
"""Begins the label of changes that take the study back."""


class Items:
    def __init__(self, engine: Engine, who: str = "") -> None:
        self.engine, self.who = engine, who
        # Changes of a study build on one another: two that come at once are taken one after the other.
        self._turn = threading.RLock()

    def session(self) -> Session:
        return Session(self.engine, expire_on_commit=False)

    # Studies

    def studies(self) -> list[Study]:
        """The studies that are not deleted, the last touched first."""
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
        """An empty study."""
        with self.session() as s, s.begin():
            study = Study(name=name, demo=demo)
            s.add(study)
            s.flush()
            return study

    def set_study(self, study_id: str, **values: Any) -> Study:
        """Changes what is known of a study."""
        values = keepable(values)
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
                        body=renamed(item.body, ids),
                    )
                )
            s.flush()
            for row in s.scalars(select(Shown).where(Shown.item_id.in_(ids))).all():
                s.add(Shown(item_id=ids[row.item_id], key=row.key))
            for r in s.scalars(select(TrailRound).where(TrailRound.item_id.in_(ids)).order_by(TrailRound.id)).all():
                s.add(TrailRound(item_id=ids[r.item_id], key=r.key, spec=r.spec, card=r.card, name=r.name, at=r.at))
            return copy

    # Items

    def items(self, study_id: str) -> list[Item]:
        """What stands in a study, in order."""
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

    def first(self, study_id: str, type: str) -> Item | None:
        """The first entry of a type, without reading the others."""
        with self.session() as s:
            own = select(Item).where(Item.study_id == study_id, Item.type == type, Item.deleted.is_(False))
            return s.scalars(own.order_by(Item.position).limit(1)).first()

    def put(self, item: Item) -> None:
        """An entry as it is, after the others, without a change to undo: for whole studies that come in."""
        with self.session() as s, s.begin():
            last = s.scalar(select(func.max(Item.position)).where(Item.study_id == item.study_id)) or 0.0
            item.position = last + 1
            s.add(item)

    def drop_study(self, study_id: str) -> None:
        """Takes a study away for good: one that could not be brought in whole."""
        with self.session() as s, s.begin():
            study = s.get(Study, study_id)
            if study:
                s.delete(study)

    def find(self, item_id: str, type: str | None = None) -> Item:
        """An entry of whatever study. Raises LookupError."""
        with self.session() as s:
            item = s.get(Item, item_id)
            if item is None or item.deleted or (type and item.type != type):
                raise LookupError(item_id)
            return item

    def add(self, study_id: str, type: str, name: str, body: dict[str, Any], label: str) -> Item:
        """A new item at the end of its kind, as a change that can be undone."""
        with self._turn, self.session() as s, s.begin():
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
        with self._turn, self.session() as s, s.begin():
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

    def change_several(self, study_id: str, label: str, bodies: dict[str, dict[str, Any]]) -> None:
        """New bodies of several entries as one change to undo. Raises LookupError."""
        with self._turn, self.session() as s, s.begin():
            at = now()
            for item_id, body in bodies.items():
                item = s.get(Item, item_id)
                if item is None or item.study_id != study_id:
                    raise LookupError(item_id)
                before = _state(item)
                item.body = body
                if _state(item) != before:
                    s.flush()
                    self._record(s, item, before, label, at=at)

    def _record(
        self, s: Session, item: Item, before: dict[str, Any], label: str, together: bool = False, at: Any = None
    ) -> None:
        last = s.scalars(
            select(Change).where(Change.study_id == item.study_id).order_by(Change.id.desc()).limit(1)
        ).first()
        self._end_redo(s, item.study_id)
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
                    who=self.who,
                    **({"at": at} if at else {}),
                )
            )
        s.execute(update(Study).where(Study.id == item.study_id).values(touched=now()))

    def _end_redo(self, s: Session, study_id: str) -> None:
        """A new change ends the redo line: what was undone before it is gone from there. Where a moment in it was
        named, it stays in the history instead, followed by its taking back, so that it can still be gone to."""
        undone = list(
            s.scalars(select(Change).where(Change.study_id == study_id, Change.undone.is_(True)).order_by(Change.id))
        )
        if not any(c.moment for c in undone):
            for old in undone:
                s.delete(old)
            return
        at = now()
        for old in undone:
            old.undone = False
        for old in reversed(undone):
            s.add(
                Change(
                    study_id=study_id,
                    item_id=old.item_id,
                    at=at,
                    label=BACK,
                    before=old.after,
                    after=old.before,
                    undone=False,
                    who=self.who,
                )
            )
        s.flush()

    # Undo and history

    def undo(self, study_id: str) -> Change | None:
        """Takes the last change back; None where there is none."""
        return self._move(study_id, undone=False)

    def redo(self, study_id: str) -> Change | None:
        """Makes the last change taken back again; None where there is none."""
        return self._move(study_id, undone=True)

    def _move(self, study_id: str, *, undone: bool) -> Change | None:
        """Takes back the last change that stands, or does again the first that was taken back."""
        order = Change.id.asc() if undone else Change.id.desc()
        with self._turn, self.session() as s, s.begin():
            change = s.scalars(
                select(Change).where(Change.study_id == study_id, Change.undone.is_(undone)).order_by(order).limit(1)
            ).first()
            if change is None:
                return None
            # What touched several entries at one moment, such as going back to a named one, is undone as one.
            same = select(Change).where(
                Change.study_id == study_id,
                Change.undone.is_(undone),
                Change.label == change.label,
                Change.at == change.at,
            )
            for one in list(s.scalars(same.order_by(order))):
                item = s.get(Item, one.item_id)
                if item is not None:
                    for key, value in (one.after if undone else one.before).items():
                        setattr(item, key, value)
                one.undone = not undone
            s.execute(update(Study).where(Study.id == study_id).values(touched=now()))
            return change

    def go_to(self, study_id: str, change_id: int) -> Change:
        """The study as it was right after a change: every entry changed since then gets its state of that moment, as
        a change of its own, so that nothing in between is lost. Raises LookupError."""
        with self._turn, self.session() as s, s.begin():
            moment = s.get(Change, change_id)
            if moment is None or moment.study_id != study_id:
                raise LookupError(str(change_id))
            self._end_redo(s, study_id) if not moment.undone else self._redo_all(s, study_id)
            later = list(
                s.scalars(
                    select(Change)
                    .where(Change.study_id == study_id, Change.id > change_id, Change.undone.is_(False))
                    .order_by(Change.id)
                )
            )
            first: dict[str, dict[str, Any]] = {}
            for change in later:
                first.setdefault(change.item_id, change.before)
            at, label = now(), f"{BACK} to {moment.moment or moment.label}"
            for item_id, state in first.items():
                item = s.get(Item, item_id)
                if item is None or _state(item) == state:
                    continue
                before = _state(item)
                for key, value in state.items():
                    setattr(item, key, value)
                s.add(
                    Change(
                        study_id=study_id,
                        item_id=item_id,
                        at=at,
                        label=label,
                        before=before,
                        after=state,
                        undone=False,
                        who=self.who,
                    )
                )
            s.execute(update(Study).where(Study.id == study_id).values(touched=at))
            return moment

    def _redo_all(self, s: Session, study_id: str) -> None:
        """Everything undone is done again, so that the way to a moment in it is only the way back."""
        for change in s.scalars(
            select(Change).where(Change.study_id == study_id, Change.undone.is_(True)).order_by(Change.id)
        ):
            item = s.get(Item, change.item_id)
            if item is not None:
                for key, value in change.after.items():
                    setattr(item, key, value)
            change.undone = False
        s.flush()

    def name_moment(self, study_id: str, change_id: int, name: str | None) -> None:
        """Names the study as it was right after a change; nothing takes the name away. Raises LookupError."""
        with self.session() as s, s.begin():
            change = s.get(Change, change_id)
            if change is None or change.study_id != study_id:
                raise LookupError(str(change_id))
            change.moment = cleaned(name) if name else name

    def changes(self, study_id: str, most: int = 100) -> list[Change]:
        """The changes of a study, the last first."""
        with self.session() as s:
            return list(
                s.scalars(select(Change).where(Change.study_id == study_id).order_by(Change.id.desc()).limit(most))
            )

    def uploads(self, study_id: str) -> list[Upload]:
        """Files that were brought into a study."""
        with self.session() as s:
            return list(s.scalars(select(Upload).where(Upload.study_id == study_id, Upload.complete.is_(True))))


def _state(item: Item) -> dict[str, Any]:
    return {"name": item.name, "position": item.position, "body": item.body, "deleted": bool(item.deleted)}


def renamed(value: Any, ids: dict[str, str]) -> Any:
    """Ids inside descriptions point to the copies."""
    if isinstance(value, dict):
        return {k: renamed(v, ids) for k, v in value.items()}
    if isinstance(value, list):
        return [renamed(v, ids) for v in value]
    return ids.get(value, value) if isinstance(value, str) else value
