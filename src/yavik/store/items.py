"""Studies and what is in them, with undo and redo that survive anything: every change keeps its before and after."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, NamedTuple

from sqlalchemy import Engine, func, select, update

from yavik.core.table.texts import keepable
from yavik.store.history import Body, History, Seen, state_of
from yavik.store.merging import Apart, Place, merge
from yavik.store.models import Item, Shown, Study, TrailRound, Upload, new_id, now


class Conflict(Exception):
    """Two changed the same place of an entry.

    Args:
        present: the entry as it is.
        mine: what the other body would have been.
        places: what both changed.
    """

    def __init__(self, present: Item, mine: Body, places: list[Place]) -> None:
        super().__init__(f"{present.name} was changed elsewhere")
        self.present, self.mine, self.places = present, mine, places


class Mark(NamedTuple):
    """An entry in one of its revisions."""

    id: str
    type: str
    revision: int
    name: str


ITEMS_KEPT = 1000


class Items(History):
    def __init__(self, engine: Engine, who: str = "") -> None:
        super().__init__(engine, who)
        self._read: OrderedDict[tuple[str, int], Item] = OrderedDict()
        self._read_turn = threading.Lock()

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
        """What stands in a study, in order. An entry of a revision never changes, so only others are read anew; they
        are to be looked at, not to be changed."""
        marks = [(mark.id, mark.revision) for mark in self.revisions(study_id)]
        with self._read_turn:
            found = {m: self._read[m] for m in marks if m in self._read}
        if len(found) < len(marks):
            wanted = [item_id for item_id, revision in marks if (item_id, revision) not in found]
            with self.session() as s:
                for i in range(0, len(wanted), 500):
                    for item in s.scalars(select(Item).where(Item.id.in_(wanted[i : i + 500]))):
                        found[item.id, item.revision] = item
            with self._read_turn:
                self._read.update(found)
                while len(self._read) > ITEMS_KEPT:
                    self._read.popitem(last=False)
        present = {item_id: item for (item_id, _), item in found.items()}
        return [present[item_id] for item_id, _ in marks if item_id in present and not present[item_id].deleted]

    def revisions(self, study_id: str) -> list[Mark]:
        """Which entries stand in a study, in which revision and order: what any page of them depends on."""
        own = select(Item.id, Item.type, Item.revision, Item.name)
        with self.session() as s:
            rows = s.execute(own.where(Item.study_id == study_id, Item.deleted.is_(False)).order_by(Item.position))
            return [Mark(*row) for row in rows]

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

    def add(self, study_id: str, type: str, name: str, body: dict[str, Any], label: str) -> Item:
        """A new item at the end of its kind, as a change that can be undone."""
        with self.turn, self.session() as s, s.begin():
            last = s.scalar(select(func.max(Item.position)).where(Item.study_id == study_id)) or 0.0
            item = Item(
                id=new_id(), study_id=study_id, type=type, name=name, position=last + 1, body=body, deleted=False,
                revision=1,
            )  # fmt: skip
            s.add(item)
            s.flush()
            self._record(s, item, state_of(item) | {"deleted": True}, label)
            return item

    def change(self, study_id: str, item_id: str, label: str, *, together: bool = False, **values: Any) -> Item:
        """Sets name, position, body or deleted. ``together`` joins quick successive changes into one undo."""
        with self.turn, self.session() as s, s.begin():
            item = s.get(Item, item_id)
            if item is None or item.study_id != study_id:
                raise LookupError(item_id)
            before = state_of(item)
            if self._set(item, values):
                s.flush()
                self._record(s, item, before, label, together)
            return item

    def revise(
        self,
        study_id: str,
        item_id: str,
        label: str,
        make: Callable[[Body], Body],
        *,
        seen: Seen | None = None,
        together: bool = False,
        name: Callable[[Item, Body], str] | None = None,
        sound: Callable[[Body], None] | None = None,
    ) -> Item:
        """Reads an entry, changes what it holds and keeps it, as one: nobody else's change comes in between.

        Args:
            make: the new body, made from the one that the change was meant for.
            seen: what the change was meant for; None for the present one. Where others changed the
                entry since, both changes are put together.
            name: the entry's name with its new body.
            sound: raises where the new body cannot be kept.

        Raises LookupError, and Conflict where both changed the same place.
        """
        with self.turn:
            item = self.item(study_id, item_id)
            body = self.meant(item, make, seen)
            if sound:
                sound(body)
            values = {"name": name(item, body)} if name else {}
            # What two windows write is each one's own change, to be taken back by itself.
            joined = together and (seen is None or seen.revision == item.revision)
            return self.change(study_id, item_id, label, together=joined, body=body, **values)

    def meant(self, item: Item, make: Callable[[Body], Body], seen: Seen | None) -> Body:
        """What an entry holds with a change that was meant for one of its revisions. Raises Conflict."""
        if seen is None or seen.revision == item.revision:
            return make(item.body)
        base = self.body_at(item, seen.revision)
        if base is None:
            mine = make(item.body)
            if mine == item.body or seen.keep_mine:
                return mine
            raise Conflict(item, mine, [Place((), None, item.body, mine)])
        mine = make(base)
        try:
            merged: Body = merge(base, item.body, mine)
            return merged
        except Apart as apart:
            if seen.keep_mine:
                return dict(apart.merged)
            raise Conflict(item, mine, apart.places) from apart

    def change_several(self, study_id: str, label: str, bodies: dict[str, Body]) -> None:
        """New bodies of several entries as one change to undo. Raises LookupError."""
        with self.turn, self.session() as s, s.begin():
            at = now()
            for item_id, body in bodies.items():
                item = s.get(Item, item_id)
                if item is None or item.study_id != study_id:
                    raise LookupError(item_id)
                before = state_of(item)
                if self._set(item, {"body": body}):
                    s.flush()
                    self._record(s, item, before, label, at=at)

    def uploads(self, study_id: str) -> list[Upload]:
        """Files that were brought into a study."""
        with self.session() as s:
            return list(s.scalars(select(Upload).where(Upload.study_id == study_id, Upload.complete.is_(True))))


def renamed(value: Any, ids: dict[str, str]) -> Any:
    """Ids inside descriptions point to the copies."""
    if isinstance(value, dict):
        return {k: renamed(v, ids) for k, v in value.items()}
    if isinstance(value, list):
        return [renamed(v, ids) for v in value]
    return ids.get(value, value) if isinstance(value, str) else value
