"""The shape of an answer. Everything in it is plain JSON; no NaN anywhere."""

from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers.model_card import ModelCard, Variant


class Span(BaseModel):
    """A run of text in one style: a headline is a list of these, so no markup has to be trusted."""

    model_config = ConfigDict(frozen=True)

    t: str
    style: Literal["plain", "italic", "sub", "sup", "bold"] = "plain"


class Cell(BaseModel):
    """A value, its printed text, and where it cannot be computed, why."""

    v: float | int | str | None
    s: str
    why: str | None = None
    sub: str | None = None
    """A second line, such as an interval under its estimate."""
    strong: bool = False

    @property
    def lines(self) -> list[str]:
        """The cell as print has it: a second line in brackets."""
        return [self.s, f"({self.sub})"] if self.sub else [self.s]

    @property
    def text(self) -> str:
        """The whole cell on one line; a second line stands in brackets."""
        return f"{self.s} ({self.sub})" if self.sub else self.s


Role = Literal["name", "said", "word", "count", "value", "estimate", "interval", "statistic", "df", "p"]
"""What the values of a column are, which is how a report quotes them."""


class Head(BaseModel):
    """The head of a column.

    ``sub`` is a second line of the head; ``lowered`` stands below a statistic's letter where it is quoted, as W in
    Welch's F.
    """

    key: str
    title: str
    align: Literal["left", "right"] = "right"
    italic: bool = False
    sub: str | None = None
    role: Role = "value"
    unit: str = ""
    lowered: str = ""


class Handle(BaseModel):
    """A line across a picture that is moved to set a number of the question.

    ``field``: the field of the spec that is set, or its entry ``key`` where it holds several. ``at``, ``low`` and
    ``high`` are in the axis' own numbers; it moves by ``step`` and is told with so many ``decimals``.
    """

    field: str
    key: str | None = None
    axis: Literal["x", "y"] = "x"
    title: str
    words: str = ""
    """What stands before its number while it is moved, where not the title."""
    at: float
    low: float
    high: float
    step: float
    decimals: int
    unit: str = ""


class Pick(BaseModel):
    """Rows of a table that are clicked to put them into a list of the question, or to be what a field of it is.

    ``field``: of the spec; ``key``: the column whose value goes there; ``single``: the value takes the place of what
    was there.
    """

    field: str
    key: str
    title: str
    """What a click does: 'Compare without this row'."""
    single: bool = False
    most: int = 0
    """How many the list may hold, those picked last; 0 for any number."""


class Change(BaseModel):
    """Fields of the question that a click sets; ``now``: the question stands like that."""

    label: str
    spec: dict[str, Any]
    now: bool = False


class Rename(BaseModel):
    """Rows of a table whose first cell is a name that is changed in place.

    ``field``: of the spec, which holds names by the value in the row's column ``key``; ``title``: what is named;
    ``rows``: how
    many of the first rows have one.
    """

    field: str
    key: str
    title: str
    rows: int


class Tab(BaseModel):
    """Blocks of one group are looked at one tab at a time."""

    group: str
    title: str


class TableBlock(BaseModel):
    type: Literal["table"] = "table"
    id: str
    title: str
    columns: list[Head]
    rows: list[dict[str, Cell]]
    note: str | None = None
    folded: bool = False
    strong: list[str] = []
    """Keys of columns whose cells are marked where the row's p is below α."""
    marked: list[int] = []
    """Rows marked as differing."""
    control: str | None = None
    """The setting that decides about this table, offered beside it."""
    picked: str | None = None
    """Key of the column that was chosen."""
    unit: str = ""
    """Of the values of every column that has none of its own."""
    pick: Pick | None = None
    rename: Rename | None = None
    opens: list[dict[str, Any] | None] = []
    """For each row the spec that it is the answer to, which a click asks as a question of its own."""
    opens_as: str | None = None
    """The method of those questions, where it is another one."""
    opens_adds: bool = False
    """Those questions read columns that this answer adds to the table first."""
    shows: list[int] = []
    """Rows of the data that it is about, which a click shows."""
    tab: Tab | None = None
    by: str = ""
    """How its p values were found, for whoever shows them elsewhere: 'Games–Howell'."""

    def bold(self, row: int, key: str) -> bool:
        """Whether a cell is set in bold."""
        cell = self.rows[row].get(key)
        return (key in self.strong and row in self.marked) or bool(cell and cell.strong)


