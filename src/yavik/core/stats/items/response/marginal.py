"""Marginal maximum likelihood of item parameters, ability standard normal."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.stats.groups import Floats
from yavik.core.stats.items.response.curvature import expected_information, hessian, own_slopes
from yavik.core.stats.items.response.curves import Curves, Model, curves
from yavik.core.stats.items.response.people import Answers, Nodes, Posterior, posterior, table_of
from yavik.core.table.telling import Told, silent

FIRST, ROUNDS = 3, 400
"""Rounds of EM before the people's own slopes lead the way, and rounds in all."""
NEAR, AGAIN = 0.05, 8
"""Step below which the exact curvature leads the way, and rounds after which it is computed anew."""
STEEP = 25.0
"""Discrimination beyond which an item is held: it orders people without error as far as the data tell."""
FLOOR, CEILING = -7.0, 0.0
"""Ends of the logit of a floor: a chance of .0009, and of one half."""
CLOSE = 1e-9


@dataclass(frozen=True)
class Fitted:
    """Items fitted.

    Args:
        beta: shape (J, p). free: which entries were estimated by themselves, bool, shape (J, p).
        covariance: of all entries of beta in row order, from the observed information; NaN where there is none.
        parameters: how many were estimated.
        rounds, settled, gradient: of the work; gradient is the largest slope left.
        held: items whose discrimination was held at the edge; floors: items whose floor was held at either end.
        trace: log-likelihood and largest step of every round.
    """

    model: Model
    answers: Answers
    at: Nodes
    beta: Floats
    covariance: Floats
    parameters: int
    log_likelihood: float
    over: Floats
    rounds: int
    settled: bool
    gradient: float
    held: Any
    floors: Any
    trace: list[tuple[float, float]]

    @property
    def aic(self) -> float:
        """Akaike's criterion."""
        return 2 * self.parameters - 2 * self.log_likelihood

    @property
    def bic(self) -> float:
        """Schwarz's criterion, people as rows."""
        return float(self.parameters * np.log(self.answers.people) - 2 * self.log_likelihood)

    @property
    def discrimination(self) -> Floats:
        """Slopes at the middle of a curve."""
        return self.beta[:, 0]

    @property
    def ability(self) -> tuple[Floats, Floats]:
        """Mean of each person's posterior, and its SD."""
        mean = self.over @ self.at.theta
        square = self.over @ self.at.theta**2
        sd = np.sqrt(np.maximum(square - mean**2, 0.0))
        return mean[self.answers.pattern], sd[self.answers.pattern]


def start(model: Model, a: Answers) -> Floats:
    """Intercepts from how often each answer was reached, slopes of one."""
    width = {"one_parameter": 2, "two_parameter": 2, "three_parameter": 3, "graded": a.most}[model]
    beta = np.zeros((a.items, width))
    beta[:, 0] = 1.0
    for j in range(a.items):
        seen = a.codes[:, j] >= 0
        n = a.counts[seen].sum()
        for k in range(1, int(a.levels[j])):
            p = (a.counts[seen] @ (a.codes[seen, j] >= k) + 0.5) / (n + 1)
            if model == "three_parameter":
                p = min(max((p - 0.1) / 0.9, 0.05), 0.98)
            beta[j, k] = 1.2 * np.log(p / (1 - p))
    if model == "three_parameter":
        beta[:, 2] = np.log(0.1 / 0.9)
    return beta


def ties(model: Model, a: Answers) -> Floats:
    """What each free parameter adds to the entries of beta in row order, shape (J · p, free)."""
    if model == "one_parameter":
        made = np.zeros((2 * a.items, a.items + 1))
        made[::2, 0] = 1.0
        made[1::2, 1:] = np.eye(a.items)
        return made
    width = {"two_parameter": 2, "three_parameter": 3, "graded": a.most}[model]
    own = np.arange(width)[None, :] < (a.levels[:, None] if model == "graded" else width)
    keep = np.broadcast_to(own, (a.items, width)).ravel()
    return np.eye(a.items * width)[:, keep]


def fit(a: Answers, model: Model, at: Nodes, told: Told = silent) -> Fitted:
    """Marginal maximum likelihood (Bock and Aitkin, 1981): EM whose items all take Newton's steps at once, then
    scoring with
    the products of the people's own slopes; standard errors from the observed information."""
    beta, tie = start(model, a), ties(model, a)
    trace: list[tuple[float, float]] = []
    settled, gradient, trust, moved = False, np.inf, 1.0, np.inf
    lead = _Lead(a, model, at)
    now = curves(model, beta, a.levels, at.theta)
    here = posterior(a, now, at)
    rounds = 0
    while rounds < ROUNDS:
        rounds += 1
        weighted = here.over * a.counts[:, None]
        table = table_of(a, weighted, now.chance.shape)
        slope = np.einsum("jkq,jkpq->jp", table, now.relative).ravel()
        free = _free(model, beta, tie, slope)
        g = free.T @ slope
        gradient = float(np.abs(g).max(initial=0.0)) / a.people
        curve = lead.curvature(rounds, moved, table, now, here, free, beta)
        step = free @ _solved(curve, g)
        step = step.reshape(beta.shape) * min(1.0, 1.5 / max(float(np.abs(step).max()), 1e-300))
        for _ in range(30):
            trial = _bounded(model, beta + trust * step, a)
            then = curves(model, trial, a.levels, at.theta)
            there = posterior(a, then, at)
            if there.log_likelihood >= here.log_likelihood - 1e-9 * (1 + abs(here.log_likelihood) * 1e-3):
                break
            trust /= 2
        moved = float(np.abs(trial - beta).max())
        trust = min(1.0, trust * 2)
        beta, now, here = trial, then, there
        trace.append((here.log_likelihood, moved))
        if rounds % 10 == 0:
            told(min(0.1 + rounds / 100, 0.8), f"Round {rounds}, log-likelihood {here.log_likelihood:.3f}")
        if moved < CLOSE or (gradient < 1e-12 and moved < 1e-6):
            settled = True
            break
    if beta[:, 0].sum() < 0:  # ability may be counted either way: the way in which most items rise
        beta = beta * np.where(np.arange(beta.shape[1]) == 0, -1.0, 1.0)
        now = curves(model, beta, a.levels, at.theta)
        here = posterior(a, now, at)
    return _finished(a, model, at, beta, tie, here, rounds, settled, gradient, trace)


