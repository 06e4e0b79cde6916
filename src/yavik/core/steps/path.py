"""The path: the list of steps from the file to the present table, replayed in order."""

from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from yavik.core.steps.base import Effect, Step
from yavik.core.steps.columns import ChangeKind, DescribeColumn, EmptyCodes, Levels
from yavik.core.steps.rows import Compute, KeepRows
from yavik.core.table import DataProblem, Table

AnyStep = Annotated[
    EmptyCodes | Levels | KeepRows | Compute | ChangeKind | DescribeColumn, Field(discriminator="step")
]
"""Adding a step: write its class in a family's file and name it here."""

STEP_CLASSES: tuple[type[Step], ...] = (EmptyCodes, Levels, KeepRows, Compute, ChangeKind, DescribeColumn)
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
        raise DataProblem(f"{'.'.join(str(p) for p in first['loc'][1:]) or 'the step'}: {first['msg']}.") from None


def apply_step(table: Table, step: Step) -> tuple[Table, Effect]:
    """One step. A step that cannot be done leaves the table as it is and says why in its effect:
    the rest of the path goes on, and nothing is lost."""
    if not step.on:
        return table, Effect(title=step.title(), said="switched off", rows_in=table.n_rows, rows_out=table.n_rows)
    try:
        after, said = step.apply(table)
    except DataProblem as problem:
        return table, Effect(
            title=step.title(),
            said="cannot be done",
            rows_in=table.n_rows,
            rows_out=table.n_rows,
            problem=problem.message,
            column=problem.column,
            position=problem.position,
        )
    return after, Effect(title=step.title(), said=said, rows_in=table.n_rows, rows_out=after.n_rows)


def apply_path(table: Table, steps: list[Any]) -> Applied:
    effects = []
    for step in steps:
        table, effect = apply_step(table, step)
        effects.append(effect)
    return Applied(table, effects)


def step_kinds() -> list[dict[str, Any]]:
    """Every step with its sentence, help and JSON Schema: what the interface draws its editors from."""
    return [
        {"step": c.model_fields["step"].default, "words": c.words, "help": c.help, "schema": c.model_json_schema()}
        for c in STEP_CLASSES
    ]
