"""Writing a study as a script: read the files, take the steps, ask the questions, draw the figures, set the
reports."""

import pprint
from dataclasses import dataclass, field
from typing import Any

HEAD = '''"""{title}: the whole study, computed again from its files by yavik.core alone.

Run it in the folder of the unpacked study: python study.py
It prints what each part says and saves answers, figures and reports in the folder "results".
"""

import sys
from pathlib import Path

from yavik.core.script.study import Study

HERE = Path(__file__).parent
study = Study(HERE)

'''
FOOT = """study.save(Path(sys.argv[1]) if len(sys.argv) > 1 else HERE / "results")
"""


@dataclass(frozen=True)
class ScriptTable:
    key: str
    name: str
    file: str | None
    """Path in the packed study; None for a table made from ``link``."""
    link: str | None
    options: dict[str, Any]
    steps: list[dict[str, Any]]


@dataclass(frozen=True)
class ScriptQuestion:
    key: str
    name: str
    table: str
    method: str
    spec: dict[str, Any]


@dataclass(frozen=True)
class ScriptFigure:
    key: str
    name: str
    table: str
    figure: dict[str, Any]


@dataclass(frozen=True)
class ScriptReport:
    key: str
    name: str
    doc: dict[str, Any]
    look: dict[str, Any]


@dataclass(frozen=True)
class ScriptStudy:
    """Tables must come in an order in which each finds what it reads already made."""

    title: str
    tables: list[ScriptTable]
    questions: list[ScriptQuestion]
    figures: list[ScriptFigure] = field(default_factory=list)
    reports: list[ScriptReport] = field(default_factory=list)
    colours: dict[str, dict[str, str]] = field(default_factory=dict)
    marks: dict[str, dict[str, str]] = field(default_factory=dict)


def study_script(study: ScriptStudy) -> str:
    """The script's text."""
    out = [HEAD.format(title=study.title.replace('"""', "'''").replace("\\", "\\\\"))]
    for t in study.tables:
        steps = [{k: v for k, v in s.items() if k != "id"} for s in t.steps]
        more: dict[str, Any] = {"file": t.file} if t.file else {"link": t.link}
        more |= {"options": t.options} if t.file and t.options else {}
        more |= {"steps": steps} if steps else {}
        out.append(_call("table", t.key, t.name, **more))
    out += [_call("question", q.key, q.name, q.table, q.method, q.spec) for q in study.questions]
    if study.colours or study.marks:
        out.append(_call("style", study.colours, study.marks))
    out += [_call("figure", f.key, f.name, f.table, f.figure) for f in study.figures]
    out += [_call("report", r.key, r.name, r.doc, r.look) for r in study.reports]
    return "\n".join([*out, FOOT])


def _call(what: str, *values: Any, **named: Any) -> str:
    """One call; what is long stands on lines of its own."""
    parts = [_shown(v) for v in values] + [f"{k}={_shown(v)}" for k, v in named.items()]
    line = f"study.{what}({', '.join(parts)})"
    if len(line) <= 120 and "\n" not in line:
        return f"{line}\n"
    inside = ",\n".join("    " + p.replace("\n", "\n    ") for p in parts)
    return f"study.{what}(\n{inside},\n)\n"


def _shown(value: Any) -> str:
    return pprint.pformat(value, width=112, sort_dicts=False)
