"""Figures as the interface sees them: drawn from the present table, with marks from a renewed answer."""

from yavik.core.answers import Answer, Marks
from yavik.core.figures import Drawing, Figure, draw
from yavik.core.figures.data import grouped
from yavik.core.steps.expressions import Parsed, rows_where
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.engine.tasks import Ask, problem_data
from yavik.server.questions_view import is_ready, present_key, question_body
from yavik.server.schemas import DrawingOut, FigureState, MarksSource
from yavik.server.tables_view import body_of, snapshot_of
from yavik.store import Store
from yavik.store.bodies import FigureBody
from yavik.store.models import Item
from yavik.store.versions import key_of


def figure_body(item: Item) -> FigureBody:
    return FigureBody.model_validate(item.body)


def drawn(store: Store, engine: Engine, item: Item) -> Drawing:
    """Raises DataProblem, LookupError."""
    body = figure_body(item)
    if not body.figure.ready:
        raise DataProblem("Fill the slots of the sentence to see the figure.")
    snapshot = snapshot_of(store, item.study_id, body.table)
    names = [*body.figure.columns, *(sorted(Parsed(body.figure.where).columns) if body.figure.where else [])]
    for name in names:
        if not any(c.name == name for c in snapshot.columns):
            store.versions.table(snapshot).index(name)
    table = store.versions.table(snapshot, names)
    if body.figure.where:
        table = table.keep(rows_where(body.figure.where, table))
    data = grouped(table, body.figure.response, body.figure.groups, body.figure.samples)
    drawing = draw(body.figure, data, marks_of(store, engine, item.study_id, body.figure))
    key = figure_key(store, item)
    if key:
        store.keep_result(key, drawing_out(drawing).model_dump(mode="json"), item.id)
    return drawing


def figure_key(store: Store, item: Item) -> str | None:
    """What the drawing depends on: description, cells, and the answer that lends its marks."""
    body = figure_body(item)
    try:
        snapshot = snapshot_of(store, item.study_id, body.table)
        marks = None
        if body.figure.marks_from:
            marks = present_key(store, store.items.item(item.study_id, body.figure.marks_from, "question"))
    except LookupError:
        return None
    return key_of("figure", body.figure.model_dump(mode="json"), snapshot.fingerprint(body.figure.columns), marks)


def marks_of(store: Store, engine: Engine, study_id: str, figure: Figure) -> Marks | None:
    """Marks of the named answer, renewed first when it is out of date."""
    if not figure.marks_from:
        return None
    try:
        question = store.items.item(study_id, figure.marks_from, "question")
        body = question_body(question)
        table = body_of(store.items.item(study_id, body.table, "table"))
    except LookupError:
        return None
    if not is_ready(body):
        return None
    done = engine.do(Ask(root=table.root, steps=table.steps, method=body.method, spec=body.spec, item=question.id))
    return Answer.model_validate(store.result(done["key"])).marks


def drawing_out(drawing: Drawing) -> DrawingOut:
    return DrawingOut(
        vega=drawing.vega,
        caption=drawing.caption,
        own_caption=drawing.own_caption,
        alt=drawing.alt,
        levels=drawing.levels,
        colours=drawing.colours,
    )


def sources(store: Store, study_id: str, figure: FigureBody) -> list[MarksSource]:
    """Questions on the same table and columns that have letters to lend."""
    found = []
    for item in store.items.items(study_id):
        if item.type != "question":
            continue
        body = question_body(item)
        same = body.spec.get("response") == figure.figure.response and body.spec.get("groups") == figure.figure.groups
        if (
            body.method == "compare_groups"
            and body.table == figure.table
            and (same or body.spec.get("samples") == figure.figure.samples != [])
        ):
            found.append(MarksSource(id=item.id, name=item.name))
    return found


def figure_state(store: Store, engine: Engine, item: Item) -> FigureState:
    body = figure_body(item)
    drawing, problem = None, None
    try:
        drawing = drawing_out(drawn(store, engine, item))
    except DataProblem as trouble:
        problem = problem_data(trouble)
    except LookupError:
        problem = problem_data(
            DataProblem("The table of this figure has been deleted. Undo brings it back, or choose another.")
        )
    return FigureState(
        id=item.id,
        name=item.name,
        table=body.table,
        layout=body.layout,
        figure=body.figure,
        drawing=drawing,
        problem=problem,
        marks_sources=sources(store, item.study_id, body),
    )
