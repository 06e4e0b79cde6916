"""What the items of a study hold, as typed descriptions."""

from typing import Any

from pydantic import BaseModel, Field

from yavik.core.figures import Figure
from yavik.core.files.options import ReadOptions
from yavik.core.report import EMPTY_DOC


class TableBody(BaseModel):
    """``root`` is the key of the version as read; ``steps`` are the path from there."""

    upload: str
    filename: str
    root: str
    options: ReadOptions
    steps: list[dict[str, Any]] = []


class QuestionBody(BaseModel):
    table: str
    method: str
    layout: str
    spec: dict[str, Any] = {}


class FigureBody(BaseModel):
    table: str
    layout: str = "stacked"
    figure: Figure = Field(default_factory=Figure)


class ReportBody(BaseModel):
    doc: dict[str, Any] = Field(default_factory=lambda: dict(EMPTY_DOC))
