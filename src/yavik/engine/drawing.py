"""A figure as a description: the table, the sentence, the colours of its levels, and the answer that lends its marks.

What it depends on is its key; what is drawn is kept under it and drawn once.
"""

from typing import Any, Literal

from pydantic import BaseModel, Field, ValidationError

from yavik.core.answers import Span, TableBlock
from yavik.core.figures import Drawing, Figure, Lent, Style, answer_figure, draw_figure, reads
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.lends import lent
from yavik.core.methods import Run
from yavik.core.table import DataProblem
from yavik.engine.answering import answered
from yavik.engine.descriptions import Ask, OfTable, replayed
from yavik.engine.needs import REVISION, answer_key
from yavik.store import Store
from yavik.store.versions import Snapshot, key_of


class Draw(OfTable):
    """
    Args:
        ask: the question that lends its marks, or whose own drawing is shown.
        asked: that question's name.
        missing: why marks that were asked for cannot be in it.
        colours, marks: of the levels of the figure's column, in every figure of the study.
        item: the figure.
    """

    task: Literal["draw"] = "draw"
    figure: Figure
    ask: Ask | None = None
    asked: str = ""
    missing: str | None = None
    colours: dict[str, str] = Field(default_factory=dict)
    marks: dict[str, str] = Field(default_factory=dict)
    item: str | None = None


class DrawingOut(BaseModel):
    """A figure as it is kept and shown."""

    vega: dict[str, Any]
    caption: list[Span]
    own_caption: list[Span]
    alt: str
    levels: list[str]
    colours: dict[str, str]
    shapes: dict[str, str] = {}
    groups: list[str] = []
    parts: dict[str, str] = {}
    template: str = ""
    behind: TableBlock | None = None
    warnings: list[str] = []
    grey: list[str] = []
    missing: str | None = None
    """Why marks that were asked for are not in it."""


def draw_key(snapshot: Snapshot, d: Draw) -> str:
    """A key of everything that decides what is drawn. Raises DataProblem."""
    # Which question lends its marks says nothing of what they are: that is its answer's key, the same in a copy.
    figure = d.figure.model_copy(update={"marks_from": None, "question": None}).model_dump(mode="json")
    answer = None
    if d.ask:
        try:
            answer = answer_key(snapshot, d.ask.method, d.ask.spec)
        except DataProblem:
            if d.figure.kind == "answer":
                raise
    cells = None if d.figure.kind == "answer" else snapshot.fingerprint(reads(d.figure))
    return key_of("figure", REVISION, figure, cells, answer, d.asked, d.missing, [d.colours, d.marks])


def draw(store: Store, d: Draw, run: Run) -> dict[str, Any]:
    """Draws and keeps, unless it is kept already. Raises DataProblem, LookupError, Stopped."""
    return {"key": draw_and_keep(store, d, run)[0]}


def draw_and_keep(store: Store, d: Draw, run: Run) -> tuple[str, DrawingOut]:
    """The drawing with its key, shown by its figure. Raises DataProblem, LookupError, Stopped."""
    key = draw_key(replayed(store, d), d)
    made = kept_drawing(store, key)
    if made is None:
        made = drawn(store, d, run)
        if store.has_result(key):
            store.drop_result(key)  # another version drew it, in a shape that cannot be read
        store.keep_result(key, made.model_dump(mode="json"))
    if d.item:
        store.show(d.item, key)
    return key, made


def kept_drawing(store: Store, key: str | None) -> DrawingOut | None:
    """The drawing under a key; None where there is none, or none that can be read, as another version drew it."""
    data = store.result(key) if key else None
    try:
        return DrawingOut.model_validate(data) if data else None
    except ValidationError:
        return None


def drawn(store: Store, d: Draw, run: Run) -> DrawingOut:
    """The drawing, kept nowhere. Raises DataProblem, LookupError, Stopped."""
    if d.figure.kind == "answer":
        if d.ask is None:
            raise DataProblem(d.missing or "This figure names no answer to show.")
        return _out(answer_figure(d.figure, d.asked, answered(store, d.ask, run.silent)), None)
    lends, missing = _lent(store, d, run)
    run.progress(0.9, "Drawing")
    snapshot = replayed(store, d)
    names = reads(d.figure)
    for name in names:
        if not any(c.name == name for c in snapshot.columns):
            store.versions.table(snapshot).index(name)  # which names there are, in a sentence
    column = KINDS[d.figure.kind].level_column(d.figure)
    style = Style({column: d.colours}, {column: d.marks}) if column else Style()
    return _out(draw_figure(d.figure, store.versions.table(snapshot, names), lends, style), missing)


def _lent(store: Store, d: Draw, run: Run) -> tuple[Lent | None, str | None]:
    if d.ask is None:
        return None, d.missing
    try:
        found = lent(d.figure, d.asked, d.ask.spec, answered(store, d.ask, run.silent))
    except DataProblem as problem:
        return None, f"Marks are not drawn: {problem.message}"
    return found, None if found else f"{d.asked} has no marks that fit this figure."


def _out(drawing: Drawing, missing: str | None) -> DrawingOut:
    parts = {name: getattr(drawing, name) for name in DrawingOut.model_fields if name != "missing"}
    return DrawingOut(**parts, missing=missing)
