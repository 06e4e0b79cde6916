"""Answers read and scored, items fitted, and everything computed of them."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from scipy import optimize, special

from yavik.core.answers.wording import counted, listing
from yavik.core.methods.kit.items import demand_items, item_values
from yavik.core.methods.kit.kept import Kept, content
from yavik.core.methods.scales.item_response.spec import ResponseSpec
from yavik.core.stats.groups import Floats
from yavik.core.stats.items.response.curves import Model, curves, expected, information
from yavik.core.stats.items.response.looking import (
    AtAbility,
    ItemFit,
    at_ability,
    finer,
    hanging_together,
    item_fit,
)
from yavik.core.stats.items.response.marginal import Fitted, fit
from yavik.core.stats.items.response.people import Answers, answers, nodes
from yavik.core.table import Column, DataProblem, Kind, Level, Table
from yavik.core.table.telling import Told, silent
from yavik.core.table.written import written

MOST_LEVELS = 12
MOST_COMPARED = 60_000
"""Answers (patterns × items) up to which the other models are fitted beside the one asked for."""
GRID = np.linspace(-4, 4, 81)
_kept: Kept[Fitted] = Kept(9)
"""Models fitted last."""


@dataclass(frozen=True)
class Scored:
    """Answers as numbers from 0.

    Args:
        codes: shape (rows of the table, J), −1 where empty. levels: answers of each item. words: of each item's
            answers.
        keyed: items scored by a key. unused: levels of ordered items that nobody chose. rows: their numbers.
    """

    columns: list[Column]
    codes: Any
    levels: Any
    words: list[list[str]]
    keyed: list[str]
    unused: dict[str, list[str]]
    rows: Any

    @property
    def use(self) -> Any:
        """Rows with an answer to any item."""
        return (self.codes >= 0).any(axis=1)

    @property
    def names(self) -> list[str]:
        """Column names."""
        return [c.name for c in self.columns]

    @property
    def titles(self) -> list[str]:
        """The items' wordings, or their names."""
        return [c.title for c in self.columns]


def score(table: Table, spec: ResponseSpec) -> Scored:
    """Answers read, by a key where there is one. Raises DataProblem naming items that cannot be scored."""
    demand_items(spec.items, 2, "A test")
    unknown = next((n for n in spec.key if n not in spec.items), None)
    if unknown:
        raise DataProblem(f"There is a right answer for {unknown}, which is not among the items.", column=unknown)
    columns = [table.column(n) for n in spec.items]
    codes = np.full((table.n_rows, len(columns)), -1, np.int16)
    levels: list[int] = []
    words: list[list[str]] = []
    unused: dict[str, list[str]] = {}
    for j, column in enumerate(columns):
        gone: list[str] = []
        if column.name in spec.key:
            own, said = _keyed(table, column, spec.key[column.name])
        else:
            own, said, gone = _counted(table, column)
        codes[:, j] = own
        present = np.unique(own[own >= 0])
        if len(present) < 2:
            raise DataProblem(_flat(column, said, present.tolist(), column.name in spec.key), column=column.name)
        if gone:
            unused[column.name] = gone
        levels.append(len(said))
        words.append(said)
    made = Scored(columns, codes, np.array(levels), words, list(spec.key), unused, table.rows)
    if int(made.use.sum()) < 3:
        raise DataProblem(
            f"{counted(int(made.use.sum()), 'row has', 'rows have')} any answer; three are needed.",
            column=spec.items[0],
        )
    return made


def _flat(column: Column, said: list[str], present: list[int], keyed: bool) -> str:
    if not present:
        return f"{column.name} has no answers. Leave it out."
    what = said[present[0]]
    told = (
        f"Nobody answered {column.name} as the key has it"
        if keyed and present == [0]
        else f"Everyone answered {column.name} with {what}"
    )
    return f"{told}: nothing can be learnt from such an item. Leave it out."


def _keyed(table: Table, column: Column, right: str) -> tuple[Any, list[str]]:
    """1 where the answer is the right one, by its value or its words."""
    if column.kind is Kind.measure:
        raise DataProblem(f"{column.name} is a measure: it has no right answer.", column=column.name)
    grouped = table.codes(column.name)
    names = [str(v) for v in grouped.levels]
    values = {level.value: level.words for level in column.levels or []}
    wanted = {right.strip(), values.get(right.strip(), right.strip())}
    if not wanted & set(names):
        raise DataProblem(
            f"No answer to {column.name} is “{right}”; there are {listing(names, 6)}.", column=column.name
        )
    at = np.array([n in wanted for n in names])
    return np.where(grouped.codes < 0, -1, at[grouped.codes].astype(int)), ["wrong", "right"]


