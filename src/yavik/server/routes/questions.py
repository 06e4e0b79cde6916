"""Questions and their answers."""

from typing import Any

from fastapi import APIRouter

from yavik.core.methods.asking import asked_words
from yavik.core.methods.registry import get
from yavik.core.report.phrases import phrases
from yavik.core.report.writing import write_up
from yavik.core.table import DataProblem
from yavik.engine.problems import problem_data
from yavik.server.access import Meant, TheEngine, TheStore, TheStudy, Whole
from yavik.server.contents import around
from yavik.server.questions_view import auto_name, is_ready, question_body, question_state, renew, shown_answer
from yavik.server.schemas import NameRound, NewQuestion, QuestionChange, QuestionState
from yavik.server.schemas_reports import PhraseOut, WrittenOut
from yavik.server.tables_view import snapshot_of, titles_of
from yavik.store.bodies import QuestionBody
from yavik.store.models import Item

router = APIRouter(prefix="/api/studies/{study_id}/questions", tags=["questions"])


@router.post("", status_code=201)
def new_question(study: TheStudy, data: NewQuestion, store: TheStore) -> QuestionState:
    store.items.item(study.id, data.table, "table")
    method = get(data.method)
    body = QuestionBody(
        table=data.table, method=data.method, layout=data.layout or method.layouts[0].id, spec=data.spec
    )
    name = auto_name(data.method, data.spec, titles_of(store, study.id, data.table))
    return question_state(
        store, store.items.add(study.id, "question", name, body.model_dump(mode="json"), f"Ask about {name}")
    )


@router.get("/{item_id}")
def question(study: TheStudy, item_id: str, store: TheStore) -> QuestionState:
    return question_state(store, store.items.item(study.id, item_id, "question"))


@router.patch("/{item_id}")
def change_question(
    study: TheStudy,
    item_id: str,
    data: QuestionChange,
    store: TheStore,
    engine: TheEngine,
    seen: Meant,
    answer: bool = False,
) -> QuestionState:
    """Keeps the sentence as it now stands, and with ``answer`` gives its answer, or the job that computes it, or the
    problem that stops it: the change is kept whatever comes of it."""
    item = store.items.item(study.id, item_id, "question")
    if data.table is not None:
        store.items.item(study.id, data.table, "table")

    def changed(before: dict[str, Any]) -> dict[str, Any]:
        body = QuestionBody.opened(before)
        return body.model_copy(update=data.model_dump(exclude_none=True)).model_dump(mode="json")

    def called(present: Item, after: dict[str, Any]) -> str:
        """A name that was never changed by hand follows the sentence."""
        body, fresh = question_body(present), QuestionBody.opened(after)
        titles = titles_of(store, study.id, body.table)
        named = present.name in (auto_name(body.method, body.spec, titles), auto_name(body.method, body.spec))
        return auto_name(fresh.method, fresh.spec, titles_of(store, study.id, fresh.table)) if named else present.name

    item = store.items.revise(study.id, item_id, f"Change {item.name}", changed, seen=seen, name=called)
    if not answer or not is_ready(question_body(item)):
        return question_state(store, item).model_copy(update={"around": around(store, item)})
    try:
        state = renew(store, engine, item)
    except DataProblem as problem:
        state = question_state(store, item).model_copy(update={"problem": problem_data(problem)})
    return state.model_copy(update={"around": around(store, item)})


@router.post("/{item_id}/answer")
def answer(study: TheStudy, item_id: str, store: TheStore, engine: TheEngine) -> QuestionState:
    """The present answer, or the job that computes it. A data problem is a 422 with its column."""
    item = store.items.item(study.id, item_id, "question")
    return renew(store, engine, item).model_copy(update={"around": around(store, item)})


@router.get("/{item_id}/phrases")
def phrases_of(study: TheStudy, item_id: str, store: TheStore) -> list[PhraseOut]:
    """What sentences of a report can quote of the answer that the question shows."""
    found, _ = shown_answer(store, store.items.item(study.id, item_id, "question"))
    return [PhraseOut(key=p.key, where=p.where, text=p.text, spans=p.spans) for p in phrases(found)] if found else []


@router.post("/{item_id}/write-up")
def written_up(study: TheStudy, item_id: str, store: TheStore) -> WrittenOut:
    """A paragraph on the method and one on the result, for the report's text. Raises DataProblem without an
    answer."""
    item = store.items.item(study.id, item_id, "question")
    found, _ = shown_answer(store, item)
    if found is None:
        raise DataProblem(f"{item.name} has no answer yet that could be written up.")
    body = question_body(item)
    columns = list(snapshot_of(store, study.id, body.table).columns) if body.table else []
    return WrittenOut(nodes=write_up(found, item.id, asked_words(body.method, body.layout, body.spec, columns)))


@router.patch("/{item_id}/trail/{round_id}")
def name_round(study: TheStudy, item_id: str, round_id: Whole, data: NameRound, store: TheStore) -> QuestionState:
    """Names a model of the trail, or takes its name away."""
    item = store.items.item(study.id, item_id, "question")
    store.trail.name(item.id, round_id, data.name.strip() or None if data.name else None)
    return question_state(store, item)


@router.delete("/{item_id}/trail/{round_id}")
def drop_round(study: TheStudy, item_id: str, round_id: Whole, store: TheStore) -> QuestionState:
    """Takes a model off the trail; the question itself stays as it is."""
    item = store.items.item(study.id, item_id, "question")
    store.trail.drop(item.id, round_id)
    return question_state(store, item)
