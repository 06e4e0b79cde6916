"""The design of a mixed model as the table has it: terms, units within units, and what was taken for what."""

from dataclasses import dataclass
from itertools import combinations
from typing import Any

import numpy as np
import pyarrow as pa

from yavik.core.answers.wording import capital, counted, listing
from yavik.core.figures.caption import lower
from yavik.core.methods.kit.models.fitting import names_of
from yavik.core.methods.kit.models.terms import InteractionTerm, ModelData, Term
from yavik.core.methods.nested.mixed.spec import MixedSpec, RandomTerm
from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.blocks import Units
from yavik.core.stats.mixed.components import Component
from yavik.core.stats.numbering import first_of, lies_within, numbered, paired
from yavik.core.table import DataProblem, Kind, Table, rows_in_words
from yavik.core.table.column import CODED, Level

MOST_TIMES = 60


@dataclass(frozen=True)
class Random:
    """One random term, read.

    Args:
        codes: unit of each row. labels: of each unit.
        effects: what each unit has: 'level', or the column of a slope.
        z: internal columns, shape (n, k). turn: leads internal effects to effects of the columns as they are.
    """

    term: RandomTerm
    title: str
    codes: Any
    labels: list[str]
    effects: list[str]
    z: Floats
    turn: Floats

    @property
    def n_units(self) -> int:
        """Units."""
        return len(self.labels)

    @property
    def key(self) -> str:
        """In facts: 'hall*lamp'."""
        return "*".join(self.term.units)

    @property
    def units(self) -> Units:
        """For the engine."""
        return Units(self.codes, self.z, Component(self.z.shape[1], self.term.related))

    @property
    def plain(self) -> Units:
        """With slopes counted from the columns' own zero."""
        return Units(self.codes, self.z @ np.linalg.inv(self.turn), Component(self.z.shape[1], self.term.related))


def terms_of(spec: MixedSpec) -> list[Term]:
    """The fixed terms: as they stand, or those of subjects over time."""
    if not spec.over_time:
        return list(spec.terms)
    names = spec.time_terms
    mains: list[Term] = [*names, *spec.covariates]
    if spec.interactions == "all":
        sets = [list(c) for k in range(2, len(names) + 1) for c in combinations(names, k)]
    else:
        sets = [] if spec.interactions == "none" else [list(s) for s in spec.interactions if len(s) > 1]
    unknown = next((n for s in sets for n in s if n not in names), None)
    if unknown:
        raise DataProblem(
            f"{unknown} stands in an interaction, but is neither the time nor between subjects.", column=unknown
        )
    return [*mains, *(InteractionTerm(interaction=s) for s in sets)]


def demand_slots(spec: MixedSpec) -> None:
    """Raises DataProblem for a column in two slots."""
    slots = [spec.response, spec.subject, *spec.time_terms, *spec.covariates]
    slots += [n for t in spec.terms for n in names_of(t) if isinstance(t, str)]
    chosen = [s for s in slots if s]
    twice = next((c for i, c in enumerate(chosen) if c in chosen[:i]), None)
    if twice:
        raise DataProblem(f"{twice} stands in two places of the sentence.", column=twice)
    for r in spec.random:
        if spec.response in r.names:
            raise DataProblem(f"{spec.response} is what is to be explained; it names no units.", column=spec.response)


def with_time(table: Table, spec: MixedSpec) -> Table:
    """The table with the time as levels, in their order, or as a number."""
    if not spec.time:
        return table
    column = table.column(spec.time)
    if spec.time_as == "number":
        return table if column.kind in (Kind.measure, Kind.count) else _time_as_number(table, spec.time)
    if column.kind in CODED:
        return table
    codes = table.codes(spec.time)
    if len(codes.levels) > MOST_TIMES:
        raise DataProblem(
            f"{spec.time} has {len(codes.levels)} different values; up to {MOST_TIMES} can be levels. Take it as a"
            " number.",
            column=spec.time,
        )
    indices = pa.array(codes.codes, pa.int32(), mask=codes.codes < 0)
    array = pa.DictionaryArray.from_arrays(indices, pa.array(list(codes.levels), pa.string()))
    levels = tuple(Level(value=v) for v in codes.levels)
    return table.with_column(column.model_copy(update={"kind": Kind.ordered, "levels": levels}), array)


