"""Average marginal effects: by how much the probability changes, averaged over the rows as they are."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, decimals_of, given
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.methods.predict.logistic.spec import LogisticSpec
from yavik.core.stats.binary import slope_of
from yavik.core.stats.direction import t_p
from yavik.core.stats.groups import Floats
from yavik.core.stats.triangle import blocks

MOST_ROWS = 50_000


def marginal_table(m: BinaryModel, spec: "LogisticSpec") -> TableBlock:
    """One line for each measure (per unit of change) and for each level against its reference; SE by the delta
    method."""
    data, rows = m.data, np.arange(m.data.n)
    if m.data.n > MOST_ROWS:
        rows = np.sort(np.random.default_rng(spec.seed).choice(m.data.n, MOST_ROWS, replace=False))
    lines = []
    for name in data.names:
        if name in data.factors:
            factor = data.factors[name]
            for i in factor.others:
                size, gradient = _change(m, rows, name, i, factor.reference)
                lines.append(_line(m, spec, f"{data.title(name)}: {factor.levels[i]} rather than "
                                            f"{factor.levels[factor.reference]}", size, gradient, 1.0))  # fmt: skip
        else:
            per = spec.per.get(name, 1.0)
            size, gradient = _slope(m, rows, name)
            unit = f" {data.unit(name)}" if data.unit(name) else ""
            title = data.title(name) + (f" (per {given(per)}{unit})" if per != 1 or unit else "")
            lines.append(_line(m, spec, title, size, gradient, per))
    note = (
        f"Change of the probability of {m.said}, averaged over the rows as they are; of a measure the slope, of a"
        " level the difference to its reference. SE by the delta method."
    )
    if len(rows) < m.data.n:
        note += f" Averaged over {counted(len(rows), 'row')} drawn by the seed."
    return q.table("marginal", "Average marginal effects", lines, note=note, folded=True)


def _line(m: BinaryModel, spec: "LogisticSpec", title: str, size: float, gradient: Floats, per: float) -> q.Row:
    b, se = size * per, float(np.sqrt(max(float(gradient @ m.covariance @ gradient), 0.0))) * abs(per)
    reach, d = m.fitted.reach * se, max(3, decimals_of(se, b))
    p = t_p(b / se, m.fitted.df, "two_sided") if se > 0 else np.nan
    return q.row(
        term=q.name(title, "Term"), estimate=q.num(b, d, "Change of probability"), se=q.num(se, d, "SE"),
        **q.ci(b - reach, b + reach, d, spec.alpha), p=q.p(p),
    )  # fmt: skip


def _slope(m: BinaryModel, rows: Any, name: str) -> tuple[float, Floats]:
    f, link, n = m.fitted, m.model.link, len(rows)
    total, gradient = 0.0, np.zeros(len(f.coef))
    for a, b in blocks(0, n):
        own = {k: v[rows[a:b]] for k, v in m.data.design.data.items()}
        x = f.rows(m.data.design.matrix(own, b - a))
        along = m.data.design.slope(own, b - a, name)[:, f.columns]
        along = np.column_stack([np.zeros(b - a), along]) if f.intercept else along
        first, second = slope_of(link, x @ f.coef)
        inner = along @ f.coef
        total += float((first * inner).sum())
        gradient += (second * inner) @ x + first @ along
    return total / n, gradient / n


def _change(m: BinaryModel, rows: Any, name: str, to: int, of: int) -> tuple[float, Floats]:
    f, link, n = m.fitted, m.model.link, len(rows)
    total, gradient = 0.0, np.zeros(len(f.coef))
    for a, b in blocks(0, n):
        own = {k: v[rows[a:b]] for k, v in m.data.design.data.items()}
        for level, sign in ((to, 1.0), (of, -1.0)):
            point: dict[str, Any] = {**own, name: np.full(b - a, level)}
            x = f.rows(m.data.design.matrix(point, b - a))
            eta = x @ f.coef
            total += sign * float(np.sum(f.back(eta)))
            gradient += sign * (slope_of(link, eta)[0] @ x)
    return total / n, gradient / n
