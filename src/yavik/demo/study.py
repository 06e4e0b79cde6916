"""The demo study: finished work that a newcomer sees and can change."""

from typing import Any

from yavik.core.files.detect import detect
from yavik.core.methods import Run
from yavik.core.methods.registry import get, parse_spec
from yavik.core.steps import new_step
from yavik.demo import binding_glue, branches, experiments, figures, people, returned, room_trial, surveys
from yavik.demo.questions import LINKED, TOLD
from yavik.engine.describing import ask_for, draw_for
from yavik.engine.descriptions import Ask, ReadFile
from yavik.engine.tasks import carry_out
from yavik.store import Store
from yavik.store.bodies import QuestionBody, ReportBody, TableBody
from yavik.store.models import Study

DEMO_NAME = "Quillmoor reading rooms"


def make_demo(store: Store) -> Study:
    """Generates the study from its seeds: tables with their paths, questions answered, a figure, a report begun."""
    study = store.items.new_study(DEMO_NAME, demo=True)
    rooms = _table(store, study.id, "Room trial", "room-trial.csv", room_trial.as_csv(), room_trial.STEPS)
    glue = _table(store, study.id, "Binding glue", "binding-glue.csv", binding_glue.as_csv(), binding_glue.STEPS)
    made = {
        t.name: _table(store, study.id, t.name, t.filename, t.as_csv(), t.steps)
        for t in (*experiments.TABLES, *people.TABLES, *branches.TABLES, *returned.TABLES, *surveys.TABLES)
    }
    _linked(store, study.id, made)
    minutes = _question(
        store,
        study.id,
        rooms,
        "Minutes by room",
        "compare_groups",
        "stacked",
        {"response": "minutes", "groups": "room"},
    )
    _question(
        store,
        study.id,
        glue,
        "Curing of three glues",
        "compare_groups",
        "side_by_side",
        {"samples": list(binding_glue.GLUES)},
    )
    _question(
        store,
        study.id,
        rooms,
        "Minutes, pages and seats by room",
        "describe",
        "columns",
        {"columns": ["minutes", "pages", "seat"], "by": "room"},
    )
    _tests_of_the_demo(store, study.id, rooms, made)
    _models_of_the_demo(store, study.id, made)
    panel = _panels_of_the_demo(store, study.id, made)
    _quiz_of_the_demo(store, study.id, made)
    drawn = figures.draw_the_demo(store, study.id, {"Room trial": rooms, **made}, minutes)
    store.items.add(
        study.id,
        "report",
        "Draft for the board",
        ReportBody(doc=figures.report_of_the_demo(store, study.id, minutes, drawn, panel)).model_dump(),
        "Begin the report",
    )
    for item in store.items.items(study.id):
        if item.type == "figure":
            carry_out(store, draw_for(store, item), Run())
    _forget_changes(store, study.id)
    return store.items.study(study.id)


def _table(store: Store, study_id: str, name: str, filename: str, data: bytes, steps: list[dict[str, Any]]) -> str:
    upload = store.files.put(study_id, filename, data)
    options = detect(data, whole=True)
    done = carry_out(store, ReadFile(upload=upload.id, options=options), Run())
    path = [new_step(s).model_dump(mode="json", exclude_none=True) for s in steps]
    store.versions.replay(done["key"], path)
    body = TableBody(upload=upload.id, filename=filename, root=done["key"], options=options, steps=path)
    return store.items.add(study_id, "table", name, body.model_dump(mode="json"), f"Bring in {name}").id


SCREENED = ["minutes", "visits", "reminders", "late_fees", "card", "age_group"]
KEPT = SCREENED[:-1]
BENT: list[Any] = [*KEPT, {"column": "minutes", "power": 2}]
ROUNDS: list[list[Any]] = [SCREENED, KEPT, [*BENT, {"column": "minutes", "power": 3}], BENT]
"""Terms of the model of finishing, round by round; the last one stands."""


def _panels_of_the_demo(store: Store, study_id: str, tables: dict[str, str]) -> str:
    """Loans of branches over eight years, and its fixed effects lined up with what random effects and pooling say."""
    terms: list[Any] = ["staff", "hours", "fund", "rural"]
    spec: dict[str, Any] = {"outcome": "loans", "terms": terms, "unit": "branch", "time": "year"}
    table = tables["Branch years"]
    question = _question(store, study_id, table, "Loans of branches over eight years", "panel", "rows", spec)
    lined = [
        {"name": "Fixed", "method": "panel", "spec": spec},
        {"name": "Within and between", "method": "panel", "spec": {**spec, "main": "within_between"}},
        {"name": "All rows alike", "method": "linear", "spec": {"response": "loans", "terms": terms}},
    ]
    _question(store, study_id, table, "Three models of loans", "line_up", "models", {"models": lined, "chosen": 1})
    return question


