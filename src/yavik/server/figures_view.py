"""Figures as the interface sees them: drawn from the present table, with marks from a renewed answer."""

from functools import partial

from pydantic import ValidationError

from yavik.core.answers import Marks
from yavik.core.answers.lending import lent_marks
from yavik.core.figures import reads
from yavik.core.methods import Run
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.engine.describing import ask_for, draw_for, same_data
from yavik.engine.drawing import Draw, DrawingOut, draw_and_keep, draw_key, drawn, kept_drawing
from yavik.engine.needs import answer_key, needs
from yavik.engine.problems import problem_data
from yavik.engine.tasks import LARGE_CELLS
from yavik.server.questions_view import question_body, shown_answer
from yavik.server.schemas import FigureState, MarksSource
from yavik.server.tables_view import job_out, needs_job
from yavik.store import Store
from yavik.store.bodies import FigureBody, TableBody
from yavik.store.models import Item
from yavik.store.tables import Tables
from yavik.store.versions import Snapshot


def figure_body(item: Item) -> FigureBody:
    """What is stored of a figure."""
    return FigureBody.opened(item.body)


def shown_drawing(store: Store, item: Item) -> DrawingOut | None:
    """The drawing that a figure shows, as it is kept; None where there is none that can be read."""
    return kept_drawing(store, store.shown(item.id))


def figure_key(store: Store, item: Item, tables: Tables | None = None) -> str | None:
    """What the drawing depends on: description, cells, the colours of its levels, and the answer that lends its marks;
    None where it cannot be known (slots empty, table gone or not worked out)."""
    try:
        return _key(store, draw_for(store, item, tables), tables)
    except (LookupError, DataProblem):
        return None


def _key(store: Store, d: Draw, tables: Tables | None = None) -> str | None:
    """Raises DataProblem, LookupError."""
    snapshot = _snapshot(store, d, tables)
    return draw_key(snapshot, d) if snapshot else None


def _snapshot(store: Store, d: Draw, tables: Tables | None = None) -> Snapshot | None:
    """The table as a figure needs it; None where it is work for a job. Raises DataProblem, LookupError."""
    tables = tables or store.tables(d.study)
    held = TableBody(root=d.root, steps=d.steps, link=d.link)
    return None if needs_job(store, d.study, held, tables) else tables.replay(held)[0]


def bring_up_to_date(store: Store, engine: Engine, study_id: str) -> None:
    """Answers every question and draws every figure that can be, so that what is packed can be compared with
    later."""
    for item in store.items.items(study_id):
        try:
            if item.type == "question":
                answer, old = shown_answer(store, item)
                if answer is None or old:
                    engine.do(ask_for(store, item))
            elif item.type == "figure":
                engine.do(draw_for(store, item))
        except (DataProblem, LookupError, ValidationError):
            continue  # it shows why on its own page, and rerun names it as not compared


def sources(store: Store, study_id: str, body: FigureBody) -> list[MarksSource]:
    """Questions about the same columns, which have marks to lend; and the one that is chosen now."""
    found = []
    for item in store.items.items(study_id):
        if item.type != "question":
            continue
        chosen = item.id == body.figure.marks_from
        if chosen or same_data(body, question_body(item)):
            pairs = []
            if chosen:
                answer, _ = shown_answer(store, item)
                marks = lent_marks(answer) if answer else Marks()
                pairs = [[m.a, m.b] for m in sorted(marks.pairs, key=lambda m: m.p)]
            found.append(MarksSource(id=item.id, name=item.name, pairs=pairs))
    return found


def drawing_now(store: Store, item: Item) -> DrawingOut:
    """The present drawing for what is saved or sent: as it is kept where nothing changed since, else drawn for this
    once and kept nowhere. Raises DataProblem, LookupError."""
    d = draw_for(store, item)
    return kept_drawing(store, _key(store, d)) or drawn(store, d, Run())


def redraw(store: Store, engine: Engine, item: Item) -> FigureState:
    """Draws the figure as it now is and keeps it: here when small and quick, else as a job."""
    try:
        d = draw_for(store, item)
        snapshot = _snapshot(store, d)
        if snapshot and (store.has_result(draw_key(snapshot, d)) or _small(store, snapshot, d)):
            made = engine.in_time(partial(draw_and_keep, store, d))
            if made:
                return _state(store, item, made[1], out_of_date=False)
    except (DataProblem, LookupError) as trouble:
        return _troubled(store, item, trouble)
    job = engine.submit(d, f"Drawing {item.name}", item.study_id, item.id)
    if job.done_soon():
        return figure_state(store, item)
    return _state(store, item, shown_drawing(store, item), out_of_date=True).model_copy(update={"job": job_out(job)})


def _troubled(store: Store, item: Item, trouble: DataProblem | LookupError) -> FigureState:
    """Not drawn: an old drawing beside the reason would be taken for the new one."""
    if isinstance(trouble, LookupError):
        trouble = DataProblem("The table of this figure has been deleted. Undo brings it back, or choose another.")
    state = _state(store, item, shown_drawing(store, item), out_of_date=True)
    return state.model_copy(update={"problem": problem_data(trouble), "drawing": None})


def _small(store: Store, snapshot: Snapshot, d: Draw) -> bool:
    """Whether a figure is quickly drawn: reading so many cells, and the answer whose marks it has."""
    if snapshot.n_rows * max(1, len(reads(d.figure))) > LARGE_CELLS:
        return False
    if d.ask is None:
        return True
    columns = needs(snapshot, d.ask.method, d.ask.spec).columns
    answered = store.has_result(answer_key(snapshot, d.ask.method, d.ask.spec))
    return answered or snapshot.n_rows * max(1, len(columns)) <= LARGE_CELLS


def figure_state(store: Store, item: Item) -> FigureState:
    """A figure as its page has it, with the drawing it last had. Nothing is drawn."""
    try:
        key = _key(store, draw_for(store, item))
    except (DataProblem, LookupError) as trouble:
        return _troubled(store, item, trouble)
    drawing = shown_drawing(store, item)
    return _state(store, item, drawing, out_of_date=drawing is None or key is None or store.shown(item.id) != key)


def _state(store: Store, item: Item, drawing: DrawingOut | None, *, out_of_date: bool) -> FigureState:
    body = figure_body(item)
    return FigureState(
        id=item.id,
        name=item.name,
        table=body.table,
        figure=body.figure,
        revision=item.revision,
        drawing=drawing,
        out_of_date=out_of_date,
        problem=None,
        marks_problem=drawing.missing if drawing else None,
        marks_sources=sources(store, item.study_id, body),
    )
