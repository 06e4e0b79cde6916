"""What the table says of the design: what each column was taken for, and what it may be instead."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import capital, counted
from yavik.core.figures.caption import lower
from yavik.core.methods.nested.mixed.design import repeated_labels
from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.methods.nested.mixed.strata import nested_order
from yavik.core.stats.mixed.within import Within
from yavik.core.stats.numbering import lies_within, numbered


def as_read(m: MixedModel) -> Check:
    """What each column was taken for, how many there are, and whether all is balanced."""
    said = []
    for r in m.random:
        said.append(f"{r.title}: {counted(r.n_units, 'unit')} of {_range(np.bincount(r.codes, minlength=r.n_units))}")
    if isinstance(m.engine, Within):
        n = np.bincount(m.engine.subject)
        said.append(f"{lower(m.table.column(m.spec.subject or '').title)}: {counted(len(n), 'unit')} of {_range(n)}")
    text = f"{capital('; '.join(said))}." if said else "Rows are taken as independent of one another."
    factors = [n for n in m.data.factors if any(n in t.names for t in m.data.terms)]
    cells = _cells(m, factors)
    if cells is not None and len(cells) > 1:
        names = " × ".join(lower(m.data.title(n)) for n in factors)
        empty = int((cells == 0).sum())
        if empty:
            text += f" {counted(empty, 'combination')} of {names} {'has' if empty == 1 else 'have'} no row."
        else:
            text += f" Each level of {names} has {_range(cells)}."
    offers = [] if m.spec.over_time else _whole_plots(m)
    if offers:
        text += " Was one of the terms given to whole plots within the units, all of whose rows share it? Then those"
        text += " plots are units too, and the term is tested against them."
    verdict = Verdict.unknown if offers else Verdict.holds
    return Check(id="design", title="The design as it was read", verdict=verdict, text=text, remedies=offers)


def _range(n: Any) -> str:
    low, high = int(np.min(n)), int(np.max(n))
    return counted(low, "row") if low == high else f"{low} to {counted(high, 'row')}"


def _cells(m: MixedModel, factors: list[str]) -> Any:
    """Rows of every combination of the categories; None where there are too many."""
    sizes = [len(m.data.factors[n].levels) for n in factors]
    if not factors or int(np.prod(sizes)) > 400:
        return None
    key = np.zeros(m.data.n, np.int64)
    for n, size in zip(factors, sizes, strict=True):
        key = key * size + m.data.design.data[n]
    return np.bincount(key, minlength=int(np.prod(sizes)))


def _whole_plots(m: MixedModel) -> list[Remedy]:
    """Terms that may have been given to whole plots: rows of a unit share a level while another term changes."""
    order = nested_order(m.random)
    if not order or any(len(r.term.units) > 1 for r in m.random):
        return []
    r = m.random[order[-1]]
    factors = [n for n in m.data.factors if n not in r.term.units]
    offers = []
    for n in factors:
        key = r.codes * len(m.data.factors[n].levels) + m.data.design.data[n]
        count = np.bincount(numbered(key)[1])
        others = [o for o in factors if o != n]
        changes = any(not lies_within(key, m.data.design.data[o]) for o in others)
        within = len(count) > r.n_units
        if within and changes and count.min() > 1:
            meant = [x.model_dump() for x in m.spec.random] + [{"units": [*r.term.units, n]}]
            offers.append(Remedy(label=f"{m.data.title(n)} to whole plots", spec={"random": meant}))
    return offers


def repeated(m: MixedModel) -> Check | None:
    """Labels that begin anew in every wider unit."""
    if m.spec.over_time:
        return None
    found = repeated_labels(m.table, m.data, m.random)
    if found is None:
        return None
    meant, said = found
    own = {tuple(meant.units[-1:])}
    kept, own_term = [r.model_dump() for r in m.spec.random if tuple(r.units) not in own], meant.model_dump()
    text = f"{said}. If the same label means another unit in each, they are nested; here they are taken as crossed."
    return Check(
        id="nesting", title="Labels that repeat", verdict=Verdict.unknown, text=text,
        remedies=[Remedy(label=f"Take {' within '.join(reversed(meant.units))}", spec={"random": [*kept, own_term]})],
    )  # fmt: skip
