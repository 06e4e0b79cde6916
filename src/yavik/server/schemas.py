"""What goes over the wire: the contract the TypeScript client is generated from."""

from typing import Any, Literal

from pydantic import BaseModel, Field

from yavik.core.answers import Answer, Span
from yavik.core.answers.model_card import FitLine
from yavik.core.figures import Figure, Look
from yavik.core.files.options import Preview, ReadOptions
from yavik.core.methods.fit import Fit
from yavik.core.steps.base import Effect
from yavik.core.table import About, Column, Kind
from yavik.core.table.profile import Profile
from yavik.core.table.summary import GroupLine
from yavik.engine.drawing import DrawingOut
from yavik.server.schemas_contents import Around
from yavik.server.upgrades import UpgradeOut


class Named(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class PathOut(BaseModel):
    id: str
    name: str
    steps: list[dict[str, Any]]
    columns: list[str]


class NewPath(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    table: str


class PathTried(BaseModel):
    """What a path would do on a table: an effect for each step, and columns that it was made on and this table
    lacks."""

    effects: list[Effect]
    lacking: list[str]
    rows: int
    columns: int


class TryPath(BaseModel):
    steps: list[dict[str, Any]]
    columns: list[str] = []


class OutputOut(BaseModel):
    id: str
    title: str
    keeps: bool


class ArchiveOut(BaseModel):
    name: str
    words: str


class ArchiveFile(BaseModel):
    """A file of an archive, as its listing describes it."""

    id: str
    title: str
    description: str
    filename: str
    size: int
    year: int | None = None


class JobOut(BaseModel):
    id: str
    study_id: str
    title: str
    state: Literal["waiting", "running", "done", "problem", "failed", "stopped"]
    part: float
    what: str
    result: dict[str, Any] | None
    problem: dict[str, Any] | None
    item_id: str | None
    seconds: float
    shown: dict[str, Any] | None = None
    said: list[Span] = []
    """The statement of the answer that is worked out, where it is known before the rest."""


class UploadOut(BaseModel):
    id: str
    filename: str
    size: int
    preview: Preview


class NewTable(BaseModel):
    upload: str
    name: str = Field(min_length=1, max_length=200)
    options: ReadOptions


class ColumnOut(BaseModel):
    column: Column
    profile: Profile


class TableOut(BaseModel):
    id: str
    name: str
    revision: int
    filename: str
    rows: int
    empty_cells: int
    columns: list[Column]
    source: Effect
    steps: list[dict[str, Any]]
    effects: list[Effect]
    version: str
    """Changes whenever the cells or their descriptions do."""
    about: About
    upload: str | None = None
    """The file it was read from, which can be had again byte for byte."""
    linked_to: str | None = None
    """The table it is made from, where it is not made from a file."""
    made_into: list[str] = []
    """Names of the tables that read this one."""


class TableState(BaseModel):
    """The table, or the job that is working it out."""

    table: TableOut | None = None
    job: JobOut | None = None


class NewSteps(BaseModel):
    steps: list[dict[str, Any]]
    label: str = Field(min_length=1, max_length=200)


class TryStep(BaseModel):
    """A step being written, and where in the path it would stand."""

    step: dict[str, Any]
    at: int = Field(ge=0)


class Tried(BaseModel):
    effect: Effect
    columns: list[str]
    rows: list[list[str | None]]
    note: str | None = None


class Window(BaseModel):
    start: int
    rows: list[list[str | None]]
    numbers: list[int]
    total: int
    """Rows that are shown in all, under the filter."""


class Found(BaseModel):
    """Where a notable cell is: its place in what is shown, its row's number and its column; None where there is
    none."""

    row: int | None = None
    number: int | None = None
    column: str | None = None
    count: int


class SummaryOut(BaseModel):
    columns: list[ColumnOut]
    groups: dict[str, list[GroupLine]]
    groupable: list[str]
    total: int


class Derived(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    steps: list[dict[str, Any]]


class LayoutOut(BaseModel):
    id: str
    words: str
    sentence: str
    slots: list[str]
    needed: list[str]


class MethodOut(BaseModel):
    id: str
    aim: str
    title: str
    layouts: list[LayoutOut]
    spec: dict[str, Any]
    keywords: list[str]
    gives_columns: bool
    """Whether its answers make columns that can be added to the table."""
    view: str
    makes_models: bool


class AimOut(BaseModel):
    id: str
    title: str


class Catalogue(BaseModel):
    aims: list[AimOut]
    methods: list[MethodOut]
    steps: list[dict[str, Any]]
    functions: list[dict[str, str]]
    figure: dict[str, Any]
    figure_kinds: list[dict[str, Any]]
    kinds: list[Kind]


class MethodPageOut(BaseModel):
    id: str
    title: str
    sentence: str
    answers: str
    assumes: list[str]
    formulas: list[tuple[str, str]]
    reading: list[tuple[str, str]]
    conventions: list[str]
    references: list[str]


class NewQuestion(BaseModel):
    table: str
    method: str
    layout: str = ""
    spec: dict[str, Any] = {}


class QuestionChange(BaseModel):
    table: str | None = None
    layout: str | None = None
    spec: dict[str, Any] | None = None


class TrailLine(BaseModel):
    """A model that the question has had."""

    id: int
    name: str | None
    changed: str
    terms: list[str]
    said: str
    fit: list[FitLine]
    n: int
    spec: dict[str, Any]
    current: bool


class NameRound(BaseModel):
    name: str | None = Field(None, max_length=80)


class QuestionState(BaseModel):
    id: str
    name: str
    table: str
    method: str
    layout: str
    spec: dict[str, Any]
    revision: int
    answer: Answer | None
    out_of_date: bool
    upgrade: UpgradeOut | None = None
    around: Around | None = None
    problem: dict[str, Any] | None = None
    """Why a change that was kept has no answer."""
    ready: bool
    trail: list[TrailLine] = []
    pairs_used: str | None = None
    job: JobOut | None = None


class NewFigure(BaseModel):
    table: str
    figure: Figure = Field(default_factory=Figure)
    from_question: str | None = None
    block: str | None = None
    """Which drawing of the question's answer; its first when left out."""


class FigureChange(BaseModel):
    table: str | None = None
    figure: Figure | None = None


class StyleState(BaseModel):
    """How new figures of the study look, and the looks made ready, in words."""

    look: Look
    preset: str | None
    presets: dict[str, str]


class StyleChange(BaseModel):
    preset: Literal["journal", "slide", "plain"] | None = None
    look: Look | None = None
    all: bool = False


class MarksSource(BaseModel):
    id: str
    name: str
    pairs: list[list[str]] = []
    """Pairs of groups that can have a bracket, the smallest p first."""


class FigureState(BaseModel):
    id: str
    name: str
    table: str
    figure: Figure
    revision: int
    drawing: DrawingOut | None
    """As the figure last was drawn."""
    out_of_date: bool = False
    """Whether it is to be drawn anew: data, sentence or marks changed since, or it has not been drawn yet."""
    job: JobOut | None = None
    problem: dict[str, Any] | None
    marks_sources: list[MarksSource]
    marks_problem: str | None = None
    """Why the marks that were asked for are not drawn."""


class FitOut(BaseModel):
    fits: list[Fit]
    said: str
