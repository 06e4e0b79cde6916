"""What the items of a study hold, as typed descriptions."""

from typing import Any

from pydantic import BaseModel, Field

from yavik.core.figures import Figure, Look
from yavik.core.files.options import ReadOptions
from yavik.core.report import EMPTY_DOC, ReportLook


class TableBody(BaseModel):
    """``root`` is the key of the version as read from the upload; ``steps`` are the path from there.

    A table made from another one has ``link``, that table's id, instead of an upload and a root: it begins with the
    other's present version and is renewed with it.
    """

    upload: str = ""
    filename: str = ""
    root: str = ""
    options: ReadOptions = Field(default_factory=ReadOptions)
    link: str | None = None
    steps: list[dict[str, Any]] = []


class PathBody(BaseModel):
    """A path kept under a name in the study, to be used on other tables."""

    steps: list[dict[str, Any]]
    columns: list[str] = []
    """Names of the columns of the table it was made on."""


class QuestionBody(BaseModel):
    table: str
    method: str
    layout: str
    spec: dict[str, Any] = {}


class FigureBody(BaseModel):
    table: str
    figure: Figure = Field(default_factory=Figure)


class StyleBody(BaseModel):
    """A study's own style: how new figures look, and the colours and marks of levels by column, which all figures
    follow."""

    look: Look = Field(default_factory=Look)
    preset: str | None = "journal"
    colours: dict[str, dict[str, str]] = {}
    marks: dict[str, dict[str, str]] = {}


class ReportBody(BaseModel):
    doc: dict[str, Any] = Field(default_factory=lambda: dict(EMPTY_DOC))
    look: ReportLook = Field(default_factory=ReportLook)
