"""A study in one zip and back: a data package of its tables, the files as brought, study.json, and a script."""

import json
import shutil
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from yavik import __version__
from yavik.core.files import package
from yavik.core.files.archive import safe_zip
from yavik.core.files.options import ReadOptions
from yavik.core.methods import Run
from yavik.core.script import ScriptFigure, ScriptQuestion, ScriptReport, ScriptStudy, ScriptTable, study_script
from yavik.core.table import DataProblem, Table
from yavik.engine.tasks import ReadFile, carry_out
from yavik.store import Store
from yavik.store.bodies import FigureBody, QuestionBody, ReportBody, StyleBody, TableBody
from yavik.store.items import renamed
from yavik.store.models import Item, Study, new_id
from yavik.store.tables import read_by

WHAT = "a packed study"
ROUND = ("key", "spec", "card", "name")
KINDS = ("table", "question", "figure", "report", "path", "style")


class PackedItem(BaseModel):
    id: str = Field(max_length=40)
    type: str
    name: str
    body: dict[str, Any]
    file: str | None = None
    """Of a table from a file: its path in the zip."""
    filename: str | None = None
    answer: dict[str, Any] | None = None
    """Of a question: the answer it showed, for ``yavik rerun`` to compare with."""
    drawing: dict[str, Any] | None = None
    """Of a figure: what it showed, to compare with as well."""
    trail: list[dict[str, Any]] = []
    """Of a model: the rounds it has had."""


class PackedStudy(BaseModel):
    yavik: str
    name: str
    items: list[PackedItem]


def pack(store: Store, study: Study, path: Path) -> None:
    """Writes the zip. Raises DataProblem when a table cannot be worked out."""
    items = [i for i in store.items.items(study.id) if i.type in KINDS]
    files: dict[str, str] = {}
    packed, tables = [], []
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for item in items:
            entry = PackedItem(id=item.id, type=item.type, name=item.name, body=item.body)
            if item.type == "table":
                body = TableBody.model_validate(item.body)
                tables.append((item.name, _table(store, body)))
                if not body.link:
                    entry.file, entry.filename = _original(store, archive, body, files), body.filename
            if item.type == "question" and (key := store.shown(item.id)):
                entry.answer = store.result(key)
                entry.trail = [{k: getattr(r, k) for k in ROUND} for r in store.trail.rounds(item.id)]
            if item.type == "figure" and (key := store.shown(item.id)):
                entry.drawing = store.result(key)
            packed.append(entry)
        package.add_tables(archive, study.name, tables)
        found = PackedStudy(yavik=__version__, name=study.name, items=packed)
        archive.writestr("study.json", found.model_dump_json(indent=1))
        archive.writestr("study.py", script_of(study.name, packed))


def _table(store: Store, body: TableBody) -> Table:
    return store.versions.table(store.tables.replay(body)[0])


def _original(store: Store, archive: zipfile.ZipFile, body: TableBody, files: dict[str, str]) -> str:
    """Puts a brought file into the zip, once, byte for byte."""
    if body.upload not in files:
        name = f"originals/{len(files) + 1:03d}-{package.slug(Path(body.filename).stem)}{Path(body.filename).suffix[:10]}"
        with archive.open(name, "w", force_zip64=True) as out:
            for piece in store.files.pieces(body.upload):
                out.write(piece)
        files[body.upload] = name
    return files[body.upload]


def script_of(name: str, items: list[PackedItem]) -> str:
    """The study as a Python program: tables in an order in which each finds what it reads, then what is made of them."""
    bodies = {i.id: (i, TableBody.model_validate(i.body)) for i in items if i.type == "table"}
    done: list[str] = []
    begun: set[str] = set()

    def visit(key: str) -> None:
        """Tables in an order in which each finds what it reads already made."""
        if key in begun or key not in bodies:
            return
        begun.add(key)
        for other in read_by(bodies[key][1]):
            visit(other)
        done.append(key)

    for key in bodies:
        visit(key)
    tables = []
    for key in done:
        item, body = bodies[key]
        options = body.options.model_dump(mode="json", exclude_defaults=True)
        tables.append(ScriptTable(key, item.name, item.file, body.link, options, body.steps))
    questions, figures, reports = [], [], []
    style = StyleBody()
    for item in items:
        if item.type == "question" and item.answer is not None:
            q = QuestionBody.model_validate(item.body)
            questions.append(ScriptQuestion(item.id, item.name, q.table, q.method, q.spec))
        elif item.type == "figure":
            f = FigureBody.model_validate(item.body)
            shown = f.figure.model_dump(mode="json", exclude_defaults=True)
            figures.append(ScriptFigure(item.id, item.name, f.table, shown))
        elif item.type == "report":
            r = ReportBody.model_validate(item.body)
            reports.append(
                ScriptReport(item.id, item.name, r.doc, r.look.model_dump(mode="json", exclude_defaults=True))
            )
        elif item.type == "style":
            style = StyleBody.model_validate(item.body)
    return study_script(ScriptStudy(name, tables, questions, figures, reports, style.colours, style.marks))


def read_packed(archive: zipfile.ZipFile) -> PackedStudy:
    """Raises DataProblem when this is no packed study."""
    if "study.json" not in archive.namelist():
        raise DataProblem(
            "This zip is no packed study: it has no study.json. A data package can be brought in as a table instead."
        )
    try:
        return PackedStudy.model_validate_json(archive.read("study.json"))
    except ValidationError as trouble:
        raise DataProblem(
            "The study.json of this packed study cannot be read: it is damaged, or from another version."
        ) from trouble


