"""Rates by simulation: counted, told as tables, and stored beside the documents that hold them."""

import json
import sys
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

DOCS = Path(__file__).resolve().parents[1] / "docs"
Rates = dict[str, list[float]]


def rate(hits: Any) -> list[float]:
    """A share and its Monte Carlo error."""
    p = float(np.mean(hits))
    return [p, float(np.sqrt(p * (1 - p) / np.size(hits)))]


def table_of(first: str, found: dict[str, Rates]) -> str:
    """A column for each setting, a row for each rate."""
    lines = [f"| {first} | " + " | ".join(found) + " |", "|---|" + "---:|" * len(found)]
    for key in next(iter(found.values())):
        cells = [f"{rates[key][0]:.3f} ± {2 * rates[key][1]:.3f}".replace("0.", ".") for rates in found.values()]
        lines.append(f"| {key} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


def simulate(name: str, parts: dict[str, tuple[Any, Any]], heads: dict[str, str] | None = None) -> None:
    """Every part at every setting on two processes; with ``--write`` into ``docs/NAME.json`` and ``docs/levels.md``, between marks.

    Args:
        parts: the work and its settings, by the part's name. heads: of the tables' first columns, where not that name.
    """
    kept: dict[str, dict[str, Rates]] = {}
    with Pool(2) as pool:
        for part, (work, settings) in parts.items():
            rates = pool.map(work, settings, chunksize=1)
            kept[part] = {
                str(s): {k: [round(x, 4) for x in v] for k, v in r.items()}
                for s, r in zip(settings, rates, strict=True)
            }
            print(f"{table_of((heads or {}).get(part, part), kept[part])}\n", flush=True)
    if "--write" not in sys.argv:
        return
    text = json.dumps(kept, indent=1, ensure_ascii=False)
    (DOCS / f"{name}.json").write_text(text + "\n", encoding="utf-8")
    page = (DOCS / "levels.md").read_text(encoding="utf-8")
    for part, found in kept.items():
        opened, closed = f"<!-- {part} of {name} -->", f"<!-- /{part} of {name} -->"
        before, after = page.split(opened)[0], page.split(closed)[1]
        page = f"{before}{opened}\n{table_of((heads or {}).get(part, part), found)}\n{closed}{after}"
    (DOCS / "levels.md").write_text(page, encoding="utf-8")
