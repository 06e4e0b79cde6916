"""Figures as the interface sees them: drawn from the present table, with marks from a renewed answer."""

from pydantic import ValidationError

from yavik.core.answers import Answer, Marks
from yavik.core.answers.lending import lent_marks
from yavik.core.figures import Drawing, Figure, Lent, Style, answer_figure, draw_figure, is_ready, reads
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.lends import lends, lent
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.engine.needs import REVISION
from yavik.engine.tasks import problem_data
from yavik.server.questions_view import ask_of, present_key, question_body, shown_answer
from yavik.server.schemas import DrawingOut, FigureState, MarksSource
from yavik.server.tables_view import needs_job, snapshot_of
from yavik.store import Store
from yavik.store.bodies import FigureBody, QuestionBody, StyleBody
from yavik.store.models import Item
from yavik.store.tables import Tables
from yavik.store.versions import key_of


def figure_body(item: Item) -> FigureBody:
    """What is stored of a figure."""
    return FigureBody.opened(item.body)


def style_item(store: Store, study_id: str) -> Item | None:
    return store.items.first(study_id, "style")


def style_of(store: Store, study_id: str) -> StyleBody:
    """The study's own style."""
    item = style_item(store, study_id)
    return StyleBody.opened(item.body) if item else StyleBody()


def kept_style(store: Store, study_id: str) -> Style:
    body = style_of(store, study_id)
    return Style(body.colours, body.marks)


def shown_drawing(store: Store, item: Item) -> DrawingOut | None:
    """The drawing that a figure shows, as it is kept; None where there is none, or none that can be read."""
    shown = store.shown(item.id)
    data = store.result(shown) if shown else None
    try:
        return DrawingOut.model_validate(data) if data else None
    except ValidationError:
        return None  # another version drew it: it is drawn anew


def drawn(store: Store, engine: Engine, item: Item) -> Drawing:
    """Raises DataProblem, LookupError."""
    return drawn_with_marks(store, engine, item)[0]


def drawn_with_marks(store: Store, engine: Engine, item: Item) -> tuple[Drawing, str | None]:
    """The drawing, and why marks that were asked for are not in it. Raises DataProblem, LookupError."""
    body, missing = figure_body(item), None
    if body.figure.kind == "answer":
        drawing = _of_answer(store, engine, item.study_id, body.figure)
    else:
        lent, missing = lent_to(store, engine, item.study_id, body)
        drawing = _of_table(store, item.study_id, body, lent)
    key = figure_key(store, item)
    if key:
        store.keep_result(key, drawing_out(drawing).model_dump(mode="json"), item.id)
    return drawing, missing


def _of_table(store: Store, study_id: str, body: FigureBody, lent: Lent | None) -> Drawing:
    if not is_ready(body.figure):
        raise DataProblem("Fill the slots of the sentence to see the figure.")
    snapshot = snapshot_of(store, study_id, body.table)
    names = reads(body.figure)
    for name in names:
        if not any(c.name == name for c in snapshot.columns):
            store.versions.table(snapshot).index(name)
    return draw_figure(body.figure, store.versions.table(snapshot, names), lent, kept_style(store, study_id))


def _of_answer(store: Store, engine: Engine, study_id: str, figure: Figure) -> Drawing:
    try:
        question = store.items.item(study_id, figure.question or "", "question")
    except LookupError:
        raise DataProblem(
            "The question that this drawing belongs to has been deleted. Undo brings it back."
        ) from None
    return answer_figure(figure, question.name, renewed(store, engine, question))


def renewed(store: Store, engine: Engine, question: Item) -> Answer:
    """A question's answer as it is now, computed first where it is out of date. Raises DataProblem, LookupError."""
    answer, old = shown_answer(store, question)
    if answer is not None and not old:
        return answer
    return Answer.model_validate(store.result(engine.do(ask_of(store, question))["key"]))


def bring_up_to_date(store: Store, engine: Engine, study_id: str) -> None:
    """Answers every question and draws every figure that can be, so that what is packed can be compared with
    later."""
    for item in store.items.items(study_id):
        try:
            if item.type == "question":
                renewed(store, engine, item)
            elif item.type == "figure":
                drawing_now(store, engine, item)
        except (DataProblem, LookupError, ValidationError):
            continue  # it shows why on its own page, and rerun names it as not compared


def figure_key(store: Store, item: Item, tables: Tables | None = None) -> str | None:
    """What the drawing depends on: description, cells, the colours of its levels, and the answer that lends its
    marks."""
    body = figure_body(item)
    figure = body.figure
    source = figure.question if figure.kind == "answer" else figure.marks_from
    try:
        answer = present_key(store, store.items.item(item.study_id, source, "question"), tables) if source else None
        if figure.kind == "answer":
            return key_of("figure", REVISION, figure.model_dump(mode="json"), answer)
        tables = tables or store.tables(item.study_id)
        table = tables.body(body.table)
        if needs_job(store, item.study_id, table, tables):
            return None
        snapshot = tables.replay(table)[0]
        kept = kept_style(store, item.study_id).get(KINDS[figure.kind].level_column(figure))
        levels = [kept.colours, kept.marks]
        return key_of(
            "figure", REVISION, figure.model_dump(mode="json"), snapshot.fingerprint(reads(figure)), answer, levels
        )
    except (LookupError, DataProblem):
        return None


def lent_to(store: Store, engine: Engine, study_id: str, body: FigureBody) -> tuple[Lent | None, str | None]:
    """Marks of the named answer, renewed first when it is out of date; or why there are none now."""
    if not body.figure.marks_from:
        return None, None
    try:
        question = store.items.item(study_id, body.figure.marks_from, "question")
        asked = question_body(question)
        store.items.item(study_id, asked.table, "table")
    except LookupError:
        return None, "The answer that lent its marks has been deleted. Undo brings it back."
    if not same_data(body, asked):
        return None, f"{question.name} now asks about other columns, so its marks are not drawn here."
    try:
        found = lent(body.figure, question.name, asked.spec, renewed(store, engine, question))
    except DataProblem as problem:
        return None, f"Marks are not drawn: {problem.message}"
    return found, None if found else f"{question.name} has no marks that fit this figure."


def same_data(body: FigureBody, asked: QuestionBody) -> bool:
    """Whether a question is about the very columns that a figure shows."""
    return body.table == asked.table and lends(body.figure, asked.spec)


def drawing_out(drawing: Drawing) -> DrawingOut:
    return DrawingOut(**{name: getattr(drawing, name) for name in DrawingOut.model_fields})


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


def drawing_now(store: Store, engine: Engine, item: Item) -> tuple[DrawingOut, str | None]:
    """The drawing as it is kept where nothing changed since, else drawn anew. Raises DataProblem, LookupError."""
    if store.shown(item.id) == figure_key(store, item) is not None:
        kept, missing = shown_drawing(store, item), lent_to(store, engine, item.study_id, figure_body(item))[1]
        if kept:
            return kept, missing
    made, missing = drawn_with_marks(store, engine, item)
    return drawing_out(made), missing


def figure_state(store: Store, engine: Engine, item: Item) -> FigureState:
    """A figure as its page has it."""
    body = figure_body(item)
    drawing, problem, missing = None, None, None
    try:
        drawing, missing = drawing_now(store, engine, item)
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
        figure=body.figure,
        revision=item.revision,
        drawing=drawing,
        problem=problem,
        marks_problem=missing,
        marks_sources=sources(store, item.study_id, body),
    )
