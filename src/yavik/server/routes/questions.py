"""Questions and their answers."""

from fastapi import APIRouter

from yavik.core.methods.registry import get
from yavik.server.access import TheEngine, TheStore, TheStudy
from yavik.server.questions_view import auto_name, question_body, question_state, renew
from yavik.server.schemas import NameRound, NewQuestion, QuestionChange, QuestionState
from yavik.store.bodies import QuestionBody

router = APIRouter(prefix="/api/studies/{study_id}/questions", tags=["questions"])


@router.post("", status_code=201)
def new_question(study: TheStudy, data: NewQuestion, store: TheStore) -> QuestionState:
    store.items.item(study.id, data.table, "table")
    method = get(data.method)
    body = QuestionBody(
        table=data.table, method=data.method, layout=data.layout or method.layouts[0].id, spec=data.spec
    )
    name = auto_name(data.method, data.spec)
    return question_state(
        store, store.items.add(study.id, "question", name, body.model_dump(mode="json"), f"Ask about {name}")
    )


@router.get("/{item_id}")
def question(study: TheStudy, item_id: str, store: TheStore) -> QuestionState:
    return question_state(store, store.items.item(study.id, item_id, "question"))


@router.patch("/{item_id}")
def change_question(study: TheStudy, item_id: str, data: QuestionChange, store: TheStore) -> QuestionState:
    """Keeps the sentence as it now stands; the answer is asked for apart, so that a problem loses nothing."""
    item = store.items.item(study.id, item_id, "question")
    body = question_body(item)
    fresh = body.model_copy(update=data.model_dump(exclude_none=True))
    # A name that was never changed by hand follows the sentence.
    named = item.name == auto_name(body.method, body.spec)
    name = auto_name(fresh.method, fresh.spec) if named else item.name
    item = store.items.change(study.id, item_id, f"Change {item.name}", body=fresh.model_dump(mode="json"), name=name)
    return question_state(store, item)


@router.post("/{item_id}/answer")
def answer(study: TheStudy, item_id: str, store: TheStore, engine: TheEngine) -> QuestionState:
    """The present answer, or the job that computes it. A data problem is a 422 with its column."""
    return renew(store, engine, store.items.item(study.id, item_id, "question"))


@router.patch("/{item_id}/trail/{round_id}")
def name_round(study: TheStudy, item_id: str, round_id: int, data: NameRound, store: TheStore) -> QuestionState:
    """Names a model of the trail, or takes its name away."""
    item = store.items.item(study.id, item_id, "question")
    store.trail.name(item.id, round_id, data.name.strip() or None if data.name else None)
    return question_state(store, item)


@router.delete("/{item_id}/trail/{round_id}")
def drop_round(study: TheStudy, item_id: str, round_id: int, store: TheStore) -> QuestionState:
    """Takes a model off the trail; the question itself stays as it is."""
    item = store.items.item(study.id, item_id, "question")
    store.trail.drop(item.id, round_id)
    return question_state(store, item)
