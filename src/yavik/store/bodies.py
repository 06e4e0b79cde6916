"""What the items of a study hold, as typed descriptions."""

from collections.abc import Callable
from typing import Any, ClassVar, Self

from pydantic import BaseModel, Field, model_validator

from yavik.core.figures import Figure, Look
from yavik.core.files.options import ReadOptions
from yavik.core.report import EMPTY_DOC, ReportLook
from yavik.core.table import DataProblem

Upgrade = Callable[[dict[str, Any]], dict[str, Any]]


class Stored(BaseModel):
    """What an entry of a study holds. Whatever wrote it, every later version opens it: a class that changes so that
    older data no longer fit it counts its shape up and says in ``UPGRADES`` how the shape before becomes it."""

    SHAPE: ClassVar[int] = 1
    UPGRADES: ClassVar[dict[int, Upgrade]] = {}
    """From each shape to the next."""

    shape: int = 1
    """Of what was written; data from before shapes were counted have the first."""

    @model_validator(mode="after")
    def _present(self) -> Self:
        self.shape = self.SHAPE
        return self

    @classmethod
    def opened(cls, data: dict[str, Any]) -> Self:
        """From what is stored. Raises DataProblem for what a newer version wrote, ValidationError for what none did."""
        known = data.get("shape", 1)
        if not isinstance(known, int) or known > cls.SHAPE:
            raise DataProblem("This entry was written by a newer Yavik, which this one cannot read.")
        for shape in range(known, cls.SHAPE):
            data = cls.UPGRADES[shape](data)
        return cls.model_validate(data)


class TableBody(Stored):
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


class PathBody(Stored):
    """A path kept under a name in the study, to be used on other tables."""

    steps: list[dict[str, Any]]
    columns: list[str] = []
    """Names of the columns of the table it was made on."""


class QuestionBody(Stored):
    table: str
    method: str
    layout: str
    spec: dict[str, Any] = {}


class FigureBody(Stored):
    table: str
    figure: Figure = Field(default_factory=Figure)


class StyleBody(Stored):
    """A study's own style: how new figures look, and the colours and marks of levels by column, which all figures
    follow."""

    look: Look = Field(default_factory=Look)
    preset: str | None = "journal"
    colours: dict[str, dict[str, str]] = {}
    marks: dict[str, dict[str, str]] = {}


class ReportBody(Stored):
    doc: dict[str, Any] = Field(default_factory=lambda: dict(EMPTY_DOC))
    look: ReportLook = Field(default_factory=ReportLook)
