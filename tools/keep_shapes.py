"""Keeps what this version stores, for later versions to open: one file a kind, under the present shapes' number.

Run it once for a version whose shapes changed; what is there already is never written over."""

import json
import shutil
import sys
import tempfile
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from yavik.demo.study import make_demo
from yavik.engine import Engine
from yavik.engine.describing import draw_for
from yavik.store import Store
from yavik.store.bodies import Stored
from yavik.store.models import Change, Item, Profile, Result, Shown, TrailRound, Version

TARGET = Path(__file__).resolve().parents[1] / "tests/store/shapes"


def kept(store: Store) -> dict[str, Any]:
    """A few of each kind: small ones, and of answers one of each method."""
    found: dict[str, Any] = {}
    with Session(store.engine) as s:
        for item in s.scalars(select(Item)):
            found.setdefault(f"{item.type}s", []).append(item.body)
        rows = s.execute(
            select(Item.type, Result.data).join(Shown, Shown.item_id == Item.id).join(Result, Result.key == Shown.key)
        )
        for kind, data in rows:
            where = found.setdefault("answers" if kind == "question" else "drawings", [])
            for block in data.get("blocks", []):  # a drawing is the renderer's, not ours
                block.update({"drawing": {}} if "drawing" in block else {})
            data.update({"vega": {"left": "out"}} if kind == "figure" else {})
            again = any(known.get("method") == data.get("method") for known in where) and kind == "question"
            if len(json.dumps(data)) < 30_000 and not again:
                where.append(data)
        found["drawings"] = found.get("drawings", [])[:4]
        found["versions"] = [
            {"columns": v.columns, "effect": v.effect, "about": v.about} for v in s.scalars(select(Version).limit(12))
        ]
        found["profiles"] = [p.data for p in s.scalars(select(Profile).limit(12))]
        found["rounds"] = [{"spec": r.spec, "card": r.card} for r in s.scalars(select(TrailRound).limit(6))]
        found["changes"] = [{"before": c.before, "after": c.after} for c in s.scalars(select(Change).limit(12))]
    return found


def main() -> int:
    target = TARGET / str(max(c.SHAPE for c in Stored.__subclasses__()))
    if target.exists():
        print(f"{target.name} is kept already; later versions are held to it.", file=sys.stderr)
        return 1
    folder = Path(tempfile.mkdtemp())
    try:
        store = Store(folder)
        study = make_demo(store)
        for item in store.items.items(study.id):
            if item.type == "table":
                snapshot = store.tables(study.id).replay(store.tables(study.id).body(item.id))[0]
                store.profile(snapshot, snapshot.columns[0].name)
        engine = Engine(store, workers=0)
        for item in [i for i in store.items.items(study.id) if i.type == "figure"][:3]:
            engine.do(draw_for(store, item))
            store.items.change(study.id, item.id, "Rename", name=f"{item.name}, renamed")
        target.mkdir(parents=True)
        for name, data in kept(store).items():
            (target / f"{name}.json").write_text(json.dumps(data, ensure_ascii=False) + "\n", encoding="utf-8")
        store.close()
    finally:
        shutil.rmtree(folder)
    return 0


if __name__ == "__main__":
    sys.exit(main())
