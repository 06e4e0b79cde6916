"""Samples of many taxa as questions about communities read them: amounts, transformed, groups, and what is left out."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import Field
from scipy.spatial.distance import pdist, squareform

from yavik.core.answers import Check, NoteBlock, Remedy, RowsUsed, Verdict
from yavik.core.answers.wording import counted, grouped, listing, percent
from yavik.core.ask import GROUPS, VALUES, option, placed, slot
from yavik.core.methods.base import Spec
from yavik.core.methods.kit.shared import used_where
from yavik.core.stats.communities.unlike import Transform, Unlike, standardised, transformed, unlike
from yavik.core.stats.groups import Floats
from yavik.core.table import DataProblem, Kind, Table, rows_in_words

MOST_TAXA = 5000
TRANSFORMS = {
    "none": "as counted", "sqrt": "square roots", "fourth_root": "fourth roots", "log1p": "ln(1 + amount)",
    "presence": "presence alone",
}  # fmt: skip
UNLIKE = {
    "bray_curtis": "Bray and Curtis", "jaccard": "Jaccard, of presence", "sorensen": "Sørensen, of presence",
    "ruzicka": "Růžička, of amounts", "euclidean": "Euclidean", "manhattan": "Manhattan", "canberra": "Canberra",
    "hellinger": "Hellinger", "chord": "chord", "gower": "Gower",
}  # fmt: skip
STANDARDS = {"sample": "samples as shares of their sum", "taxon_max": "taxa over their largest amount"}


class TaxaSpec(Spec):
    """What every question about communities asks."""

    taxa: list[str] = Field(
        [], title="Taxa", json_schema_extra=slot(["count", "measure"], "amounts of taxa", many=True)
    )
    groups: str | None = Field(None, title="Groups", json_schema_extra=slot(GROUPS, "a column of groups"))
    names: str | None = Field(
        None,
        json_schema_extra=placed(
            "column", "Samples are named by", "Their rows unless a column has a name for each.",
            kinds=["text", "identifier", "category"],
        ),
    )  # fmt: skip
    transform: Transform = Field(
        "none",
        json_schema_extra=option("Amounts", TRANSFORMS, "Roots let rare taxa count beside the common ones."),
    )
    standardise: list[Literal["sample", "taxon_max"]] = Field(
        [], json_schema_extra=placed("several", "Then standardised", words=STANDARDS)
    )


class ComparedSpec(TaxaSpec):
    """What is asked where samples are compared by one dissimilarity: of taxa, of columns of any kind, or as given."""

    distances: list[str] = Field(
        [], title="Dissimilarities",
        json_schema_extra=slot(VALUES, "a square of dissimilarities", many=True, layout="distances"),
    )  # fmt: skip
    dissimilarity: Unlike = Field("bray_curtis", json_schema_extra=option("Dissimilarity", UNLIKE))
    further: list[str] = Field(
        [],
        json_schema_extra=placed(
            "columns", "Further columns, of any kind", "Numbers by their range, levels by whether they are the same.",
            kinds=[*VALUES, "category", "ordered", "yes_no"], when={"dissimilarity": ["gower"]},
        ),
    )  # fmt: skip


@dataclass(frozen=True)
class Samples:
    """Samples that are used.

    Args:
        place: rows of the table. taxa: their names; raw: amounts, shape (n, k); x: transformed and standardised.
        codes: group of each sample, levels: their names; none without groups. labels: of samples.
        empty_taxa: named; empty_samples: rows without any taxon; rows: what was used and why others were not.
        given: condensed dissimilarities where these were given and there are no taxa.
        any_kind: columns are of any kind: ``x`` is for Gower's dissimilarity alone and ``raw`` holds what of
            them is numbers.
    """

    place: Any
    taxa: list[str]
    raw: Floats
    x: Floats
    codes: Any
    levels: list[str]
    labels: list[str]
    empty_taxa: list[str]
    empty_samples: list[int]
    rows: RowsUsed
    given: Floats | None = None
    any_kind: bool = False

    @property
    def n(self) -> int:
        """Samples."""
        return len(self.place)

    @property
    def counted(self) -> str:
        """'24 samples, 48 taxa'."""
        what = "dissimilarities given" if self.given is not None else counted(len(self.taxa), "taxon", "taxa")
        return f"{counted(self.n, 'sample')}, {counted(len(self.taxa), 'column') if self.any_kind else what}"

    @property
    def amounts(self) -> bool:
        """Whether there are amounts of taxa to look at."""
        return self.given is None and not self.any_kind

    @cached_property
    def sizes(self) -> Any:
        """Samples of each group."""
        return np.bincount(self.codes, minlength=len(self.levels))

    @cached_property
    def leading(self) -> tuple[list[str], float]:
        """The taxa that hold most, three at most, until they hold half of everything; and their share."""
        part = self.raw.sum(axis=0) / self.raw.sum()
        order = np.argsort(-part, kind="stable")
        running = np.cumsum(part[order])
        many = min(3, int(np.argmax(running >= 0.5)) + 1)
        return [self.taxa[int(i)] for i in order[:many]], float(running[many - 1])

    def settled(self, *keys: Any) -> Any:
        """An order of the samples that does not hang on the order of rows: by group, ``keys``, and amounts."""
        rows = self.x if self.given is None else np.sort(squareform(self.given), axis=1)
        return np.lexsort((*rows.T, *keys, self.codes))

    def taken(self, order: Any) -> "Samples":
        """The same samples in another order."""
        given = self.given
        if given is not None:
            given = squareform(squareform(given)[np.ix_(order, order)], checks=False)
        return replace(
            self, place=self.place[order], raw=self.raw[order], x=self.x[order], codes=self.codes[order],
            labels=[self.labels[int(i)] for i in order], given=given,
        )  # fmt: skip

    def unlike(self, kind: Unlike) -> Floats:
        """Dissimilarities of all pairs, condensed."""
        if self.given is not None:
            return self.given
        return np.asarray(pdist(self.x, "cityblock")) if self.any_kind else unlike(self.x, kind)


def read_samples(table: Table, spec: TaxaSpec, *, grouped: bool = True, least: int = 3) -> Samples:
    """Raises DataProblem for amounts below 0, too few samples or taxa, and groups that cannot be compared."""
    names = list(spec.taxa)
    _refuse_names(names, spec)
    raw = np.column_stack([table.numbers(t) for t in names])
    _not_below_zero(table, names, raw)
    use: Any = ~np.isnan(raw).any(axis=1)
    coded = table.codes(spec.groups) if spec.groups else None
    if coded is not None:
        use &= coded.codes >= 0
    empty = use & ~(np.nan_to_num(raw) > 0).any(axis=1)
    use &= ~empty
    rows = used_where(table, use, "a taxon or the group is empty, or no taxon occurs")
    there: Any = (raw[use] > 0).any(axis=0)
    place = np.flatnonzero(use)
    enough(len(place), least, names[0], "with any taxon ")
    if int(there.sum()) < 2:
        raise DataProblem("Fewer than two taxa occur in the samples that are left.", column=names[0])
    kept = raw[use][:, there]
    levels, codes = grouped_as(coded if grouped else None, use, spec.groups)
    return Samples(
        place, [t for t, is_there in zip(names, there, strict=True) if is_there], kept,
        standardised(transformed(kept, spec.transform), spec.standardise), codes, levels,
        labels_of(table, spec.names, place), [t for t, is_there in zip(names, there, strict=True) if not is_there],
        [int(r) for r in table.rows[empty]], rows,
    )  # fmt: skip


def enough(n: int, least: int, column: str, which: str = "") -> None:
    """Raises DataProblem for too few samples."""
    if n < least:
        have = "is" if n == 1 else "are"
        raise DataProblem(f"{counted(n, 'sample')} {which}{have} left; {least} are needed.", column=column)


def _refuse_names(names: Sequence[str], spec: TaxaSpec) -> None:
    twice = next((t for i, t in enumerate(names) if t in names[:i]), None)
    if twice:
        raise DataProblem(f"{twice} is chosen twice.", column=twice)
    if len(names) < 2:
        raise DataProblem("A community needs two taxa at least; choose more.", column=names[0] if names else None)
    if len(names) > MOST_TAXA:
        raise DataProblem(f"{len(names)} taxa are too many for one answer; choose up to {MOST_TAXA}.")
    if spec.groups in names:
        raise DataProblem(f"{spec.groups} cannot be a taxon and the groups.", column=spec.groups)


def _not_below_zero(table: Table, names: Sequence[str], raw: Floats) -> None:
    below = raw < 0
    if not below.any():
        return
    j = int(np.argmax(below.any(axis=0)))
    rows = [int(r) for r in table.rows[below[:, j]]]
    raise DataProblem(
        f"{names[j]} is below 0 in {rows_in_words(rows[:6])}: amounts of taxa are 0 and more.",
        column=names[j],
        rows=rows,
    )


def grouped_as(coded: Any, use: Any, name: str | None) -> tuple[list[str], Any]:
    """Levels among the rows used and the code of each; none where there are no groups. Raises DataProblem for one."""
    if coded is None:
        return [], np.zeros(int(np.count_nonzero(use)), int)
    seen = [i for i in range(len(coded.levels)) if (coded.codes[use] == i).any()]
    if len(seen) < 2:
        raise DataProblem(f"{name} has one level among the samples that are left; two are needed.", column=name)
    codes = np.searchsorted(seen, coded.codes[use])
    return [coded.levels[i] for i in seen], codes


def labels_of(table: Table, asked: str | None, place: Any) -> list[str]:
    """Of samples: the column asked for, or the first that has a name for each, or rows."""
    kinds = (Kind.text, Kind.identifier, Kind.category)
    for column in table.columns if asked is None else [table.column(asked)]:
        if asked is None and column.kind not in kinds:
            continue
        coded = table.codes(column.name)
        own = coded.codes[place]
        if asked is not None or ((own >= 0).all() and len(np.unique(own)) == len(own)):
            return [
                coded.levels[c] if c >= 0 else f"row {int(r)}" for c, r in zip(own, table.rows[place], strict=True)
            ]
    return [f"row {int(r)}" for r in table.rows[place]]


def preparation(s: Samples, spec: TaxaSpec) -> list[str]:
    """What was done to amounts, for the line under the sentence."""
    if not s.amounts:
        return []
    return [TRANSFORMS[spec.transform], *(STANDARDS[w] for w in spec.standardise)]


def advice(s: Samples, spec: TaxaSpec) -> Check | None:
    """Whether a few taxa hold nearly everything."""
    if not s.amounts:
        return None
    names, part = s.leading
    base: dict[str, Any] = {"id": "leading", "title": "Taxa weigh alike"}
    has = "holds" if len(names) == 1 else "hold"
    told = f"{listing(names)} {has} {percent(part)} of all amounts"
    heavy = part >= 0.5 and len(names) < max(3, len(s.taxa) // 8)
    if heavy and spec.transform == "none" and "sample" not in spec.standardise:
        text = f"{told}: they decide how unlike samples are. Roots let the others count."
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=[_roots("sqrt"), _roots("fourth_root")])
    return Check(**base, verdict=Verdict.holds, text=f"{told}{', before roots' if heavy else ''}.")


def _roots(how: str) -> Remedy:
    return Remedy(label=f"Take {TRANSFORMS[how]}", spec={"transform": how})


def same_samples(spec: TaxaSpec) -> dict[str, Any]:
    """What of a spec says which samples are compared and how, for another question about them."""
    kept = spec.model_dump(
        include={"taxa", "groups", "names", "transform", "standardise", "dissimilarity", "where"},
        exclude_defaults=True,
    )
    return dict(kept)


def left_out(s: Samples) -> NoteBlock | None:
    """Empty taxa and samples, named."""
    said = []
    if s.empty_taxa:
        said.append(
            f"{counted(len(s.empty_taxa), 'taxon', 'taxa')} that occur nowhere left out: {listing(s.empty_taxa, 12)}."
        )
    if s.empty_samples:
        many = counted(len(s.empty_samples), "sample")
        said.append(f"{many} without any taxon left out: {rows_in_words(s.empty_samples[:12])}.")
    return NoteBlock(id="left_out", text=" ".join(said)) if said else None


def over_taxa(table: Table, spec: dict[str, Any], rank: float, grouped: bool = False) -> tuple[float, str] | None:
    """How well a question of communities fits: amounts of four taxa and more, many of them 0, and groups if needed."""
    taxa = spec.get("taxa") or []
    if len(taxa) < 4 or (grouped and not spec.get("groups")):
        return -30, ""
    try:
        x = np.column_stack([table.numbers(t) for t in taxa])
    except DataProblem:
        return -30, ""
    there = x[~np.isnan(x)]
    if not len(there) or there.min() < 0 or (there == 0).mean() <= 0.05:
        return -30, ""
    return rank, f"{len(taxa)} taxa, many of them absent in places"


def samples_each(s: Samples) -> str:
    """'12 samples in each group.', '9 to 14 samples a group.'."""
    low, high = int(s.sizes.min()), int(s.sizes.max())
    return (
        f"{counted(low, 'sample')} in each group."
        if low == high
        else f"{grouped(low)} to {grouped(high)} samples a group."
    )
