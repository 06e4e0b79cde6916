"""Rows that move a model of a yes/no response."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.methods.kit.models.tables import influential_rows
from yavik.core.methods.predict.logistic.fit import BinaryModel
from yavik.core.stats.binary import invert, mean_and_slope


def influential_table(m: BinaryModel) -> TableBlock | None:
    """The rows that move the model most; None where there is nothing to move."""
    if not m.used or m.infinite:
        return None

    def told(i: int) -> q.Row:
        """A row's outcome and its probability."""
        value = q.name(m.event if m.data.y[i] > 0.5 else m.other, m.data.response.title)
        return q.row(value=value, fitted=q.fine(float(m.model.mu[i]), f"Probability of {m.event}"))

    return influential_rows(m.data, *influence(m), told)


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
