"""Bringing files in, and tables: their rows, columns and path."""

from collections import Counter
from threading import Event
from typing import Annotated, Any, Literal
from urllib.parse import unquote

from fastapi import APIRouter, Header, Query, Request, Response
from fastapi.responses import StreamingResponse

from yavik.core.answers.wording import counted, listing
from yavik.core.files.delimited import preview
from yavik.core.files.detect import SAMPLE_BYTES
from yavik.core.files.formats import find_format
from yavik.core.files.looking import look_into
from yavik.core.files.options import Preview, ReadOptions
from yavik.core.methods.fit import fitting
from yavik.core.steps import parse_step
from yavik.core.steps.expressions import Parsed
from yavik.core.steps.likeness import Likely, likely_matches
from yavik.core.steps.path import apply_step
from yavik.core.table import Column, DataProblem, Table
from yavik.core.table.level_numbers import plain_level
from yavik.core.table.summary import Patterns, by_group, groupable, patterns
from yavik.core.table.table import cell_texts, kind_words
from yavik.core.table.view import Sought, row_of, seek
from yavik.engine.descriptions import ReadFile
from yavik.engine.tasks import LARGE_CELLS
from yavik.server.access import Meant, TheEngine, TheStore, TheStudy
from yavik.server.looking import Look, TheLook, places_of
from yavik.server.schemas import (
    ColumnOut,
    Derived,
    FitOut,
    Found,
    NewSteps,
    NewTable,
    SummaryOut,
    TableState,
    Tried,
    TryStep,
    UploadOut,
    Window,
)
from yavik.server.stopping import while_waited_for
from yavik.server.tables_view import body_of, job_out, snapshot_of, table_state
from yavik.store import Store
from yavik.store.bodies import TableBody
from yavik.store.models import Upload

MOST_LOOKED_AT = 50_000
"""Rows at which a question's fit looks, in every column: a unit or a rule may stand in one that was not chosen."""
router = APIRouter(prefix="/api/studies/{study_id}", tags=["tables"])
TRY_ROWS = 200_000
"""A step being written is tried on at most these rows of a large table, and says so."""
MOST_VALUES = 1000
WINDOW_MOST = 2000
SUMMARY_MOST = 60
ALL = Look()
MANY = {"category": "categories", "yes/no": "yes/no columns", "ordered": "ordered categories"}


@router.post("/uploads", status_code=201)
async def upload(
    study: TheStudy, request: Request, store: TheStore, x_filename: Annotated[str, Header()] = "pasted.txt"
) -> UploadOut:
    """The file's bytes are the body; its name comes percent-encoded in a header."""
    kept = await store.files.receive(study.id, unquote(x_filename), request.stream())
    try:
        return await while_waited_for(request, lambda stop: first_look(store, kept, stop))
    except DataProblem:
        store.files.drop(kept.id)
        raise


def first_look(store: Store, kept: Upload, stop: Event | None = None) -> UploadOut:
    """What a file that was just taken in seems to be. Raises DataProblem."""
    return UploadOut(id=kept.id, filename=kept.filename, size=kept.size, preview=_preview(store, kept, None, stop))


def _preview(store: Store, kept: Upload, options: ReadOptions | None, stop: Event | None = None) -> Preview:
    head = store.files.head(kept.id, SAMPLE_BYTES)
    format = options.format if options else find_format(head, kept.filename)
    if format == "text":
        return preview(head, kept.size <= SAMPLE_BYTES, options)
    with store.files.as_path(kept.id) as path:
        return look_into(path, format, options, stop)


@router.post("/uploads/{upload_id}/preview")
async def preview_again(
    study: TheStudy, upload_id: str, options: ReadOptions, store: TheStore, request: Request
) -> Preview:
    kept = store.files.own(study.id, upload_id)

    def look(stop: Event) -> Preview:
        return _preview(store, kept, options, stop)

    return await while_waited_for(request, look)


@router.get("/uploads/{upload_id}/original")
def original(study: TheStudy, upload_id: str, store: TheStore) -> Response:
    """The file as it was brought, byte for byte."""
    store.files.own(study.id, upload_id)
    return StreamingResponse(
        store.files.pieces(upload_id),
        media_type="application/octet-stream",
        headers={"content-disposition": "attachment"},
    )


@router.post("/tables", status_code=202)
def new_table(study: TheStudy, data: NewTable, store: TheStore, engine: TheEngine) -> TableState:
    """Small files become a table at once; large ones as a job whose end is told at ``PUT …/tables/finish``."""
    kept = store.files.own(study.id, data.upload)
    read = ReadFile(upload=data.upload, options=data.options)
    if kept.size > (1_500_000 if data.options.format == "text" else 200_000):
        return TableState(job=job_out(engine.submit(read, f"Reading {kept.filename}", study.id)))
    done = engine.do(read)
    return _finish(study, data, store, engine, done["key"])


@router.put("/tables/finish", status_code=201)
def finish_table(study: TheStudy, data: NewTable, store: TheStore, engine: TheEngine) -> TableState:
    """Makes the table from what a job has read."""
    kept = store.files.own(study.id, data.upload)
    key = ReadFile(upload=data.upload, options=data.options).root(kept.sha)
    if store.versions.find(key) is None:
        raise DataProblem("The file has not been read yet.")
    return _finish(study, data, store, engine, key)


