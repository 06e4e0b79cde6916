"""One vocabulary for what is asked: what the schemas of questions, steps and figures carry, the interface can show."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

import pytest

from yavik.core.ask import Ask, Shown
from yavik.core.figures import Figure
from yavik.core.methods.registry import methods
from yavik.core.steps import step_kinds

UI = Path(__file__).parents[2] / "ui" / "src" / "asking"


def schemas() -> Iterator[tuple[str, dict[str, Any]]]:
    """Every description there is, with its JSON Schema."""
    for method in methods().values():
        yield method.id, method.schema()
    for step in step_kinds():
        yield str(step["step"]), step["schema"]
    yield "figure", Figure.model_json_schema()


SCHEMAS = list(schemas())


def test_the_interface_knows_every_part_of_what_is_asked() -> None:
    text = (UI / "ask.ts").read_text()
    type_of_ask = re.search(r"export type Ask = \{(.*?)\n\};", text, re.S)
    assert type_of_ask is not None
    assert set(re.findall(r"^  (\w+)\??:", type_of_ask[1], re.M)) == set(Ask.model_fields)


def test_every_editor_is_one_that_is_asked_for_and_the_rest_is_set_where_it_is_seen() -> None:
    text = (UI / "ask-field.tsx").read_text()
    editors = re.search(r"EDITORS[^{]*\{(.*?)\n\};", text, re.S)
    assert editors is not None
    there = set(re.findall(r"^  (\w+):", editors[1], re.M))
    elsewhere = {"levels", "edits", "waves", "variables", "fixed", "hidden"}
    assert there | elsewhere == set(get_args(Shown))
    assert not there & elsewhere


@pytest.mark.parametrize(("name", "schema"), SCHEMAS, ids=[n for n, _ in SCHEMAS])
def test_what_is_asked_can_be_read_and_speaks_of_fields_that_are_there(name: str, schema: dict[str, Any]) -> None:
    fields = schema["properties"]
    outside = {"figure": {"looks", "groups"}}.get(name, {"terms", "time_terms", "pairs_used"})
    for field, made in fields.items():
        if "ask" not in made:
            continue
        ask = Ask.model_validate(made["ask"])
        assert ask.title or made["title"], field
        assert set(ask.when) <= set(fields) | outside, field
        assert ask.of is None or ask.of in set(fields) | outside, field
        values = (
            made.get("enum")
            or made.get("items", {}).get("enum")
            or (["true", "false"] if made.get("type") == "boolean" else [])
        )
        if ask.shown in ("choice", "several"):
            assert set(values) <= set(ask.words), f"{name}.{field}: a value has no words"
        if ask.min is not None and ask.max is not None:
            assert ask.min < ask.max


@pytest.mark.parametrize(("name", "schema"), SCHEMAS, ids=[n for n, _ in SCHEMAS])
def test_a_condition_names_values_that_can_be_chosen(name: str, schema: dict[str, Any]) -> None:
    fields = schema["properties"]
    for field, made in fields.items():
        for other, wanted in made.get("ask", {}).get("when", {}).items():
            possible = fields.get(other, {}).get("enum")
            if possible and wanted != "set":
                assert set(wanted) <= set(possible), f"{name}.{field} waits for a value that {other} never has"


def test_what_cannot_be_read_is_refused() -> None:
    with pytest.raises(ValueError, match="shown"):
        Ask.model_validate({"shown": "wheel"})
    with pytest.raises(ValueError, match="colour"):
        Ask.model_validate({"shown": "text", "colour": "red"})


def test_only_what_differs_from_the_defaults_is_carried() -> None:
    assert Ask(shown="number", title="Width", min=0).extra() == {
        "ask": {"shown": "number", "title": "Width", "min": 0.0}
    }