def _counted(table: Table, column: Column) -> tuple[Any, list[str], list[str]]:
    """Answers in their order, their words, and those that nobody gave."""
    if column.kind in (Kind.category, Kind.text):
        try:
            x = item_values(table, column.name)
        except DataProblem:
            names = [str(v) for v in table.codes(column.name).levels]
            raise DataProblem(
                f"{column.name} is answered in words ({listing(names, 5)}): say under “Right answers” which is right.",
                column=column.name,
            ) from None
    else:
        x = item_values(table, column.name)
    seen = np.unique(x[~np.isnan(x)])
    if len(seen) > MOST_LEVELS:
        raise DataProblem(
            f"{column.name} has {len(seen)} different answers; an item has {MOST_LEVELS} at most. Put neighbours"
            " together first.",
            column=column.name,
        )
    said = _words(column)
    unused = [w for v, w in said.items() if v not in seen] if column.kind is Kind.ordered else []
    codes = np.searchsorted(seen, np.where(np.isnan(x), np.inf, x))
    return np.where(np.isnan(x), -1, codes), [said.get(float(v), written(float(v))) for v in seen], unused


def _words(column: Column) -> dict[float, str]:
    """What each number of ``item_values`` stands for."""
    if column.kind is Kind.yes_no:
        return {0.0: "no", 1.0: "yes"}
    levels: tuple[Level, ...] = column.levels
    try:
        return {float(level.value): level.words for level in levels}
    except ValueError:
        return {i + 1.0: level.words for i, level in enumerate(levels)}


def model_of(scored: Scored, spec: ResponseSpec) -> Model:
    """The model asked for, or what the answers need. Raises DataProblem where they do not suit."""
    many = [(c.name, int(k)) for c, k in zip(scored.columns, scored.levels, strict=True) if k > 2]
    if spec.model == "auto":
        return "graded" if many else "two_parameter"
    if many and spec.model != "graded":
        name, k = many[0]
        raise DataProblem(
            f"{name} has {k} different answers; this model is for right and wrong. Choose graded answers, or say which"
            " answer is right.",
            column=name,
        )
    return spec.model


