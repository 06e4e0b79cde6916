"""What comes from outside cannot run, exhaust, close or end anything: packed studies, odd characters, files that
swell."""

import io
import json
import re
import signal
import threading
import time
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from urllib.parse import quote

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from sqlalchemy import update

from tests.conftest import Client
from tests.tables import demo_tables
from yavik.cli import main
from yavik.core.files.looking import look_into
from yavik.core.methods import answer
from yavik.core.report import Embed, ReportLook, assemble
from yavik.core.report.describe import Node
from yavik.core.report.pdf import write_pdf
from yavik.core.report.word import write_docx
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem, Level
from yavik.store.models import Item

ROWS = b"room,minutes\nHall,12\nAlcove,14.5\nHall,13\nAlcove,16\nHall,11\nAlcove,15\n"


def packed(client: Client, folder: Path) -> Path:
    table = client.bring(ROWS, "loans.csv")["id"]
    client.ask(table, response="minutes", groups="room")
    client.call("POST", "/figures", 201, json={"table": table, "figure": {"response": "minutes", "groups": "room"}})
    path = folder / "study.zip"
    path.write_bytes(client.get("/pack"))
    return path


def rewritten(path: Path, change: Callable[[str, bytes], tuple[str, bytes] | None], more: dict[str, bytes]) -> Path:
    target = path.with_name("changed.zip")
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(target, "w") as out:
        for name in source.namelist():
            new = change(name, source.read(name))
            if new:
                out.writestr(*new)
        for name, data in more.items():
            out.writestr(name, data)
    return target


def changed_study(path: Path, change: Callable[[dict[str, Any]], None]) -> Path:
    def of(name: str, data: bytes) -> tuple[str, bytes]:
        if name != "study.json":
            return name, data
        study = json.loads(data)
        change(study)
        return name, json.dumps(study).encode()

    return rewritten(path, of, {})


def test_rerun_compares_tables_figures_and_answers(client: Client, tmp_path: Path, capsys: Any) -> None:
    assert main(["rerun", str(packed(client, tmp_path))]) == 0
    said = capsys.readouterr().out
    assert "loans.csv (table): same" in said and "(figure): same" in said and "3 tables, answers and figures" in said


def test_modules_in_the_zip_are_never_imported(client: Client, tmp_path: Path, capsys: Any) -> None:
    path, trace = packed(client, tmp_path), tmp_path / "ran"
    evil = f"open({str(trace)!r}, 'w').write('x')\n".encode()

    def move(name: str, data: bytes) -> tuple[str, bytes]:
        """The brought file under the name of a module, as a study made by hand could have it."""
        old = next(n for n in names if n.startswith("originals/"))
        return name.replace(old, "numpy.py"), data.replace(
            old.encode(), b"numpy.py"
        ) if name == "study.json" else data

    with zipfile.ZipFile(path) as archive:
        names = archive.namelist()
    more = {f"{m}.py": evil for m in ("json", "yavik/__init__", "pandas", "sitecustomize")} | {"study.pth": evil}
    assert main(["rerun", str(rewritten(path, move, more))]) == 1
    assert not trace.exists()
    said = capsys.readouterr().out
    assert "json.py: was not in the study when it was packed" in said


def test_a_changed_file_and_a_changed_cell_are_told(client: Client, tmp_path: Path, capsys: Any) -> None:
    path = packed(client, tmp_path)

    def swap(name: str, data: bytes) -> tuple[str, bytes]:
        return name, data.replace(b"14.5", b"14.6") if name.startswith("data/") else data.replace(
            b"Hall,12", b"Hall,17"
        )

    assert main(["rerun", str(rewritten(path, swap, {}))]) == 1
    said = capsys.readouterr().out
    assert said.count("is not the file that was packed") == 2
    assert 'row 1: "Hall",12 before, "Hall",17 now' in said and 'row 2: "Alcove",14.6 before' in said


def test_a_file_of_the_zip_that_leads_out_is_not_followed(client: Client, tmp_path: Path) -> None:
    def out(study: dict[str, Any]) -> None:
        next(i for i in study["items"] if i["type"] == "table")["file"] = "../../secret.csv"

    path = changed_study(packed(client, tmp_path), out)
    assert main(["rerun", str(path)]) == 2
    assert client.http.post("/api/unpack", content=path.read_bytes()).status_code == 422


SAMPLE = {"step": "sample", "rows": 2, "by": [], "seed": 1}