def _quiz_of_the_demo(store: Store, study_id: str, tables: dict[str, str]) -> None:
    """One, two and three parameters of the word quiz, lined up."""
    items = [f"item{j}" for j in range(1, 10)]
    lined = [
        {"name": name, "method": "item_response", "spec": {"items": items, "model": model}}
        for name, model in (
            ("Difficulty alone", "one_parameter"),
            ("And discrimination", "two_parameter"),
            ("And a floor", "three_parameter"),
        )
    ]
    spec = {"models": lined, "chosen": 1}
    _question(store, study_id, tables["Word quiz"], "Three models of the quiz", "line_up", "models", spec)


def _models_of_the_demo(store: Store, study_id: str, tables: dict[str, str]) -> None:
    """A model of the winter challenge with its trail, and the line-up of its rounds."""
    table = tables["Winter challenge"]
    held = TableBody.opened(store.items.item(study_id, table, "table").body)
    specs: list[dict[str, Any]] = [{"response": "finished", "terms": terms} for terms in ROUNDS]
    question = _question(store, study_id, table, "Who finishes the challenge", "logistic", "rows", specs[-1])
    store.trail.forget(question)
    for spec in specs:
        carry_out(store, Ask(root=held.root, steps=held.steps, method="logistic", spec=spec, item=question), Run())
    names = ["Screened", None, None]
    lined = [
        {"name": n, "method": "logistic", "spec": s}
        for n, s in zip(names, [specs[0], specs[1], specs[3]], strict=True)
    ]
    spec = {"models": [*lined, {"name": None, "method": "logistic", "spec": specs[2]}], "chosen": 2}
    _question(store, study_id, table, "Models of finishing", "line_up", "models", spec)


def _tests_of_the_demo(store: Store, study_id: str, rooms: str, tables: dict[str, str]) -> None:
    for table, name, method, spec in TOLD:
        parsed = parse_spec(method, spec)
        layout = next(x.id for x in get(method).layouts if all(getattr(parsed, s) for s in x.needed))
        _question(store, study_id, tables[table], name, method, layout, spec)
    for table, questions in LINKED.items():
        for name, method, spec in questions:
            _question(store, study_id, tables[table], name, method, get(method).layouts[0].id, spec)
    _question(store, study_id, rooms, "Shape of minutes read", "distribution", "column", {"column": "minutes"})


def _linked(store: Store, study_id: str, tables: dict[str, str]) -> None:
    """Tables that are made from others and renewed with them."""
    means = {"step": "summarise", "columns": ["loans", "staff"], "by": ["branch"], "what": ["mean", "sd"]}
    register = {
        "step": "join",
        "table": tables["Branch register"],
        "keys": [{"mine": "branch", "theirs": "Branch"}],
        "columns": ["town", "rent", "steps_free"],
    }
    waves = surveys.join_step(tables["Reader survey 2025"])
    made: list[tuple[str, str, list[dict[str, Any]]]] = [
        ("Branch means", "Branch years", [means, register]),
        ("Reader survey, both waves", "Reader survey 2023", [waves]),
    ]
    for name, source, steps in made:
        path = [new_step(s).model_dump(mode="json", exclude_none=True) for s in steps]
        body = TableBody(link=tables[source], steps=path)
        store.tables(study_id).replay(body)
        tables[name] = store.items.add(study_id, "table", name, body.model_dump(mode="json"), f"Make {name}").id


def _question(
    store: Store, study_id: str, table: str, name: str, method: str, layout: str, spec: dict[str, Any]
) -> str:
    assert get(method).ready(parse_spec(method, spec))
    body = QuestionBody(table=table, method=method, layout=layout, spec=spec)
    item = store.items.add(study_id, "question", name, body.model_dump(mode="json"), f"Ask about {name}")
    carry_out(store, ask_for(store, item), Run())
    return item.id


def _forget_changes(store: Store, study_id: str) -> None:
    """Making the demo is nothing to undo."""
    from sqlalchemy import delete

    from yavik.store.models import Change

    with store.items.session() as s, s.begin():
        s.execute(delete(Change).where(Change.study_id == study_id))