class FigureBlock(BaseModel):
    """``drawing`` is Vega-Lite; ``figure`` is the description it came from, to be opened as a figure."""

    type: Literal["figure"] = "figure"
    id: str
    title: str
    drawing: dict[str, Any]
    alt: str
    figure: dict[str, Any] | None = None
    caption: list[Span] = []
    small: bool = False
    folded: bool = False
    handles: list[Handle] = []
    tab: Tab | None = None
    takes: Change | None = None
    """What a click on the picture as a whole takes; such pictures stand side by side."""
    changes: list[Change] = []
    """Clicks offered under the picture: to mirror an axis."""
    pick: Pick | None = None
    """Points that are clicked to put their value under ``key`` into a list of the question."""


class NoteBlock(BaseModel):
    type: Literal["note"] = "note"
    id: str
    text: str
    folded: bool = False


Block = Annotated[TableBlock | FigureBlock | NoteBlock, Field(discriminator="type")]


class Verdict(StrEnum):
    holds = "holds"
    doubtful = "doubtful"
    fails = "fails"
    unknown = "unknown"


class Remedy(BaseModel):
    """A change that a button applies: to the question's spec, or a step added to the table."""

    label: str
    spec: dict[str, Any] | None = None
    step: dict[str, Any] | None = None
    rows: list[int] | None = None
    """Rows to show in the table."""
    method: str | None = None
    """``spec`` is asked as a question of its own, of this method."""


class Check(BaseModel):
    id: str
    title: str
    verdict: Verdict
    text: str
    facts: dict[str, float] = {}
    remedies: list[Remedy] = []


class LeftOut(BaseModel):
    why: str
    n: int
    rows: list[int] = []


class RowsUsed(BaseModel):
    total: int
    used: int
    left_out: list[LeftOut] = []


class PairMark(BaseModel):
    """Two groups and the p of their comparison, as a bracket says it."""

    a: str
    b: str
    p: float
    text: list[Span]


class FittedLine(BaseModel):
    """A model's curve over a column, for one level of another (``None``: for all rows), with the ends of its band."""

    over: str
    by: str | None = None
    group: str | None = None
    x: list[float]
    y: list[float]
    low: list[float] = []
    high: list[float] = []


class ValueMark(BaseModel):
    """A value that the answer compares with, for a line across the figure."""

    at: float
    label: str


class Marks(BaseModel):
    """What a figure may take from an answer."""

    letters: dict[str, str] = {}
    """Letters per group, by the group's words."""
    letters_note: str = ""
    p: list[Span] = []
    pairs: list[PairMark] = []
    pairs_note: str = ""
    """How the p over brackets were found."""
    fitted: list[FittedLine] = []
    fitted_note: str = ""
    equation: list[Span] = []
    values: list[ValueMark] = []

    @property
    def any(self) -> bool:
        """Whether a figure can take anything."""
        return bool(self.letters or self.p or self.pairs or self.fitted or self.equation or self.values)


class Answer(BaseModel):
    """``method``, ``version`` and ``spec`` are filled in by the registry: a method need not repeat its own name."""

    method: str
    version: str
    spec: dict[str, Any]
    headline: str
    headline_spans: list[Span]
    short: str
    """A few words for the contents: 'means differ, p < .001'."""
    settings: list[str]
    """What was done, in plain words, for the line under the sentence."""
    facts: dict[str, float | int | str]
    blocks: list[Block]
    checks: list[Check]
    rows: RowsUsed
    marks: Marks = Marks()
    new_columns: dict[str, list[float | None]] = {}
    model: ModelCard | None = None
    """Of a model: what a trail and a line-up show of it."""
    variants: list[Variant] = []
    seed: int | None = None

    def block(self, id: str) -> Any:
        """The block of that id; raises KeyError."""
        for block in self.blocks:
            if block.id == id:
                return block
        raise KeyError(id)
