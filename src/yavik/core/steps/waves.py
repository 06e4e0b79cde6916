"""Steps for surveys: the design that later estimates need, and waves of one survey in one table."""

from typing import Any, Literal

import numpy as np
import pyarrow as pa
from pydantic import BaseModel, Field

from yavik.core.ask import asked
from yavik.core.stats.surveys.designs import multipliers
from yavik.core.steps.base import ALONE, NUMBERS, Around, Outcome, Step, need, new_name, plural, spaced
from yavik.core.steps.making import measure, nothing, stacked, words
from yavik.core.steps.together import differences
from yavik.core.table import Column, DataProblem, Design, Kind, Level, Table
from yavik.core.table.about import Lone, ReplicateMethod

METHODS = {
    "jk1": "jackknife, one group of all left out at a time",
    "jk2": "jackknife of pairs",
    "jkn": "jackknife, one cluster of a stratum left out at a time",
    "brr": "balanced repeated replication",
    "fay": "balanced repeated replication, Fay's variant",
    "bootstrap": "bootstrap",
    "successive": "successive differences",
}
LONE = {
    "centred": "its distance from the mean of all clusters", "certainty": "nothing: it was sure to be drawn",
    "pooled": "the mean of what other strata add",
}  # fmt: skip


def usual_scale(method: ReplicateMethod, replicates: int, fay: float = 0.5) -> float | None:
    """The usual multiplier of Σ(θᵣ − θ)² for R replicates; None of a jackknife within strata, whose multipliers are
    read off the weights."""
    if method == "jkn":
        return None
    return float(multipliers(method, np.ones((1, max(1, replicates))), np.ones(1), fay)[0])


class SurveyDesign(Step):
    """Weight, replicates, strata and clusters, kept with the table for survey estimates; changes no cells."""

    step: Literal["design"] = "design"
    weight: str = asked("column", "Weight", kinds=NUMBERS)
    replicates: list[str] = asked("columns", "Replicate weights", [], kinds=NUMBERS, placeholder="none")
    method: ReplicateMethod = asked("choice", "Replicates were made by", "jk1", words=METHODS)
    fay: float = asked("number", "Fay's factor", 0.5, ge=0, lt=1, when={"method": "fay"})
    scale: float | None = asked(
        "number", "Multiplier of squared differences", None, placeholder="as usual for the method", gt=0
    )
    strata: str | None = asked("column", "Strata", None)
    clusters: str | None = asked("column", "Clusters", None)
    population: str | None = asked(
        "column",
        "Clusters of each stratum in all",
        None,
        kinds=NUMBERS,
        help="How many there are (rows where there are no clusters), or which share was drawn.",
    )
    lone: Lone = asked("choice", "A stratum with one cluster adds", "centred", words=LONE)
    words = "The survey weight is {weight} with the replicates {replicates}"
    help = (
        "Says how the sample was drawn, for survey estimates. The variance is the multiplier times the sum of squared"
        " differences of the replicate estimates."
    )
    family = "Surveys"

    def title(self) -> str:
        return f"Survey design: **{self.weight}**"

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        need(table, [self.weight, *self.replicates, *(n for n in (self.strata, self.clusters, self.population) if n)])
        for name in [self.weight, *self.replicates]:
            weights = table.numbers(name)
            if (weights < 0).any():
                bad = table.rows[weights < 0]
                raise DataProblem(
                    f"{name} has {plural(len(bad), 'negative weight')} (such as in row {bad[0]}).",
                    column=name,
                    rows=bad,
                )
            if np.isnan(weights).any():
                bad = table.rows[np.isnan(weights)]
                raise DataProblem(
                    f"{name} is empty in {plural(len(bad), 'row')} (such as row {bad[0]}); every row needs a weight.",
                    column=name,
                    rows=bad,
                )
        design = Design(
            weight=self.weight, replicates=tuple(self.replicates), method=self.method,
            scale=self.scale or usual_scale(self.method, len(self.replicates), self.fay), fay=self.fay,
            strata=self.strata, clusters=self.clusters, population=self.population, lone=self.lone,
        )  # fmt: skip
        total = float(table.numbers(self.weight).sum())
        sums = [float(table.numbers(r).sum()) for r in self.replicates]
        notes = [f"The weights add up to {_big(total)}."]
        if sums:
            notes.append(
                f"The {len(sums)} replicate weights add up to {_big(min(sums))} to {_big(max(sums))}; multiplier"
                f" {self._scale(table)}."
            )
        said = plural(len(sums), "replicate") if sums else f"adds up to {_big(total)}"
        return Outcome(table.knowing(table.about.model_copy(update={"design": design})), said, notes)

    def _scale(self, table: Table) -> str:
        """The multiplier, or from where to where it goes over the replicates."""
        if self.scale is not None:
            return f"{self.scale:.4g}"
        reps = np.column_stack([table.numbers(r) for r in self.replicates])
        usual = multipliers(self.method, reps, table.numbers(self.weight), self.fay)
        low, high = float(usual.min()), float(usual.max())
        return f"{low:.4g}" if high - low < 1e-9 else f"{low:.4g} to {high:.4g}"


