"""How diverse are samples?"""

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, FigureBlock, NoteBlock, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, decimals_of, grouped, listing, number, say, share, span
from yavik.core.ask import placed
from yavik.core.figures.plots import block
from yavik.core.figures.taxa import curves
from yavik.core.methods.base import Aim, Layout, Method, Run
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.columns import at_rows, measured
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.taxa import Samples, TaxaSpec, left_out, over_taxa, read_samples
from yavik.core.stats.communities.diversity import Diversity, diversity, in_equal, rarefied, whole
from yavik.core.stats.groups import Floats
from yavik.core.table import Column, Table

POINTS = 40
MOST_DRAWN = 60
COUNTS = "amounts are no counts of individuals"
INDICES = (
    ("richness", "Taxa", 1), ("shannon", "Shannon", 3), ("simpson", "Simpson", 3), ("inverse", "1/Σp²", 2),
    ("evenness", "Evenness", 3), ("chao1", "Chao 1", 1),
)  # fmt: skip


class DiversitySpec(TaxaSpec):
    """Slots; amounts stay as they were counted."""

    transform: Literal["none"] = Field("none", json_schema_extra=placed("hidden", "Amounts"))
    standardise: list[Literal["sample", "taxon_max"]] = Field(
        [], max_length=0, json_schema_extra=placed("hidden", "Then standardised")
    )


@dataclass(frozen=True)
class Diverse:
    """Everything computed. ``least``: individuals that every sample has; ``rare``: taxa expected among so many."""

    spec: DiversitySpec
    samples: Samples
    d: Diversity
    least: int
    rare: Floats

    @cached_property
    def lines(self) -> list[tuple[Floats, Floats]]:
        """Rarefaction of each sample: individuals and taxa expected."""
        if not self.least:
            return []
        out = []
        for row in self.samples.raw[:MOST_DRAWN]:
            m = np.unique(np.round(np.linspace(1, float(row.sum()), POINTS))).astype(float)
            out.append((m, rarefied(row, m)))
        return out

    def of(self, key: str) -> Floats:
        """An index of every sample."""
        return self.rare if key == "rarefied" else np.asarray(getattr(self.d, key))


def compute(table: Table, spec: DiversitySpec) -> Diverse:
    """Raises DataProblem for what is no community."""
    s = read_samples(table, spec, least=1)
    least = int(s.raw.sum(axis=1).min()) if whole(s.raw) else 0
    rare = in_equal(s.raw, float(least)) if least else np.full(s.n, np.nan)
    return Diverse(spec, s, diversity(s.raw), least, rare)


def ask(table: Table, spec: DiversitySpec, run: Run) -> Answer:
    """The answer; raises DataProblem for what is no community."""
    d = compute(table, spec)
    run.progress(0.5, "Tables and curves")
    s = d.samples
    low, high = float(d.d.richness.min()), float(d.d.richness.max())
    text = f"{counted(s.n, 'sample')} hold {span(low, high, lambda v: number(v, 0))} taxa each"
    text += f" (median {number(float(np.median(d.d.richness)), 0)}),"
    text += f" Shannon {span(float(d.d.shannon.min()), float(d.d.shannon.max()), lambda v: number(v, 2))}."
    if s.levels:
        means = [f"{number(float(d.d.shannon[s.codes == g].mean()), 2)} in {x}" for g, x in enumerate(s.levels[:6])]
        text += f" Shannon is {listing(means, 6)} on average; whether that is more than chance is not tested here."
    return compose(
        say(text),
        short=f"{counted(s.n, 'sample')}, {counted(len(s.taxa), 'taxon', 'taxa')}",
        settings=[f"{counted(s.n, 'sample')}, {counted(len(s.taxa), 'taxon', 'taxa')}", "natural logarithms"],
        facts=_facts(d),
        blocks=[_curves(d), _groups(d), _indices(d), _each(d), left_out(s), _write_up(d)],
        checks=[_sizes(d), _singles(d)],
        rows=s.rows,
    )