class _Lead:
    """Which curvature the next step is taken with: of known abilities at first, then of the people's own slopes, and
    near
    the end the exact one, which is kept for some rounds."""

    def __init__(self, a: Answers, model: Model, at: Nodes) -> None:
        self.a, self.model, self.at = a, model, at
        self.kept: Floats | None = None
        self.since = 0

    def curvature(
        self, rounds: int, moved: float, table: Floats, now: Curves, here: Posterior, free: Floats, beta: Floats
    ) -> Floats:
        """Positive where steps should be short, shape (free, free)."""
        if rounds <= FIRST:
            return np.asarray(free.T @ expected_information(table, now) @ free)
        if moved <= NEAR:
            stale = self.kept is None or len(self.kept) != free.shape[1] or rounds - self.since >= AGAIN
            if stale:
                exact = curves(self.model, beta, self.a.levels, self.at.theta, bend=True)
                made = -(free.T @ hessian(self.a, here, exact) @ free)
                firm = np.linalg.eigvalsh(made)[0] > 0
                self.kept, self.since = (made if firm else None), rounds
            if self.kept is not None:
                return self.kept
        own = own_slopes(self.a, here, now) @ free
        return np.asarray(own.T @ (own * self.a.counts[:, None]))


def _finished(
    a: Answers, model: Model, at: Nodes, beta: Floats, tie: Floats, here: Posterior, rounds: int, settled: bool,
    gradient: float, trace: list[tuple[float, float]],
) -> Fitted:  # fmt: skip
    now = curves(model, beta, a.levels, at.theta, bend=True)
    slope = np.zeros(beta.size)
    free = _free(model, beta, tie, slope)
    seen = -(free.T @ hessian(a, here, now) @ free)
    try:
        if np.linalg.eigvalsh(seen)[0] <= 1e-9 * np.abs(np.diag(seen)).max():
            raise np.linalg.LinAlgError
        covariance = free @ np.linalg.inv(seen) @ free.T
        covariance[(free == 0).all(axis=1)] = np.nan
    except np.linalg.LinAlgError:
        covariance = np.full((beta.size, beta.size), np.nan)
    floors = (
        (beta[:, 2] <= FLOOR + 1e-9) | (beta[:, 2] >= CEILING - 1e-9)
        if model == "three_parameter"
        else np.zeros(a.items, bool)
    )
    return Fitted(
        model, a, at, beta, covariance, tie.shape[1], here.log_likelihood, here.over, rounds, settled, gradient,
        np.abs(beta[:, 0]) >= STEEP - 1e-9, floors, trace,
    )  # fmt: skip


def _free(model: Model, beta: Floats, tie: Floats, slope: Floats) -> Floats:
    """The ties without entries that are held at an edge which the likelihood pushes against."""
    flat = np.arange(beta.size).reshape(beta.shape)
    gone = []
    steep = np.abs(beta[:, 0]) >= STEEP - 1e-9
    gone += flat[steep, 0].tolist()
    if model == "three_parameter":
        s = slope.reshape(beta.shape)[:, 2]
        gone += flat[
            ((beta[:, 2] <= FLOOR + 1e-9) & (s <= 0)) | ((beta[:, 2] >= CEILING - 1e-9) & (s >= 0)), 2
        ].tolist()
    if not gone or model == "one_parameter":
        return tie
    return tie[:, ~(tie[gone] != 0).any(axis=0)]


def _bounded(model: Model, beta: Floats, a: Answers) -> Floats:
    """Inside the edges; falling intercepts of graded items kept falling."""
    beta = beta.copy()
    beta[:, 0] = np.clip(beta[:, 0], -STEEP, STEEP)
    if model == "three_parameter":
        beta[:, 2] = np.clip(beta[:, 2], FLOOR, CEILING)
    if model == "graded":
        for k in range(2, beta.shape[1]):
            there = k < a.levels
            beta[there, k] = np.minimum(beta[there, k], beta[there, k - 1] - 1e-6)
    return beta


def _solved(curve: Floats, g: Floats) -> Floats:
    """Newton's step; flat directions are firmed up."""
    scale = np.sqrt(np.maximum(np.diag(curve), 1e-12))
    own = curve / np.outer(scale, scale)
    own[np.diag_indices(len(own))] += 1e-9
    try:
        return np.asarray(np.linalg.solve(own, g / scale) / scale)
    except np.linalg.LinAlgError:
        return np.asarray(g / scale**2)
