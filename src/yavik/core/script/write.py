"""Writing a study as a script: read the files, take the steps, ask the questions, print the headlines."""

import pprint
from dataclasses import dataclass
from typing import Any

HEAD = '''"""{title}: the whole study, computed again from its files by yavik.core alone.

Run it in the folder of the unpacked study: python study.py
"""

from pathlib import Path

from yavik.core.files.formats import read
from yavik.core.files.options import ReadOptions
from yavik.core.methods import answer
from yavik.core.methods.registry import new_columns
from yavik.core.steps import new_step
from yavik.core.steps.base import Around, Other
from yavik.core.steps.path import apply_path

HERE = Path(__file__).parent
tables = {{}}
names = {{}}


def around():
    """What steps may look at: the tables made so far."""
    return Around({{k: Other(names[k], t) for k, t in tables.items()}}, new_columns)


def prepare(key, name, table, steps):
    done = apply_path(table, [new_step(s) for s in steps], around())
    for effect in done.effects:
        print(f"  {{effect.title}}: {{effect.problem or effect.said}}")
    tables[key], names[key] = done.table, name


'''


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
    name: str
    table: str
    method: str
    spec: dict[str, Any]


def study_script(title: str, tables: list[ScriptTable], questions: list[ScriptQuestion]) -> str:
    """The script's text. Tables must come in an order in which each finds what it reads already made."""
    out = [HEAD.format(title=title.replace('"""', "'''").replace("\\", "\\\\"))]
    for t in tables:
        out.append(f"print({t.name!r})\n")
        steps = _shown([{k: v for k, v in s.items() if k != "id"} for s in t.steps])
        if t.file:
            out.append(f"source, _ = read(HERE / {t.file!r}, ReadOptions.model_validate({_shown(t.options)}))\n")
        else:
            out.append(f"source = tables[{t.link!r}]\n")
        out.append(f"prepare({t.key!r}, {t.name!r}, source, {steps})\n\n")
    for q in questions:
        out.append(f"print({q.name!r})\n")
        out.append(f"found = answer({q.method!r}, tables[{q.table!r}], {_shown(q.spec)})\n")
        out.append('print("  " + found.headline)\n\n')
    return "".join(out)


def _shown(value: Any) -> str:
    return pprint.pformat(value, width=110, sort_dicts=False)
