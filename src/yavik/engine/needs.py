"""What an answer depends on, declared in one place: its key, what travels to a worker and what makes it out of date all
come from here."""

import json
from dataclasses import dataclass
from importlib.metadata import PackageNotFoundError, version
from typing import Any

from yavik import __version__
from yavik.core.methods.registry import get, parse_spec, reads_design
from yavik.core.steps.expressions import Parsed
from yavik.core.table import Kind
from yavik.store.versions import Snapshot, key_of

SHAPE = 1
"""Counts changes of what an answer looks like; one of another shape is worked out anew."""
KEYS_KEPT = 5000
_keys: dict[tuple[str, str, str], str] = {}
LIBRARIES = ("numpy", "scipy", "pandas", "pyarrow")


def _version(library: str) -> str:
    try:
        return version(library)
    except PackageNotFoundError:
        return "?"


REVISION = " · ".join([f"Yavik {__version__}", *(f"{n} {_version(n)}" for n in LIBRARIES), f"shape {SHAPE}"])
"""The code that computes: another one may give other numbers, so what it gave is told apart."""


@dataclass(frozen=True)
class Needs:
    """
    Args:
        columns: names of the columns read: slots, the row condition, the survey design, identifiers (for repeated
            rows).
        about: what the table says of itself that the answer heeds.
        methods: versions of the method and of those it asks in turn.
    """

    columns: list[str]
    about: dict[str, Any]
    methods: dict[str, str]


def needs(snapshot: Snapshot, method: str, spec: dict[str, Any]) -> Needs:
    """What an answer to a spec on a table depends on. Raises DataProblem."""
    parsed, asked = parse_spec(method, spec), get(method)
    names = asked.columns(parsed)
    if asked.whole and not names:
        names = [c.name for c in snapshot.columns]
    if parsed.where:
        names += sorted(Parsed(parsed.where).columns)
    design, panel = snapshot.about.design, snapshot.about.panel
    if design and reads_design(method, spec):
        names += design.columns
    # Every question of a table with a design says where it passes it over, so each depends on there being one.
    about: dict[str, Any] = {"design": design.model_dump(mode="json")} if design else {}
    if panel and {panel.unit, panel.time} & set(names):
        about["panel"] = panel.model_dump(mode="json")
    inner = [one["method"] for one in spec.get("models") or []] if asked.view == "lineup" else []
    identifiers = [c.name for c in snapshot.columns if c.kind is Kind.identifier]
    return Needs(
        columns=list(dict.fromkeys([*names, *identifiers])),
        about=about,
        methods={m: get(m).version for m in dict.fromkeys([method, *inner])},
    )


def answer_base(snapshot: Snapshot, method: str, spec: dict[str, Any]) -> str:
    """A key of everything an answer depends on but the code: method, spec, cells and their descriptions, what the table
    says of itself. Raises DataProblem."""
    return _base(snapshot, method, spec, needs(snapshot, method, spec))


def _base(snapshot: Snapshot, method: str, spec: dict[str, Any], needed: Needs) -> str:
    return key_of(
        "answer",
        method,
        parse_spec(method, spec).model_dump(mode="json"),
        snapshot.fingerprint(needed.columns),
        needed.about,
    )


def answer_key(snapshot: Snapshot, method: str, spec: dict[str, Any]) -> str:
    """A key of everything that decides an answer, the code included. Raises DataProblem."""
    asked = (snapshot.key, method, json.dumps(spec, sort_keys=True, default=str))
    if asked not in _keys:  # a version never changes: the contents of a study ask for the same keys again and again
        if len(_keys) >= KEYS_KEPT:
            _keys.clear()
        needed = needs(snapshot, method, spec)
        _keys[asked] = key_of(_base(snapshot, method, spec, needed), REVISION, needed.methods)
    return _keys[asked]
