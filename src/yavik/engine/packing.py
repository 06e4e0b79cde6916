"""A study in one zip and back: a data package of its tables, the files as brought, study.json, and a script."""

import hashlib
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
from yavik.core.steps import parse_step
from yavik.core.table import DataProblem, Table
from yavik.core.table.texts import keepable
from yavik.engine.descriptions import ReadFile
from yavik.engine.tasks import carry_out
from yavik.store import Store
from yavik.store.bodies import FigureBody, PathBody, QuestionBody, ReportBody, Stored, StyleBody, TableBody
from yavik.store.items import renamed
from yavik.store.models import Item, Study, new_id
from yavik.store.tables import CIRCLE, read_by

WHAT = "a packed study"
ROUND = ("key", "spec", "card", "name")


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
    data: str | None = None
    """Of a table: the path of its cells, as prepared, in the zip."""


class PackedStudy(BaseModel):
    yavik: str
    name: str
    items: list[PackedItem]
    sums: dict[str, str] = {}
    """The SHA-256 of every other file of the zip, by its path: what was changed on the way is seen."""


def pack(store: Store, study: Study, path: Path) -> None:
    """Writes the zip. Raises DataProblem when a table cannot be worked out."""
    items = [i for i in store.items.items(study.id) if i.type in BODIES]
    files: dict[str, str] = {}
    packed, tables = [], []
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for item in items:
            entry = PackedItem(id=item.id, type=item.type, name=item.name, body=item.body)
            if item.type == "table":
                body = TableBody.opened(item.body)
                tables.append((item.name, _table(store, study.id, body)))
                if not body.link:
                    entry.file, entry.filename = _original(store, study.id, archive, body, files), body.filename
            if item.type == "question" and (key := store.shown(item.id)):
                entry.answer = store.result(key)
                entry.trail = [{k: getattr(r, k) for k in ROUND} for r in store.trail.rounds(item.id)]
            if item.type == "figure" and (key := store.shown(item.id)):
                entry.drawing = store.result(key)
            packed.append(entry)
        paths = package.add_tables(archive, study.name, tables)
        for entry, data in zip((e for e in packed if e.type == "table"), paths, strict=True):
            entry.data = data
        archive.writestr("study.py", script_of(study.name, packed))
        found = PackedStudy(yavik=__version__, name=study.name, items=packed, sums=sums_of(archive))
        archive.writestr("study.json", found.model_dump_json(indent=1))


def sums_of(archive: zipfile.ZipFile) -> dict[str, str]:
    """The SHA-256 of every file but study.json, which holds them."""
    found = {}
    for name in archive.namelist():
        if name != "study.json":
            with archive.open(name) as source:
                found[name] = hashlib.file_digest(source, "sha256").hexdigest()  # type: ignore[arg-type]
    return found


def _table(store: Store, study_id: str, body: TableBody) -> Table:
    return store.versions.table(store.tables(study_id).replay(body)[0])


def _original(store: Store, study_id: str, archive: zipfile.ZipFile, body: TableBody, files: dict[str, str]) -> str:
    """Puts a brought file into the zip, once, byte for byte."""
    if body.upload not in files:
        name = f"originals/{len(files) + 1:03d}-{package.slug(Path(body.filename).stem)}{Path(body.filename).suffix[:10]}"
        with archive.open(name, "w", force_zip64=True) as out:
            for piece in store.files.pieces(store.files.own(study_id, body.upload).id):
                out.write(piece)
        files[body.upload] = name
    return files[body.upload]


def script_of(name: str, items: list[PackedItem]) -> str:
    """The study as a Python program: tables in an order in which each finds what it reads, then what is made of
    them."""
    bodies = {i.id: (i, TableBody.opened(i.body)) for i in items if i.type == "table"}
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
            q = QuestionBody.opened(item.body)
            questions.append(ScriptQuestion(item.id, item.name, q.table, q.method, q.spec))
        elif item.type == "figure":
            f = FigureBody.opened(item.body)
            shown = f.figure.model_dump(mode="json", exclude_defaults=True)
            figures.append(ScriptFigure(item.id, item.name, f.table, shown))
        elif item.type == "report":
            r = ReportBody.opened(item.body)
            reports.append(
                ScriptReport(item.id, item.name, r.doc, r.look.model_dump(mode="json", exclude_defaults=True))
            )
        elif item.type == "style":
            style = StyleBody.opened(item.body)
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


BODIES: dict[str, type[Stored]] = {
    "table": TableBody,
    "question": QuestionBody,
    "figure": FigureBody,
    "report": ReportBody,
    "style": StyleBody,
    "path": PathBody,
}


def demand_sound(packed: PackedStudy) -> None:
    """Raises DataProblem for an entry that Yavik could not have written, and for tables made from each other in a
    circle:
    one bad entry is refused at the door and does not close a study later."""
    reads: dict[str, list[str]] = {}
    for item in packed.items:
        if item.type not in BODIES:
            continue
        try:
            body = BODIES[item.type].opened(keepable(item.body))
        except (ValidationError, RecursionError) as trouble:
            raise DataProblem(
                f"This packed study is damaged: {item.type} “{item.name[:60]}” cannot be read."
            ) from trouble
        for step in getattr(body, "steps", []):
            parse_step(step)
        if isinstance(body, TableBody):
            reads[item.id] = read_by(body)
    for first in reads:
        waiting, seen = list(reads[first]), set[str]()
        while waiting:
            other = waiting.pop()
            if other == first:
                raise DataProblem(CIRCLE)
            if other not in seen:
                seen.add(other)
                waiting += reads.get(other, [])


def unpack(store: Store, path: Path) -> Study:
    """A new study from a packed one; tables are worked out from their files. Raises DataProblem."""
    with safe_zip(path, WHAT) as archive:
        packed = read_packed(archive)
        demand_sound(packed)
        study = store.items.new_study(packed.name)
        try:
            ids = {i.id: new_id() for i in packed.items}
            uploads: dict[str, str] = {}
            for entry in packed.items:
                if entry.type not in BODIES:
                    continue
                body = renamed(entry.body, ids)
                if entry.type == "table" and entry.file:
                    body = _with_file(store, study, archive, entry, body, uploads)
                elif entry.type == "table":
                    body = {**body, "upload": "", "root": ""}  # what is not in the pack is not read from elsewhere
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
