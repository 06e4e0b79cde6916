"""What any earlier version stored is opened by this one. The files under ``shapes`` are never changed."""

import json
from pathlib import Path
from typing import Any, ClassVar

import pytest

from yavik.core.answers import Answer
from yavik.core.answers.model_card import CardTerm, FitLine
from yavik.core.methods.registry import parse_spec
from yavik.core.report.describe import ReportDoc
from yavik.core.steps import new_step
from yavik.core.steps.base import Effect
from yavik.core.table import About, Column, DataProblem
from yavik.core.table.profile import Profile
from yavik.server.schemas import DrawingOut
from yavik.store.bodies import FigureBody, QuestionBody, ReportBody, Stored, TableBody, Upgrade

SHAPES = sorted((Path(__file__).parent / "shapes").iterdir())


@pytest.mark.parametrize("folder", SHAPES, ids=lambda p: p.name)
def test_every_shape_that_was_ever_stored_is_opened(folder: Path) -> None:
    kept = {p.stem: json.loads(p.read_text(encoding="utf-8")) for p in folder.iterdir()}
    assert all(kept.values())
    assert sum(bool(new_step(s).title()) for data in kept["tables"] for s in TableBody.opened(data).steps) > 5
    for data in kept["questions"]:
        question = QuestionBody.opened(data)
        assert parse_spec(question.method, question.spec) is not None
    for data in kept["figures"]:
        assert FigureBody.opened(data).figure.kind
    for data in kept["reports"]:
        assert ReportDoc.model_validate({"doc": ReportBody.opened(data).doc}).doc.content
    assert len({Answer.model_validate(data).method for data in kept["answers"]}) >= 10
    assert all(DrawingOut.model_validate(data).vega for data in kept["drawings"])
    for data in kept["versions"]:
        assert [Column.model_validate(c["column"]).name for c in data["columns"]]
        assert Effect.model_validate(data["effect"]).title and About.model_validate(data["about"])
    assert [Profile.model_validate(p) for p in kept["profiles"]]
    for data in kept["rounds"]:
        assert [CardTerm.model_validate(t) for t in data["card"]["terms"]]
        assert [FitLine.model_validate(f) for f in data["card"]["fit"]]
    assert all(set(c["after"]) == {"name", "position", "body", "deleted"} for c in kept["changes"])


def renamed_field(data: dict[str, Any]) -> dict[str, Any]:
    return {"now": data["once"]}


def doubled(data: dict[str, Any]) -> dict[str, Any]:
    return {"now": data["now"] * 2}


class Third(Stored):
    SHAPE: ClassVar[int] = 3
    UPGRADES: ClassVar[dict[int, Upgrade]] = {1: renamed_field, 2: doubled}
    now: int


def test_older_shapes_become_the_present_one_step_by_step() -> None:
    assert Third.opened({"once": 4}).now == 8 == Third.opened({"now": 4, "shape": 2}).now
    assert Third.opened({"now": 4, "shape": 3}).model_dump() == {"now": 4, "shape": 3}
    assert Third(now=1).model_dump()["shape"] == 3
    with pytest.raises(DataProblem, match="newer Yavik"):
        Third.opened({"now": 4, "shape": 4})
