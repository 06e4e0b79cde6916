"""Questions as the interface sees them: the spec, the answer it last had, and whether that is out of date."""

import logging
from functools import partial
from typing import Any

from pydantic import ValidationError

from yavik.core.answers import Answer
from yavik.core.answers.model_card import CardTerm, FitLine, term_changes
from yavik.core.answers.wording import listing
from yavik.core.methods.registry import get, parse_spec
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.engine.answering import answered, kept_answer
from yavik.engine.describing import ask_for
from yavik.engine.needs import answer_key, needs
from yavik.server.schemas import QuestionState, TrailLine
from yavik.server.tables_view import job_out, needs_job
from yavik.server.upgrades import UpgradeOut, upgrade_of
from yavik.store import Store
from yavik.store.bodies import QuestionBody
from yavik.store.items import renamed
from yavik.store.models import Item
from yavik.store.tables import Tables
from yavik.store.trail import model_key
from yavik.store.versions import Snapshot

log = logging.getLogger("yavik.server")


def question_body(item: Item) -> QuestionBody:
    """What is stored of a question."""
    return QuestionBody.opened(item.body)


def is_ready(body: QuestionBody) -> bool:
    """Whether a question can be answered."""
    try:
        return get(body.method).ready(parse_spec(body.method, body.spec))
    except DataProblem:
        return False


def present_key(store: Store, item: Item, tables: Tables | None = None) -> str | None:
    """The key its answer would have now; None where it cannot be known (slots empty, table gone or not worked
    out)."""
    body = question_body(item)
    if not is_ready(body):
        return None
    snapshot = present_snapshot(store, item, tables)
    try:
        return answer_key(snapshot, body.method, body.spec) if snapshot else None
    except DataProblem:
        return None


def present_snapshot(store: Store, item: Item, tables: Tables | None = None) -> Snapshot | None:
    """The table that a question asks about as it is now; None where it is gone or not worked out."""
    try:
        tables = tables or store.tables(item.study_id)
        table = tables.body(question_body(item).table)
        if needs_job(store, item.study_id, table, tables):
            return None
        return tables.replay(table)[0]
    except (LookupError, DataProblem):
        return None


def shown_data(store: Store, item: Item) -> tuple[dict[str, Any] | None, bool]:
    """The answer the question shows, as it is kept, and whether it is out of date."""
    shown = store.shown(item.id)
    data = store.result(shown) if shown else None
    return data, data is not None and shown != present_key(store, item)


def shown_answer(store: Store, item: Item) -> tuple[Answer | None, bool]:
    """The answer that a question shows, and whether it is out of date. One that cannot be read, as another version
    wrote it, is none: it is worked out again."""
    data, old = shown_data(store, item)
    found = kept_answer(data)
    if data and found is None:
        log.warning("an answer cannot be read and will be renewed: %s", item.id)
        return None, True
    return found, old


def upgraded(store: Store, item: Item, body: QuestionBody, answer: Answer | None) -> UpgradeOut | None:
    try:
        snapshot = present_snapshot(store, item)
        return upgrade_of(store, item, snapshot, body.method, body.spec) if answer else None
    except DataProblem:
        return None


def question_state(store: Store, item: Item, fresh: Answer | None = None) -> QuestionState:
    """A question as its page has it.

    Args:
        fresh: the answer that it shows, where it was worked out just now.
    """
    body = question_body(item)
    answer, old = (fresh, False) if fresh else shown_answer(store, item)
    return QuestionState(
        id=item.id,
        name=item.name,
        table=body.table,
        method=body.method,
        layout=body.layout,
        spec=body.spec,
        revision=item.revision,
        answer=answer,
        out_of_date=old,
        upgrade=upgraded(store, item, body, answer),
        ready=is_ready(body),
        trail=trail_of(store, item, body),
        pairs_used=str(answer.facts.get("pairs")) if answer and "pairs" in answer.facts else None,
    )


def trail_of(store: Store, item: Item, body: QuestionBody) -> list[TrailLine]:
    """The models the question has had, each with what changed from the one before."""
    rounds = store.trail.rounds(item.id)
    if not rounds:
        return []
    try:
        now = model_key(body.method, body.spec)
    except DataProblem:
        now = ""
    lines: list[TrailLine] = []
    before: list[CardTerm] | None = None
    for r in rounds:
        try:
            terms = [CardTerm.model_validate(t) for t in r.card["terms"]]
            fit, said, n = [FitLine.model_validate(f) for f in r.card["fit"]], str(r.card["said"]), int(r.card["n"])
        except (ValidationError, KeyError, TypeError, ValueError):
            continue  # a round that another version wrote: the others stay
        lines.append(
            TrailLine(
                id=r.id,
                name=r.name,
                changed=changed(before, terms),
                terms=[t.title for t in terms],
                said=said,
                fit=fit,
                n=n,
                spec=r.spec,
                current=r.key == now,
            )
        )
        before = terms
    return lines


def changed(before: list[CardTerm] | None, now: list[CardTerm]) -> str:
    if before is None:
        return listing([t.title for t in now], 4) or "no term"
    return term_changes(before, now) or "other settings"


def renew(store: Store, engine: Engine, item: Item) -> QuestionState:
    """Computes the present answer: here when small and quick, else by a worker, as a job where that takes a while.
    Raises DataProblem."""
    body = question_body(item)
    if not is_ready(body):
        parse_spec(body.method, body.spec)
        raise DataProblem("Fill the slots of the sentence to get an answer.")
    tables = store.tables(item.study_id)
    held, asked = tables.body(body.table), ask_for(store, item, tables)
    if not needs_job(store, item.study_id, held, tables):
        snapshot, _ = tables.replay(held)
        columns = needs(snapshot, body.method, body.spec).columns
        kept = store.has_result(answer_key(snapshot, body.method, body.spec))
        if kept or engine.small(snapshot.n_rows, len(columns)):
            fresh = engine.in_time(partial(answered, store, asked))
            if fresh is not None:
                return question_state(store, item, fresh)
    job = engine.submit(asked, item.name, item.study_id, item.id)
    if job.done_soon():
        return question_state(store, item)
    return question_state(store, item).model_copy(update={"job": job_out(job)})


NEW = "New question"


def auto_name(method: str, spec: dict[str, Any], titles: dict[str, str] | None = None) -> str:
    """What a question is called until it is named by hand; columns by their labels where these are given."""
    m = get(method)
    if titles:
        called = auto_name(method, renamed(spec, titles))
        # A column that has the name of an option is left as it is.
        return called if called != NEW else auto_name(method, spec)
    try:
        parsed = parse_spec(method, spec)
        return (m.name(parsed) if m.ready(parsed) else "") or m.layouts[0].words
    except DataProblem:
        return NEW
