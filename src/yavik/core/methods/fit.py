"""Which questions can a choice of columns answer?"""

from typing import Any

from pydantic import BaseModel

from yavik.core.ask import Ask, ask_of
from yavik.core.methods.base import Layout, Method
from yavik.core.methods.kit.roles import Filled
from yavik.core.methods.registry import methods
from yavik.core.table import Kind, Table


class Fit(BaseModel):
    method: str
    layout: str
    spec: dict[str, Any]
    missing: list[str]
    """Needed slots that no chosen column fills."""
    why: str
    score: float


def fitting(table: Table, chosen: list[str]) -> list[Fit]:
    """Questions in which every chosen column finds a slot; the best on top. Without a choice: none."""
    kinds = {name: table.column(name).kind for name in chosen}
    found = []
    for method in methods().values():
        best = max(
            (f for layout in method.layouts if (f := _place(method, layout, kinds, table)) is not None),
            key=lambda f: f.score,
            default=None,
        )
        if best is not None:
            found.append(best)
    return sorted(found, key=lambda f: -f.score)


def _place(method: Method[Any], layout: Layout, kinds: dict[str, Kind], table: Table) -> Fit | None:
    slots = {s: ask_of(method.Spec, s) or Ask(shown="hidden") for s in (*layout.slots, *layout.beside)}
    if any(a.shown == "typed" for a in slots.values()):
        return None
    spec: dict[str, Any] = Filled(list(kinds))
    # The choosiest column first, and for each the choosiest slot: a measure goes to 'response', not to 'anything'.
    order = sorted(kinds, key=lambda n: sum(kinds[n] in a.kinds for a in slots.values()))
    for name in order:
        free = [s for s, a in slots.items() if kinds[name] in a.kinds and (a.shown != "column" or s not in spec)]
        if not free:
            return None
        best = min(free, key=lambda s: (s not in layout.needed or s in spec, len(slots[s].kinds)))
        if slots[best].shown == "column":
            spec[best] = name
        else:
            spec.setdefault(best, []).append(name)
    for key, value in spec.items():
        if isinstance(value, list):
            spec[key] = [n for n in kinds if n in value]
    if layout.id == "side_by_side" and len(kinds) < 2:
        return None
    general = sum(len(a.kinds) for a in slots.values()) / 4
    bonus, why = 0.0, "every chosen column has its place"
    if method.fit is not None:  # which may put columns elsewhere, and find what was not chosen
        suits = method.fit(table, spec)
        if suits is None:
            return None
        bonus, why = suits[0], suits[1] or why
    missing = [s for s in layout.needed if s not in spec]
    if missing and why == "every chosen column has its place":
        why = ""
    return Fit(
        method=method.id,
        layout=layout.id,
        spec=dict(spec),
        missing=missing,
        why=why,
        score=100 - 50 * len(missing) - general + bonus,
    )


def n_levels(table: Table, name: str | None) -> int | None:
    """Levels of a column that has them; None for numbers and texts, whose values are not counted here."""
    column = table.column(name) if name else None
    return len(column.levels) if column and column.levels else None
