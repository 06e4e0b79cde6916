"""What was changed, when and by whom: undo and redo that survive anything, and the way back to a moment."""

import threading
from collections import OrderedDict
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlalchemy import Engine, or_, select, update
from sqlalchemy.orm import Session

from yavik.core.table.texts import cleaned
from yavik.store.models import Change, Item, Study, now

Body = dict[str, Any]
TOGETHER = timedelta(seconds=20)
"""Typing in one place within this time is one change to undo."""
BACK = "Go back"
"""Begins the label of changes that take the study back."""
BODIES_KEPT = 120


@dataclass(frozen=True)
class Seen:
    """What a change was meant for: a revision, and whether it is to stand where another changed the same place."""

    revision: int
    keep_mine: bool = False


class History:
    def __init__(self, engine: Engine, who: str = "") -> None:
        self.engine, self.who = engine, who
        # Changes of a study build on one another: two that come at once are taken one after the other. Whoever reads
        # an entry to change it holds this from the reading to the keeping.
        self.turn = threading.RLock()
        self._bodies: OrderedDict[tuple[str, int], Body] = OrderedDict()

    def session(self) -> Session:
        return Session(self.engine, expire_on_commit=False)

    # Revisions

    def _set(self, item: Item, values: dict[str, Any]) -> bool:
        """Sets fields of an entry, and counts it where anything is another; whether it is."""
        before = state_of(item)
        self._remember(item)
        for key, value in values.items():
            setattr(item, key, value)
        if state_of(item) == before:
            return False
        item.revision = (item.revision or 0) + 1
        self._remember(item)
        return True

    def _remember(self, item: Item) -> None:
        self._bodies[item.id, item.revision or 0] = item.body
        while len(self._bodies) > BODIES_KEPT:
            self._bodies.popitem(last=False)

    def body_at(self, item: Item, revision: int) -> Body | None:
        """What an entry held at a revision; None where that is not known any more: typing that was joined into one
        change is kept at its ends, and for a while in memory."""
        if (item.id, revision) in self._bodies:
            return self._bodies[item.id, revision]
        with self.session() as s:
            ends = or_(Change.revision == revision, Change.revision_before == revision)
            # Changes from before revisions were counted have none.
            own = select(Change).where(Change.item_id == item.id, Change.revision > Change.revision_before, ends)
            found = s.scalars(own.limit(1)).first()
        if found is None:
            return None
        body: Body = (found.after if found.revision == revision else found.before)["body"]
        return body

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
            last.after, last.at, last.revision = state_of(item), now(), item.revision
        else:
            s.add(
                Change(
                    study_id=item.study_id,
                    item_id=item.id,
                    label=label,
                    before=before,
                    after=state_of(item),
                    revision=item.revision,
                    revision_before=item.revision - 1,
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
        with self.turn, self.session() as s, s.begin():
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
                    self._set(item, one.after if undone else one.before)
                one.undone = not undone
            s.execute(update(Study).where(Study.id == study_id).values(touched=now()))
            return change

    def go_to(self, study_id: str, change_id: int) -> Change:
        """The study as it was right after a change: every entry changed since then gets its state of that moment, as
        a change of its own, so that nothing in between is lost. Raises LookupError."""
        with self.turn, self.session() as s, s.begin():
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
                if item is None or state_of(item) == state:
                    continue
                before = state_of(item)
                self._set(item, state)
                s.add(
                    Change(
                        study_id=study_id,
                        item_id=item_id,
                        at=at,
                        label=label,
                        before=before,
                        after=state,
                        revision=item.revision,
                        revision_before=item.revision - 1,
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
                self._set(item, change.after)
            change.undone = False
        s.flush()

    def name_moment(self, study_id: str, change_id: int, name: str | None) -> None:
        """Names the study as it was right after a change; nothing takes the name away. Raises LookupError."""
        with self.session() as s, s.begin():
            change = s.get(Change, change_id)
            if change is None or change.study_id != study_id:
                raise LookupError(str(change_id))
            change.moment = cleaned(name) if name else name

    def ways(self, study_id: str) -> tuple[str | None, str | None]:
        """What undo would take back and what redo would do again."""
        own = select(Change.label).where(Change.study_id == study_id)
        with self.session() as s:
            back = s.scalar(own.where(Change.undone.is_(False)).order_by(Change.id.desc()).limit(1))
            again = s.scalar(own.where(Change.undone.is_(True)).order_by(Change.id).limit(1))
            return back, again

    def changes(self, study_id: str, most: int = 100) -> list[Change]:
        """The changes of a study, the last first."""
        with self.session() as s:
            return list(
                s.scalars(select(Change).where(Change.study_id == study_id).order_by(Change.id.desc()).limit(most))
            )


def state_of(item: Item) -> dict[str, Any]:
    """What a change keeps of an entry."""
    return {"name": item.name, "position": item.position, "body": item.body, "deleted": bool(item.deleted)}
