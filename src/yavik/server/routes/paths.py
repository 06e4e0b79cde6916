"""Paths under a name, and trying one on a table it was not made on."""

from fastapi import APIRouter

from yavik.core.steps import parse_step
from yavik.core.steps.path import apply_step
from yavik.engine.tasks import LARGE_CELLS
from yavik.server.access import TheStore, TheStudy
from yavik.server.schemas import NewPath, PathOut, PathTried, TryPath
from yavik.server.tables_view import body_of, snapshot_of
from yavik.store.bodies import PathBody
from yavik.store.models import Item

router = APIRouter(prefix="/api/studies/{study_id}", tags=["paths"])


def path_out(item: Item) -> PathOut:
    body = PathBody.opened(item.body)
    return PathOut(id=item.id, name=item.name, steps=body.steps, columns=body.columns)


@router.get("/paths")
def list_paths(study: TheStudy, store: TheStore) -> list[PathOut]:
    return [path_out(i) for i in store.items.items(study.id) if i.type == "path"]


@router.post("/paths", status_code=201)
def keep_path(study: TheStudy, data: NewPath, store: TheStore) -> PathOut:
    """Keeps a table's present path under a name."""
    body = body_of(store.items.item(study.id, data.table, "table"))
    before = store.tables(study.id).replay(body.model_copy(update={"steps": []}))[0]
    kept = PathBody(
        steps=[{k: v for k, v in s.items() if k != "id"} for s in body.steps],
        columns=[c.name for c in before.columns],
    )
    return path_out(
        store.items.add(study.id, "path", data.name, kept.model_dump(mode="json"), f"Keep the path {data.name}")
    )


@router.post("/tables/{table_id}/try-path")
def try_path(study: TheStudy, table_id: str, data: TryPath, store: TheStore) -> PathTried:
    """What these steps would do after the table's own, step by step; tried on the first rows of a large table."""
    snapshot = snapshot_of(store, study.id, table_id)
    whole = store.versions.table(snapshot)
    table = whole.slice(0, max(1000, LARGE_CELLS * 5 // max(1, len(snapshot.columns))))
    effects = []
    for raw in data.steps:
        step = parse_step(raw)
        table, effect = apply_step(table, step, store.tables(study.id).around(step.tables()))
        effects.append(effect)
    lacking = [n for n in data.columns if not whole.has(n)]
    return PathTried(effects=effects, lacking=lacking, rows=table.n_rows, columns=len(table.columns))