def _big(x: float) -> str:
    return spaced(round(x)) if abs(x) >= 1000 else f"{x:.4g}"


class Wave(BaseModel):
    """Another wave: its table, its name, its weight and replicates."""

    table: str
    label: str = Field(min_length=1)
    weight: str
    replicates: list[str] = Field(min_length=1)


class Variable(BaseModel):
    """A variable of the joined table and what it is called in each wave (nothing where a wave lacks it)."""

    name: str = Field(min_length=1)
    columns: dict[str, str | None]


class JoinWaves(Step):
    """Waves of one survey under each other, with one full-sample weight and a block of replicates for each wave.

    A row carries its own replicates in its wave's block and its full-sample weight in every other block, so that the
    differences of a replicate's estimate come from one wave at a time.
    """

    step: Literal["join_waves"] = "join_waves"
    label: str = asked("text", "This table is the wave", placeholder="2023")
    weight: str = asked("column", "Its weight", kinds=NUMBERS)
    replicates: list[str] = asked("columns", "Its replicate weights", kinds=NUMBERS, min_length=1)
    waves: list[Wave] = asked("waves", "Other waves", min_length=1)
    variables: list[Variable] = asked("variables", "Variables", [])
    """Empty: every column that all waves have under the same name."""
    wave_to: str = asked("text", "The wave goes to", "wave")
    weight_to: str = asked("text", "The joined weight is called", "weight")
    replicate_to: str = asked("text", "The replicates are called", "replicate")
    method: ReplicateMethod = asked("choice", "Replicates were made by", "jk1", words=METHODS)
    words = "Join the survey waves: this one is {label} weighed by {weight} with {replicates}"
    help = (
        "Stacks the waves of a survey with variables matched across renamings, one weight, and a block of replicate"
        " weights for each wave."
    )
    family = "Surveys"
    fresh = True

    def title(self) -> str:
        return f"Join the waves {self.label}, {', '.join(w.label for w in self.waves)}"

    def tables(self) -> list[str]:
        return [w.table for w in self.waves]

    def apply(self, table: Table, around: Around = ALONE) -> Outcome:
        own = Wave(table="", label=self.label, weight=self.weight, replicates=self.replicates)
        waves = [own, *self.waves]
        tables = [table, *(around.other(w.table).table for w in self.waves)]
        labels = [w.label for w in waves]
        if len(set(labels)) < len(labels):
            raise DataProblem("Two waves have the same name.")
        count = len(self.replicates)
        for wave, t in zip(waves, tables, strict=True):
            self._check_weights(wave, t, count)
        made, notes = self._variables(waves, tables)
        sizes = [t.n_rows for t in tables]
        which = np.repeat(np.arange(len(waves)), sizes)
        made = made.with_column(
            *words(new_name(made, self.wave_to), which, [Level(value=w) for w in labels], Kind.ordered)
        )
        full = np.concatenate([t.numbers(w.weight) for w, t in zip(waves, tables, strict=True)])
        weight = new_name(made, self.weight_to)
        made = made.with_column(*measure(weight, full))
        ends = np.concatenate([[0], np.cumsum(sizes)])
        names: list[str] = []
        for k, (wave, t) in enumerate(zip(waves, tables, strict=True)):
            for r, replicate in enumerate(wave.replicates):
                block = full.copy()
                block[ends[k] : ends[k + 1]] = t.numbers(replicate)
                name = new_name(made, f"{self.replicate_to} {k * count + r + 1}")
                made = made.with_column(*measure(name, block))
                names.append(name)
        # Each wave was drawn on its own with R replicates, so each block keeps its own multiplier, that of R.
        design = Design(
            weight=weight, replicates=tuple(names), method=self.method, scale=usual_scale(self.method, count),
            waves=len(waves),
        )  # fmt: skip
        notes += self._sums(waves, tables, full, ends, made, names, count)
        said = f"{' + '.join(spaced(s) for s in sizes)} = {plural(made.n_rows, 'row')}, {len(names)} replicates"
        return Outcome(made.knowing(made.about.model_copy(update={"design": design})), said, notes)

    def _check_weights(self, wave: Wave, table: Table, count: int) -> None:
        if len(wave.replicates) != count:
            raise DataProblem(
                f"{wave.label} has {plural(len(wave.replicates), 'replicate weight')}, {self.label} has {count};"
                " waves must have equally many."
            )
        if len(set(wave.replicates)) < count:
            raise DataProblem(f"A replicate weight of {wave.label} is named twice.")
        for name in [wave.weight, *wave.replicates]:
            if not table.has(name):
                raise DataProblem(f"The wave {wave.label} has no column '{name}'.", column=name)
            hollow = table.empty(name)
            if hollow.any():
                rows = table.rows[hollow]
                raise DataProblem(
                    f"{name} is empty in {plural(len(rows), 'row')} of the wave {wave.label} (such as row {rows[0]});"
                    " every row needs a weight.",
                    column=name,
                    rows=rows,
                )

    def _variables(self, waves: list[Wave], tables: list[Table]) -> tuple[Table, list[str]]:
        weights = [{w.weight, *w.replicates} for w in waves]
        chosen = self.variables
        if not chosen:
            common = [n for n in tables[0].names if all(t.has(n) for t in tables) and n not in weights[0]]
            chosen = [Variable(name=n, columns={w.label: n for w in waves}) for n in common]
        if not chosen:
            raise DataProblem("The waves have no column in common. Say which columns are the same.")
        n = sum(t.n_rows for t in tables)
        made = Table((), (), np.arange(1, n + 1))
        notes: list[str] = []
        for variable in chosen:
            parts = self._parts(variable, waves, tables)
            known = [(c, a) for c, a in parts if c is not None]
            if not known:
                raise DataProblem(f"{variable.name} is in none of the waves.", column=variable.name)
            model = known[0][0]
            filled = [
                (c, a) if c is not None else (model, nothing(model, t.n_rows))
                for (c, a), t in zip(parts, tables, strict=True)
            ]
            fresh, array = stacked(filled)
            lacking = [w.label for w, (c, _) in zip(waves, parts, strict=True) if c is None]
            if lacking:
                notes.append(f"{variable.name} is empty in {', '.join(lacking)}.")
            for wave, (c, _) in zip(waves[1:], parts[1:], strict=True):
                if c is not None and parts[0][0] is not None:
                    notes += differences(parts[0][0].but(name=variable.name), c, fresh, wave.label)
            made = made.with_column(fresh.but(name=new_name(made, variable.name)), array)
        return made, notes

    def _parts(self, variable: Variable, waves: list[Wave], tables: list[Table]) -> list[tuple[Column | None, Any]]:
        parts: list[tuple[Column | None, Any]] = []
        for wave, table in zip(waves, tables, strict=True):
            name = variable.columns.get(wave.label)
            if not name:
                parts.append((None, pa.nulls(table.n_rows)))
            elif not table.has(name):
                raise DataProblem(f"The wave {wave.label} has no column '{name}'.", column=name)
            else:
                parts.append((table.column(name), table.array(name)))
        return parts

    def _sums(
        self, waves: list[Wave], tables: list[Table], full: Any, ends: Any, made: Table, names: list[str], count: int
    ) -> list[str]:
        """Sums that a reader can hold against each wave's own: and a recount of every block."""
        notes = []
        for k, (wave, table) in enumerate(zip(waves, tables, strict=True)):
            part = slice(int(ends[k]), int(ends[k + 1]))
            block = names[k * count : (k + 1) * count]
            own = [
                bool(np.array_equal(made.numbers(n)[part], table.numbers(r)))
                for n, r in zip(block, wave.replicates, strict=True)
            ]
            rest = np.ones(len(full), bool)
            rest[part] = False
            others = [bool(np.array_equal(made.numbers(n)[rest], full[rest])) for n in block]
            right = sum(a and b for a, b in zip(own, others, strict=True))
            notes.append(
                f"{wave.label}: {plural(table.n_rows, 'row')}, weights add up to {_big(float(full[part].sum()))};"
                f" replicates {k * count + 1} to {(k + 1) * count} are its own, {right} of {count} checked: own rows"
                " carry their replicate, all other rows their weight."
            )
        return notes
