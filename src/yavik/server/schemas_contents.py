"""What goes over the wire of studies and their contents."""

from typing import Literal

from pydantic import BaseModel

from yavik.core.answers import Span
from yavik.server.contract import When

ItemType = Literal["table", "question", "figure", "report"]


class StudyOut(BaseModel):
    id: str
    name: str
    created: When
    touched: When
    demo: bool
    tables: int
    questions: int
    figures: int
    reports: int


class Entry(BaseModel):
    """A line of the contents: its name, and what it says now."""

    id: str
    type: ItemType
    name: str
    line: str
    out_of_date: bool = False
    table: str | None = None
    method: str | None = None
    """Of a question."""


class Contents(BaseModel):
    study: StudyOut
    entries: list[Entry]
    undo: str | None
    redo: str | None


class Statement(BaseModel):
    """What a question's answer says, in the words that stand on its page."""

    id: str
    spans: list[Span]


class Around(BaseModel):
    """What a change of one entry changes in the contents."""

    entry: Entry
    undo: str | None
    redo: str | None


class ChangeOut(BaseModel):
    id: int
    at: When
    label: str
    undone: bool
    who: str
    moment: str | None
    item_id: str


class Moved(BaseModel):
    """What undo or redo did; None where there was nothing to do."""

    label: str | None
    item_id: str | None
