"""What is to be run for a question or a figure as it is now: from what is stored of it to a description."""

from yavik.core.figures import is_ready
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.lends import lends
from yavik.core.table import DataProblem
from yavik.engine.descriptions import Ask
from yavik.engine.drawing import Draw
from yavik.store import Store
from yavik.store.bodies import FigureBody, QuestionBody, StyleBody
from yavik.store.models import Item
from yavik.store.tables import Tables


def ask_for(store: Store, item: Item, tables: Tables | None = None) -> Ask:
    """What is to be run for a question's present answer. Raises LookupError, DataProblem."""
    body, tables = QuestionBody.opened(item.body), tables or store.tables(item.study_id)
    held = tables.body(body.table)
    return Ask(
        study=item.study_id,
        root=tables.root(held),
        steps=held.steps,
        link=held.link,
        method=body.method,
        spec=body.spec,
        item=item.id,
    )


def style_item(store: Store, study_id: str) -> Item | None:
    """The entry that keeps the study's style of figures."""
    return store.items.first(study_id, "style")


def style_of(store: Store, study_id: str) -> StyleBody:
    """The study's own style."""
    item = style_item(store, study_id)
    return StyleBody.opened(item.body) if item else StyleBody()


def draw_for(store: Store, item: Item, tables: Tables | None = None) -> Draw:
    """What is to be drawn for a figure as it is now. Raises DataProblem, LookupError."""
    body, tables = FigureBody.opened(item.body), tables or store.tables(item.study_id)
    figure = body.figure
    if not is_ready(figure):
        raise DataProblem("Fill the slots of the sentence to see the figure.")
    asked, missing = _asked(store, item.study_id, body)
    held = tables.body(QuestionBody.opened(asked.body).table if figure.kind == "answer" and asked else body.table)
    style = style_of(store, item.study_id)
    column = (KINDS[figure.kind].level_column(figure) if figure.kind in KINDS else None) or ""
    return Draw(
        study=item.study_id,
        root=tables.root(held),
        steps=held.steps,
        link=held.link,
        figure=figure,
        ask=ask_for(store, asked, tables) if asked else None,
        asked=asked.name if asked else "",
        missing=missing,
        colours=style.colours.get(column, {}),
        marks=style.marks.get(column, {}),
        item=item.id,
    )


def _asked(store: Store, study_id: str, body: FigureBody) -> tuple[Item | None, str | None]:
    """The question that a figure shows, or that lends it marks; or why there are no marks now. Raises DataProblem."""
    if body.figure.kind == "answer":
        try:
            return store.items.item(study_id, body.figure.question or "", "question"), None
        except LookupError:
            raise DataProblem(
                "The question that this drawing belongs to has been deleted. Undo brings it back."
            ) from None
    if not body.figure.marks_from:
        return None, None
    try:
        question = store.items.item(study_id, body.figure.marks_from, "question")
        asked = QuestionBody.opened(question.body)
        store.items.item(study_id, asked.table, "table")
    except LookupError:
        return None, "The answer that lent its marks has been deleted. Undo brings it back."
    if not same_data(body, asked):
        return None, f"{question.name} now asks about other columns, so its marks are not drawn here."
    return question, None


def same_data(body: FigureBody, asked: QuestionBody) -> bool:
    """Whether a question is about the very columns that a figure shows."""
    return body.table == asked.table and lends(body.figure, asked.spec)