def _finish(study: TheStudy, data: NewTable, store: TheStore, engine: TheEngine, key: str) -> TableState:
    kept = store.files.own(study.id, data.upload)
    body = TableBody(upload=data.upload, filename=kept.filename, root=key, options=data.options)
    item = store.items.add(study.id, "table", data.name, body.model_dump(mode="json"), f"Bring in {data.name}")
    return table_state(store, engine, item)


@router.get("/tables/{table_id}")
def table(study: TheStudy, table_id: str, store: TheStore, engine: TheEngine) -> TableState:
    return table_state(store, engine, store.items.item(study.id, table_id, "table"))


@router.get("/tables/{table_id}/rows")
def rows(
    study: TheStudy,
    table_id: str,
    store: TheStore,
    start: Annotated[int, Query(ge=0)] = 0,
    count: Annotated[int, Query(ge=1, le=WINDOW_MOST)] = 200,
    first: Annotated[int, Query(ge=0)] = 0,
    columns: Annotated[int, Query(ge=1, le=500)] = 60,
    exact: bool = False,
    look: TheLook = ALL,
) -> Window:
    """A window of cells as texts (None where empty), with the rows' numbers; measures with every digit where ``exact``.
    Raises DataProblem for a mistaken filter."""
    snapshot = snapshot_of(store, study.id, table_id)
    names = [c.name for c in snapshot.columns[first : first + columns]]
    return window(store.versions.table(snapshot), names, start, count, places_of(store, snapshot, look), exact)


def window(whole: Table, names: list[str], start: int, count: int, places: Any = None, exact: bool = False) -> Window:
    chosen = whole.select(names)
    part = chosen.slice(start, count) if places is None else chosen.take(places[start : start + count])
    texts = [cell_texts(c, a, exact) for c, a in zip(part.columns, part.arrays, strict=True)]
    return Window(
        start=start,
        rows=[list(r) for r in zip(*texts, strict=True)] if texts else [],
        numbers=part.rows.tolist(),
        total=whole.n_rows if places is None else len(places),
    )


@router.get("/tables/{table_id}/seek")
def seek_cell(
    study: TheStudy,
    table_id: str,
    store: TheStore,
    what: Sought | Literal["row"],
    columns: Annotated[list[str], Query(default_factory=list)],
    start: int = -1,
    text: Annotated[str, Query(max_length=200)] = "",
    back: bool = False,
    look: TheLook = ALL,
) -> Found:
    """The next empty cell, outlier or cell with a text after a row of what is shown; or where a row (by number)
    is."""
    snapshot = snapshot_of(store, study.id, table_id)
    table, places = store.versions.table(snapshot), places_of(store, snapshot, look)
    if what == "row":
        row = row_of(table, places, start)
        return Found(row=row, number=start if row is not None else None, column=None, count=0 if row is None else 1)
    cell, count = seek(table, places, what, [n for n in columns or table.names if table.has(n)], start, text, back)
    if cell is None:
        return Found(count=count)
    return Found(row=cell.row, number=cell.number, column=cell.column, count=count)


@router.get("/tables/{table_id}/summary")
def summary(study: TheStudy, table_id: str, store: TheStore, by: str | None = None, first: int = 0) -> SummaryOut:
    """Every column described and drawn (``SUMMARY_MOST`` at a time), also for each level of another column."""
    snapshot = snapshot_of(store, study.id, table_id)
    part = snapshot.columns[first : first + SUMMARY_MOST]
    described = [ColumnOut(column=c, profile=store.profile(snapshot, c.name)) for c in part]
    table = store.versions.table(snapshot)
    groups = {c.name: by_group(table, c.name, by) for c in part if c.name != by} if by and table.has(by) else {}
    return SummaryOut(columns=described, groups=groups, groupable=groupable(table), total=len(snapshot.columns))


@router.get("/tables/{table_id}/patterns")
def missing_patterns(study: TheStudy, table_id: str, store: TheStore) -> Patterns:
    """Which columns are empty together, the commonest pattern first."""
    return patterns(store.versions.table(snapshot_of(store, study.id, table_id)))


@router.get("/tables/{table_id}/before")
def columns_before(study: TheStudy, table_id: str, store: TheStore, at: Annotated[int, Query(ge=0)]) -> list[Column]:
    """The columns as they are before a step: what the editor of a step in the middle of a path offers."""
    body = body_of(store.items.item(study.id, table_id, "table"))
    return store.tables(study.id).replay(body.model_copy(update={"steps": body.steps[:at]}))[0].columns


@router.get("/tables/{table_id}/likeness")
def likeness(study: TheStudy, table_id: str, other: str, store: TheStore) -> list[Likely]:
    """For each column the one of another table that may be the same: by name, by label, by likeness of labels."""
    mine, theirs = snapshot_of(store, study.id, table_id), snapshot_of(store, study.id, other)
    return likely_matches(mine.columns, theirs.columns)


