"""False alarms of errors by cluster, for few clusters and many.

Run with ``--write`` to store ``docs/clusters.json`` and the table in ``docs/levels.md``; without, it prints the table. In each
study rows of a cluster share a scatter as large as their own; a measure x differs between clusters, three more
(z1, z2, z3) do too, and none has any effect.
"""

import json
import sys
from multiprocessing import Pool
from pathlib import Path

import numpy as np

from yavik.core.methods.predict.linear.fit import fit_linear
from yavik.core.methods.registry import parse_spec
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table

DOCS = Path(__file__).resolve().parents[1] / "docs"
CLUSTERS = (4, 6, 8, 10, 15, 20, 30, 50)
STUDIES = 1000
SIZE = 12
KINDS = ("cluster", "cr2", "wild")
TERMS = ["x", "z1", "z2", "z3"]


def study(rng: np.random.Generator, g: int) -> Table:
    import pyarrow as pa

    own = np.repeat(np.arange(g), SIZE)
    names = [f"c{i:02d}" for i in range(g)]
    measures: dict[str, Floats] = {t: rng.normal(size=g)[own] + rng.normal(size=len(own)) / 4 for t in TERMS}
    measures["y"] = rng.normal(size=g)[own] + rng.normal(size=len(own))
    columns = [Column(name=k, kind=Kind.measure, decimals=3) for k in measures]
    columns.append(Column(name="c", kind=Kind.category, levels=tuple(Level(value=n) for n in names)))
    arrays = [pa.array(v) for v in measures.values()]
    arrays.append(pa.DictionaryArray.from_arrays(pa.array(own, pa.int32()), pa.array(names)))
    return make_table(columns, arrays)


def alarms(g: int, studies: int = STUDIES) -> dict[str, list[float]]:
    rng = np.random.default_rng(700 + g)
    told: dict[str, list[bool]] = {}
    for _ in range(studies):
        table = study(rng, g)
        for kind in KINDS:
            for words, terms in (("one measure", ["x"]), ("three at once", TERMS)):
                if words != "one measure" and kind == "wild" and g > 20:
                    continue  # draws of every study would take the night
                spec = {"response": "y", "terms": terms, "se": kind, "cluster": "c"}
                m = fit_linear(table, parse_spec("linear", spec))
                rows = np.eye(m.data.design.p)[[0] if words == "one measure" else [1, 2, 3]]
                test = m.tested(rows)
                told.setdefault(f"{kind}: {words}", []).append(not isinstance(test, str) and test.p < 0.05)
                told.setdefault(f"{kind}: {words}, refused", []).append(isinstance(test, str))
    return {k: [float(np.mean(v)), float(np.sqrt(np.mean(v) * (1 - np.mean(v)) / len(v)))] for k, v in told.items()}


def table_of(found: dict[str, dict[str, list[float]]]) -> str:
    lines = ["| clusters | " + " | ".join(found) + " |", "|---|" + "---:|" * len(found)]
    for key in [k for k in next(iter(found.values())) if not k.endswith("refused")]:
        cells = []
        for rates in found.values():
            if key not in rates:
                cells.append("–")
            elif rates[f"{key}, refused"][0] > 0.5:
                cells.append("refused")
            else:
                cells.append(f"{rates[key][0]:.3f} ± {2 * rates[key][1]:.3f}".replace("0.", "."))
        lines.append(f"| {key} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


def main() -> None:
    with Pool(2) as pool:
        rates = pool.map(alarms, CLUSTERS, chunksize=1)
    found = {str(g): r for g, r in zip(CLUSTERS, rates, strict=True)}
    text = table_of(found)
    print(text)
    if "--write" in sys.argv:
        kept = {g: {k: [round(x, 4) for x in v] for k, v in r.items()} for g, r in found.items()}
        (DOCS / "clusters.json").write_text(json.dumps(kept, indent=1) + "\n", encoding="utf-8")
        page = (DOCS / "levels.md").read_text(encoding="utf-8")
        before, after = page.split("<!-- clusters -->")[0], page.split("<!-- /clusters -->")[1]
        page = f"{before}<!-- clusters -->\n{text}\n<!-- /clusters -->{after}"
        (DOCS / "levels.md").write_text(page, encoding="utf-8")


if __name__ == "__main__":
    main()
