"""Choosing terms step by step, and by looking at all choices: for any model that can judge a term."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Generic, Literal, Protocol, TypeVar

import numpy as np
from scipy import special

from yavik.core.stats.binary import BinaryFit, Link, Penalty, Prepared
from yavik.core.stats.binary import fit as fit_binary
from yavik.core.stats.binary_profile import score_test
from yavik.core.stats.design import Design, ModelTerm
from yavik.core.stats.groups import Floats
from yavik.core.stats.least_squares import LeastSquares, fit, independent_columns
from yavik.core.stats.triangle import Triangle

Way = Literal["forward", "backward", "stepwise"]
ChooseBy = Literal["p", "aic", "bic", "adjusted_r2"]
Terms = tuple[int, ...]
MOST_ROUNDS = 200


@dataclass(frozen=True)
class Judged:
    """What a term is worth: added to a model, or left out of it."""

    term: int
    statistic: float
    df1: float
    df2: float
    p: float


@dataclass(frozen=True)
class Round:
    """One model on the way. ``judged`` is what entered or left; None at the start."""

    action: Literal["start", "enter", "leave"]
    terms: Terms
    judged: Judged | None


class Judge(Protocol):
    def add(self, now: Terms, term: int) -> Judged | None: ...
    def drop(self, now: Terms, term: int) -> Judged | None: ...
    def criterion(self, now: Terms, by: ChooseBy) -> float:
        """Smaller is better."""
        ...


def walk(
    judge: Judge,
    terms: Sequence[ModelTerm],
    way: Way,
    by: ChooseBy,
    enter: float,
    remove: float,
    told: Callable[[str], None] = lambda _: None,
) -> list[Round]:
    """Rounds from the first model to the chosen one. A square stays out until its column is in, and an interaction
    until its parts are; what another term stands on does not leave before it."""
    now: Terms = tuple(range(len(terms))) if way == "backward" else ()
    rounds = [Round("start", now, None)]
    seen = {now}
    while len(rounds) < MOST_ROUNDS:
        told(f"Round {len(rounds)}")
        fresh = None
        if way != "forward" and now:
            fresh = _leave(judge, terms, now, by, remove)
        if fresh is None and way != "backward":
            fresh = _enter(judge, terms, now, by, enter)
        if fresh is None or fresh.terms in seen:
            break
        rounds.append(fresh)
        now = fresh.terms
        seen.add(now)
    return rounds


def _enter(judge: Judge, terms: Sequence[ModelTerm], now: Terms, by: ChooseBy, enter: float) -> Round | None:
    able = [
        t
        for t in range(len(terms))
        if t not in now and all(u in now for u in range(len(terms)) if terms[u].within(terms[t]))
    ]
    found = [j for t in able if (j := judge.add(now, t)) is not None]
    if not found:
        return None
    if by == "p":
        # p of strong terms are all nought to a double: the statistic decides between them.
        best = min(found, key=lambda j: (j.p, -j.statistic))
        return Round("enter", tuple(sorted((*now, best.term))), best) if best.p <= enter else None
    here = judge.criterion(now, by)
    best = min(found, key=lambda j: judge.criterion(tuple(sorted((*now, j.term))), by))
    fresh = tuple(sorted((*now, best.term)))
    return Round("enter", fresh, best) if judge.criterion(fresh, by) < here - 1e-9 else None


def _leave(judge: Judge, terms: Sequence[ModelTerm], now: Terms, by: ChooseBy, remove: float) -> Round | None:
    able = [t for t in now if not any(terms[t].within(terms[u]) for u in now)]
    found = [j for t in able if (j := judge.drop(now, t)) is not None]
    if not found:
        return None
    without = {j.term: tuple(t for t in now if t != j.term) for j in found}
    if by == "p":
        worst = max(found, key=lambda j: (j.p, -j.statistic))
        return Round("leave", without[worst.term], worst) if worst.p > remove else None
    here = judge.criterion(now, by)
    best = min(found, key=lambda j: judge.criterion(without[j.term], by))
    fresh = without[best.term]
    return Round("leave", fresh, best) if judge.criterion(fresh, by) < here - 1e-9 else None


class LinearJudge:
    """Least squares from one triangle: no model of the walk looks at the rows again."""

    def __init__(self, design: Design, t: Triangle) -> None:
        self.design, self.triangle = design, t
        self._kept: dict[Terms, LeastSquares] = {}

    def model(self, now: Terms) -> LeastSquares:
        """The model of these terms; kept, as a walk asks for it again."""
        if now not in self._kept:
            columns = [j for j, c in enumerate(self.design.columns) if c.term in now]
            part = self.triangle.among(columns)
            keep = independent_columns(part)[0]
            self._kept[now] = fit(self.triangle, [columns[i] for i in keep])
        return self._kept[now]

    def add(self, now: Terms, term: int) -> Judged | None:
        """A term added to the model; None where it brings no column of its own."""
        small, large = self.model(now), self.model(tuple(sorted((*now, term))))
        return self._between(term, small, large)

    def drop(self, now: Terms, term: int) -> Judged | None:
        """A term left out of the model."""
        return self._between(term, self.model(tuple(t for t in now if t != term)), self.model(now))

    @staticmethod
    def _between(term: int, small: LeastSquares, large: LeastSquares) -> Judged | None:
        df1, df2 = large.q - small.q, large.df
        if df1 <= 0 or df2 <= 0 or large.rss <= 0:
            return None
        f = max(small.rss - large.rss, 0.0) / df1 / large.mse
        return Judged(term, f, df1, df2, float(special.fdtrc(df1, df2, f)))

    def criterion(self, now: Terms, by: ChooseBy) -> float:
        """AIC, BIC or −adjusted R²: smaller is better."""
        m = self.model(now)
        return {"aic": m.aic, "bic": m.bic, "adjusted_r2": -m.adjusted_r2, "p": m.aic}[by]


Model = TypeVar("Model")


class LikelihoodJudge(Generic[Model]):
    """What judges of likelihood models share: models that are kept, and comparisons of one with a smaller one.

    Args:
        whole: prepared columns of all terms offered.
        used: places of the design's columns in ``whole``.
    """

    def __init__(self, design: Design, whole: Prepared, used: Sequence[int]) -> None:
        self.design, self.whole, self.used = design, whole, list(used)
        self._kept: dict[Terms, Model] = {}

    def columns(self, now: Terms) -> list[int]:
        """Places in ``whole`` of the columns of these terms."""
        return [i for i, c in enumerate(self.used) if self.design.columns[c].term in now]

    def model(self, now: Terms) -> Model:
        """The model of these terms; kept, as a walk asks for it again."""
        if now not in self._kept:
            self._kept[now] = self.fitted(self.columns(now))
        return self._kept[now]

    def fitted(self, columns: list[int]) -> Model:
        """The model of these columns of ``whole``."""
        raise NotImplementedError

    def against(self, term: int, df: int, small: Model, large: Model) -> Judged | None:
        """The larger of two models against the smaller."""
        raise NotImplementedError

    def add(self, now: Terms, term: int) -> Judged | None:
        """A term added to the model; None where it brings no column of its own."""
        return self._between(term, now, tuple(sorted((*now, term))))

    def drop(self, now: Terms, term: int) -> Judged | None:
        """A term left out of the model."""
        return self._between(term, tuple(t for t in now if t != term), now)

    def _between(self, term: int, small: Terms, large: Terms) -> Judged | None:
        df = len(self.columns(large)) - len(self.columns(small))
        return self.against(term, df, self.model(small), self.model(large)) if df > 0 else None


def by_ratio(term: int, df: int, gain: float) -> Judged:
    """A likelihood-ratio test from what the log-likelihood gains."""
    chi2 = max(2 * gain, 0.0)
    return Judged(term, chi2, df, np.nan, float(special.chdtrc(df, chi2)))


class BinaryJudge(LikelihoodJudge[BinaryFit]):
    """Score tests to enter, so that a candidate costs one matrix product and no fit; likelihood-ratio tests to leave,
    since a Wald test drops just the terms that tell best (Hauck & Donner, 1977).

    With Firth's penalty all models are those of the whole design with coefficients held at zero, so that their
    penalised likelihoods stand on one scale.
    """

    def __init__(
        self, design: Design, whole: Prepared, used: Sequence[int], link: Link, penalty: Penalty = "none"
    ) -> None:
        super().__init__(design, whole, used)
        self.link, self.penalty = link, penalty

    def fitted(self, columns: list[int]) -> BinaryFit:
        """The model of these columns of ``whole``."""
        if self.penalty == "none":
            return fit_binary(self.whole.among(columns), self.link)
        held = {i + self.whole.first: 0.0 for i in range(len(self.used)) if i not in set(columns)}
        return fit_binary(self.whole, self.link, self.penalty, None, held)

    def against(self, term: int, df: int, small: BinaryFit, large: BinaryFit) -> Judged:
        """Likelihood ratio, penalised where the fits are."""
        return by_ratio(term, df, large.penalised - small.penalised)

    def add(self, now: Terms, term: int) -> Judged | None:
        """A term added to the model; None where it brings no column of its own."""
        if self.penalty != "none":
            return super().add(now, term)
        own = [i + self.whole.first for i in self.columns((term,))]
        chi2, df = score_test(self.model(now), self.whole.x[:, own])
        return Judged(term, chi2, df, np.nan, float(special.chdtrc(df, chi2))) if df else None

    def criterion(self, now: Terms, by: ChooseBy) -> float:
        """AIC or BIC: smaller is better."""
        m, q = self.model(now), len(self.columns(now)) + self.whole.first
        return -2 * m.penalised + (float(np.log(m.n)) if by == "bic" else 2.0) * q


@dataclass(frozen=True)
class Subset:
    terms: Terms
    criterion: float
    rss: float
    columns: int


def best_subsets(design: Design, t: Triangle, by: ChooseBy, most: int = 8) -> list[Subset]:
    """The best of all choices of terms, all of them looked at.

    Terms are taken one after the other, and every choice so far is kept as the cross-products of what is still to
    come with that choice's part taken out. Those shrink as choices double, so that all 2^20 models of 20 terms cost a
    few million multiplications.
    """
    r = t.r
    state = (r.T @ r)[None]
    widths = np.zeros(1)
    for term in range(len(design.terms)):
        own = len(design.places(term))
        state, widths = (
            np.concatenate([state[:, own:, own:], _taken_out(state, own)]),
            np.append(widths, widths + own),
        )
    rss = np.maximum(state[:, 0, 0], 1e-300)
    n, first = t.n, int(t.intercept)
    if by == "adjusted_r2":
        criterion = rss / np.maximum(n - widths - first, 1e-9)
    else:
        criterion = n * np.log(rss) + (np.log(n) if by == "bic" else 2.0) * widths
    criterion[widths + first >= n] = np.inf
    found: list[Subset] = []
    for place in np.argsort(criterion, kind="stable")[: 50 * most]:
        terms = tuple(k for k in range(len(design.terms)) if int(place) >> k & 1)
        under = (u for k in terms for u in range(len(design.terms)) if design.terms[u].within(design.terms[k]))
        if all(u in terms for u in under) and np.isfinite(criterion[place]):
            found.append(Subset(terms, float(criterion[place]), float(rss[place]), int(widths[place])))
        if len(found) == most:
            break
    return found


def _taken_out(state: Floats, own: int) -> Floats:
    """Cross-products with the first columns' part taken out of the others, for all choices at once."""
    for _ in range(own):
        top = state[:, 0, 0]
        lever = np.where(top[:, None] > 1e-12, state[:, 0, 1:] / np.where(top > 1e-12, top, 1.0)[:, None], 0.0)
        state = state[:, 1:, 1:] - lever[:, :, None] * state[:, :1, 1:]
    return state