@router.post("/tables/{table_id}/derived", status_code=201)
def new_derived(study: TheStudy, table_id: str, data: Derived, store: TheStore, engine: TheEngine) -> TableState:
    """A new table made from this one by steps of its own; it stays linked and is renewed with its source."""
    source = store.items.item(study.id, table_id, "table")
    steps = [parse_step(s).model_dump(mode="json", exclude_none=True) for s in data.steps]
    body = TableBody(link=source.id, steps=steps)
    item = store.items.add(study.id, "table", data.name, body.model_dump(mode="json"), f"Make {data.name}")
    return table_state(store, engine, item)


@router.get("/tables/{table_id}/columns")
def columns(study: TheStudy, table_id: str, store: TheStore, names: Annotated[list[str], Query()]) -> list[ColumnOut]:
    """Descriptions with small distributions, for the columns in view."""
    snapshot = snapshot_of(store, study.id, table_id)
    found = {c.name: c for c in snapshot.columns}
    return [ColumnOut(column=found[n], profile=store.profile(snapshot, n)) for n in names[:500] if n in found]


@router.get("/tables/{table_id}/values")
def values(
    study: TheStudy, table_id: str, store: TheStore, names: Annotated[list[str], Query()]
) -> dict[str, list[str]]:
    """Different values in order, for settings that choose one of them; none for columns with too many."""
    snapshot = snapshot_of(store, study.id, table_id)
    known = [c.name for c in snapshot.columns if c.name in set(names[:20])]
    table = store.versions.table(snapshot, known)
    levels = {n: table.codes(n).levels for n in known}
    return {n: [plain_level(x) for x in found] if len(found) <= MOST_VALUES else [] for n, found in levels.items()}


@router.put("/tables/{table_id}/steps")
def set_steps(
    study: TheStudy, table_id: str, data: NewSteps, store: TheStore, engine: TheEngine, seen: Meant
) -> TableState:
    """The whole path anew: adding, editing, switching, moving and deleting are all this. Raises DataProblem for a
    step that is not understood."""
    store.items.item(study.id, table_id, "table")
    steps = [parse_step(s).model_dump(mode="json", exclude_none=True) for s in data.steps]

    def changed(before: dict[str, Any]) -> dict[str, Any]:
        body = TableBody.opened(before).model_copy(update={"steps": steps})
        return body.model_dump(mode="json")

    def sound(after: dict[str, Any]) -> None:
        store.tables(study.id).refuse_circle(table_id, TableBody.opened(after))

    item = store.items.revise(study.id, table_id, data.label, changed, seen=seen, sound=sound)
    return table_state(store, engine, item)


@router.post("/tables/{table_id}/try")
def try_step(study: TheStudy, table_id: str, data: TryStep, store: TheStore) -> Tried:
    """What a step being written would do, without doing it. Raises DataProblem."""
    body = body_of(store.items.item(study.id, table_id, "table"))
    before = body.model_copy(update={"steps": body.steps[: data.at]})
    snapshot, _ = store.tables(study.id).replay(before)
    whole = store.versions.table(snapshot)
    limit = max(1000, min(TRY_ROWS, LARGE_CELLS * 10 // max(1, len(snapshot.columns))))
    table = whole.slice(0, limit)
    step = parse_step(data.step)
    store.tables(study.id).refuse_circle(table_id, before.model_copy(update={"steps": [data.step]}))
    after, effect = apply_step(table, step, store.tables(study.id).around(step.tables()))
    if effect.problem:
        raise DataProblem(effect.problem, column=effect.column, position=effect.position)
    touched = [
        c.name
        for c, a in zip(after.columns, after.arrays, strict=True)
        if not table.has(c.name) or table.array(c.name) is not a
    ]
    text = str(data.step.get("expression") or data.step.get("where") or "")
    asked = [n for n in after.names if text and n in Parsed(text).columns]
    fresh = touched[:3] if after.rows is table.rows else []
    shown = list(dict.fromkeys([*fresh, *asked, *after.names]))[:6]
    note = f"Tried on the first {limit:,} rows.".replace(",", " ") if whole.n_rows > limit else None
    return Tried(effect=effect, columns=shown, rows=window(after, shown, 0, 6).rows, note=note)


def looked_at(table: Table, most: int) -> Table:
    """The first rows of a table, as many as tell what its columns are."""
    return table if table.n_rows <= most else table.slice(0, most)


@router.get("/tables/{table_id}/fits")
def fits(
    study: TheStudy, table_id: str, store: TheStore, names: Annotated[list[str], Query(default_factory=list)]
) -> FitOut:
    """Questions that the chosen columns can answer, the fitting one on top."""
    snapshot = snapshot_of(store, study.id, table_id)
    chosen = [n for n in names if any(c.name == n for c in snapshot.columns)]
    known = looked_at(store.versions.table(snapshot), MOST_LOOKED_AT)
    kinds = Counter(kind_words(known.column(n).kind) for n in chosen)
    said = listing([counted(k, name, MANY.get(name)) for name, k in kinds.items()])
    return FitOut(fits=fitting(known, chosen), said=f"{said}; {counted(snapshot.n_rows, 'row')}." if said else "")
