"""The contents of a study: every entry with one line that says what it says now."""

import logging
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError
from sqlalchemy import func, select

from yavik.core.answers import Span
from yavik.core.answers.wording import counted, listing
from yavik.core.figures import Figure
from yavik.core.figures.kinds import KINDS
from yavik.core.table import DataProblem
from yavik.server.figures_view import figure_body, figure_key
from yavik.server.once import Once
from yavik.server.questions_view import present_key, question_body
from yavik.server.reports_view import count_embeds
from yavik.server.schemas_contents import Around, Contents, Entry, Statement, StudyOut
from yavik.server.tables_view import body_of, needs_job
from yavik.store import Store
from yavik.store.items import Mark
from yavik.store.models import Item, Study
from yavik.store.tables import Tables

log = logging.getLogger("yavik.server")
Shown = dict[str, tuple[str, str | None]]
SPANS = TypeAdapter(list[Span])
STATEMENTS = TypeAdapter(list[Statement])
PREPARING = "being prepared"
STUDIES_KEPT = 50
_kept: dict[tuple[Path, str], dict[str, tuple[Any, Entry]]] = {}
"""By entry, what its line was made of and the line."""
_once = Once()
SHOWN = ("table", "question", "figure", "report")


def study_out(store: Store, study: Study) -> StudyOut:
    """A study as the list of studies has it."""
    with store.items.session() as s:
        counts = dict(
            s.execute(
                select(Item.type, func.count())
                .where(Item.study_id == study.id, Item.deleted.is_(False))
                .group_by(Item.type)
            )
            .tuples()
            .all()
        )
    return StudyOut(
        id=study.id,
        name=study.name,
        created=study.created,
        touched=study.touched,
        demo=study.demo,
        tables=counts.get("table", 0),
        questions=counts.get("question", 0),
        figures=counts.get("figure", 0),
        reports=counts.get("report", 0),
    )


def contents_sent(store: Store, study_id: str) -> bytes:
    """The contents as they go out. Raises LookupError."""

    def make() -> tuple[bytes, bool]:
        made = contents_of(store, store.items.study(study_id))
        return made.model_dump_json().encode(), not any(e.line == PREPARING for e in made.entries)

    return _once.get(store, study_id, "contents", make)


def statements_sent(store: Store, study_id: str) -> bytes:
    """What all answers say, as it goes out. Raises LookupError."""
    return _once.get(
        store,
        study_id,
        "statements",
        lambda: (STATEMENTS.dump_json(statements_of(store, store.items.study(study_id))), True),
    )


def contents_of(store: Store, study: Study) -> Contents:
    """What stands in a study and what it says. A line is made anew where what it is made of is another."""
    shown, marks = store.shown_in(study.id), store.items.revisions(study.id)
    before = _kept.get((store.folder, study.id), {})
    reads = _reads(marks, shown)
    kept = {i: before[i][1] for i, of in reads.items() if i in before and before[i][0] == of}
    found = kept | _lines(store, study.id, reads.keys() - kept.keys(), shown)
    lines = {i: (of, found[i]) for i, of in reads.items() if i in found}
    if len(_kept) >= STUDIES_KEPT:
        _kept.clear()
    # A table that is being prepared says something else soon without having changed.
    preparing = any(e.line == PREPARING for _, e in lines.values())
    _kept[store.folder, study.id] = {} if preparing else lines
    back, again = store.items.ways(study.id)
    return Contents(study=study_out(store, study), entries=[e for _, e in lines.values()], undo=back, redo=again)


def _reads(marks: list[Mark], shown: Shown) -> dict[str, Any]:
    """All that an entry's line may depend on: of a question its answer and the tables, which may be made of each
    other; of a figure a question and the study's style besides."""
    tables = [mark for mark in marks if mark.type == "table"]
    every = (marks, shown)
    return {
        own.id: own if own.type == "report" else every if own.type == "figure" else (own, shown.get(own.id), tables)
        for own in marks
        if own.type in SHOWN
    }


def _lines(store: Store, study_id: str, wanted: set[str], shown: Shown) -> dict[str, Entry]:
    if not wanted:
        return {}
    items = store.items.items(study_id)
    tables = store.tables(study_id, items)
    return {item.id: _entry(store, item, tables, shown) for item in items if item.id in wanted}


def statements_of(store: Store, study: Study) -> list[Statement]:
    """What all answers of a study say, with one look; an answer that cannot be read says nothing."""
    made = []
    for item, said in store.statements(study.id).items():
        try:
            made.append(Statement(id=item, spans=SPANS.validate_json(said or "null")))
        except ValidationError:
            continue
    return made


def around(store: Store, item: Item) -> Around:
    """What of the contents a change of one entry changes at once; what depends on it is told when it is asked for."""
    back, again = store.items.ways(item.study_id)
    return Around(entry=entry(store, item), undo=back, redo=again)


def entry(store: Store, item: Item) -> Entry:
    """An entry's line."""
    return _entry(store, item, store.tables(item.study_id), store.shown_in(item.study_id, item.id))


def _entry(store: Store, item: Item, tables: Tables, shown: Shown) -> Entry:
    """One that cannot be read says so: the others, and the study, stay open."""
    lines = {"table": _table, "question": _question, "figure": _figure, "report": _report}
    try:
        line, old, table = lines[item.type](store, item, tables, shown)
        method = question_body(item).method if item.type == "question" else None
    except Exception:
        log.exception("an entry cannot be read: %s %s", item.type, item.id)
        line, old, table, method = "cannot be opened: delete it, or go back in the history", False, None, None
    return Entry(id=item.id, type=item.type, name=item.name, line=line, out_of_date=old, table=table, method=method)


def _table(store: Store, item: Item, tables: Tables, _shown: Shown) -> tuple[str, bool, str | None]:
    body = body_of(item)
    try:
        if needs_job(store, item.study_id, body, tables):
            return PREPARING, False, None
        snapshot, effects = tables.replay(body)
    except (LookupError, DataProblem):
        return "cannot be read", False, None
    troubled = sum(e.problem is not None for e in effects)
    line = f"{counted(snapshot.n_rows, 'row')} · {counted(len(snapshot.columns), 'column')}"
    return (f"{line} · {counted(troubled, 'step')} cannot be done" if troubled else line), False, None


def _question(store: Store, item: Item, tables: Tables, shown: Shown) -> tuple[str, bool, str | None]:
    table, (key, short) = question_body(item).table, shown.get(item.id, (None, None))
    if short is None:
        return "no answer yet", False, table
    old = key != present_key(store, item, tables)
    return ("out of date" if old else short), old, table


def _figure(store: Store, item: Item, tables: Tables, shown: Shown) -> tuple[str, bool, str | None]:
    body = figure_body(item)
    key = shown.get(item.id, (None, None))[0]
    old = key is not None and key != figure_key(store, item, tables)
    return "out of date" if old else figure_words(body.figure), old, body.table


def figure_words(figure: Figure) -> str:
    """A figure in a few words."""
    kind = KINDS.get(figure.kind)
    if kind is None:
        return "from an answer"
    words = [x.words for x in kind.layers if x.id in figure.show]
    return listing(words, 6) or kind.words


def _report(_store: Store, item: Item, _tables: Tables, _shown: Shown) -> tuple[str, bool, str | None]:
    answers, figures = count_embeds(item.body.get("doc", {}))
    return f"{counted(answers, 'answer')} · {counted(figures, 'figure')}", False, None
