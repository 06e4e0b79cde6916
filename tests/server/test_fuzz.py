"""Whatever is sent, nothing goes wrong inside: every route by its own contract, expressions, steps, reports, files.

The seed is fixed, so that what is found is found again. `make test` gives it about a minute, `make fuzz` ten
(FUZZ_SECONDS)."""

import contextlib
import json
import os
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import hypothesis
import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import Client
from yavik.core.files.delimited import preview
from yavik.core.files.options import ReadOptions
from yavik.core.methods import answer, methods
from yavik.core.report import assemble
from yavik.core.report.describe import Node, ReportDoc
from yavik.core.steps import apply_path, parse_step
from yavik.core.steps.expressions import evaluate
from yavik.core.steps.path import STEP_CLASSES
from yavik.core.table import DataProblem
from yavik.server.app import create_app

SECONDS = float(os.environ.get("FUZZ_SECONDS", "60"))
ROWS = b"room,minutes,age,day\n" + b"".join(
    f"{['Hall', 'Alcove', 'Attic'][i % 3]},{20 + i * 7 % 13}.5,{i % 9 or ''},2026-0{1 + i % 9}-1{i % 10}\n".encode()
    for i in range(40)
)
MANY = 100_000
quiet = settings(
    deadline=None, derandomize="FUZZ_SECONDS" not in os.environ, database=None, max_examples=MANY, suppress_health_check=list(HealthCheck),
    phases=[hypothesis.Phase.generate],
)  # fmt: skip


class Enough(BaseException):
    """The time is over: ends a run at once, as an interruption by hand does."""


class Clock:
    """A share of the time that there is."""

    def __init__(self, share: float) -> None:
        self.end, self.done = time.monotonic() + SECONDS * share, 0

    def tick(self) -> None:
        self.done += 1
        if time.monotonic() > self.end:
            raise Enough

    def run(self, test: Any) -> None:
        with contextlib.suppress(Enough):
            test()
        assert self.done > 20


@contextlib.contextmanager
def told(*given: Any) -> Iterator[None]:
    """What may go wrong is said as a DataProblem; anything else shows what it was given."""
    try:
        yield
    except DataProblem as problem:
        assert problem.message, given
    except Exception as trouble:
        trouble.add_note(f"given {given!r}")
        raise


NUMBERS = st.sampled_from(["0", "1", "-1", "2.5", "1e308", "9**99", "1e-320", "age", "minutes"])
TEXTS = st.sampled_from(["'Hall'", "''", "'%'", "room", "'\\x00'", "'" + "x" * 300 + "'"])
FUNCTIONS = [
    "log",
    "exp",
    "sqrt",
    "round",
    "lag",
    "rank",
    "min",
    "max",
    "mean",
    "sd",
    "empty",
    "left",
    "year",
    "nosuch",
]
EXPRESSIONS = st.recursive(
    NUMBERS | TEXTS | st.just("day"),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "**", "%", "==", "<", "and", "or", "in", "//", "@"]), inner)
        .map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        st.tuples(st.sampled_from(FUNCTIONS), st.lists(inner, max_size=3)).map(lambda t: f"{t[0]}({', '.join(t[1])})"),
        inner.map(lambda x: f"not {x}"),
        inner.map(lambda x: f"-{x}"),
    ),
    max_leaves=6,
) | st.text(max_size=30)  # fmt: skip


@pytest.fixture(scope="module")
def table() -> Any:
    from yavik.core.files.delimited import read

    return read(ROWS)[0]


def test_expressions(table: Any) -> None:
    clock = Clock(0.1)

    @quiet
    @given(EXPRESSIONS)
    def tried(text: str) -> None:
        clock.tick()
        with told(text):
            evaluate(text, table)

    clock.run(tried)


