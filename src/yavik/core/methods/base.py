"""What a method is: a sentence, a Spec, and a pure function to an Answer."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any, Generic, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field

from yavik.core.answers import Answer, Span
from yavik.core.answers.model_card import ModelCard
from yavik.core.ask import Ask, amount, ask_of, option, placed
from yavik.core.table import Column, Table
from yavik.core.table.problem import Stopped


class Aim(StrEnum):
    describe = "describe"
    compare = "compare"
    counts = "counts"
    relate = "relate"
    predict = "predict"
    nested = "nested"
    change = "change"
    scales = "scales"
    communities = "communities"
    time = "time"
    surveys = "surveys"
    plan = "plan"


AIMS: dict[Aim, str] = {
    Aim.describe: "Describe",
    Aim.compare: "Compare groups",
    Aim.counts: "Counts and proportions",
    Aim.relate: "Relate",
    Aim.predict: "Predict",
    Aim.nested: "Nested and repeated",
    Aim.change: "Effect of a change",
    Aim.scales: "Scales and items",
    Aim.communities: "Communities",
    Aim.time: "Over time",
    Aim.surveys: "Surveys",
    Aim.plan: "Plan a study",
}


Alternative = Literal["two_sided", "less", "greater"]
COMMON = ("alternative", "missing", "seed")
"""Common options that only some methods can follow; a method lists its own in ``uses``."""


@dataclass
class Run:
    """How a method tells progress and learns that it was stopped."""

    report: Callable[[float, str], None] = lambda _part, _what: None
    stopped: Callable[[], bool] = lambda: False
    show: Callable[[dict[str, Any]], None] = lambda _drawing: None
    """Shows a drawing of what there is so far to whoever watches."""
    say: Callable[[list[Span]], None] = lambda _statement: None
    """Says the answer's statement as soon as it is known, before its tables, pictures and checks. It is the one the
    answer will have."""

    @property
    def silent(self) -> "Run":
        """The same for work whose statement is not the answer's own."""
        return replace(self, say=lambda _statement: None)

    def progress(self, part: float, what: str) -> None:
        """Tells how much is done, from 0 to 1, and what is being done. Raises Stopped where the researcher stopped
        the work."""
        if self.stopped():
            raise Stopped
        self.report(part, what)


class Spec(BaseModel):
    """Options every method shares."""

    model_config = ConfigDict(extra="forbid")

    alpha: float = Field(
        0.05,
        gt=0,
        lt=0.5,
        json_schema_extra=amount(
            "Error rate α",
            "How often a difference may be claimed where there is none. Intervals are at 1 − α.",
            step=0.01,
            min=0.001,
            max=0.499,
        ),
    )
    where: str | None = Field(
        None,
        json_schema_extra=placed("expression", "Only rows where", 'A condition, such as town != "Corrin".'),
    )
    by: str | None = Field(
        None,
        json_schema_extra=placed(
            "column",
            "Again for each",
            "The same question, answered within each level of a column.",
            kinds=["category", "ordered", "yes_no"],
        ),
    )
    without: list[int] = Field(
        [],
        json_schema_extra=placed(
            "rows",
            "Compared without rows",
            "The answer stays with all rows; a table says what changes without these.",
        ),
    )
    alternative: Alternative = Field(
        "two_sided",
        json_schema_extra=option(
            "Direction",
            {"two_sided": "either way", "less": "less", "greater": "greater"},
            "One direction only if it was fixed before the data were seen.",
        ),
    )
    missing: Literal["listwise", "pairwise"] = Field(
        "listwise",
        json_schema_extra=option(
            "Empty cells",
            {
                "listwise": "only rows that are filled throughout",
                "pairwise": "for each pair the rows filled in both",
            },
        ),
    )
    seed: int = Field(
        1, ge=0, json_schema_extra=amount("Seed of the draws", "The same seed gives the same draws.", step=1, min=0)
    )


S = TypeVar("S", bound=Spec)


@dataclass(frozen=True)
class Layout:
    """A way the data may lie, with its sentence and the slots that it needs."""

    id: str
    words: str
    sentence: str
    slots: tuple[str, ...]
    needed: tuple[str, ...]
    beside: tuple[str, ...] = ()
    """Settings that chosen columns may fill too, though they do not stand in the sentence."""


