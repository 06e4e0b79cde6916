"""Figures and reports over HTTP: the study's style, colours that are remembered, files, words, what changed."""

import io
import time
import zipfile
from pathlib import Path
from typing import Any

import pytest
from pypdf import PdfReader

from tests.conftest import Client
from yavik.cli import main
from yavik.engine.packing import pack
from yavik.store.models import Study

CSV = b"visitor,room,seat,minutes\n" + b"".join(
    b"V%d,%s,%s,%d.5\n"
    % (i, [b"Alcove", b"Gallery", b"Hall"][i % 3], [b"desk", b"sofa"][i % 2], 20 + (i * 7) % 13 + 6 * (i % 3))
    for i in range(60)
)


@pytest.fixture
def table(client: Client) -> str:
    return str(client.bring(CSV)["id"])


def draw(client: Client, table: str, **figure: Any) -> dict[str, Any]:
    found: dict[str, Any] = client.call(
        "POST", "/figures", 201, json={"table": table, "figure": {"response": "minutes", "groups": "room", **figure}}
    )
    return found


def change(client: Client, state: dict[str, Any], **part: Any) -> dict[str, Any]:
    found: dict[str, Any] = client.call(
        "PATCH", f"/figures/{state['id']}", json={"figure": {**state["figure"], **part}}
    )
    return found


def test_a_levels_colour_is_the_levels_in_every_figure(client: Client, table: str) -> None:
    one, other = draw(client, table), draw(client, table, kind="spread", groups=None, colour="room", show=["density"])
    before = other["drawing"]["colours"]["Gallery"]
    one = change(client, one, colours={"Gallery": "#123456"})
    one = change(client, one, shapes={"Hall": "square"})
    assert client.call("POST", f"/figures/{other['id']}/draw")["drawing"]["shapes"]["Hall"] == "square"
    client.http.post(f"/api/studies/{client.study}/undo")
    assert client.call("POST", f"/figures/{other['id']}/draw")["drawing"]["shapes"]["Hall"] == "circle"
    assert client.call("POST", f"/figures/{other['id']}/draw")["drawing"]["colours"]["Gallery"] == "#123456"
    client.http.post(f"/api/studies/{client.study}/undo")  # both at once: it was one change
    assert client.call("POST", f"/figures/{other['id']}/draw")["drawing"]["colours"]["Gallery"] == before
    assert client.call("POST", f"/figures/{one['id']}/draw")["drawing"]["colours"]["Gallery"] == before


def test_the_style_of_the_study(client: Client, table: str) -> None:
    old = draw(client, table)
    style = client.call("PUT", "/figures/style", json={"preset": "slide"})
    assert style["preset"] == "slide" and style["look"]["type_pt"] == 16
    fresh = draw(client, table)
    assert fresh["figure"]["type_pt"] == 16 and fresh["figure"]["width_mm"] == 240
    assert client.call("GET", f"/figures/{old['id']}")["figure"]["type_pt"] == 8
    client.call("PUT", "/figures/style", json={"look": style["look"], "all": True})
    assert client.call("GET", f"/figures/{old['id']}")["figure"]["type_pt"] == 16
    client.http.post(f"/api/studies/{client.study}/undo")
    assert client.call("GET", f"/figures/{old['id']}")["figure"]["type_pt"] == 8


def test_images_of_a_figure_and_the_numbers_behind_it(client: Client, table: str) -> None:
    made = draw(client, table)
    path = f"/api/studies/{client.study}/figures/{made['id']}"
    small, large = (client.http.get(f"{path}/image.png?dpi={dpi}").content for dpi in (300, 600))
    assert int.from_bytes(large[16:20], "big") == pytest.approx(2 * int.from_bytes(small[16:20], "big"), abs=3)
    page = PdfReader(io.BytesIO(client.http.get(f"{path}/image.pdf").content)).pages[0]
    assert float(page.mediabox.width) / 72 * 25.4 == pytest.approx(85, abs=1) and "Alcove" in page.extract_text()
    lines = client.http.get(f"{path}/data.csv").text.splitlines()
    assert lines[0].startswith("group,n,mean,sd") and len(lines) == 4