def test_steps(table: Any, caplog: pytest.LogCaptureFixture) -> None:
    """Fields of every step, filled with what fits, what nearly fits and what does not."""
    clock = Clock(0.15)
    names = st.sampled_from(["room", "minutes", "age", "day", "none such", ""])
    value = st.one_of(
        names, st.lists(names, max_size=3), EXPRESSIONS, st.integers(-3, 10**20), st.floats(), st.booleans(), st.none(),
        st.dictionaries(names, names, max_size=2),
        st.lists(st.dictionaries(st.sampled_from(["value", "label", "name", "from", "to"]), names, max_size=3), max_size=2),
    )  # fmt: skip
    kinds = {
        c.model_fields["step"].default: [f for f in c.model_fields if f not in ("step", "id", "on")]
        for c in STEP_CLASSES
    }

    @quiet
    @given(st.data())
    def tried(data: st.DataObject) -> None:
        kind = data.draw(st.sampled_from(sorted(kinds)))
        fields = data.draw(st.fixed_dictionaries({}, optional=dict.fromkeys(kinds[kind], value)))
        clock.tick()
        try:
            step = parse_step({"step": kind, **fields})
        except DataProblem:
            return
        done = apply_path(table, [step])
        problem = done.effects[0].problem
        assert not problem or "foresee" not in problem, (kind, fields, problem, caplog.text[-2000:])

    clock.run(tried)


NODES = [
    "doc",
    "heading",
    "paragraph",
    "bulletList",
    "listItem",
    "blockquote",
    "text",
    "live",
    "crossReference",
    "footnote",
]
ATTRS = st.fixed_dictionaries(
    {},
    optional={
        "uid": st.sampled_from(["u", "v", 3, None]),
        "question": st.sampled_from(["q", "", None, 5]),
        "figure": st.sampled_from(["f", None]),
        "parts": st.sampled_from([["groups"], [], None, "groups", [3]]),
        "level": st.sampled_from([1, 0, 99, "x", None]),
        "target": st.sampled_from(["u", "v", None]),
        "part": st.sampled_from(["groups", "", None, 4]),
        "key": st.sampled_from(["headline", "p", "", None]),
        "text": st.sampled_from(["a", "", None, 3]),
        "said": st.sampled_from(["x", None, 2]),
        "holds": st.sampled_from([True, "x", None]),
    },
)
TREES = st.recursive(
    st.fixed_dictionaries({"type": st.sampled_from([*NODES, "answer", "figure", "appendix", "pageBreak"])}, optional={
        "attrs": ATTRS, "text": st.text(max_size=8)}),
    lambda inner: st.fixed_dictionaries({"type": st.sampled_from(NODES), "content": st.lists(inner, max_size=4)}, optional={"attrs": ATTRS}),
    max_leaves=8,
)  # fmt: skip


def test_reports(table: Any) -> None:
    from yavik.core.report import Embed
    from yavik.core.report.markdown import write_markdown
    from yavik.core.report.web import write_html
    from yavik.core.report.word import write_docx

    clock = Clock(0.15)
    found = answer("compare_groups", table, {"response": "minutes", "groups": "room"})

    def lookup(kind: str, ref: str) -> Embed | None:
        return Embed("Minutes by room", answer=found) if ref == "q" else None

    @quiet
    @given(st.lists(TREES, max_size=5))
    def tried(content: list[Any]) -> None:
        clock.tick()
        try:
            doc: Node = ReportDoc.model_validate({"doc": {"type": "doc", "content": content}}).doc
        except ValueError:
            return
        made = assemble(doc, lookup)
        for write in (write_markdown, write_html, write_docx):
            assert write(made, lambda _part: None)

    clock.run(tried)


def test_files() -> None:
    clock = Clock(0.1)
    options = st.builds(
        ReadOptions,
        encoding=st.sampled_from(["utf-8", "utf-16", "utf-16-le", "cp1252", "latin-1"]),
        delimiter=st.sampled_from([",", ";", "\t", "|", ".", " "]),
        decimal=st.sampled_from([".", ","]),
        header=st.booleans(),
        dates=st.sampled_from(["iso", "day_first", "month_first"]),
        empty_codes=st.sampled_from([[], ["", "NA"], ["1"]]),
    )
    pieces = st.sampled_from([b"a", b"1", b"-2.5", b",", b";", b'"', b"\n", b"\r\n", b"\t", b"NA", b"\xff", b"\xe4", b"2026-01-02", b"1e999", b" ", b"\xfe\xff"])  # fmt: skip

    @quiet
    @given(st.lists(pieces, max_size=40).map(b"".join) | st.binary(max_size=60), st.none() | options)
    def tried(data: bytes, how: ReadOptions | None) -> None:
        clock.tick()
        with told(data, how):
            preview(data, True, how)

    clock.run(tried)