def _curves(d: Diverse) -> FigureBlock | None:
    if not d.lines:
        return None
    s = d.samples
    groups = [s.levels[int(c)] for c in s.codes[:MOST_DRAWN]] if s.levels else None
    return block(
        "rarefaction", "Taxa expected in smaller samples", curves(d.lines, s.labels, groups, s.levels, d.least)
    )


def _keys(d: Diverse) -> list[tuple[str, str, int]]:
    return [*INDICES, ("rarefied", f"Taxa in {grouped(d.least)}", 1)] if d.least else list(INDICES)


def _groups(d: Diverse) -> TableBlock | None:
    s = d.samples
    if not s.levels:
        return None
    rows = []
    for g, name in enumerate(s.levels):
        own = s.codes == g
        cells = q.row(group=q.name(name, d.spec.groups or "Group"), n=q.count(int(own.sum()), "n"))
        for key, title, decimals in _keys(d):
            v = d.of(key)[own]
            v = v[np.isfinite(v)]
            if not len(v):
                cells[key] = q.gone(COUNTS, title)
                continue
            sd = f" ± {number(float(v.std(ddof=1)), decimals)}" if len(v) > 1 else ""
            cells[key] = q.texted(float(v.mean()), f"{number(float(v.mean()), decimals)}{sd}", title)
        rows.append(cells)
    return q.table("groups", "Groups", rows, note="Mean ± SD over samples.")


def _indices(d: Diverse) -> TableBlock | None:
    """Each index, with the groups that have least and most of it; a click compares them."""
    s, groups = d.samples, d.spec.groups
    if not s.levels or not groups or int(s.sizes.min()) < 2:
        return None
    rows, asked = [], []
    for key, title, decimals in _keys(d):
        v = d.of(key)
        if not np.isfinite(v).all() or not np.ptp(v) > 0:
            continue
        means = np.array([v[s.codes == g].mean() for g in range(len(s.levels))])
        low, high = int(means.argmin()), int(means.argmax())
        rows.append(
            q.row(
                index=q.name(title, "Index"), all=q.num(float(v.mean()), decimals, "Mean of all samples"),
                least=q.said(f"{s.levels[low]}, {number(float(means[low]), decimals)}", "Least on average"),
                most=q.said(f"{s.levels[high]}, {number(float(means[high]), decimals)}", "Most on average"),
            )
        )  # fmt: skip
        asked.append({"response": column_name(d, key), "groups": groups, "where": d.spec.where})
    note = "A click on an index adds the indices to the table as columns and compares groups by it."
    made = q.table("indices", "Compare groups by an index", rows, note=note)
    return touch.opening(made, [{k: v for k, v in a.items() if v} for a in asked], "compare_groups", adds=True)


def column_name(d: Diverse, key: str) -> str:
    """Of an index as a column of the table."""
    names = {"richness": "taxa", "rarefied": f"taxa in {d.least}", "inverse": "inverse Simpson", "chao1": "Chao 1"}
    return names.get(key, key.capitalize())


def _each(d: Diverse) -> TableBlock:
    s = d.samples
    places = decimals_of(float(d.d.total.max()) / 1000, float(d.d.total.max())) if not whole(s.raw) else 0
    rows = []
    for i in range(min(s.n, q.LINES)):
        cells = q.row(sample=q.name(s.labels[i], "Sample"))
        if s.levels:
            cells["group"] = q.said(s.levels[int(s.codes[i])], d.spec.groups or "Group")
        cells["total"] = q.num(float(d.d.total[i]), places, "Amount")
        for key, title, decimals in _keys(d):
            why = COUNTS if key in ("chao1", "rarefied") else "one taxon alone"
            cells[key] = q.num(float(d.of(key)[i]), decimals, title, why=why)
        cells["chao1_se"] = q.num(float(d.d.chao1_se[i]), 1, "SE of Chao 1", why=COUNTS)
        rows.append(cells)
    note = "Shannon −Σp ln p, Simpson 1 − Σp², evenness Shannon/ln taxa; Chao 1 bias-corrected."
    return q.table("samples", "Samples", rows, of=s.n, note=note, folded=s.n > 12)


