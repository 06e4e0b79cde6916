"""The contents of a study: every entry with one line that says what it says now."""

import logging

from sqlalchemy import func, select

from yavik.core.answers.wording import counted, listing
from yavik.core.figures import Figure
from yavik.core.figures.kinds import KINDS
from yavik.core.table import DataProblem
from yavik.server.figures_view import figure_body, figure_key
from yavik.server.questions_view import present_key, question_body
from yavik.server.reports_view import count_embeds
from yavik.server.schemas import Contents, Entry, StudyOut
from yavik.server.tables_view import body_of, needs_job
from yavik.store import Store
from yavik.store.models import Change, Item, Study

log = logging.getLogger("yavik.server")
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


def contents_of(store: Store, study: Study) -> Contents:
    """What stands in a study and what it says."""
    entries = [entry(store, item) for item in store.items.items(study.id) if item.type in SHOWN]
    changes = store.items.changes(study.id, 50)
    last = next((c.label for c in changes if not c.undone), None)
    again: list[Change] = [c for c in changes if c.undone]
    return Contents(
        study=study_out(store, study), entries=entries, undo=last, redo=again[-1].label if again else None
    )


def entry(store: Store, item: Item) -> Entry:
    """One that cannot be read says so: the others, and the study, stay open."""
    lines = {"table": _table, "question": _question, "figure": _figure, "report": _report}
    try:
        line, old, table = lines[item.type](store, item)
        method = question_body(item).method if item.type == "question" else None
    except Exception:
        log.exception("an entry cannot be read: %s %s", item.type, item.id)
        line, old, table, method = "cannot be opened: delete it, or go back in the history", False, None, None
    return Entry(id=item.id, type=item.type, name=item.name, line=line, out_of_date=old, table=table, method=method)


def _table(store: Store, item: Item) -> tuple[str, bool, str | None]:
    body = body_of(item)
    try:
        if needs_job(store, item.study_id, body):
            return "being prepared", False, None
        snapshot, effects = store.tables(item.study_id).replay(body)
    except (LookupError, DataProblem):
        return "cannot be read", False, None
    troubled = sum(e.problem is not None for e in effects)
    line = f"{counted(snapshot.n_rows, 'row')} · {counted(len(snapshot.columns), 'column')}"
    return (f"{line} · {counted(troubled, 'step')} cannot be done" if troubled else line), False, None


def _question(store: Store, item: Item) -> tuple[str, bool, str | None]:
    table, shown = question_body(item).table, store.shown(item.id)
    short = store.short(shown) if shown else None
    if short is None:
        return "no answer yet", False, table
    old = shown != present_key(store, item)
    return ("out of date" if old else short), old, table


def _figure(store: Store, item: Item) -> tuple[str, bool, str | None]:
    body = figure_body(item)
    shown = store.shown(item.id)
    old = shown is not None and shown != figure_key(store, item)
    return "out of date" if old else figure_words(body.figure), old, body.table


def figure_words(figure: Figure) -> str:
    """A figure in a few words."""
    kind = KINDS.get(figure.kind)
    if kind is None:
        return "from an answer"
    words = [x.words for x in kind.layers if x.id in figure.show]
    return listing(words, 6) or kind.words


def _report(_store: Store, item: Item) -> tuple[str, bool, str | None]:
    answers, figures = count_embeds(item.body.get("doc", {}))
    return f"{counted(answers, 'answer')} · {counted(figures, 'figure')}", False, None
