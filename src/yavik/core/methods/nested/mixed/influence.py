"""What each unit does to the coefficients: all of its rows left out, the covariance kept."""

from collections.abc import Callable
from typing import Any

import numpy as np

from yavik.core.methods.nested.mixed.fit import MixedModel
from yavik.core.stats.groups import Floats
from yavik.core.stats.mixed.blocks import Blocks
from yavik.core.stats.mixed.within import Within
from yavik.core.stats.numbering import lies_within

MOST = 20_000_000
"""Units times squared coefficients."""


def without_each(m: MixedModel) -> tuple[list[str], Floats, str, Callable[[int], list[int]]] | None:
    """Cook's distance of every unit that shares no covariance with others (Christensen, Pearson and Johnson, 1992).

    Returns:
        labels, distances, what the units are, and the row numbers of one of them; None where no such units are.
    """
    from yavik.core.methods.nested.mixed.design import units_of

    p = len(m.base)
    if isinstance(m.engine, Within):
        assert m.spec.subject
        labels, codes, title = units_of(m.table, m.data, [m.spec.subject])[1], m.engine.subject, m.spec.subject
        a, b = _over_times(m.engine, m)
    else:
        wide = [r for r in m.random if _apart(r.codes, m)]
        if not wide:
            return None
        r = min(wide, key=lambda x: x.n_units)
        labels, codes, title = r.labels, r.codes, r.title
        if r.n_units * p * p > MOST:
            return None
        a, b = _of_blocks(m.engine, m, codes, len(labels))
    if len(labels) < 3:
        return None
    whole = m.top.found.xvx
    rest = b - a @ m.top.found.coef  # X_g'V_g⁻¹(y_g − X_g b)
    left = whole[None] - a
    size = np.sqrt(np.diag(whole))
    scaled = left / np.outer(size, size)
    moved = np.einsum("gij,gj->gi", np.linalg.pinv(scaled, rcond=1e-10, hermitian=True), rest / size) / size
    cook = np.einsum("gi,ij,gj->g", moved, whole, moved) / p
    return labels, cook, title.lower() if title.islower() else title, lambda u: m.data.rows[codes == u].tolist()


def _apart(codes: Any, m: MixedModel) -> bool:
    """Whether the units share no covariance: every other unit lies within one of them."""
    return all(lies_within(r.codes, codes) for r in m.random if r.codes is not codes)


def _of_blocks(engine: Blocks, m: MixedModel, codes: Any, many: int) -> tuple[Floats, Floats]:
    """X_g'V_g⁻¹X_g and X_g'V_g⁻¹y_g of every unit, from V⁻¹ applied to all columns at once."""
    xy = np.column_stack([engine.x, engine.y])
    theta = m.top.theta
    inverse = xy / theta[-1]
    zx = np.asarray(engine.z.T @ xy)
    push = np.zeros_like(zx)
    for s, mid in zip(engine.stacks, engine.middles(theta), strict=True):
        d = np.concatenate([[0.0], theta[:-1]])[s.at]
        # V⁻¹ = (1 − Z D M A⁻ Z')/σ² on the columns that Z explains; D Z'V⁻¹ X = D M H.
        whole = np.concatenate([mid.mh, mid.my[:, None]], axis=1).reshape(*s.slots.shape, -1)
        push[s.slots] = d @ whole
    inverse = (xy - engine.z @ push) / theta[-1]
    p = engine.p
    order = np.argsort(codes, kind="stable")
    starts = np.searchsorted(codes[order], np.arange(many))
    products = engine.x[order, :, None] * inverse[order, None, :]
    sums = np.add.reduceat(products, starts, axis=0)
    return sums[:, :, :p], sums[:, :, p]


def _over_times(engine: Within, m: MixedModel) -> tuple[Floats, Floats]:
    many, p = int(engine.subject.max()) + 1, engine.p
    a, b = np.zeros((many, p, p)), np.zeros((many, p))
    for pattern, (w, _) in zip(engine.patterns, engine.inverse(m.top.theta), strict=True):
        own = engine.subject[pattern.rows[0]]
        wx = np.tensordot(w, pattern.x, 1)
        a[own] = np.einsum("tgi,tgj->gij", pattern.x, wx)
        b[own] = np.einsum("tgi,tg->gi", wx, pattern.y)
    return a, b
