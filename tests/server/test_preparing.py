"""Preparing over HTTP: linked tables, looking without changing, history, kept paths, saving, packing, archives."""

import io
import json
import subprocess
import sys
import threading
import zipfile
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from fastapi.testclient import TestClient

from tests.conftest import Client
from yavik.cli import main
from yavik.demo import archive as stand_in
from yavik.server.app import create_app
from yavik.server.archives import Archive

LOANS = b"branch,year,loans\nB1,2020,10\nB1,2021,14\nB2,2020,20\nB2,2021,\nB3,2020,7\n"
RENTS = b"branch,rent\nB1,100\nB2,200\nB9,300\n"


def derived(client: Client, table: str, name: str, *steps: dict[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = client.call(
        "POST", f"/tables/{table}/derived", 201, json={"name": name, "steps": list(steps)}
    )["table"]
    return made


MEANS = {"step": "summarise", "columns": ["loans"], "by": ["branch"], "what": ["mean"]}


def rows(client: Client, table: str, **query: Any) -> list[list[str | None]]:
    found: list[list[str | None]] = client.get(f"/tables/{table}/rows", params=query)["rows"]
    return found


def test_a_linked_table_is_renewed_with_its_source(client: Client) -> None:
    source = client.bring(LOANS, "Loans")
    means = derived(client, source["id"], "Means", MEANS)
    assert means["linked_to"] == source["id"] and means["source"]["title"] == "Loans"
    assert rows(client, means["id"]) == [["B1", "2", "12.00"], ["B2", "2", "20.00"], ["B3", "1", "7.00"]]
    asked = client.ask(means["id"], "describe", columns=["loans mean"])
    assert asked["answer"] is not None
    client.steps(source["id"], [{"step": "keep_rows", "where": 'branch != "B3"'}])
    assert len(rows(client, means["id"])) == 2
    assert client.get(f"/questions/{asked['id']}")["out_of_date"] is True
    assert client.get(f"/tables/{source['id']}")["table"]["made_into"] == ["Means"]
    # The original is as it was.
    assert client.get(f"/uploads/{upload_of(client, source['id'])}/original") == LOANS


def test_cells_are_given_as_shown_or_with_every_digit(client: Client) -> None:
    table = client.bring(b"plot,mass\na,1.5\nb,2.25\n", "Masses")["id"]
    client.steps(table, [{"step": "compute", "name": "third", "expression": "mass / 3"}])
    shown = rows(client, table, first=2)
    exact = rows(client, table, first=2, exact=True)
    assert exact == shown and [float(x or "nan") for (x,) in shown] == [0.5, 0.75]
    client.steps(table, [{"step": "compute", "name": "third", "expression": "mass / 7"}])
    assert [float(x or "nan") for (x,) in rows(client, table, first=2, exact=True)] == [1.5 / 7, 2.25 / 7]


def upload_of(client: Client, table: str) -> str:
    store = client.http.app.state.store  # type: ignore[attr-defined]
    upload: str = store.tables(client.study).body(table).upload
    return upload


def test_tables_cannot_be_made_from_each_other_in_a_circle(client: Client) -> None:
    a = client.bring(LOANS, "A")
    b = derived(client, a["id"], "B", MEANS)
    c = derived(client, b["id"], "C", {"step": "sort", "by": ["rows"]})
    join = {"step": "join", "table": c["id"], "keys": [{"mine": "branch", "theirs": "branch"}]}
    assert "in a circle" in client.steps(a["id"], [join], 422)["detail"]
    assert "in a circle" in client.call("POST", f"/tables/{a['id']}/try", 422, json={"step": join, "at": 0})["detail"]
    assert "in a circle" in client.steps(a["id"], [{**join, "table": a["id"]}], 422)["detail"]


def test_a_join_follows_the_other_table_and_says_when_it_is_gone(client: Client) -> None:
    a, b = client.bring(LOANS, "Loans"), client.bring(RENTS, "Rents")
    join = {"step": "join", "table": b["id"], "keys": [{"mine": "branch", "theirs": "branch"}]}
    table = client.steps(a["id"], [join])["table"]
    assert "1 row of this table found no partner" in table["effects"][0]["notes"][0]
    assert table["effects"][0]["lists"][1]["rows"] == [["B9", "300"]]
    client.steps(b["id"], [{"step": "compute", "name": "rent", "expression": "rent * 2"}])
    assert rows(client, a["id"])[0] == ["B1", "2020", "10", "200"]
    client.call("DELETE", f"/items/{b['id']}", 204)
    assert "no longer in this study" in client.get(f"/tables/{a['id']}")["table"]["effects"][0]["problem"]
    client.call("POST", "/undo")
    assert client.get(f"/tables/{a['id']}")["table"]["effects"][0]["problem"] is None


def test_only_what_depends_on_a_change_is_computed_again(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    from yavik.store import versions

    done: list[str] = []
    plain = versions.apply_step
    monkeypatch.setattr(versions, "apply_step", lambda t, s, a: (done.append(s.step), plain(t, s, a))[1])
    table = client.bring(LOANS)
    steps = [{"step": "compute", "name": f"x{i}", "expression": f"loans + {i}"} for i in range(10)]
    client.steps(table["id"], steps)
    assert len(done) == 10
    steps[6]["expression"] = "loans * 6"
    client.steps(table["id"], steps)
    assert len(done) == 14  # the seventh and the three after it
    store = client.http.app.state.store  # type: ignore[attr-defined]
    before = count_columns(store)
    client.steps(table["id"], [*steps, {"step": "compute", "name": "loans", "expression": "loans + 1000"}])
    assert count_columns(store) == before + 1


def count_columns(store: Any) -> int:
    from sqlalchemy import func, select

    from yavik.store.models import ColumnData

    with store.engine.connect() as connection:
        return int(connection.execute(select(func.count()).select_from(ColumnData)).scalar())


def test_looking_sorts_filters_and_finds_without_changing(client: Client) -> None:
    table = client.bring(LOANS)["id"]
    assert [r[2] for r in rows(client, table, sort="loans", falling=True)] == ["20", "14", "10", "7", None]
    found = client.get(f"/tables/{table}/rows", params={"where": "loans > 9", "sort": "loans"})
    assert (
        [r[2] for r in found["rows"]] == ["10", "14", "20"] and found["total"] == 3 and found["numbers"] == [1, 2, 3]
    )
    assert client.get(f"/tables/{table}/rows", params={"find": "b2"})["numbers"] == [3, 4]
    assert client.get(f"/tables/{table}/rows", params={"find": "14"})["numbers"] == [2]
    assert (
        "no column 'lons'" in client.call("GET", f"/tables/{table}/rows", 422, params={"where": "lons > 1"})["detail"]
    )
    seek = lambda **q: client.get(f"/tables/{table}/seek", params=q)  # noqa: E731
    assert seek(what="empty", columns=["loans"]) == {"row": 3, "number": 4, "column": "loans", "count": 1}
    assert seek(what="text", text="B1", start=0)["row"] == 1 and seek(what="text", text="B1", start=1)["row"] == 0
    assert seek(what="text", text="B1", start=0, back=True)["row"] == 1
    assert seek(what="row", start=3, sort="loans")["row"] == 3
    assert seek(what="outlier", columns=["loans"])["count"] == 0
    assert client.get()["undo"] == "Bring in data.csv"


def test_summary_groups_and_patterns(client: Client) -> None:
    table = client.bring(LOANS + b"B4,,\n")["id"]
    found = client.get(f"/tables/{table}/summary", params={"by": "branch"})
    assert found["groupable"] == ["branch"]
    lines = {g["group"]: g for g in found["groups"]["loans"]}
    assert lines["B1"]["said"] == "12.0 ± 2.8" and lines["B2"]["empty"] == 1 and lines["B4"]["said"] == "empty"
    patterns = client.get(f"/tables/{table}/patterns")
    assert patterns["columns"] == ["loans", "year"] and patterns["complete"] == 4
    assert [(p["columns"], p["rows"]) for p in patterns["patterns"]][1:] == [(["loans"], 1), (["loans", "year"], 1)]


def test_a_kept_path_is_tried_on_another_table_column_by_column(client: Client) -> None:
    first = client.bring(LOANS, "2023")
    client.steps(
        first["id"],
        [
            {"step": "compute", "name": "double", "expression": "loans * 2"},
            {"step": "standardise", "columns": ["year"]},
        ],
    )
    kept = client.call("POST", "/paths", 201, json={"name": "Yearly", "table": first["id"]})
    assert [p["name"] for p in client.get("/paths")] == ["Yearly"] and "id" not in kept["steps"][0]
    other = client.bring(b"branch,loans\nB1,3\nB2,5\n", "2024")
    tried = client.call(
        "POST", f"/tables/{other['id']}/try-path", json={"steps": kept["steps"], "columns": kept["columns"]}
    )
    assert tried["lacking"] == ["year"] and tried["effects"][0]["problem"] is None
    assert "no column 'year'" in tried["effects"][1]["problem"]
    assert all(e["type"] != "path" for e in client.get()["entries"])


def test_history_goes_back_to_any_moment_and_nothing_is_lost(client: Client) -> None:
    table = client.bring(LOANS)["id"]
    client.steps(table, [{"step": "sort", "by": ["loans"]}])
    moment = client.get("/changes")[0]
    client.call("PUT", f"/changes/{moment['id']}/moment", 204, json={"name": "Before the cut"})
    client.steps(table, [{"step": "keep_rows", "where": "loans > 9"}])
    asked = client.ask(table, "describe", columns=["loans"])
    client.call("POST", f"/changes/{moment['id']}/go")
    assert client.get(f"/tables/{table}")["table"]["steps"][0]["step"] == "sort"
    client.call("GET", f"/questions/{asked['id']}", 404)
    assert client.get()["undo"] == "Go back to Before the cut"
    client.call("POST", "/undo")  # one undo takes the whole way back
    assert client.get(f"/tables/{table}")["table"]["steps"][0]["step"] == "keep_rows"
    assert client.get(f"/questions/{asked['id']}")["name"]
    # A named moment that was undone is still there after something new.
    while client.get()["undo"] != "Bring in data.csv":
        client.call("POST", "/undo")
    client.steps(table, [{"step": "unique"}])
    named = next(c for c in client.get("/changes") if c["moment"])
    client.call("POST", f"/changes/{named['id']}/go")
    assert client.get(f"/tables/{table}")["table"]["steps"][0]["step"] == "sort"
    assert named["who"] == client.get("/changes")[0]["who"]


@pytest.mark.parametrize("format", ["csv", "tsv", "xlsx", "ods", "json", "parquet", "arrow", "package"])
def test_a_table_is_saved_and_comes_back(client: Client, format: str) -> None:
    table = client.bring(LOANS, "Loans")["id"]
    client.steps(table, [{"step": "describe_column", "column": "loans", "label": "Loans of the year"}])
    found = client.http.get(f"/api/studies/{client.study}/tables/{table}/save?format={format}")
    assert found.status_code == 200 and "attachment" in found.headers["content-disposition"]
    suffix = {"package": "zip"}.get(format, format)
    made = client.bring(found.content, f"again.{suffix}")
    assert rows(client, made["id"]) == rows(client, table)
    label = made["columns"][2]["label"]
    assert label == ("Loans of the year" if format in ("xlsx", "ods", "parquet", "arrow", "package") else None)
    assert client.call("GET", f"/tables/{table}/save?format=doc", 422)["detail"].startswith("Tables can be saved as")


def test_sheets_are_offered_and_chosen(client: Client) -> None:
    book = openpyxl.Workbook()
    book.active.append(["a"])  # type: ignore[union-attr]
    book.create_sheet("Second").append(["x", "y"])
    book["Second"].append([1, 2])
    out = io.BytesIO()
    book.save(out)
    upload = client.call("POST", "/uploads", 201, content=out.getvalue(), headers={"x-filename": "b.xlsx"})
    assert upload["preview"]["sheets"] == ["Sheet", "Second"]
    options = {**upload["preview"]["options"], "sheet": "Second"}
    seen = client.call("POST", f"/uploads/{upload['id']}/preview", json=options)
    assert [c["name"] for c in seen["columns"]] == ["x", "y"]
    client.call("POST", "/uploads", 422, content=out.getvalue()[:500], headers={"x-filename": "b.xlsx"})


def packed(demo: Client, folder: Path) -> Path:
    found = demo.http.get(f"/api/studies/{demo.study}/pack")
    assert found.status_code == 200
    path = folder / "study.zip"
    path.write_bytes(found.content)
    return path


def test_a_study_is_packed_unpacked_and_rerun(
    demo: Client, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = packed(demo, tmp_path)
    with zipfile.ZipFile(path) as archive:
        names = archive.namelist()
        assert {"datapackage.json", "study.json", "study.py"} <= set(names)
        assert b"visitor,town,room" in archive.read(
            next(n for n in names if "room-trial.csv" in n and "originals" in n)
        )
    made = demo.http.post("/api/unpack", content=path.read_bytes())
    assert made.status_code == 201
    again = Client(demo.http, made.json()["id"])
    assert [e["name"] for e in again.get()["entries"]] == [e["name"] for e in demo.get()["entries"]]
    assert main(["rerun", str(path)]) == 0
    said = capsys.readouterr().out
    assert "Minutes by room: same" in said and "every number is the same" in said


def test_the_script_runs_and_rerun_tells_a_number_that_changed_and_a_file_that_is_none(
    client: Client, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    table = client.bring(b"room,minutes\nHall,12\nHall,14\nHall,11\nAlcove,13\nAlcove,16\nAlcove,19\n")["id"]
    client.ask(table, response="minutes", groups="room")
    path = packed(client, tmp_path)
    with zipfile.ZipFile(path) as archive:
        archive.extractall(tmp_path / "out")
    script = [sys.executable, str(tmp_path / "out" / "study.py")]
    run = subprocess.run(script, capture_output=True, text=True, timeout=300, check=False)
    assert run.returncode == 0, run.stderr[-500:]
    assert "minutes by room" in run.stdout and "Alcove is 3.7 higher than Hall" in run.stdout
    changed = tmp_path / "changed.zip"
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(changed, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            if name == "study.json":
                study = json.loads(data)
                asked = next(i for i in study["items"] if i["type"] == "question")
                asked["answer"]["facts"]["welch.p"] = 0.5
                data = json.dumps(study).encode()
            target.writestr(name, data)
    assert main(["rerun", str(changed)]) == 1
    assert "facts.welch.p: 0.5 before" in capsys.readouterr().out
    (tmp_path / "no.zip").write_bytes(b"nothing")
    assert main(["rerun", str(tmp_path / "no.zip")]) == 2


@pytest.mark.parametrize("content", [b"", b"PK\x03\x04broken", b"not a zip"])
def test_what_is_no_packed_study_leaves_nothing_behind(http: TestClient, content: bytes) -> None:
    found = http.post("/api/unpack", content=content)
    assert found.status_code == 422 and http.get("/api/studies").json() == []


def test_a_packed_study_with_a_missing_part_leaves_nothing_behind(demo: Client, tmp_path: Path) -> None:
    path = packed(demo, tmp_path)
    broken = io.BytesIO()
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(broken, "w") as target:
        for name in source.namelist():
            if "branch-years" not in name:
                target.writestr(name, source.read(name))
    before = len(demo.http.get("/api/studies").json())
    found = demo.http.post("/api/unpack", content=broken.getvalue())
    assert found.status_code == 422 and len(demo.http.get("/api/studies").json()) == before


class _Hostile(BaseHTTPRequestHandler):
    """Sends elsewhere, or answers with something that is no listing."""

    def do_GET(self) -> None:
        if self.path.startswith("/listing"):
            self.send_response(302)
            self.send_header("location", "http://127.0.0.1:1/listing")
        else:
            self.send_response(200)
        self.end_headers()
        self.wfile.write(b"<html>")

    def log_message(self, *_args: Any) -> None:
        pass


def test_files_are_opened_from_configured_archives_only(tmp_path: Path) -> None:
    hostile = HTTPServer(("127.0.0.1", 0), _Hostile)
    threading.Thread(target=hostile.serve_forever, daemon=True).start()
    known = [
        Archive(name=stand_in.NAME, address=stand_in.start(), words=stand_in.WORDS),
        Archive(name="Elsewhere", address=f"http://127.0.0.1:{hostile.server_port}"),
        Archive(name="Asleep", address="http://127.0.0.1:9"),
        Archive(name="A file", address="file:///etc"),
    ]
    with TestClient(
        create_app(tmp_path / "data", workers=1, warm=False, more_archives=known), base_url="http://127.0.0.1"
    ) as http:
        client = Client(http, http.post("/api/studies", json={"name": "Trial"}).json()["id"])
        assert [a["name"] for a in http.get("/api/archives").json()] == [a.name for a in known]
        files = http.get(f"/api/archives/{stand_in.NAME}/files", params={"q": "weather"}).json()
        assert [f["id"] for f in files] == ["weather-2024"]
        for wanted, first in (
            ("weather-2024", "2024-01-01"),
            ("inhabitants", "Aldmere"),
            ("inhabitants-sheet", "Aldmere"),
            ("inhabitants-parquet", "Aldmere"),
        ):
            upload = client.call("POST", f"/archives/{stand_in.NAME}/files/{wanted}", 201)
            assert upload["preview"]["rows"][0][0] == first
        for name, words in (
            ("Elsewhere", "cannot be reached"),
            ("Asleep", "cannot be reached"),
            ("A file", "not one of the web"),
            ("http://127.0.0.1:9", "Not Found"),
        ):
            problem = http.get(f"/api/archives/{name}/files")
            assert problem.status_code in (404, 422) and (
                words in problem.text or "no archive" in problem.text or problem.status_code == 404
            )
        assert "no file" in client.call("POST", f"/archives/{stand_in.NAME}/files/nothing", 422)["detail"]
    hostile.shutdown()


class _Cut(BaseHTTPRequestHandler):
    """An archive whose connection breaks off in the middle of a file."""

    def do_GET(self) -> None:
        listing = [{"id": "f", "title": "F", "description": "", "filename": "f.csv", "size": 400}]
        body = json.dumps(listing).encode() if self.path.startswith("/listing") else b"a,b\n" + b"1,2\n" * 20
        self.send_response(200)
        self.send_header("content-length", str(len(body) if self.path.startswith("/listing") else 400))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_args: Any) -> None:
        pass


def test_a_file_that_breaks_off_is_not_taken_as_whole(tmp_path: Path) -> None:
    cut = HTTPServer(("127.0.0.1", 0), _Cut)
    threading.Thread(target=cut.serve_forever, daemon=True).start()
    known = [Archive(name="Cut", address=f"http://127.0.0.1:{cut.server_port}")]
    app = create_app(tmp_path / "data", workers=0, warm=False, more_archives=known)
    with TestClient(app, base_url="http://127.0.0.1") as http:
        client = Client(http, http.post("/api/studies", json={"name": "Trial"}).json()["id"])
        told = client.call("POST", "/archives/Cut/files/f", 422)["detail"]
        assert "84 of 400 bytes came" in told
        assert app.state.store.items.uploads(client.study) == []
    cut.shutdown()


def test_what_was_noticed_on_reading_is_said_before_and_after(client: Client) -> None:
    data = b"room,minutes\n" + b"Hall,12\nhall,13\nAlcove,14\n" * 4
    upload = client.call("POST", "/uploads", 201, content=data, headers={"x-filename": "r.csv"})
    assert "look alike" in upload["preview"]["notices"][0]["text"]
    table = client.bring(data)
    assert any("“Hall” and “hall”" in n for n in table["source"]["notes"])
