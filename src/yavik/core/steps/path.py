"""The path: the list of steps from the file to the present table, replayed in order."""

import logging
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from yavik.core.steps.base import ALONE, Around, Effect, Step
from yavik.core.steps.columns import (
    ChangeKind,
    DescribeColumn,
    DescribeColumns,
    DropColumns,
    KeepColumns,
    Levels,
    Rename,
)
from yavik.core.steps.compute import Compute
from yavik.core.steps.emptiness import DropEmpty, EmptyCodes, Fill
from yavik.core.steps.from_answer import FromAnswer, TableOfAnswer
from yavik.core.steps.rows import CheckRows, KeepRows, LeaveOutRows, Sample, Sort, Unique
from yavik.core.steps.scaling import Reverse, Score, Standardise, Transform
from yavik.core.steps.sequence import Cumulate, Difference, Lag, PanelStructure
from yavik.core.steps.shape import Lengthen, Transpose, Widen
from yavik.core.steps.summing import Summarise
from yavik.core.steps.together import Append, Join
from yavik.core.steps.values_anew import Bin, Dummies, EditCells, Recode
from yavik.core.steps.waves import JoinWaves, SurveyDesign
from yavik.core.table import DataProblem, Table
from yavik.core.table.problem import Stopped

log = logging.getLogger("yavik.steps")

STEP_CLASSES: tuple[type[Step], ...] = (
    KeepRows,
    LeaveOutRows,
    Sort,
    Sample,
    DropEmpty,
    Compute,
    Lag,
    Difference,
    Cumulate,
    Dummies,
    FromAnswer,
    TableOfAnswer,
    Recode,
    Bin,
    Standardise,
    Transform,
    Score,
    Reverse,
    EmptyCodes,
    Fill,
    ChangeKind,
    Levels,
    DescribeColumn,
    DescribeColumns,
    PanelStructure,
    Rename,
    KeepColumns,
    DropColumns,
    CheckRows,
    Unique,
    EditCells,
    Lengthen,
    Widen,
    Summarise,
    Transpose,
    Append,
    Join,
    SurveyDesign,
    JoinWaves,
)
"""Adding a step: write its class in a family's file and name it here. The order is that of the list on screen."""

AnyStep = Annotated[
    KeepRows
    | LeaveOutRows
    | Sort
    | Sample
    | DropEmpty
    | Compute
    | Lag
    | Difference
    | Cumulate
    | Dummies
    | FromAnswer
    | TableOfAnswer
    | Recode
    | Bin
    | Standardise
    | Transform
    | Score
    | Reverse
    | EmptyCodes
    | Fill
    | ChangeKind
    | Levels
    | DescribeColumn
    | DescribeColumns
    | PanelStructure
    | Rename
    | KeepColumns
    | DropColumns
    | CheckRows
    | Unique
    | EditCells
    | Lengthen
    | Widen
    | Summarise
    | Transpose
    | Append
    | Join
    | SurveyDesign
    | JoinWaves,
    Field(discriminator="step"),
]
_adapter: TypeAdapter[Any] = TypeAdapter(AnyStep)


@dataclass(frozen=True)
class Applied:
    table: Table
    effects: list[Effect]


def new_step(data: dict[str, Any]) -> Any:
    """A step from its JSON. Raises pydantic.ValidationError."""
    return _adapter.validate_python(data)


def parse_step(data: dict[str, Any]) -> Any:
    """A step from its JSON; what is wrong with it as one sentence (DataProblem)."""
    try:
        return new_step(data)
    except ValidationError as trouble:
        first = trouble.errors()[0]
        place = [str(p) for p in first["loc"][1:]]
        raise DataProblem(f"{_words_for(data, place) or 'The step'}: {first['msg']}.") from None


def _words_for(data: dict[str, Any], place: list[str]) -> str:
    """A field by its name in words."""
    known = next((c for c in STEP_CLASSES if c.model_fields["step"].default == data.get("step")), None)
    field = known.model_fields.get(place[0]) if known and place else None
    return ".".join([field.title or place[0], *place[1:]]) if field else ".".join(place)


def apply_step(table: Table, step: Step, around: Around = ALONE) -> tuple[Table, Effect]:
    """One step. A step that cannot be done leaves the table as it is and says why in its effect:
    the rest of the path goes on, and nothing is lost."""
    if not step.on:
        return table, Effect(title=step.title(), said="switched off", rows_in=table.n_rows, rows_out=table.n_rows)
    try:
        done = step.apply(table, around)
    except DataProblem as problem:
        return table, _not_done(table, step, problem)
    except (MemoryError, Stopped):
        raise
    except Exception as trouble:
        log.exception("a step failed: %s", step.title())
        why = (
            f"This step stopped for a reason that Yavik did not foresee ({type(trouble).__name__}). Change it or take"
            " it out."
        )
        return table, _not_done(table, step, DataProblem(why))
    after = done.table
    forgotten: list[str] = []
    if after.about is not table.about or after.columns is not table.columns:
        about, forgotten = after.about.fitting(after.names)
        after = after.knowing(about) if forgotten else after
    effect = Effect(
        title=step.title(),
        said=done.said,
        rows_in=table.n_rows,
        rows_out=after.n_rows,
        notes=[*done.notes, *forgotten],
        lists=list(done.lists),
        broken=done.broken,
    )
    return after, effect


def _not_done(table: Table, step: Step, problem: DataProblem) -> Effect:
    return Effect(
        title=step.title(),
        said="cannot be done",
        rows_in=table.n_rows,
        rows_out=table.n_rows,
        problem=problem.message,
        column=problem.column,
        position=problem.position,
    )


def apply_path(table: Table, steps: list[Any], around: Around = ALONE) -> Applied:
    effects = []
    for step in steps:
        table, effect = apply_step(table, step, around)
        effects.append(effect)
    return Applied(table, effects)


def step_kinds() -> list[dict[str, Any]]:
    """Every step with its sentence, help and JSON Schema: what the interface draws its editors from."""
    return [
        {
            "step": c.model_fields["step"].default,
            "words": c.words,
            "help": c.help,
            "family": c.family,
            "fresh": c.fresh,
            "listed": c.listed,
            "schema": c.model_json_schema(),
        }
        for c in STEP_CLASSES
    ]