@dataclass(frozen=True)
class Page:
    """The method's own page in the interface: what it answers, assumes and prints."""

    answers: str
    assumes: list[str]
    formulas: list[tuple[str, str]]
    reading: list[tuple[str, str]]
    conventions: list[str]
    references: list[str]


@dataclass(frozen=True)
class Method(Generic[S]):
    id: str
    aim: Aim
    title: str
    """The trade's names for it."""
    layouts: tuple[Layout, ...]
    Spec: type[S]
    compute: Callable[[Table, S, Run], Answer]
    page: Page
    version: str = "1"
    new_columns: Callable[[Table, S], list[tuple[Column, Any]]] | None = None
    """Columns with a value for every row that an answer can give back to the table: predictions, residuals,
    scores."""
    name: Callable[[S], str] = lambda _spec: ""
    """A short name for a question of this kind, from its slots."""
    keywords: tuple[str, ...] = field(default=())
    fit: Callable[[Table, dict[str, Any]], tuple[float, str] | None] | None = None
    """How well chosen columns suit it: a bonus and why; None where they do not. Slots are filled already."""
    uses: tuple[str, ...] = ()
    """Which of ``COMMON`` it follows; the others are not offered, and refused when set."""
    order: int = 50
    """Its place within its aim in the catalogue: what most people ask first stands first."""
    whole: bool = False
    """True where empty slots mean every column of the table."""
    reads: Callable[[S], list[str]] | None = None
    """Columns beyond those in the slots."""
    card: Callable[[Table, S], ModelCard] | None = None
    """Of a model: its estimates and fit alone, for a line-up."""
    view: str = "question"
    """How the interface lays it out: ``question``, or ``lineup`` for models side by side."""
    design: bool = False
    """Reads the survey design of its table, whose columns travel with it; a condition on rows is a domain of the whole
    table, never a filter."""
    alpha: bool = True
    """False where nothing is tested and no interval given, so that there is no error rate to ask for."""
    needs_rows: bool = True
    """False for a question that no data are needed for, such as how large a study should be."""

    @property
    def repeats(self) -> bool:
        """Whether ``by`` is the common one, which repeats the whole answer, and not a slot of the method's own."""
        return not _ask(self.Spec, "by").sentence

    def schema(self) -> dict[str, Any]:
        """The Spec's JSON Schema without the common options that it cannot follow or has no use for."""
        made = self.Spec.model_json_schema()
        for name in COMMON:
            if name not in self.uses:
                made["properties"].pop(name, None)
        if not self.alpha:
            made["properties"].pop("alpha", None)
        return made

    def columns(self, spec: S) -> list[str]:
        """Columns named in the slots, in order, without repeats."""
        found: list[str] = []
        for key in self.Spec.model_fields:
            ask, value = _ask(self.Spec, key), getattr(spec, key)
            if ask.shown == "columns" and isinstance(value, str):  # a word such as 'auto' in the place of names
                continue
            if ask.shown in ("column", "columns", "terms", "units"):
                found += names_in(value)
        return list(dict.fromkeys(found + (self.reads(spec) if self.reads else [])))

    def same_model(self, spec: S) -> dict[str, Any]:
        """What of a spec decides about the model itself: not where it is looked at, cut or held."""
        looks = {"alpha", "seed", "without"}
        looks |= {k for k in self.Spec.model_fields if _ask(self.Spec, k).look}
        return spec.model_dump(mode="json", exclude=looks)

    def ready(self, spec: S) -> bool:
        """Whether some layout has all its needed slots filled."""
        return any(all(getattr(spec, s) not in (None, "", [], {}) for s in layout.needed) for layout in self.layouts)


def names_in(value: Any) -> list[str]:
    """Names of columns in a slot: a name, terms that hold names, or a list of either."""
    if isinstance(value, list):
        return [name for one in value for name in names_in(one)]
    if isinstance(value, BaseModel):
        return list(value.names)  # type: ignore[attr-defined]
    return [value] if value else []


def _ask(spec: type[Spec], field: str) -> Ask:
    return ask_of(spec, field) or Ask(shown="hidden")


__all__ = [
    "AIMS",
    "Aim",
    "Alternative",
    "Layout",
    "Method",
    "Page",
    "Run",
    "Span",
    "Spec",
    "Stopped",
]