def unpack(store: Store, path: Path) -> Study:
    """A new study from a packed one; tables are worked out from their files. Raises DataProblem."""
    with safe_zip(path, WHAT) as archive:
        packed = read_packed(archive)
        study = store.items.new_study(packed.name)
        try:
            ids = {i.id: new_id() for i in packed.items}
            uploads: dict[str, str] = {}
            for entry in packed.items:
                if entry.type not in KINDS:
                    continue
                body = renamed(entry.body, ids)
                if entry.type == "table" and entry.file:
                    body = _with_file(store, study, archive, entry, body, uploads)
                _add(store, study, ids[entry.id], entry, body)
                for line in entry.trail:
                    store.trail.put({"item_id": ids[entry.id], **{k: line[k] for k in ROUND}})
        except (ValidationError, KeyError, LookupError) as trouble:
            store.items.drop_study(study.id)
            raise DataProblem("This packed study is damaged: a part that it names is missing.") from trouble
        except BaseException:
            store.items.drop_study(study.id)
            raise
    return store.items.study(study.id)


def _with_file(
    store: Store,
    study: Study,
    archive: zipfile.ZipFile,
    entry: PackedItem,
    body: dict[str, Any],
    uploads: dict[str, str],
) -> dict[str, Any]:
    assert entry.file
    if entry.file not in uploads:
        uploads[entry.file] = _upload(store, study, archive, entry)
    options = ReadOptions.model_validate(body["options"])
    done = carry_out(store, ReadFile(upload=uploads[entry.file], options=options), Run())
    return {**body, "upload": uploads[entry.file], "root": done["key"]}


def _upload(store: Store, study: Study, archive: zipfile.ZipFile, entry: PackedItem) -> str:
    assert entry.file
    with archive.open(entry.file) as source:
        return store.files.take(study.id, entry.filename or entry.name, iter(lambda: source.read(1 << 20), b"")).id


def _add(store: Store, study: Study, item_id: str, entry: PackedItem, body: dict[str, Any]) -> None:
    store.items.put(
        Item(id=item_id, study_id=study.id, type=entry.type, name=entry.name[:200], body=body, deleted=False)
    )


LONGEST_RUN = 3600


def compare(path: Path) -> list[tuple[str, list[str]]]:
    """Runs the study's script on its files, in a process of its own, and compares every answer and figure with what the
    packed study holds. The script is written anew from study.json: what a zip brings is never run. Raises DataProblem.

    Returns:
        For each question and figure that had something to show its name and where the new one differs.
    """
    with safe_zip(path, WHAT) as archive, tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        packed = read_packed(archive)
        for name in {i.file for i in packed.items if i.file}:
            target = Path(folder) / _inside(name)
            target.parent.mkdir(parents=True, exist_ok=True)
            with archive.open(name) as source, target.open("wb") as copy:
                shutil.copyfileobj(source, copy)
        found = _run_script(Path(folder), script_of(packed.name, packed.items))
    out = []
    for item in packed.items:
        if item.type == "question" and item.answer is not None:
            new = found["answers"].get(item.id)
            why = [f"cannot be computed: {found['problems'].get(item.name, 'its table is missing')}"]
            out.append((item.name, differences(item.answer, new) if new else why))
        if item.type == "figure" and item.drawing is not None:
            drawn = found["drawings"].get(item.id)
            why = [f"cannot be drawn: {found['problems'].get(item.name, 'its table is missing')}"]
            out.append((f"{item.name} (figure)", differences(item.drawing["vega"], drawn["vega"]) if drawn else why))
    return out


def _inside(name: str) -> Path:
    """A path of the zip that cannot lead out of the folder. Raises DataProblem."""
    found = Path(name)
    if found.is_absolute() or ".." in found.parts:
        raise DataProblem(f"{name} of this packed study leads out of it; it was not run.")
    return found


def _run_script(folder: Path, script: str) -> dict[str, Any]:
    (folder / "study.py").write_text(script, encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "study.py", "results"],
        cwd=folder,
        capture_output=True,
        text=True,
        timeout=LONGEST_RUN,
        check=False,
    )
    if done.returncode:
        raise DataProblem(f"The script of this study stopped: {done.stderr.strip().splitlines()[-1][:300]}")
    found: dict[str, Any] = json.loads((folder / "results" / "results.json").read_text(encoding="utf-8"))
    return found


def differences(before: Any, after: Any, place: str = "") -> list[str]:
    """Where two answers differ: every number and text by its place. Times and versions are not looked at."""
    if isinstance(before, dict) and isinstance(after, dict):
        keys = sorted(set(before) | set(after))
        return [
            d
            for k in keys
            if k not in ("version", "drawing")
            for d in differences(before.get(k), after.get(k), f"{place}.{k}" if place else k)
        ]
    if isinstance(before, list) and isinstance(after, list):
        if len(before) != len(after):
            return [f"{place}: {len(before)} entries before, {len(after)} now"]
        return [
            d for i, (a, b) in enumerate(zip(before, after, strict=True)) for d in differences(a, b, f"{place}[{i}]")
        ]
    if isinstance(before, float) and isinstance(after, float):
        close = before == after or abs(before - after) <= 1e-9 * max(abs(before), abs(after))
        return [] if close else [f"{place}: {before!r} before, {after!r} now"]
    return [] if before == after else [f"{place}: {json.dumps(before)[:60]} before, {json.dumps(after)[:60]} now"]
