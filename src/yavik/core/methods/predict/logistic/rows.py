"""Rows that move a model of a yes/no response."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers.make import grid, share_cell
from yavik.core.answers.wording import (
    cell,
    num,
    share_fine,
    whole,
    word,
)
from yavik.core.methods.predict.logistic.fit import BinaryModel

if TYPE_CHECKING:
    pass


def influential_table(m: BinaryModel, most: int = 8) -> TableBlock | None:
    if not m.used or m.infinite:
        return None
    cook, residual, leverage = influence(m)
    order = np.argsort(-cook, kind="stable")[:most]
    rows = [
        {
            "row": whole(int(m.data.rows[i])),
            "value": word(m.event if m.data.y[i] > 0.5 else m.other),
            "fitted": cell(float(m.model.mu[i]), share_fine(float(m.model.mu[i]))),
            "residual": num(float(residual[i]), 2),
            "leverage": share_cell(float(leverage[i])),
            "cook": num(float(cook[i]), 3),
        }
        for i in order
    ]
    columns = [
        ("row", "Row"),
        ("value", f"{m.data.response.title}<"),
        ("fitted", f"Probability of {m.event}"),
        ("residual", "Pearson residual"),
        ("leverage", "Leverage"),
        ("cook", "Cook’s distance"),
    ]
    return grid("influential", "Rows that move the model most", columns, rows, folded=True, strong=[])


def influence(m: BinaryModel) -> tuple[Any, Any, Any]:
    """Cook's distance by one step, standardised Pearson residuals and leverages (Pregibon, 1981)."""
    from yavik.core.stats.binary import invert, mean_and_slope

    d = m.model.data
    mu, nu, slope = mean_and_slope(m.model.link, m.model.eta)
    spread = np.maximum(mu * nu, 1e-300)
    inverse = invert(m.model.information)
    root = np.linalg.cholesky(inverse + np.eye(len(inverse)) * 1e-14 * np.trace(inverse))
    leverage = slope**2 / spread * ((d.x @ root) ** 2).sum(axis=1)
    leverage = np.minimum(leverage, 1 - 1e-9)
    pearson = (d.y - mu) / np.sqrt(spread * (1 - leverage))
    return pearson**2 * leverage / (1 - leverage) / m.model.q, pearson, leverage