def _time_as_number(table: Table, name: str) -> Table:
    from yavik.core.table.level_numbers import level_numbers

    column, codes = table.column(name), table.codes(name)
    if column.kind is Kind.date:
        days = table.array(name).cast(pa.int32()).to_numpy(zero_copy_only=False).astype(np.float64)
        values: Any = days
    else:
        numbers = level_numbers(codes.levels)
        if numbers is None:
            raise DataProblem(
                f"The levels of {name} are no numbers ({listing(list(codes.levels), 3)}); take the time as levels.",
                column=name,
            )
        values = np.where(codes.codes >= 0, numbers[codes.codes], np.nan)
    made = column.model_copy(update={"kind": Kind.measure, "levels": ()})
    return table.with_column(made, pa.array(values, pa.float64(), mask=np.isnan(values)))


def random_terms(spec: MixedSpec) -> list[RandomTerm]:
    """Those of the sentence, or the subject's."""
    if not spec.over_time:
        return list(spec.random)
    assert spec.subject
    plain = spec.covariance == "compound" and spec.spread == "same"
    return [RandomTerm(units=[spec.subject])] if plain else []


def filled_units(table: Table, spec: MixedSpec) -> Any:
    """Which rows have all their units, and all numbers that have slopes."""
    here = np.ones(table.n_rows, bool)
    units = [n for r in spec.random for n in r.units] + [n for n in (spec.subject, spec.time) if n]
    for name in dict.fromkeys(units):
        here &= table.codes(name).codes >= 0
    for name in dict.fromkeys(n for r in spec.random for n in r.slopes):
        here &= ~np.isnan(table.numbers(name))
    return here


def read_random(table: Table, data: ModelData, term: RandomTerm) -> Random:
    """Units and their columns among the rows used. Raises DataProblem for what cannot be units."""
    twice = next((n for i, n in enumerate(term.units) if n in term.units[:i]), None)
    if twice:
        raise DataProblem(f"{twice} names a unit twice.", column=twice)
    codes, labels = units_of(table, data, term.units)
    titles = [lower(table.column(n).title) for n in term.units]
    title = " × ".join(titles)
    name, many = term.units[-1], len(labels)
    if many < 2:
        raise DataProblem(f"There is one {title} among the rows used, '{labels[0]}'; units need two.", column=name)
    if not term.intercept and not term.slopes:
        raise DataProblem(f"{title} has neither a level of its own nor a slope: nothing of it is left.", column=name)
    if many == data.n:
        raise DataProblem(
            f"Every {title} has one row ({many} units, {many} rows): what belongs to the unit cannot be told from the"
            " rest. Leave these units out, or choose the units that rows share.",
            column=name,
        )
    columns, effects = ([np.ones(data.n)], ["level"]) if term.intercept else ([], [])
    k = len(term.slopes) + int(term.intercept)
    turn = np.eye(k)
    for slope in term.slopes:
        x = table.numbers(slope)[data.places]
        _demand_slope(table, slope, x, codes, many, title)
        movable = term.intercept and term.related
        centre = float(x.mean()) if movable else 0.0
        scale = float(np.abs(x - centre).max())
        at = len(columns)
        turn[at, at] = 1 / scale
        if movable:
            turn[0, at] = -centre / scale
        columns.append((x - centre) / scale)
        effects.append(slope)
    return Random(term, title, codes, labels, effects, np.column_stack(columns), turn)


def _demand_slope(table: Table, slope: str, x: Floats, codes: Any, many: int, title: str) -> None:
    low, high = np.full(many, np.inf), np.full(many, -np.inf)
    np.minimum.at(low, codes, x)
    np.maximum.at(high, codes, x)
    if not (high > low).any():
        raise DataProblem(
            f"{slope} is the same throughout every {title}: no {title} has a slope over it. It may stand among the"
            " terms.",
            column=slope,
        )


