"""How a field of a description is asked for: one vocabulary for the slots and settings of questions, steps and figures.

A field of a Pydantic model carries an ``Ask`` in its JSON Schema under ``ask``. The interface has one renderer for it
and one editor per ``shown``; a new setting needs no TypeScript.
"""

from functools import cache
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

Shown = Literal[
    # one value
    "text", "number", "slider", "flag", "choice", "choice_or_number", "expression", "level", "table",
    # several values
    "several", "codes", "numbers", "rows", "by_hand",
    # columns
    "column", "columns", "sets",
    # a value for each of several names
    "shares", "keyed", "values", "numbers_of", "points", "references", "pairs",
    # what only some descriptions have
    "terms", "units", "simulate", "orders", "typed", "models", "cases", "comparisons", "contrasts", "levels", "edits",
    "waves", "variables",
    "fixed", "hidden",
]  # fmt: skip
"""The editor of a field. ``fixed`` and ``hidden`` have none: they are set where they are seen at work."""

VALUES = ["measure", "count"]
GROUPS = ["category", "ordered", "yes_no", "count", "text"]
ALONG = ["measure", "count", "date", "ordered"]


class Side(BaseModel):
    """One half of a pair: a text, a column of this table, or of the other one."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    field: str
    shown: Literal["text", "column", "theirs"]
    title: str
    blank: bool = False
    """Whether it may stay empty."""


class Ask(BaseModel):
    """How one field is asked for."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    shown: Shown
    title: str = ""
    help: str = ""
    placeholder: str = ""
    sentence: bool = False
    """A slot of the sentence rather than a setting under it."""
    layout: str | None = None
    """The only layout of a question that has this slot."""

    kinds: list[str] = []
    """Of columns: the kinds that fit."""
    numbers: list[str] = []
    """Of terms: the kinds that can have powers and transformations."""
    of: str | None = None
    """The field that it speaks of: whose levels, terms or columns are meant; of a step the other table."""
    auto: str = ""
    """Words for what the method finds by itself where nothing is chosen."""
    single: bool = False
    """Of sets: single columns stand among them too."""

    words: dict[str, str] = {}
    """Of choices: each value in plain words."""
    min: float | None = None
    max: float | None = None
    step: float | None = None
    empty: bool = False
    """Whether a number may be left open."""
    fields: list[str] = []
    """Of typed samples: what is typed of each."""
    left: Side | None = None
    right: Side | None = None

    when: dict[str, list[str] | Literal["set"]] = {}
    """Offered only where other fields have one of these values, or any value at all."""
    any: bool = False
    """One of the conditions of ``when`` is enough."""
    look: bool = False
    """Decides where a model is looked at, cut or held, not about the model itself."""
    section: str = ""
    """Of figures: the part of the margin that it stands in."""

    def extra(self) -> dict[str, Any]:
        """For ``json_schema_extra`` of a field: what differs from the defaults."""
        return {"ask": self.model_dump(mode="json", exclude_defaults=True)}


def ask_of(model: type[BaseModel], field: str) -> Ask | None:
    """How a field is asked for; None where it is not asked."""
    return _asked(model, field)


@cache
def _asked(model: Any, field: str) -> Ask | None:
    extra: Any = model.model_fields[field].json_schema_extra
    return Ask.model_validate(extra["ask"]) if isinstance(extra, dict) and "ask" in extra else None


def slot(kinds: list[str], placeholder: str, *, many: bool = False, layout: str | None = None) -> dict[str, Any]:
    """A place of the sentence for a column, or for several."""
    shown: Shown = "columns" if many else "column"
    return Ask(shown=shown, sentence=True, kinds=kinds, placeholder=placeholder, layout=layout).extra()


def amount(title: str, help: str = "", **more: Any) -> dict[str, Any]:
    """A number among the settings: ``min``, ``max``, ``step``, and ``empty`` where it may be left open."""
    return Ask(shown="number", title=title, help=help, **more).extra()


def option(title: str, words: dict[str, str], help: str = "", **more: Any) -> dict[str, Any]:
    """A choice among the settings, each value with its plain words."""
    return Ask(shown="choice", title=title, words=words, help=help, **more).extra()


def placed(shown: Shown, title: str, help: str = "", **more: Any) -> dict[str, Any]:
    """A setting of another kind: a column, levels, contrasts, sets, shares, values, rows …"""
    return Ask(shown=shown, title=title, help=help, **more).extra()


def asked(shown: Shown, title: str, default: Any = ..., **more: Any) -> Any:
    """A field with how it is asked for, in one. ``more`` holds the rest of ``Ask`` and pydantic's own constraints."""
    own = {k: more.pop(k) for k in list(more) if k in Ask.model_fields}
    own["kinds"] = [str(k) for k in own.get("kinds", ())]
    own["when"] = {k: v if v == "set" or isinstance(v, list) else [v] for k, v in own.get("when", {}).items()}
    return Field(default, title=title, json_schema_extra=Ask(shown=shown, title=title, **own).extra(), **more)
