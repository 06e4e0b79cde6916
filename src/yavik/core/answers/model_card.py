"""What a line-up needs to know of a model: its estimates by name and how well it fits. Every model answer carries
one."""

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel


class Estimate(BaseModel):
    """One coefficient; ``key`` is the same in every model that has it. Values are per unit of the column."""

    key: str
    title: str
    b: float | None
    se: float | None
    low: float | None
    high: float | None
    p: float | None
    why: str | None = None
    """Why there is no estimate."""


class FitLine(BaseModel):
    key: str
    title: str
    v: float | None
    s: str
    better: Literal["high", "low"] | None = None
    short: str = ""
    """The title where there is little room."""


class CardTerm(BaseModel):
    key: str
    title: str


class ModelCard(BaseModel):
    """
    ``said``: the response in words, with its event where it has one.
    ``rows``: a fingerprint of the rows used.
    ``rss``, ``df``: of least squares; None for models fitted by likelihood.
    ``log_likelihood``: None where the model has none; ``likelihood_of`` says of what kind of values it is.
    """

    kind: str
    said: str
    response: str
    effect: Literal["b", "odds_ratio", "rate_ratio"]
    terms: list[CardTerm]
    estimates: list[Estimate]
    fit: list[FitLine]
    log_likelihood: float | None
    parameters: int
    rss: float | None = None
    df: float | None = None
    n: int
    rows: str
    weights: str | None = None
    intercept: bool = True
    counted_from: str = ""
    """Where the zero of numbers is, in words, if it is not their own."""
    likelihood_of: Literal["measures", "restricted", "outcomes", "counts", "answers"] = "measures"
    penalised: bool = False
    """Whether the likelihood carries a penalty."""
    holds: list[str] = []
    """What the model is made of, where its estimates do not say which models lie within it."""
    edge: list[str] = []
    """Which of these cannot be tested away, because without them lies at the edge of what is possible."""

    @property
    def scale(self) -> str:
        """Models whose likelihoods can be set beside each other have the same: a restricted one is of its terms."""
        if self.likelihood_of != "restricted":
            return self.likelihood_of
        return " ".join(["restricted", *sorted(t.key for t in self.terms)])


class Variant(BaseModel):
    """Another model that the answer speaks of: a round of a selection, a runner-up, the model without some rows."""

    label: str
    spec: dict[str, object]
    said: str


def term_changes(before: Sequence[CardTerm], now: Sequence[CardTerm], most: int = 3) -> str:
    """'+ minutes², − reminders': terms that came and went; nothing where they are the same."""
    old, new = {t.key for t in before}, {t.key for t in now}
    words = [f"+\u00a0{t.title}" for t in now if t.key not in old] + [
        f"−\u00a0{t.title}" for t in before if t.key not in new
    ]
    return ", ".join(words[:most]) + (f" and {len(words) - most} more" if len(words) > most else "")
