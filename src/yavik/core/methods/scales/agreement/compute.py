"""Ratings read, and their agreement."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import special

from yavik.core.answers.wording import counted, given, listing
from yavik.core.methods.kit.items import demand_items, item_values
from yavik.core.methods.scales.agreement.spec import AgreementSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.agreement import (
    Intraclasses,
    Kappa,
    Limits,
    Weights,
    crossed,
    fleiss,
    intraclass,
    kappa,
    limits,
)
from yavik.core.table import Column, DataProblem, Kind, Table

MOST_ANSWERS, MOST_RATERS = 30, 60
CATEGORIES = (Kind.category, Kind.ordered, Kind.yes_no, Kind.text)


@dataclass(frozen=True)
class Agreement:
    """Everything computed; tables and words only read it.

    Args:
        use: rows rated by all. codes: of the answers, shape (n, raters), for kappa. answers: their words, in order
            where they
            have one. x: ratings as numbers, shape (n, raters), for measures.
    """

    spec: AgreementSpec
    columns: list[Column]
    use: Any
    kind: str
    codes: Any
    answers: list[str]
    ordered: bool
    x: Floats

    @property
    def n(self) -> int:
        """Subjects rated by all."""
        return int(self.use.sum())

    @property
    def m(self) -> int:
        """Raters."""
        return len(self.columns)

    @property
    def level(self) -> float:
        """Of intervals."""
        return 1 - self.spec.alpha

    @property
    def z(self) -> float:
        """SDs from the mean difference to a limit."""
        return float(special.ndtri(1 - self.spec.alpha / 2))

    @property
    def titles(self) -> list[str]:
        """Raters by their columns."""
        return [c.title for c in self.columns]

    @property
    def weights(self) -> Weights:
        """Of kappa."""
        if self.spec.weights == "auto":
            return "quadratic" if self.ordered and len(self.answers) > 2 else "none"
        return self.spec.weights

    def pair(self, i: int, j: int) -> Floats:
        """Counts of two raters' answers."""
        return crossed(self.codes[:, i], self.codes[:, j], len(self.answers))

    def kappa_of(self, i: int, j: int, weights: Weights) -> Kappa | None:
        """Of two raters."""
        return kappa(self.pair(i, j), weights, self.level)

    @cached_property
    def counts(self) -> Floats:
        """How many raters gave each answer to each subject, shape (n, answers)."""
        return np.stack([(self.codes == k).sum(axis=1) for k in range(len(self.answers))], axis=1).astype(float)

    @cached_property
    def together(self) -> tuple[Kappa | None, Floats]:
        """κ of all raters, and of each answer."""
        return fleiss(self.counts, self.level)

    @cached_property
    def whole(self) -> Kappa | None:
        """What is reported of categories: two raters' κ by the weights chosen, or that of all raters."""
        return self.kappa_of(0, 1, self.weights) if self.m == 2 else self.together[0]

    @cached_property
    def mean_pair(self) -> float | None:
        """Mean κ of all pairs by the weights chosen; None where a pair has none."""
        found = [self.kappa_of(i, j, self.weights) for j in range(self.m) for i in range(j)]
        return float(np.mean([k.value for k in found if k])) if all(found) else None

    @cached_property
    def same(self) -> float:
        """Share of subjects to which all gave the same answer."""
        return float((self.codes == self.codes[:, :1]).all(axis=1).mean())

    @cached_property
    def intraclass(self) -> Intraclasses:
        """All six forms."""
        return intraclass(self.x, self.level)

    @cached_property
    def limits(self) -> dict[tuple[int, int], Limits]:
        """Of every pair of raters."""
        return {(i, j): limits(self.x[:, i], self.x[:, j], self.level) for j in range(self.m) for i in range(j)}


def compute(table: Table, spec: AgreementSpec) -> Agreement:
    """Raises DataProblem for fewer than two raters or three subjects, and ratings that cannot be compared."""
    demand_items(spec.raters, 2, "Agreement", "raters", MOST_RATERS)
    columns = [table.column(n) for n in spec.raters]
    kind = _kind(columns, spec)
    if kind == "kappa":
        codes, answers, ordered = _answers(table, columns)
        use = (codes >= 0).all(axis=1)
        _enough(use, columns)
        used = sorted(set(np.unique(codes[use]).tolist()))
        if len(used) < 2:
            raise DataProblem(
                f"Every rating is “{answers[used[0]]}”: with a single answer agreement cannot be told from chance.",
                column=columns[0].name,
            )
        if not ordered and spec.weights in ("linear", "quadratic"):
            raise DataProblem(
                f"Answers of {columns[0].name} have no order, so steps between them have no size. Give its levels an"
                " order, or"
                " choose no weights.",
                column=columns[0].name,
            )
        return Agreement(spec, columns, use, kind, codes[use], answers, ordered, np.empty((0, 0)))
    for c in columns:
        if c.kind in (Kind.category, Kind.text):
            raise DataProblem(f"{c.name} holds words, not measures; choose kappa.", column=c.name)
    units = list(dict.fromkeys(c.unit for c in columns if c.unit))
    if len(units) > 1:
        raise DataProblem(
            f"Ratings are in different units ({listing(units)}): bring them to one first.", column=columns[0].name
        )
    x = np.column_stack([item_values(table, c.name) for c in columns])
    use = ~np.isnan(x).any(axis=1)
    _enough(use, columns)
    y = x[use]
    if not np.ptp(y.mean(axis=1)) > 0 and not np.ptp(y) > 0:
        raise DataProblem(f"Every rating is {given(y[0, 0])}: there is nothing to agree on.", column=columns[0].name)
    return Agreement(spec, columns, use, kind, None, [], False, y)


def _kind(columns: list[Column], spec: AgreementSpec) -> str:
    if spec.kind != "auto":
        return spec.kind
    if any(c.kind in CATEGORIES for c in columns):
        return "kappa"
    return "icc"


def _answers(table: Table, columns: list[Column]) -> tuple[Any, list[str], bool]:
    """Codes of one list of answers for all raters; in the order of the levels where they have one."""
    coded = [table.codes(c.name) for c in columns]
    numeric = all(c.kind in (Kind.count, Kind.measure) for c in columns)
    ordered = numeric or all(c.kind is Kind.ordered for c in columns)
    words: list[str] = []
    for c in coded:
        words += [w for w in c.levels if w not in words]
    if numeric:
        words.sort(key=float)
    elif ordered:
        longest = max(coded, key=lambda c: len(c.levels)).levels
        others = [w for w in words if w not in longest]
        ordered, words = not others, [*longest, *others]
    elif not any(c.levels for c in columns):
        words.sort()
    if len(words) > MOST_ANSWERS:
        raise DataProblem(
            f"The raters give {len(words)} different answers; kappa takes up to {MOST_ANSWERS}. For measures choose"
            " the intraclass"
            " correlation.",
            column=columns[0].name,
        )
    place = {w: i for i, w in enumerate(words)}
    made = []
    for c in coded:
        own = np.array([*(place[w] for w in c.levels), -1])
        made.append(own[c.codes])
    return np.column_stack(made), words, ordered


def _enough(use: Any, columns: list[Column]) -> None:
    n = int(use.sum())
    if n < 3:
        raise DataProblem(
            f"{counted(n, 'row is', 'rows are')} rated by {'both' if len(columns) == 2 else f'all {len(columns)}'};"
            " three are needed.",
            column=columns[0].name,
        )