def test_any_drawing_of_an_answer_is_worked_on_and_keeps_in_step(client: Client, table: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    blocks = [b for b in asked["answer"]["blocks"] if b["type"] == "figure" and not b["figure"]]
    made = client.call(
        "POST", "/figures", 201, json={"table": table, "from_question": asked["id"], "block": blocks[0]["id"]}
    )
    assert made["figure"]["kind"] == "answer" and f"“{asked['name']}”" in made["drawing"]["parts"]["answer"]
    made = change(client, made, x_title="How far apart", width_mm=100, type_pt=12)
    assert "How far apart" in str(made["drawing"]["vega"]) and made["drawing"]["vega"]["width"] == round(
        100 * 96 / 25.4
    )
    other = client.call(
        "PATCH", f"/questions/{asked['id']}", json={"spec": {"response": "minutes", "groups": "seat"}}
    )
    client.call("POST", f"/questions/{other['id']}/answer")
    after = client.call("POST", f"/figures/{made['id']}/draw")
    assert after["problem"] or "desk" in str(after["drawing"]["vega"])


def test_a_figure_whose_answer_is_gone_says_so(client: Client, table: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    block = next(b for b in asked["answer"]["blocks"] if b["type"] == "figure" and not b["figure"])
    made = client.call(
        "POST", "/figures", 201, json={"table": table, "from_question": asked["id"], "block": block["id"]}
    )
    client.call("DELETE", f"/items/{asked['id']}", 204)
    assert "has been deleted" in client.call("GET", f"/figures/{made['id']}")["problem"]["message"]


def report(client: Client, *nodes: dict[str, Any], template: str = "empty") -> dict[str, Any]:
    made = client.call("POST", "/reports", 201, json={"name": "Draft", "template": template})
    found: dict[str, Any] = client.call(
        "PUT", f"/reports/{made['id']}", json={"doc": {"type": "doc", "content": list(nodes)}}
    )
    return found


def live(question: str, key: str, said: str = "", **more: Any) -> dict[str, Any]:
    return {
        "type": "paragraph",
        "content": [{"type": "live", "attrs": {"uid": "w", "question": question, "key": key, "said": said, **more}}],
    }


def test_live_words_renew_themselves_and_what_changed_is_shown(client: Client, table: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    known = {p["key"]: p for p in client.call("GET", f"/questions/{asked['id']}/phrases")}
    key = "estimate|groups|Gallery"
    state = report(client, live(asked["id"], key, known[key]["text"]))
    word = state["live"][0]
    assert word["text"] == word["said"] == known[key]["text"] and not word["out_of_date"]
    step = {"step": "keep_rows", "where": "visitor != 'V1'"}
    client.steps(table, [step])
    assert client.call("GET", f"/reports/{state['id']}")["live"][0]["out_of_date"]
    client.http.post(f"/api/studies/{client.study}/renew")
    word = client.call("GET", f"/reports/{state['id']}")["live"][0]
    assert word["text"] != word["said"] == known[key]["text"] and not word["out_of_date"]
    noted = client.call("PUT", f"/reports/{state['id']}", json={"noted": True})
    assert noted["live"][0]["said"] == noted["live"][0]["text"] == word["text"]


def test_writing_up_and_templates(client: Client, table: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    written = client.call("POST", f"/questions/{asked['id']}/write-up")["nodes"]
    assert [n["type"] for n in written] == ["paragraph", "paragraph"]
    state = report(client, *written, template="thesis")
    assert len(state["live"]) == len({w["uid"] for w in state["live"]}) > 4 and not any(
        w["missing"] for w in state["live"]
    )
    assert state["look"]["type_pt"] == 12
    assert {t["id"] for t in client.call("GET", "/reports/templates")} == {
        "empty",
        "article",
        "thesis",
        "brief",
        "handout",
    }
    waiting = client.call("POST", "/questions", 201, json={"table": table, "method": "compare_groups"})
    assert client.call("POST", f"/questions/{waiting['id']}/write-up", 422)["detail"]
    assert client.call("GET", f"/questions/{waiting['id']}/phrases") == []


def test_targets_and_looks(client: Client, table: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    placed = {"type": "answer", "attrs": {"uid": "a", "question": asked["id"], "parts": ["groups", "figure"]}}
    state = report(client, placed)
    assert [(t["uid"], t["part"], t["label"]) for t in state["targets"]] == [
        ("a", "figure", "Figure 1"),
        ("a", "groups", "Table 1"),
    ]
    state = client.call("PUT", f"/reports/{state['id']}", json={"look": {**state["look"], "decimal": "comma"}})
    assert "," in state["embeds"][0]["tables"][0]["block"]["rows"][0]["mean"]["s"]
    client.http.post(f"/api/studies/{client.study}/undo")
    assert client.call("GET", f"/reports/{state['id']}")["look"]["decimal"] == "point"


@pytest.mark.parametrize("kind", ["docx", "pdf", "html", "md", "zip"])
def test_a_file_is_made_with_progress_and_fetched(client: Client, table: str, kind: str) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    state = report(
        client,
        {"type": "answer", "attrs": {"uid": "a", "question": asked["id"], "parts": ["headline", "groups"]}},
        {"type": "appendix", "attrs": {"uid": "x"}},
    )
    begun = client.call("POST", f"/reports/{state['id']}/files/{kind}", 202)
    path = f"/reports/{state['id']}/files/{begun['id']}"
    until = time.monotonic() + 60
    while not (now := client.call("GET", f"{path}/state"))["done"] and time.monotonic() < until:
        time.sleep(0.02)
    assert now["problem"] is None and now["part"] == 1
    found = client.http.get(f"/api/studies/{client.study}{path}/content")
    direct = client.http.get(f"/api/studies/{client.study}/reports/{state['id']}/file.{kind}")
    assert found.status_code == 200 and len(found.content) == pytest.approx(len(direct.content), rel=0.02)
    assert client.http.get(f"/api/studies/{client.study}/reports/{state['id']}/files/none/state").status_code == 404


def test_the_packed_script_draws_and_writes_and_rerun_compares_figures(
    client: Client, table: str, tmp_path: Path
) -> None:
    asked = client.ask(table, response="minutes", groups="room")
    made = draw(client, table, marks_from=asked["id"], brackets=[["Alcove", "Hall"]])
    change(client, made, colours={"Hall": "#336699"})
    client.call("POST", "/figures", 201, json={"table": table, "from_question": asked["id"], "block": "differences"})
    report(client, live(asked["id"], "headline"), {"type": "figure", "attrs": {"uid": "f", "figure": made["id"]}})
    path = tmp_path / "study.zip"
    store = client.http.app.state.store  # type: ignore[attr-defined]
    pack(store, Study(id=client.study, name="Trial"), path)
    with zipfile.ZipFile(path) as archive:
        script = archive.read("study.py").decode()
    assert "study.figure(" in script and "study.report(" in script and "study.style(" in script
    assert main(["rerun", str(path)]) == 0
    changed = tmp_path / "changed.zip"
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(changed, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            target.writestr(
                name,
                data.replace(b'"median": 3', b'"median": 4')
                if name == "study.json"
                else b"raise SystemExit(9)"
                if name == "study.py"
                else data,
            )
    assert main(["rerun", str(changed)]) == 1  # what the zip brings as a script is not what is run
