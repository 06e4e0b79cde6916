"""Studies, their contents, and undo."""

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from yavik.core.table import DataProblem
from yavik.server.access import TheEngine, TheStore, TheStudy, Whole
from yavik.server.contents import contents_sent, statements_sent, study_out
from yavik.server.figures_view import redraw
from yavik.server.questions_view import renew, shown_answer
from yavik.server.schemas import Named
from yavik.server.schemas_contents import ChangeOut, Contents, Moved, Statement, StudyOut
from yavik.store.models import now

router = APIRouter(prefix="/api/studies", tags=["studies"])


@router.get("")
def list_studies(store: TheStore) -> list[StudyOut]:
    return [study_out(store, s) for s in store.items.studies()]


@router.post("", status_code=201)
def new_study(data: Named, store: TheStore) -> StudyOut:
    return study_out(store, store.items.new_study(data.name.strip() or "Untitled study"))


@router.post("/demo", status_code=201)
def restore_demo(store: TheStore) -> StudyOut:
    """The demo study as it ships; one that was changed stays, under its own name."""
    from yavik.demo.study import DEMO_NAME, make_demo  # made seldom, and much to load

    for study in store.items.studies():
        if study.demo:
            store.items.set_study(study.id, demo=False, name=f"{DEMO_NAME} (as changed)")
    return study_out(store, make_demo(store))


@router.get("/{study_id}", response_model=Contents)
def contents(study_id: str, store: TheStore) -> Response:
    return Response(contents_sent(store, study_id), media_type="application/json")


@router.get("/{study_id}/statements", response_model=list[Statement])
def statements(study_id: str, store: TheStore) -> Response:
    return Response(statements_sent(store, study_id), media_type="application/json")


@router.patch("/{study_id}")
def rename_study(study: TheStudy, data: Named, store: TheStore) -> StudyOut:
    return study_out(store, store.items.set_study(study.id, name=data.name.strip()))


@router.delete("/{study_id}", status_code=204)
def delete_study(study: TheStudy, store: TheStore) -> None:
    store.items.set_study(study.id, deleted=now())


@router.post("/{study_id}/restore")
def restore_study(study_id: str, store: TheStore) -> StudyOut:
    store.items.study(study_id, deleted=True)
    return study_out(store, store.items.set_study(study_id, deleted=None))


@router.post("/{study_id}/duplicate", status_code=201)
def duplicate_study(study: TheStudy, store: TheStore) -> StudyOut:
    return study_out(store, store.items.duplicate_study(study.id, f"{study.name} (copy)"))


@router.post("/{study_id}/undo")
def undo(study: TheStudy, store: TheStore) -> Moved:
    change = store.items.undo(study.id)
    return Moved(label=change.label if change else None, item_id=change.item_id if change else None)


@router.post("/{study_id}/redo")
def redo(study: TheStudy, store: TheStore) -> Moved:
    change = store.items.redo(study.id)
    return Moved(label=change.label if change else None, item_id=change.item_id if change else None)


@router.get("/{study_id}/changes")
def changes(study: TheStudy, store: TheStore) -> list[ChangeOut]:
    return [
        ChangeOut(id=c.id, at=c.at, label=c.label, undone=c.undone, who=c.who, moment=c.moment, item_id=c.item_id)
        for c in store.items.changes(study.id, 300)
    ]


class Moment(BaseModel):
    name: str | None = Field(None, max_length=200)


@router.put("/{study_id}/changes/{change_id}/moment", status_code=204)
def name_moment(study: TheStudy, change_id: Whole, data: Moment, store: TheStore) -> None:
    """Names the study as it was right after a change; no name takes the name away."""
    store.items.name_moment(study.id, change_id, (data.name or "").strip() or None)


@router.post("/{study_id}/changes/{change_id}/go")
def go_to_moment(study: TheStudy, change_id: Whole, store: TheStore) -> Moved:
    """Takes the study back (or forward) to the moment right after a change; this is itself a change that can be
    undone."""
    moment = store.items.go_to(study.id, change_id)
    return Moved(label=moment.moment or moment.label, item_id=moment.item_id)


@router.post("/{study_id}/renew", status_code=202)
def renew_all(study: TheStudy, store: TheStore, engine: TheEngine) -> list[str]:
    """Starts every answer and figure that is out of date; returns what could not be started, in words."""
    troubles = []
    for item in store.items.items(study.id):
        try:
            if item.type == "question" and shown_answer(store, item)[1]:
                renew(store, engine, item)
            elif item.type == "figure":
                problem = redraw(store, engine, item).problem
                if problem:
                    troubles.append(f"{item.name}: {problem['message']}")
        except (DataProblem, LookupError) as trouble:
            troubles.append(f"{item.name}: {trouble}")
    return troubles