@pytest.mark.parametrize(
    "step",
    [
        {**SAMPLE, "seed": -1},
        {**SAMPLE, "seed": int("9" * 400)},
        {**SAMPLE, "rows": 0},
        {"step": "nothing of the kind"},
        {"step": "keep_rows", "where": 5},
    ],
)
def test_steps_that_yavik_would_not_write_are_refused_at_the_door(
    client: Client, tmp_path: Path, step: dict[str, Any]
) -> None:
    def put(study: dict[str, Any]) -> None:
        next(i for i in study["items"] if i["type"] == "table")["body"]["steps"] = [step]

    path = changed_study(packed(client, tmp_path), put)
    found = client.http.post("/api/unpack", content=path.read_bytes())
    assert found.status_code == 422, found.text
    assert len(client.http.get("/api/studies").json()) == 1


def test_tables_made_from_each_other_are_refused(client: Client, tmp_path: Path) -> None:
    def circle(study: dict[str, Any]) -> None:
        table = next(i for i in study["items"] if i["type"] == "table")
        table["body"] = {"link": table["id"], "steps": []}

    path = changed_study(packed(client, tmp_path), circle)
    found = client.http.post("/api/unpack", content=path.read_bytes())
    assert found.status_code == 422 and "circle" in found.json()["detail"]


