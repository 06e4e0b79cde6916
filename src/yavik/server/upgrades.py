"""What an upgrade did to an answer: told before it is renewed, and number by number afterwards."""

from math import isclose
from typing import Any

from pydantic import BaseModel

from yavik.engine.needs import REVISION, answer_base
from yavik.store import Store
from yavik.store.models import Item
from yavik.store.versions import Snapshot

CLOSE = 1e-9
"""Numbers nearer than this, of their size, are the same: another library adds in another order."""
MOST = 40


class FactChange(BaseModel):
    name: str
    before: str
    after: str


class UpgradeOut(BaseModel):
    """``waiting``: the answer shown was computed by other code and has not been renewed. Else ``changed`` holds the
    numbers that renewing changed, of ``compared``."""

    waiting: bool
    by: str
    now: str
    changed: list[FactChange] = []
    compared: int = 0


def upgrade_of(
    store: Store, item: Item, snapshot: Snapshot | None, method: str, spec: dict[str, Any]
) -> UpgradeOut | None:
    """None where the code that computed the answer shown is the present one and was not another before."""
    shown = store.shown(item.id)
    if shown is None:
        return None
    base, revision = store.computed(shown)
    if base and revision != REVISION:
        if snapshot is None or answer_base(snapshot, method, spec) != base:
            return None  # the data or the sentence changed as well: it is out of date anyhow
        return UpgradeOut(waiting=True, by=revision, now=REVISION)
    before = store.before(item.id)
    if before is None:
        return None
    old, new = ((store.result(k) or {}).get("facts", {}) for k in (before, shown))
    return UpgradeOut(
        waiting=False,
        by=store.computed(before)[1],
        now=REVISION,
        changed=changes(old, new)[:MOST],
        compared=len(set(old) | set(new)),
    )


def changes(old: dict[str, Any], new: dict[str, Any]) -> list[FactChange]:
    """Facts that differ by more than rounding in the last places."""
    return [
        FactChange(name=name, before=_said(old.get(name)), after=_said(new.get(name)))
        for name in dict.fromkeys([*new, *old])
        if not _same(old.get(name), new.get(name))
    ]


def _same(a: Any, b: Any) -> bool:
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
        return isclose(a, b, rel_tol=CLOSE, abs_tol=1e-300)
    return bool(a == b)


def _said(value: Any) -> str:
    if value is None:
        return "—"
    return f"{value:.10g}" if isinstance(value, float) else str(value)
