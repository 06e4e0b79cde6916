"""Shapes of reports as they go between server and interface."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from yavik.core.answers import Span
from yavik.core.report import ReportLook


class EmbedOut(BaseModel):
    """What stands at an answer or figure node of the report."""

    uid: str
    kind: Literal["answer", "figure", "appendix"]
    ref: str
    name: str
    out_of_date: bool
    was: str | None = None
    """What the answer said when it was placed or last taken note of, where it says something else now."""
    now: str | None = None
    problem: str | None = None
    headline: list[Span] | None = None
    tables: list[dict[str, Any]] = []
    figures: list[dict[str, Any]] = []
    parts: list[dict[str, str]] = []


class LiveOut(BaseModel):
    """A live word of the text as it reads now."""

    uid: str
    spans: list[Span]
    text: str
    said: str
    """What it read when it was put in or last taken note of."""
    name: str
    ref: str
    missing: bool = False
    out_of_date: bool = False
    flipped: bool = False


class TargetOut(BaseModel):
    """A numbered table or figure, for references in the text."""

    uid: str
    part: str
    label: str
    title: str


class TemplateOut(BaseModel):
    id: str
    title: str
    help: str


class ReportState(BaseModel):
    id: str
    name: str
    doc: dict[str, Any]
    revision: int
    embeds: list[EmbedOut]
    live: list[LiveOut] = []
    targets: list[TargetOut] = []
    look: ReportLook


class ReportChange(BaseModel):
    """``doc`` is the whole text; ``look`` how it is set; ``noted`` takes note of every change since the last time."""

    doc: dict[str, Any] | None = None
    look: ReportLook | None = None
    noted: bool = False


class NewReport(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    template: str = "empty"


class PhraseOut(BaseModel):
    key: str
    where: str
    text: str
    spans: list[Span]


class WrittenOut(BaseModel):
    """Paragraphs for the report's text."""

    nodes: list[dict[str, Any]]


class SavingOut(BaseModel):
    """A report that is being saved as a file."""

    id: str
    part: float
    done: bool
    problem: str | None = None


class AddToReport(BaseModel):
    kind: Literal["answer", "figure"]
    ref: str
    parts: list[str] = []