def test_one_entry_that_cannot_be_read_leaves_the_others_open(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    other = client.bring(ROWS, "other.csv")["id"]
    client.ask(table, response="minutes", groups="room")
    engine = client.http.app.state.store.engine  # type: ignore[attr-defined]
    with engine.begin() as connection:
        broken = {"body": {"steps": "broken"}, "revision": Item.revision + 1}
        connection.execute(update(Item).where(Item.id == other).values(broken))
    entries = {e["id"]: e["line"] for e in client.get()["entries"]}
    assert "cannot be opened" in entries[other] and "rows" in entries[table]
    assert client.get(f"/tables/{table}")["table"]["rows"] == 6
    client.call("DELETE", f"/items/{other}", 204)


def test_a_step_that_fails_unforeseen_is_the_steps_trouble(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    from yavik.core.steps.rows import Sort

    def breaks(*_args: Any, **_more: Any) -> None:
        raise OverflowError("too large")

    monkeypatch.setattr(Sort, "apply", breaks)
    table = client.bring(ROWS)["id"]
    state = client.steps(table, [{"step": "sort", "by": ["minutes"]}])
    assert (
        "did not foresee (OverflowError)" in state["table"]["effects"][0]["problem"] and state["table"]["rows"] == 6
    )


ODD = "ab\x1bc\ufffe"


def test_characters_that_are_none_are_taken_out_wherever_they_come_in(client: Client) -> None:
    rows = (
        f"room,minutes,{ODD}\nHa\x07ll,12,1\nHall,14.5,2\nAlcove\x0b,13,3\nAlcove,16,4\n"
        + "Hall,12.5,5\nAlcove,15,6\n" * 20
    )
    table = client.bring(rows.encode(), quote(f"x{ODD}.csv"))
    assert table["filename"] == "xabc.csv" and [c["name"] for c in table["columns"]] == ["room", "minutes", "abc"]
    assert [lv["value"] for lv in table["columns"][0]["levels"]] == ["Alcove", "Hall"]
    label = {"step": "describe_column", "column": "minutes", "label": f"Min{ODD}", "unit": "min"}
    client.steps(table["id"], [label])
    state = client.ask(table["id"], response="minutes", groups="room")
    client.call("PATCH", f"/items/{state['id']}", json={"name": f"Minutes {ODD}"})
    assert "minabc" in state["answer"]["headline"]
    made = client.call(
        "POST", "/figures", 201, json={"table": table["id"], "figure": {"response": "minutes", "groups": "room"}}
    )
    assert client.get(f"/figures/{made['id']}/image.png")[:4] == b"\x89PNG"
    everything = json.dumps(client.get()) + json.dumps(state)
    assert not re.search(r"\\u00(?:0[0-8bcef]|1[0-9a-f])|\\ufffe", everything)


def test_a_lone_half_of_a_character_is_kept_nowhere(client: Client) -> None:
    table = client.bring(ROWS)["id"]
    label = '{"label": "x", "steps": [{"step": "describe_column", "column": "minutes", "label": "M\\ud800in"}]}'
    state = client.call(
        "PUT", f"/tables/{table}/steps", content=label.encode(), headers={"content-type": "application/json"}
    )
    assert state["table"]["columns"][1]["label"] == "Min"


def test_words_that_a_spreadsheet_would_run_are_guarded_in_the_numbers_of_a_figure(client: Client) -> None:
    table = client.bring(b"room,minutes\n=1+1,12\n=1+1,14\n@x,13\n@x,16\n")["id"]
    made = client.call(
        "POST", "/figures", 201, json={"table": table, "figure": {"response": "minutes", "groups": "room"}}
    )
    lines = client.get(f"/figures/{made['id']}/data.csv").decode().splitlines()
    assert any(line.startswith("'=1+1") for line in lines) and not any(line[0] in "=@" for line in lines)


def _stray_cell() -> bytes:
    book = openpyxl.Workbook()
    book.active["A1"] = "x"  # type: ignore[index]
    book.active["XFD60000"] = 1  # type: ignore[index]
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _repeated_rows() -> bytes:
    out = io.BytesIO()
    pq.write_table(pa.table({"x": pa.DictionaryArray.from_arrays(pa.array([0] * 10), ["a" * 10])}), out)
    return out.getvalue()[:-40]


def _wide_records() -> bytes:
    return json.dumps([{f"k{i}": 1} for i in range(11_000)]).encode()


@pytest.mark.parametrize(
    ("name", "make"), [("stray.xlsx", _stray_cell), ("cut.parquet", _repeated_rows), ("wide.json", _wide_records)]
)
def test_small_files_that_swell_are_refused_in_words(client: Client, name: str, make: Callable[[], bytes]) -> None:
    found = client.http.post(f"/api/studies/{client.study}/uploads", content=make(), headers={"x-filename": name})
    if found.status_code == 201:  # its first rows are harmless
        upload = found.json()
        data = {"upload": upload["id"], "name": name, "options": upload["preview"]["options"]}
        found = client.http.post(f"/api/studies/{client.study}/tables", json=data)
    problem = found.json()
    assert found.status_code == 422
    assert problem["detail"].endswith(".") and "Traceback" not in problem["detail"]


def test_a_reader_that_is_lost_costs_one_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from yavik.core.files import looking

    path = tmp_path / "x.json"
    path.write_text('[{"a": 1}, {"a": 2}]')
    assert look_into(path, "json").rows_seen == 2
    process = looking._READER._process
    assert process is not None
    process.kill()
    process.wait()
    assert look_into(path, "json").rows_seen == 2
    held = looking._READER._process
    assert held is not None
    held.send_signal(signal.SIGSTOP)  # it takes for ever
    monkeypatch.setattr(looking._READER, "longest", 0.3)
    with pytest.raises(DataProblem, match="within a minute"):
        look_into(path, "json")


def test_looking_into_a_file_is_stopped_by_hand(tmp_path: Path) -> None:
    from yavik.core.files import looking

    path = tmp_path / "x.json"
    path.write_text('[{"a": 1}, {"a": 2}]')
    assert look_into(path, "json").rows_seen == 2
    held = looking._READER._process
    assert held is not None
    held.send_signal(signal.SIGSTOP)
    stop = threading.Event()
    with ThreadPoolExecutor(2) as pool:
        # The second waits for its turn; stopping frees both at once, long before the minute is over.
        asked = [pool.submit(look_into, path, "json", None, stop) for _ in range(2)]
        time.sleep(0.3)
        stop.set()
        for one in asked:
            with pytest.raises(DataProblem, match="Stopped"):
                one.result(20)
    assert held.wait(10) == -signal.SIGKILL
    assert look_into(path, "json").rows_seen == 2


def test_long_names_without_end_are_searched_in_one_pass(client: Client) -> None:
    wide = ",".join("1" * 4000 + f"x{i}y" for i in range(3))
    table = client.bring(f"{wide}\n1,2,3\n4,5,6\n".encode())
    names = [c["name"] for c in table["columns"]]
    step = {"step": "lengthen", "columns": names, "values_to": "v", "names_to": "n", "numbers": True}
    assert client.steps(table["id"], [step])["table"]["rows"] == 6


def test_expressions_write_no_characters_that_are_none_and_no_numbers_beyond_all() -> None:
    table = demo_tables()["Room trial"]
    step = new_step({"step": "compute", "name": "z", "expression": '"a\\x0bb" if minutes > 40 else "c"'})
    assert [lv.value for lv in apply_path(table, [step]).table.column("z").levels] == ["ab", "c"]
    with pytest.raises(DataProblem, match="larger than any"):
        answer("describe", table, {"columns": ["minutes"], "where": "minutes > " + "9" * 400})


def test_a_table_from_before_with_odd_characters_is_drawn_and_printed() -> None:
    """Levels stand inside expressions of a drawing, where a character is written as an escape of its own."""
    table = demo_tables()["Room trial"]
    room = table.column("room")
    levels = [Level(value=lv.value, label=f"{lv.words}\x0b\x01\ufffe") for lv in room.levels]
    odd = table.with_column(room.but(levels=levels, label="Ro\x0bom"), table.array("room"))
    found = answer("compare_groups", odd, {"response": "minutes", "groups": "room"})
    parts = {"uid": "u", "question": "q", "parts": ["headline", "groups", "figure"]}
    doc = Node.model_validate({"type": "doc", "content": [{"type": "answer", "attrs": parts}]})
    for write in (write_docx, write_pdf):
        assert write(assemble(doc, lambda _kind, _ref: Embed("Q\x0b", answer=found), ReportLook(), None))
