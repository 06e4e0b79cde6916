"""The whole core without a server."""

import io
import json
from pathlib import Path

import pytest

from yavik.cli import main
from yavik.core.methods import methods
from yavik.demo.room_trial import as_csv


@pytest.fixture
def room(tmp_path: Path) -> Path:
    path = tmp_path / "room.csv"
    path.write_bytes(as_csv())
    return path


def test_methods_are_listed(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["methods"]) == 0
    assert {line.split()[0] for line in capsys.readouterr().out.splitlines()} == set(methods())


def test_an_answer_on_standard_output(room: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    spec = tmp_path / "spec.json"
    spec.write_text(json.dumps({"response": "minutes", "groups": "room"}))
    assert main(["answer", "compare_groups", "--data", str(room), "--spec", str(spec)]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["facts"]["n"] == 112
    assert {b["id"] for b in found["blocks"]} >= {"groups", "test", "pairs", "effects"}
    assert found["blocks"][1]["rows"][0]["group"]["v"] == "Alcove"


def test_a_spec_from_standard_input_and_a_dictionary(
    room: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    dictionary = tmp_path / "d.json"
    entries = [
        {"name": "pages", "empty_codes": [-9], "unit": "pages"},
        {"name": "seat", "kind": "category", "levels": [{"value": 1, "label": "Armchair"}]},
    ]
    dictionary.write_text(json.dumps(entries))
    monkeypatch.setattr("sys.stdin", io.StringIO('{"response": "pages", "groups": "seat", "test": "anova"}'))
    assert (
        main(["answer", "compare_groups", "--data", str(room), "--spec", "-", "--dictionary", str(dictionary)]) == 0
    )
    found = json.loads(capsys.readouterr().out)
    assert found["facts"]["n"] == 107
    assert found["blocks"][1]["rows"][0]["group"]["v"] == "Armchair"


@pytest.mark.parametrize(
    ("spec", "data", "words"),
    [
        ('{"response": "minuts", "groups": "room"}', None, "nearest name is 'minutes'"),
        ('{"response": ', None, "JSON cannot be read"),
        ('{"response": "minutes", "groups": "room", "test": "magic"}', None, "test: Input should be"),
        ("{}", None, "Fill the slots"),
        ("{}", "nowhere.csv", "No such file"),
    ],
)
def test_a_problem_is_json_on_standard_error(
    room: Path,
    spec: str,
    data: str | None,
    words: str,
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr("sys.stdin", io.StringIO(spec))
    assert main(["answer", "compare_groups", "--data", data or str(room), "--spec", "-"]) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert words in json.loads(said.err)["message"]


def test_a_port_in_use_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    import socket

    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        s.listen()
        assert main(["serve", "--data-dir", str(tmp_path), "--port", str(s.getsockname()[1])]) == 1
    assert "is in use" in capsys.readouterr().err


def test_an_unknown_method(room: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("sys.stdin", io.StringIO("{}"))
    assert main(["answer", "nothing", "--data", str(room), "--spec", "-"]) == 2
    assert "There is no method 'nothing'" in json.loads(capsys.readouterr().err)["message"]


def test_what_was_noticed_and_the_new_columns_are_part_of_the_output(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    data, spec, out = tmp_path / "d.csv", tmp_path / "s.json", tmp_path / "new.csv"
    lines = [f"{'A' if i % 2 else 'a'},{i},{i * i}" for i in range(1, 13)]
    data.write_text("room,x,x\n" + "\n".join([*lines, "B,13"]) + "\n")
    spec.write_text(json.dumps({"response": "x (2)", "terms": ["x"]}))
    asked = ["answer", "linear", "--data", str(data), "--spec", str(spec)]
    assert main([*asked, "--columns", str(out)]) == 0
    noticed = " ".join(json.loads(capsys.readouterr().out)["notices"])
    assert "x (2)" in noticed and "“A” and “a”" in noticed
    rows = out.read_text().splitlines()
    assert rows[0].startswith('"row","x (2) predicted"') and len(rows) == 14 and rows[1].startswith("1,")
    assert rows[13].startswith("13,")  # a row without a response is predicted, and has no residual
    spec.write_text(json.dumps({"columns": ["x"]}))
    assert main(["answer", "describe", "--data", str(data), "--spec", str(spec), "--columns", str(out)]) == 2