def test_specs(table: Any) -> None:
    """Questions of every method, with columns that fit, nearly fit or are not there."""
    clock = Clock(0.2)
    names = st.sampled_from(["room", "minutes", "age", "day", "none such"])
    value = st.one_of(
        names,
        st.lists(names, max_size=3),
        st.integers(-2, 3),
        st.floats(0, 1),
        st.booleans(),
        st.none(),
        st.just([0.0, 1.0]),
    )
    known = {m.id: list(m.Spec.model_fields) for m in methods().values()}

    @quiet
    @given(st.data())
    def tried(data: st.DataObject) -> None:
        method = data.draw(st.sampled_from(sorted(known)))
        spec = data.draw(st.fixed_dictionaries({}, optional=dict.fromkeys(known[method], value)))
        clock.tick()
        with told(method, spec):
            json.dumps(answer(method, table, spec).model_dump(mode="json"), allow_nan=False)

    clock.run(tried)


@pytest.fixture
def filled(tmp_path: Path) -> Iterator[tuple[Any, dict[str, Any]]]:
    app = create_app(tmp_path / "data", workers=0, warm=False)
    with TestClient(app, base_url="http://127.0.0.1") as http:
        client = Client(http, http.post("/api/studies", json={"name": "Fuzzed"}).json()["id"])
        made = client.bring(ROWS)["id"]
        question = client.ask(made, response="minutes", groups="room")["id"]
        figure = client.call("POST", "/figures", 201, json={"table": made, "figure": {"response": "minutes"}})["id"]
        report = client.call("POST", "/reports/add", 201, json={"kind": "answer", "ref": question})["id"]
        upload = app.state.store.tables(client.study).body(made).upload
        yield app, {"study_id": client.study, "table_id": made, "upload_id": upload, "question": question, "figure": figure, "report": report}  # fmt: skip


LEFT_OUT = {"/api/studies/demo", "/api/studies/{study_id}/jobs/{job_id}/events"}
"""Making the demo takes long each time; events do not end by themselves."""


def test_every_route_answers_as_its_contract_says(filled: tuple[Any, dict[str, Any]]) -> None:
    app, ids = filled
    schema = schemathesis.openapi.from_dict(app.openapi())
    operations = [o.ok() for o in schema.get_all_operations() if o.ok().path not in LEFT_OUT]
    assert len(operations) > 60
    with TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False) as http:
        for operation in operations:
            clock = Clock(0.3 / len(operations))
            clock.done = 21
            clock.run(lambda o=operation, c=clock: _tried(http, o, ids, c))


def _tried(http: TestClient, operation: Any, ids: dict[str, Any], clock: Clock) -> None:
    own = next((ids[k] for k in ("question", "figure", "report") if f"/{k}s/" in operation.path), ids["table_id"])
    known = {**ids, "item_id": own}
    keeps_ids = operation.method.upper() != "DELETE" and not operation.path.endswith("/unpack")

    @quiet
    @given(operation.as_strategy())
    def tried(case: Any) -> None:
        clock.tick()
        if keeps_ids:  # else nearly every request would be for something that is not there
            case.path_parameters.update({k: v for k, v in known.items() if k in case.path_parameters})
        sent = case.as_transport_kwargs(base_url="http://127.0.0.1")
        sent.pop("cookies", None)
        try:
            found = http.request(**sent)
        except (UnicodeError, ValueError, TypeError):
            return  # no client can send it
        told = operation.definition.raw["responses"]
        assert found.status_code < 500, (operation.method, operation.path, sent, found.text[:300])
        assert str(found.status_code) in told or found.status_code in (307, 405), (operation.path, found.status_code)
        if found.status_code >= 400:
            assert found.headers["content-type"] == "application/problem+json", (operation.path, found.text[:200])
            assert found.json()["detail"]

    tried()