def units_of(table: Table, data: ModelData, names: list[str]) -> tuple[Any, list[str]]:
    """The unit of each row used, and the units' labels: 'hall 1, desk'."""
    coded = [table.codes(n) for n in names]
    whole = np.zeros(data.n, np.int64)
    for c in coded:
        whole = whole * (len(c.levels) + 1) + c.codes[data.places]
    there, codes = numbered(whole)
    at = data.places[first_of(codes, len(there))]
    labels = [", ".join(c.levels[c.codes[i]] for c in coded) for i in at]
    return codes, labels


def demand_apart(data: ModelData, random: list[Random]) -> None:
    """Raises DataProblem for units that are told twice, or that the terms already tell."""
    for i, r in enumerate(random):
        for other in random[:i]:
            if other.n_units == r.n_units and lies_within(r.codes, other.codes):
                same = "" if r.term.units == other.term.units else f": each {r.title} is one {other.title}"
                if set(r.effects) & set(other.effects):
                    raise DataProblem(
                        f"{capital(r.title)} and {other.title} are the same units{same}. Leave one out.",
                        column=r.term.units[-1],
                    )
        for term in data.terms:
            if set(term.names) == set(r.term.units) and all(n in data.factors for n in term.names):
                raise DataProblem(
                    f"{data.term_title(term)} stands among the terms and names units too: its levels cannot be both."
                    " Leave it out of one of them.",
                    column=r.term.units[-1],
                )


def demand_told(x: Floats, random: list[Random]) -> None:
    """Raises DataProblem for units whose level the terms already tell, each of them: nothing of it is left to vary."""
    root = np.linalg.cholesky(x.T @ x)
    for r in random:
        if not r.term.intercept:
            continue
        sums = np.zeros((r.n_units, x.shape[1]))
        np.add.at(sums, r.codes, x)
        n = np.bincount(r.codes, minlength=r.n_units)
        own = n - (np.linalg.solve(root, sums.T) ** 2).sum(axis=0)
        if np.all(own < 1e-8 * n):
            raise DataProblem(
                f"The terms tell every {r.title} from every other: what belongs to the unit cannot be told from them."
                " Leave a term out, or these units.",
                column=r.term.units[-1],
            )


def repeated_labels(table: Table, data: ModelData, random: list[Random]) -> tuple[RandomTerm, str] | None:
    """A term whose labels stand in several units of another without being named as within them: plot 1 in each block.

    Returns:
        The term as it may be meant, and what was seen in words.
    """
    for r in random:
        if len(r.term.units) > 1:
            continue
        for other in random:
            if other is r or set(other.term.units) & set(r.term.units):
                continue
            pairs = paired(other.codes, r.codes)
            # Every label in every unit of the other: labels begun anew, or units that are met everywhere.
            if len(pairs) < other.n_units * r.n_units or other.n_units < r.n_units:
                continue
            meant = RandomTerm(units=[*other.term.units, *r.term.units], slopes=r.term.slopes, related=r.term.related)
            said = (
                f"The same {counted(r.n_units, 'label')} of {r.title} {'stands' if r.n_units == 1 else 'stand'} in"
                f" every {other.title}"
            )
            return meant, said
    return None


def demand_once(table: Table, data: ModelData, spec: MixedSpec) -> None:
    """Raises DataProblem for a subject measured twice at the same time."""
    assert spec.subject and spec.time
    subject, labels = units_of(table, data, [spec.subject])
    time = table.codes(spec.time).codes[data.places]
    key = subject * (int(time.max()) + 2) + time
    found, own = numbered(key)
    if len(found) == len(key):
        return
    first, n = first_of(own, len(found)), np.bincount(own)
    twice = np.flatnonzero(n > 1)
    rows = data.rows[np.isin(key, found[twice])]
    who = labels[int(subject[first[twice[0]]])]
    when = table.codes(spec.time).levels[int(time[first[twice[0]]])]
    raise DataProblem(
        f"{who} has {n[twice[0]]} rows at {spec.time} {when} ({counted(len(twice), 'such pair')},"
        f" {rows_in_words(rows.tolist())}). A subject has one value at a time: take the mean first, or name subjects so"
        " that each stands for one.",
        column=spec.subject,
        rows=rows[:200].tolist(),
    )