@dataclass(frozen=True)
class Response:
    """Everything computed; tables and words only read it."""

    spec: ResponseSpec
    scored: Scored
    fitted: Fitted
    others: dict[str, Fitted]

    @property
    def answers(self) -> Answers:
        """Answers put together."""
        return self.fitted.answers

    @property
    def k(self) -> int:
        """Items."""
        return len(self.scored.columns)

    @property
    def n(self) -> int:
        """People with any answer."""
        return self.answers.people

    @property
    def graded(self) -> bool:
        """Whether answers have more than two steps."""
        return self.fitted.model == "graded"

    @property
    def reach(self) -> float:
        """Standard errors from an estimate to the ends of its interval."""
        return float(special.ndtri(1 - self.spec.alpha / 2))

    def difficulty(self, j: int) -> Floats:
        """Where an answer of at least each step is as likely as not (of three parameters: halfway up from the
        floor)."""
        a, own = self.fitted.beta[j, 0], int(self.scored.levels[j])
        return np.asarray(-self.fitted.beta[j, 1 : own if self.graded else 2] / a)

    @cached_property
    def middle(self) -> Floats:
        """One difficulty for each item: the mean of its thresholds."""
        return np.array([float(self.difficulty(j).mean()) for j in range(self.k)])

    def difficulty_se(self, j: int) -> Floats:
        """Standard errors of ``difficulty``, by the delta method."""
        width = self.fitted.beta.shape[1]
        a = self.fitted.beta[j, 0]
        made = []
        for i, b in enumerate(self.difficulty(j)):
            at = [j * width, j * width + 1 + i]
            slope = np.array([-b / a, -1 / a])
            made.append(slope @ self.fitted.covariance[np.ix_(at, at)] @ slope)
        return np.asarray(np.sqrt(np.array(made)))

    @cached_property
    def discrimination_se(self) -> Floats:
        """Of each item."""
        width = self.fitted.beta.shape[1]
        return np.asarray(np.sqrt(np.diag(self.fitted.covariance)[::width]))

    @cached_property
    def floor(self) -> tuple[Floats, Floats, Floats] | None:
        """Chances of guessing right with the ends of their intervals on the logit scale; None without them."""
        if self.fitted.model != "three_parameter":
            return None
        logit = self.fitted.beta[:, 2]
        se = np.sqrt(np.diag(self.fitted.covariance)[2::3])
        se = np.where(self.fitted.floors, np.nan, se)
        reach = self.reach * se
        g = np.where(self.fitted.floors & (logit < -3), 0.0, special.expit(logit))
        return g, special.expit(logit - reach), special.expit(logit + reach)

    @cached_property
    def floor_se(self) -> Floats:
        """Standard errors of the floors; NaN for those at an edge, and where there are none."""
        if self.fitted.model != "three_parameter":
            return np.full(self.k, np.nan)
        g = special.expit(self.fitted.beta[:, 2])
        se = np.sqrt(np.diag(self.fitted.covariance)[2::3]) * g * (1 - g)
        return np.where(self.fitted.floors, np.nan, se)

    @cached_property
    def order(self) -> list[int]:
        """Items as they are shown."""
        by = {"difficulty": self.middle, "discrimination": self.fitted.discrimination}.get(self.spec.sort_by)
        if by is None:
            return list(range(self.k))
        found = [int(i) for i in np.argsort(by, kind="stable")]
        return found[::-1] if self.spec.order == "descending" else found

    @cached_property
    def drawn(self) -> list[int]:
        """Items whose curves are shown: those chosen, else the first six as they are listed."""
        chosen = [self.scored.names.index(n) for n in self.spec.shown if n in self.scored.names]
        return chosen or self.order[:6]

    def chances(self, theta: Any) -> Floats:
        """Of every answer, shape (J, K, len(theta))."""
        return curves(self.fitted.model, self.fitted.beta, self.scored.levels, np.asarray(theta, float)).chance

    @cached_property
    def on_grid(self) -> Floats:
        """Chances of every answer on the grid, shape (J, K, 81)."""
        return self.chances(GRID)

    @cached_property
    def information(self) -> Floats:
        """Of every item on the grid, shape (J, 81)."""
        return information(self.fitted.model, self.fitted.beta, self.scored.levels, GRID)

    def information_at(self, theta: float) -> float:
        """Of the whole test."""
        return float(information(self.fitted.model, self.fitted.beta, self.scored.levels, np.array([theta])).sum())

    def expected(self, j: int) -> Floats:
        """Answer of an item expected on the grid, 0 for its lowest."""
        return np.asarray(expected(self.on_grid[j : j + 1])[0])

    def score_at(self, theta: Any) -> Floats:
        """Expected sum score."""
        return np.asarray(expected(self.chances(np.atleast_1d(theta))).sum(axis=0))

    @property
    def most(self) -> int:
        """The largest sum score."""
        return int((self.scored.levels - 1).sum())

    def ability_at(self, total: float) -> float:
        """Where a sum score is expected; NaN where it is nowhere between −6 and 6, or in more than one place."""
        low, high = float(self.score_at(-6.0)[0]), float(self.score_at(6.0)[0])
        if not min(low, high) < total < max(low, high):
            return float("nan")
        return float(optimize.brentq(lambda t: float(self.score_at(t)[0]) - total, -6, 6, xtol=1e-10))

    @cached_property
    def ability(self) -> tuple[Floats, Floats]:
        """Of each person with an answer: mean and SD of the posterior."""
        return self.fitted.ability

    @cached_property
    def reliability(self) -> float:
        """Share of the variance of abilities that the scores hold: 1 − mean squared error."""
        return float(1 - np.mean(self.ability[1] ** 2))

    @cached_property
    def item_fit(self) -> list[ItemFit] | None:
        """S-χ² of each item; None where fewer than 50 people answered every item."""
        a = self.answers
        full = (a.codes >= 0).all(axis=1)
        return item_fit(self.fitted) if a.counts[full].sum() >= 50 and self.k > 2 else None

    @cached_property
    def at_ability(self) -> AtAbility:
        """Answers beside what is expected."""
        return at_ability(self.fitted)

    @cached_property
    def pairs(self) -> Floats:
        """Q3 of each pair of items."""
        return hanging_together(self.answers, self.at_ability.residual)

    @cached_property
    def refined(self) -> float:
        """How far the log-likelihood moves with twice the nodes."""
        return finer(self.fitted, nodes(2 * self.spec.nodes - 1)) - self.fitted.log_likelihood

    @cached_property
    def extremes(self) -> tuple[int, int]:
        """People with the lowest answer to every item, and with the highest."""
        a = self.answers
        full = (a.codes >= 0).all(axis=1)
        low, high = (a.codes == 0).all(axis=1), (a.codes == a.levels - 1).all(axis=1)
        return int(a.counts[full & low].sum()), int(a.counts[full & high].sum())


def two_sided(z: float) -> float:
    """p of a standard normal value; NaN where there is none."""
    return float(2 * special.ndtr(-abs(z))) if np.isfinite(z) else np.nan


def better_by(before: Fitted, f: Fitted) -> tuple[float, int, float]:
    """χ² of a model against one with fewer parameters, its df, and p, which a floor at the edge of what is possible
    has not."""
    chi2 = max(2 * (f.log_likelihood - before.log_likelihood), 0.0)
    df = f.parameters - before.parameters
    return chi2, df, float(special.chdtrc(df, chi2)) if f.model == "two_parameter" and df > 0 else np.nan


def compute(table: Table, spec: ResponseSpec, told: Told = silent, others: bool = True) -> Response:
    """Raises DataProblem for what cannot be scored or fitted."""
    scored = score(table, spec)
    model = model_of(scored, spec)
    made = answers(scored.codes[scored.use], scored.levels)
    key = content(made.codes, made.pattern, made.levels)

    def fitted(m: Model) -> Fitted:
        """A model of these answers; kept while only where it is looked at changes."""
        return _kept.of((key, m, spec.nodes), lambda: fit(made, m, nodes(spec.nodes), told))

    main = fitted(model)
    beside: dict[str, Fitted] = {}
    if others and model != "graded" and made.codes.size <= MOST_COMPARED:
        three: tuple[Model, ...] = ("one_parameter", "two_parameter", "three_parameter")
        beside = {m: fitted(m) for m in three}
    return Response(spec, scored, main, beside)
