"""What all entries of the contents share: renaming, ordering, deleting, duplicating."""

from fastapi import APIRouter
from pydantic import BaseModel, Field

from yavik.server.access import TheStore, TheStudy
from yavik.server.contents import entry
from yavik.server.schemas_contents import Entry
from yavik.store import Store
from yavik.store.models import Item, Study

router = APIRouter(prefix="/api/studies/{study_id}/items", tags=["items"])


class ItemChange(BaseModel):
    name: str | None = Field(None, min_length=1, max_length=200)
    before: str | None = None
    """Moves it in front of this entry; an empty text moves it to the end."""


@router.patch("/{item_id}")
def change_item(study: TheStudy, item_id: str, data: ItemChange, store: TheStore) -> Entry:
    with store.items.turn:
        return entry(store, _changed(study, item_id, data, store))


def _changed(study: Study, item_id: str, data: ItemChange, store: Store) -> Item:
    item = store.items.item(study.id, item_id)
    if data.name is not None:
        item = store.items.change(study.id, item_id, f"Rename {item.name}", name=data.name.strip() or item.name)
    if data.before is not None:
        others = [i for i in store.items.items(study.id) if i.type == item.type and i.id != item.id]
        place = next((k for k, i in enumerate(others) if i.id == data.before), len(others))
        low = others[place - 1].position if place > 0 else (others[0].position - 2 if others else 0.0)
        high = others[place].position if place < len(others) else low + 2
        item = store.items.change(study.id, item_id, f"Move {item.name}", position=(low + high) / 2)
    return item


@router.delete("/{item_id}", status_code=204)
def delete_item(study: TheStudy, item_id: str, store: TheStore) -> None:
    item = store.items.item(study.id, item_id)
    store.items.change(study.id, item_id, f"Delete {item.name}", deleted=True)


@router.post("/{item_id}/duplicate", status_code=201)
def duplicate_item(study: TheStudy, item_id: str, store: TheStore) -> Entry:
    item = store.items.item(study.id, item_id)
    copy = store.items.add(study.id, item.type, f"{item.name} (copy)", dict(item.body), f"Duplicate {item.name}")
    shown = store.shown(item.id)
    if shown:
        store.show(copy.id, shown)
    return entry(store, copy)
