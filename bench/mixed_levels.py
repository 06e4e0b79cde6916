"""False alarms of tests in mixed models, for few units and many, balanced and not.

Run with ``--write`` to store ``docs/mixed.json`` and the table in ``docs/levels.md``; without, it prints the table. In
each study units have six rows, three levels twice; half of the units have one treatment and half the other, and neither
treatment nor level has an effect. Units differ with an SD of one, as rows within them do.
"""

import json
import sys
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

from yavik.core.methods.nested.mixed.fit import fit_model
from yavik.core.methods.nested.mixed.simulate import simulate
from yavik.core.methods.nested.mixed.spec import MixedSpec
from yavik.core.table import Column, DataProblem, Kind, Level, Table
from yavik.core.table.table import make_table

DOCS = Path(__file__).resolve().parents[1] / "docs"
UNITS = (4, 8, 20)
STUDIES = 2000
SIMULATED = 300
DRAWS = 199
WAYS = {"Wald’s χ²": "none", "Satterthwaite": "satterthwaite", "Kenward and Roger": "kenward_roger"}


def study(rng: np.random.Generator, g: int, balanced: bool) -> Table:
    import pyarrow as pa

    unit, level = np.repeat(np.arange(g), 6), np.tile([0, 0, 1, 1, 2, 2], g)
    y = rng.normal(size=g)[unit] + rng.normal(size=6 * g)
    keep = np.ones(6 * g, bool)
    if not balanced:
        keep = rng.random(6 * g) > np.linspace(0.05, 0.6, g)[unit]
        keep[::6] = True  # no unit is lost
    coded = {"unit": unit, "way": unit % 2, "level": level}
    columns, arrays = [Column(name="y", kind=Kind.measure, decimals=3)], [pa.array(y[keep])]
    for name, codes in coded.items():
        words = [f"{name}{i:02d}" for i in range(int(codes.max()) + 1)]
        columns.append(Column(name=name, kind=Kind.category, levels=tuple(Level(value=w) for w in words)))
        arrays.append(pa.DictionaryArray.from_arrays(pa.array(codes[keep], pa.int32()), pa.array(words)))
    return make_table(columns, arrays)


def alarms(setting: tuple[int, bool], studies: int = STUDIES, simulated: int = SIMULATED) -> dict[str, list[float]]:
    g, balanced = setting
    rng = np.random.default_rng(900 + 2 * g + balanced)
    told: dict[str, list[bool]] = {}
    base: dict[str, Any] = {"response": "y", "terms": ["way", "level"], "random": [{"units": ["unit"]}]}
    for i in range(studies):
        table = study(rng, g, balanced)
        try:
            for words, df in WAYS.items():
                between, within = fit_model(table, MixedSpec(**base, df=df), second=False).tests
                told.setdefault(f"between units: {words}", []).append(bool(between and between.p < 0.05))
                told.setdefault(f"within units: {words}", []).append(bool(within and within.p < 0.05))
            if i < simulated:
                for term, words in (("way", "between"), ("level", "within")):
                    spec = MixedSpec(**base, seed=i, simulate={"term": term, "draws": DRAWS})
                    p = simulate(fit_model(table, spec, second=False)).lines[0].p
                    told.setdefault(f"{words} units: by simulation", []).append(p <= 0.05)
        except DataProblem:
            continue  # fewer levels than two left in a small study
    return {k: [float(np.mean(v)), float(np.sqrt(np.mean(v) * (1 - np.mean(v)) / len(v)))] for k, v in told.items()}


def table_of(found: dict[str, dict[str, list[float]]]) -> str:
    lines = ["| units | " + " | ".join(found) + " |", "|---|" + "---:|" * len(found)]
    for key in sorted(next(iter(found.values()))):
        cells = [f"{rates[key][0]:.3f} ± {2 * rates[key][1]:.3f}".replace("0.", ".") for rates in found.values()]
        lines.append(f"| {key} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


def main() -> None:
    settings = [(g, balanced) for balanced in (True, False) for g in UNITS]
    with Pool(2) as pool:
        rates = pool.map(alarms, settings, chunksize=1)
    found = {f"{g}{'' if b else ', unbalanced'}": r for (g, b), r in zip(settings, rates, strict=True)}
    text = table_of(found)
    print(text)
    if "--write" in sys.argv:
        kept = {g: {k: [round(x, 4) for x in v] for k, v in r.items()} for g, r in found.items()}
        (DOCS / "mixed.json").write_text(json.dumps(kept, indent=1) + "\n", encoding="utf-8")
        page = (DOCS / "levels.md").read_text(encoding="utf-8")
        before, after = page.split("<!-- mixed -->")[0], page.split("<!-- /mixed -->")[1]
        page = f"{before}<!-- mixed -->\n{text}\n<!-- /mixed -->{after}"
        (DOCS / "levels.md").write_text(page, encoding="utf-8")


if __name__ == "__main__":
    main()
