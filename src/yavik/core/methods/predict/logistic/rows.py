"""Rows that move a model of a yes/no response."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.stats.binary import invert, mean_and_slope


def influential_table(m: BinaryModel, most: int = 8) -> TableBlock | None:
    if not m.used or m.infinite:
        return None
    cook, residual, leverage = influence(m)
    order = np.argsort(-cook, kind="stable")[:most]
    rows = [
        q.row(
            row=q.count(m.data.rows[i], "Row"), value=q.name(m.event if m.data.y[i] > 0.5 else m.other, m.data.response.title),
            fitted=q.fine(float(m.model.mu[i]), f"Probability of {m.event}"),
            residual=q.num(float(residual[i]), 2, "Pearson residual"), leverage=q.size(float(leverage[i]), "Leverage"),
            cook=q.num(float(cook[i]), 3, "Cook’s distance"),
        )
        for i in order
    ]  # fmt: skip
    return q.table("influential", "Rows that move the model most", rows, folded=True)


def influence(m: BinaryModel) -> tuple[Any, Any, Any]:
    """Cook's distance by one step, standardised Pearson residuals and leverages (Pregibon, 1981)."""
    d = m.model.data
    mu, nu, slope = mean_and_slope(m.model.link, m.model.eta)
    spread = np.maximum(mu * nu, 1e-300)
    inverse = invert(m.model.information)
    root = np.linalg.cholesky(inverse + np.eye(len(inverse)) * 1e-14 * np.trace(inverse))
    leverage = slope**2 / spread * ((d.x @ root) ** 2).sum(axis=1)
    leverage = np.minimum(leverage, 1 - 1e-9)
    pearson = (d.y - mu) / np.sqrt(spread * (1 - leverage))
    return pearson**2 * leverage / (1 - leverage) / m.model.q, pearson, leverage
