"""Figures as the interface sees them: drawn from the present table, with marks from a renewed answer."""

from yavik.core.answers import Answer, Marks
from yavik.core.figures import Drawing, draw
from yavik.core.figures.data import grouped
from yavik.core.steps.expressions import Parsed, rows_where
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.engine.tasks import Ask, problem_data
from yavik.server.questions_view import present_key, question_body
from yavik.server.schemas import DrawingOut, FigureState, MarksSource
from yavik.server.tables_view import body_of, snapshot_of
from yavik.store import Store
from yavik.store.bodies import FigureBody, QuestionBody
from yavik.store.models import Item
from yavik.store.versions import key_of


def figure_body(item: Item) -> FigureBody:
    return FigureBody.model_validate(item.body)


def drawn(store: Store, engine: Engine, item: Item) -> Drawing:
    """Raises DataProblem, LookupError."""
    return drawn_with_marks(store, engine, item)[0]


def drawn_with_marks(store: Store, engine: Engine, item: Item) -> tuple[Drawing, str | None]:
    """The drawing, and why marks that were asked for are not in it. Raises DataProblem, LookupError."""
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
    marks, missing = marks_of(store, engine, item.study_id, body)
    drawing = draw(body.figure, data, marks)
    key = figure_key(store, item)
    if key:
        store.keep_result(key, drawing_out(drawing).model_dump(mode="json"), item.id)
    return drawing, missing


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


def marks_of(store: Store, engine: Engine, study_id: str, body: FigureBody) -> tuple[Marks | None, str | None]:
    """Marks of the named answer, renewed first when it is out of date; or why there are none now."""
    if not body.figure.marks_from:
        return None, None
    try:
        question = store.items.item(study_id, body.figure.marks_from, "question")
        asked = question_body(question)
        table = body_of(store.items.item(study_id, asked.table, "table"))
    except LookupError:
        return None, "The answer that lent its marks has been deleted. Undo brings it back."
    if not same_data(body, asked):
        return None, f"{question.name} now asks about other columns, so its marks are not drawn here."
    try:
        root = store.tables.root(table)
        ask = Ask(
            root=root, steps=table.steps, link=table.link, method=asked.method, spec=asked.spec, item=question.id
        )
        return Answer.model_validate(store.result(engine.do(ask)["key"])).marks, None
    except DataProblem as problem:
        return None, f"Marks are not drawn: {problem.message}"


def same_data(body: FigureBody, asked: QuestionBody) -> bool:
    """Whether a question is about the very groups that a figure shows."""
    if body.table != asked.table or asked.method != "compare_groups":
        return False
    if body.figure.samples:
        return bool(asked.spec.get("samples") == body.figure.samples)
    spec = asked.spec
    return bool(
        body.figure.response
        and (spec.get("response"), spec.get("groups")) == (body.figure.response, body.figure.groups)
    )


def drawing_out(drawing: Drawing) -> DrawingOut:
    return DrawingOut(
        vega=drawing.vega,
        caption=drawing.caption,
        own_caption=drawing.own_caption,
        alt=drawing.alt,
        levels=drawing.levels,
        colours=drawing.colours,
    )


def sources(store: Store, study_id: str, body: FigureBody) -> list[MarksSource]:
    """Questions about the same groups, which have letters to lend; and the one that is chosen now."""
    return [
        MarksSource(id=item.id, name=item.name)
        for item in store.items.items(study_id)
        if item.type == "question" and (item.id == body.figure.marks_from or same_data(body, question_body(item)))
    ]


def figure_state(store: Store, engine: Engine, item: Item) -> FigureState:
    body = figure_body(item)
    drawing, problem, missing = None, None, None
    try:
        made, missing = drawn_with_marks(store, engine, item)
        drawing = drawing_out(made)
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
        marks_problem=missing,
        marks_sources=sources(store, item.study_id, body),
    )
