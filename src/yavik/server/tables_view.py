"""Tables as the interface sees them: present version, effects, and jobs for large ones."""

from yavik.core.answers.wording import counted
from yavik.core.figures.caption import lower
from yavik.core.steps.base import Effect
from yavik.core.table import DataProblem
from yavik.engine import Engine, Job
from yavik.engine.descriptions import Replay
from yavik.engine.tasks import LARGE_CELLS
from yavik.server.schemas import JobOut, TableOut, TableState
from yavik.store import Store
from yavik.store.bodies import TableBody
from yavik.store.models import Item
from yavik.store.tables import Tables
from yavik.store.versions import Snapshot


def body_of(item: Item) -> TableBody:
    """What is stored of a table."""
    return TableBody.opened(item.body)


def job_out(job: Job) -> JobOut:
    """A job as the interface follows it."""
    return JobOut.model_validate(job.seen())


def titles_of(store: Store, study_id: str, table_id: str) -> dict[str, str]:
    """The labels of a table's columns, as words inside a sentence; none where the table is not worked out yet."""
    try:
        tables = store.tables(study_id)
        snapshot = store.versions.find(tables.last_key(tables.body(table_id)))
    except (LookupError, DataProblem):
        return {}
    return {c.name: lower(c.label) for c in snapshot.columns if c.label} if snapshot else {}


def snapshot_of(store: Store, study_id: str, table_id: str) -> Snapshot:
    """The present version of a table. Raises LookupError."""
    body = body_of(store.items.item(study_id, table_id, "table"))
    return store.tables(study_id).replay(body)[0]


def needs_job(store: Store, study_id: str, body: TableBody, tables: Tables | None = None) -> bool:
    """Whether a table is too much work for a request."""
    tables = tables or store.tables(study_id)
    if tables.known(body):
        return False
    root = store.versions.find(tables.root(body))
    if root is None and body.link:
        return needs_job(store, study_id, tables.body(body.link), tables)
    return root is not None and root.n_rows * max(1, len(root.columns)) > LARGE_CELLS


def table_state(store: Store, engine: Engine, item: Item) -> TableState:
    """A table as its page has it, or the job that makes it."""
    body = body_of(item)
    if needs_job(store, item.study_id, body):
        replay = Replay(
            study=item.study_id, root=store.tables(item.study_id).root(body), steps=body.steps, link=body.link
        )
        job = engine.submit(replay, f"Preparing {item.name}", item.study_id, item.id)
        return TableState(job=job_out(job))
    return TableState(table=table_out(store, item))


def table_out(store: Store, item: Item) -> TableOut:
    """A table with its columns and the effects of its steps."""
    body = body_of(item)
    tables = store.tables(item.study_id)
    snapshot, effects = tables.replay(body)
    root = store.versions.find(tables.root(body))
    if root is None:
        raise LookupError(body.root)
    return TableOut(
        id=item.id,
        name=item.name,
        filename=body.filename,
        revision=item.revision,
        rows=snapshot.n_rows,
        empty_cells=empty_cells(store, snapshot),
        columns=snapshot.columns,
        source=root.effect
        if body.link is None
        else _link_effect(store, item.study_id, body.link, root.n_rows, len(root.columns)),
        steps=body.steps,
        effects=effects,
        version=snapshot.key,
        about=snapshot.about,
        upload=body.upload or None,
        linked_to=body.link,
        made_into=tables.made_from(item.id),
    )


def _link_effect(store: Store, study_id: str, link: str, rows: int, columns: int) -> Effect:
    said = f"{counted(rows, 'row')}, {counted(columns, 'column')}"
    return Effect(title=store.items.item(study_id, link).name, said=said, rows_in=rows, rows_out=rows)


def empty_cells(store: Store, snapshot: Snapshot) -> int:
    """Arrow knows the count of each column; the cells are wanted for the grid in a moment anyway."""
    return sum(int(a.null_count) for a in store.versions.table(snapshot).arrays)