def _facts(d: Diverse) -> dict[str, Any]:
    s = d.samples
    out: dict[str, Any] = {"n": s.n, "taxa": len(s.taxa), "least": d.least}
    for key, _, _ in _keys(d):
        v = d.of(key)
        if np.isfinite(v).any():
            out[f"{key}.mean"] = float(np.nanmean(v))
        for g, name in enumerate(s.levels):
            own = v[s.codes == g]
            if np.isfinite(own).any():
                out[f"{name}.{key}"] = float(np.nanmean(own))
    return out


def _sizes(d: Diverse) -> Check:
    base: dict[str, Any] = {"id": "sizes", "title": "Samples of one size"}
    total = d.d.total
    ratio = float(total.max() / total.min())
    if ratio <= 1.5:
        return Check(
            **base, verdict=Verdict.holds, text=f"The largest sample is {number(ratio, 1)} times the smallest."
        )
    text = (
        f"The largest sample is {number(ratio, 1)} times the smallest: larger samples hold more taxa for that alone."
    )
    text += f" Compare taxa among {grouped(d.least)} individuals." if d.least else " Compare shares or evenness."
    return Check(**base, verdict=Verdict.doubtful, text=text)


def _singles(d: Diverse) -> Check | None:
    if not d.least:
        text = "Amounts are no counts of individuals: Chao 1 and smaller samples cannot be computed."
        return Check(id="singles", title="Taxa that were missed", verdict=Verdict.unknown, text=text)
    x = d.samples.raw
    part = float(((x == 1).sum(axis=1) / d.d.richness).mean())
    base: dict[str, Any] = {"id": "singles", "title": "Taxa that were missed"}
    text = f"{share(part)} of a sample’s taxa stand once on average"
    if part > 0.4:
        return Check(
            **base, verdict=Verdict.doubtful, text=f"{text}: many more were missed, and Chao 1 is a lower bound."
        )
    return Check(**base, verdict=Verdict.holds, text=f"{text}.")


def _write_up(d: Diverse) -> NoteBlock:
    s = d.samples
    text = f"Diversity of {counted(s.n, 'sample')} ({counted(len(s.taxa), 'taxon', 'taxa')}) was described by the"
    text += " number of taxa, Shannon’s index (natural logarithms), Simpson’s 1 − Σp² and Pielou’s evenness"
    if d.least:
        text += f", Chao 1, and the number of taxa expected among {grouped(d.least)} individuals"
    text += (
        f": on average {number(float(d.d.richness.mean()), 1)} taxa, Shannon {number(float(d.d.shannon.mean()), 2)},"
    )
    even = d.d.evenness[np.isfinite(d.d.evenness)]
    text += f" Simpson {share(float(d.d.simpson.mean()))}"
    return NoteBlock(id="write_up", text=text + (f", evenness {share(float(even.mean()))}." if len(even) else "."))


def new_columns(table: Table, spec: DiversitySpec) -> list[tuple[Column, Any]]:
    """Indices of every sample."""
    d = compute(table, spec)
    out = []
    for key, _, decimals in _keys(d):
        values = at_rows(d.of(key), d.samples.place, table.n_rows)
        if np.isfinite(values).any():
            out.append(measured(column_name(d, key), values, decimals=decimals))
    return out


METHOD = Method(
    id="diversity",
    aim=Aim.communities,
    title="Diversity: taxa, Shannon, Simpson, evenness, Chao 1, rarefaction",
    layouts=(
        Layout(
            "taxa", "samples in rows, taxa in columns", "How diverse are samples of {taxa}, by {groups}?",
            ("taxa", "groups"), ("taxa",),
        ),
    ),
    Spec=DiversitySpec,
    compute=ask,
    page=read_page(__file__),
    alpha=False,
    order=5,
    fit=lambda table, spec: over_taxa(table, spec, 28),
    new_columns=new_columns,
    name=lambda spec: f"Diversity{f' by {spec.groups}' if spec.groups else ''}",
    keywords=(
        "richness", "Shannon", "Simpson", "evenness", "Pielou", "Chao", "rarefaction", "diversity index", "species",
        "community", "ecology", "alpha diversity",
    ),
)  # fmt: skip
