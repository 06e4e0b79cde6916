"""A packed study computed anew from its files, by a program of our own making, and compared with what it holds."""

import json
import resource
import shutil
import subprocess
import sys
import tempfile
import zipfile
from dataclasses import dataclass, field
from itertools import zip_longest
from pathlib import Path
from typing import Any

from yavik.core.files.archive import safe_zip
from yavik.core.files.room import available
from yavik.core.table import DataProblem
from yavik.engine.packing import WHAT, PackedItem, PackedStudy, demand_sound, read_packed, script_of, sums_of

LONGEST_RUN = 3600
MOST_WRITTEN = 8 << 30


@dataclass(frozen=True)
class Compared:
    """
    Attributes:
        parts: each table, question and figure by name, with where the new one differs.
        files: files of the zip that are not what was packed, each with what is the matter.
        notes: what was not compared.
    """

    parts: list[tuple[str, list[str]]] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def compare(path: Path) -> Compared:
    """Runs the study's script on its files, in a process of its own, and compares tables, answers and figures with
    what the packed study holds. Nothing of the zip is run or can be imported: the script is written anew from
    study.json, the files get names of ours in a folder beside it, and the process knows only Yavik's own modules.
    Raises DataProblem.
    """
    with safe_zip(path, WHAT) as archive, tempfile.TemporaryDirectory(prefix="yavik-") as name:
        packed = read_packed(archive)
        demand_sound(packed)
        folder = Path(name)
        files, notes = altered(archive, packed)
        items = _laid_out(archive, packed.items, folder)
        found = _run_script(folder, script_of(packed.name, items))
        parts = [line for item in packed.items for line in _compared(item, found, archive, folder)]
    unshown = sum(i.type in ("question", "figure") and i.answer is None and i.drawing is None for i in packed.items)
    if unshown:
        notes.append(
            f"Not compared: questions and figures that showed nothing when the study was packed ({unshown})."
        )
    if any(i.type == "report" for i in packed.items):
        notes.append("Not compared: the typed words of reports. The live words in them are those of the answers.")
    return Compared(parts, files, notes)


def altered(archive: zipfile.ZipFile, packed: PackedStudy) -> tuple[list[str], list[str]]:
    """Files whose contents are not those that were packed; and a note where the study keeps no check sums."""
    if not packed.sums:
        return [], ["This study was packed without check sums: whether its files are as they were cannot be told."]
    out, names = [], archive.namelist()
    for name, found in sorted(sums_of(archive).items()):
        if name not in packed.sums:
            out.append(f"{name}: was not in the study when it was packed")
        elif found != packed.sums[name]:
            out.append(f"{name}: is not the file that was packed")
        elif names.count(name) > 1:
            out.append(f"{name}: is in the zip {names.count(name)} times")
    return out + [f"{name}: is missing" for name in sorted(set(packed.sums) - set(names))], []


def _laid_out(archive: zipfile.ZipFile, items: list[PackedItem], folder: Path) -> list[PackedItem]:
    """The brought files under names of ours, where no program looks for modules; the entries, told so."""
    (folder / "files").mkdir()
    places: dict[str, str] = {}
    for name in sorted({i.file for i in items if i.file}):
        suffix = Path(name).suffix.lower()
        places[name] = f"files/{len(places) + 1:04d}{suffix if suffix[1:].isalnum() and len(suffix) < 10 else ''}"
        if name not in archive.namelist():
            raise DataProblem(f"{name} is not in this packed study.")
        with archive.open(name) as source, (folder / places[name]).open("wb") as copy:
            shutil.copyfileobj(source, copy)
    return [i.model_copy(update={"file": places[i.file]}) if i.file else i for i in items]


def _bounds() -> None:
    """What the process may take at most: files made to exhaust a machine end the run, not the machine."""
    free = available()
    if free:
        # Address space, of which libraries reserve much. The drawing process, which reserves most, lifts it for
        # itself.
        resource.setrlimit(resource.RLIMIT_AS, (free + (4 << 30), resource.RLIM_INFINITY))
    resource.setrlimit(resource.RLIMIT_FSIZE, (MOST_WRITTEN,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (LONGEST_RUN * 4,) * 2)


def _run_script(folder: Path, script: str) -> dict[str, Any]:
    (folder / "study.py").write_text(script, encoding="utf-8")
    try:
        # -I: neither this folder nor the environment adds a place from which modules are imported.
        done = subprocess.run(
            [sys.executable, "-I", "study.py", "results"],
            cwd=folder,
            capture_output=True,
            text=True,
            timeout=LONGEST_RUN,
            check=False,
            preexec_fn=_bounds,
        )
    except subprocess.TimeoutExpired:
        raise DataProblem(f"The study was not computed within {LONGEST_RUN // 60} minutes; it was stopped.") from None
    if done.returncode:
        last = (done.stderr.strip().splitlines() or ["it took more memory or time than there is"])[-1]
        raise DataProblem(f"The script of this study stopped: {last[:300]}")
    found: dict[str, Any] = json.loads((folder / "results" / "results.json").read_text(encoding="utf-8"))
    return found


def _compared(
    item: PackedItem, found: dict[str, Any], archive: zipfile.ZipFile, folder: Path
) -> list[tuple[str, list[str]]]:
    why = found["problems"].get(item.name, "its table is missing")
    if item.type == "table" and item.data and item.data in archive.namelist():
        made = folder / "results" / "tables" / f"{item.id}.csv"
        if not made.exists():
            return [(f"{item.name} (table)", [f"cannot be prepared: {why}"])]
        return [(f"{item.name} (table)", _lines_that_differ(archive, item.data, made))]
    if item.type == "question" and item.answer is not None:
        new = found["answers"].get(item.id)
        return [(item.name, differences(item.answer, new) if new else [f"cannot be computed: {why}"])]
    if item.type == "figure" and item.drawing is not None:
        drawn = found["drawings"].get(item.id)
        lines = differences(item.drawing["vega"], drawn["vega"]) if drawn else [f"cannot be drawn: {why}"]
        return [(f"{item.name} (figure)", lines)]
    return []


def _lines_that_differ(archive: zipfile.ZipFile, packed: str, made: Path) -> list[str]:
    """Rows of a prepared table that are not as packed; at most a few are shown."""
    out: list[str] = []
    with archive.open(packed) as before, made.open("rb") as after:
        for number, (a, b) in enumerate(zip_longest(before, after)):
            if a != b:
                was, now = ((x or b"no row").decode("utf-8", "replace").strip()[:60] for x in (a, b))
                out.append(f"{f'row {number}' if number else 'names of columns'}: {was} before, {now} now")
    return out


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
