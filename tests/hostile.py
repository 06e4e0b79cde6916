"""What hostile data do to a question: each method on the demo table it was made for, and ways to change that table.

Used by the tests of all methods and by ``bench/every_method.py``.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa

from tests.laws import broken_by
from tests.tables import named
from yavik.core.methods import answer
from yavik.core.methods.registry import get, parse_spec
from yavik.core.table import CODED, NUMERIC, Column, DataProblem, Kind, Level, Table


@dataclass(frozen=True)
class Case:
    """A question on a demo table; ``exact`` names facts that a shift or scale of its measures may not move.

    ``along``: fields of the spec that hold a value of the measures, and move with them.
    """

    method: str
    table: str
    spec: dict[str, Any]
    exact: tuple[str, ...] = ("p",)
    extra: dict[str, Any] = field(default_factory=dict)
    along: tuple[str, ...] = ()

    @property
    def id(self) -> str:
        return "-".join([self.method, *(str(v) for v in self.extra.values())])

    def asked(self) -> dict[str, Any]:
        return {**self.spec, **self.extra}

    def moved(self, shift: float, scale: float) -> dict[str, Any]:
        """The spec for measures moved alike."""
        spec = self.asked()
        return {k: round(v * scale + shift, 9) if k in self.along else v for k, v in spec.items()}

    def data(self) -> Table:
        """The columns that the question reads, and any that tells its rows apart."""
        table, wanted = named(self.table), get(self.method).columns(parse_spec(self.method, self.asked()))
        return table.select([n for n in table.names if not wanted or n in wanted])

    @cached_property
    def facts(self) -> dict[str, Any]:
        """Of its table as it is, which others are held against."""
        return facts(self, self.data())


ROOM = {"response": "minutes", "groups": "room"}
STORY = {"response": "words", "groups": "telling", "block": "group"}
TINT = {"response": "brightness", "groups": "mill"}
PACE = {"first": "attention", "second": "recall"}
CARD = {"column": "finished", "groups": "card"}
SIZE = {"response": "visits", "terms": ["floor_area", "hours_open", "district"]}
COUNTED = {"response": "visits", "terms": ["minutes", "reminders", "card"]}
CURVED: dict[str, Any] = {
    "response": "pace",
    "terms": ["rest", {"column": "rest", "power": 2}, "span", {"interaction": ["rest", "span"]}],
}
DESKS: dict[str, Any] = {
    "response": "pages",
    "terms": ["lamp", "noise"],
    "random": [{"units": ["hall"]}, {"units": ["hall", "lamp"]}],
}
EVENINGS = {"outcome": "loans", "period": "month", "treated": "evenings", "unit": "branch", "base": "8"}
FOLLOWED = {"outcome": "loans", "terms": ["staff", "hours"], "unit": "branch", "time": "year"}
ROUND = {"outcome": "visits_after", "running": "score", "cutoff": 50.0}
WEEKS = {"response": "fluency", "subject": "child", "time": "week", "between": ["tutoring"]}
LINED = [{"method": "linear", "spec": {**SIZE, "terms": SIZE["terms"][:k]}} for k in (1, 2, 3)]  # type: ignore[index]
GENRES = [f"genre {j + 1:02d}" for j in range(20) if j != 11]
MOTIVES = [f"m{i}" for i in range(1, 13)]
QUIZ = [f"item{i}" for i in range(1, 10)]
SURVEYED: dict[str, dict[str, Any]] = {
    "survey_estimate": {"columns": ["trust", "visits"], "by": "sex"},
    "survey_compare": {"response": "visits", "groups": "sex"},
    "survey_model": {"response": "visits", "terms": ["age", "sex"]},
    "survey_crosstab": {"rows": "trust", "columns": "read_week"},
}
CASES = [
    *(Case("compare_groups", "Room trial", ROOM, extra={"test": t}) for t in ("anova", "welch", "kruskal_wallis")),
    *(Case("compare_groups", "Story hours", STORY, extra={"test": t}) for t in ("anova", "friedman")),
    *(Case("compare_two", "Page tint", TINT, extra={"test": t}) for t in ("welch", "student", "mann_whitney")),
    *(Case("compare_paired", "Reading pace", PACE, extra={"test": t}) for t in ("t", "wilcoxon")),
    Case("compare_spread", "Room trial", {"response": "minutes", "groups": ["room"]}),
    Case("factorial", "Seat and light, unbalanced", {"response": "minutes", "factors": ["seat", "light"]}),
    Case("repeated", "Fluency", {"response": "fluency", "subject": "child", "within": "week", "between": "tutoring"}),
    Case("crosstab", "Winter challenge", {"rows": "reminders", "columns": "finished"}),
    Case("proportion", "Winter challenge", CARD),
    Case("goodness_of_fit", "Winter challenge", {"column": "card"}),
    Case("paired_proportions", "Word quiz", {"columns": ["item1", "item2"]}),
    Case("describe", "Room trial", {"columns": ["minutes", "room", "lux"]}, exact=()),
    Case("frequencies", "Winter challenge", {"columns": ["card", "age_group"]}, exact=()),
    Case("distribution", "Room trial", {"column": "minutes"}, exact=()),
    Case("correlate", "Reading pace", {"columns": ["pace", "span", "recall"]}, exact=()),
    Case(
        "reliability",
        "Reading motives",
        {"items": ["m1", "m2", "m3", "m4", "m5", "m12"]},
        exact=("cronbach_alpha", "omega"),
    ),
    *(
        Case(
            "factor_analysis", "Reading motives", {"items": MOTIVES}, exact=(), extra={"extraction": e, "rotation": r}
        )
        for e, r in (("principal_axis", "oblimin"), ("ml", "varimax"), ("minres", "promax"))
    ),
    Case("principal_components", "Reading pace", {"items": ["pace", "span", "recall", "rest"]}, exact=()),
    *(
        Case("item_response", "Word quiz", {"items": QUIZ}, exact=(), extra={"model": m})
        for m in ("one_parameter", "two_parameter", "three_parameter")
    ),
    Case("item_response", "Reading motives", {"items": MOTIVES[:5]}, exact=()),
    Case("agreement", "Returned books", {"raters": ["ines", "oskar", "petra"]}, exact=("kappa",)),
    Case("agreement", "Returned books", {"raters": ["ines", "oskar"]}, exact=("kappa",)),
    Case("agreement", "Returned books", {"raters": ["counter", "cellar"]}, exact=()),
    Case("agreement", "Returned books", {"raters": ["counter", "cellar"]}, exact=(), extra={"kind": "limits"}),
    Case("series", "Monthly loans", {"value": "loans", "time": "month"}, exact=()),
    Case("arima", "Waiting list", {"value": "waiting", "time": "quarter", "candidates": [[1, 1, 1]]}, exact=()),
    *(
        Case(m, "Genre loans", {"taxa": GENRES, "groups": "site"}, exact=())
        for m in ("community_test", "contributions", "diversity", "clustering", "ordination")
    ),
    Case("smoothing", "Monthly loans", {"value": "loans", "time": "month", "trend": "none"}, exact=()),
    Case("linear", "Branches", SIZE),
    Case("mixed", "Quiet desks", DESKS),
    Case("mixed", "Fluency", WEEKS, extra={"covariance": "ar1"}),
    Case("difference_in_differences", "Evening opening", EVENINGS),
    Case("panel", "Branch years", FOLLOWED),
    Case("panel", "Branch years", FOLLOWED, extra={"main": "random"}),
    Case("discontinuity", "Grant round", ROUND, along=("cutoff",)),
    Case("discontinuity", "Grant round", ROUND, extra={"se": "hc1"}, along=("cutoff",)),
    *(
        Case("counts_model", "Winter challenge", COUNTED, exact=("p",) if f == "poisson" else (), extra={"family": f})
        for f in ("poisson", "negative_binomial", "quasi")
    ),
    Case("linear", "Reading pace", CURVED, extra={"zero": "mean"}),
    *(
        Case("one_sample", "Room trial", {"column": "minutes", "value": 40.0}, extra={"test": t}, along=("value",))
        for t in ("t", "wilcoxon", "sign")
    ),
    Case("missing", "Reading motives", {"columns": ["m1", "m2", "m10"]}, exact=()),
    Case("line_up", "Branches", {"models": LINED}, exact=()),
    Case("logistic", "Winter challenge", {"response": "finished", "terms": ["minutes", "reminders", "card"]}),
    *(
        Case(m, "Reader survey 2023", {**s, "design": {"weight": "wt", "strata": "town"}}, exact=())
        for m, s in SURVEYED.items()
    ),
    Case("discriminant", "Room trial", {"columns": ["lux", "minutes"], "groups": "room"}),
]
IDS = [c.id for c in CASES]


def measures(table: Table) -> list[str]:
    return [c.name for c in table.columns if c.kind is Kind.measure]


def with_numbers(table: Table, name: str, change: Callable[[Any], Any]) -> Table:
    """A measure with its numbers changed; what is empty stays so."""
    values = table.numbers(name)
    there = ~np.isnan(values)
    fresh = np.where(there, change(np.where(there, values, 0.0)), np.nan)
    column = table.column(name).but(kind=Kind.measure, decimals=6, levels=[])
    return table.with_column(column, pa.array(fresh, pa.float64(), from_pandas=True))


def moved(table: Table, shift: float, scale: float) -> Table:
    for name in measures(table):
        table = with_numbers(table, name, lambda v: np.round(v * scale + shift, 9))
    return table


def shuffled(table: Table, seed: int = 3) -> Table:
    return table.take(np.random.default_rng(seed).permutation(table.n_rows))


ODD = ('a "quoted" one', "with | bar, comma; dot.", "=1+1", "Größe (µm²)", "{braces} and \\", "<b>bold</b> & so")


def oddly_named(case: Case, table: Table) -> tuple[Table, dict[str, Any]]:
    """Columns and levels under names that break what is careless; their order stays."""
    names = {n: f"{ODD[i % len(ODD)]} {i}" for i, n in enumerate(table.names)}
    columns = tuple(
        c.but(
            name=names[c.name],
            label=None,
            levels=[Level(value=lv.value, label=f"{lv.words} {ODD[i % len(ODD)]}") for i, lv in enumerate(c.levels)],
        )
        for c in table.columns
    )
    return Table(columns, table.arrays, table.rows, table.about), renamed(case.asked(), names)


def renamed(spec: Any, names: dict[str, str]) -> Any:
    if isinstance(spec, dict):
        return {k: renamed(v, names) for k, v in spec.items()}
    if isinstance(spec, list):
        return [renamed(v, names) for v in spec]
    return names.get(spec, spec) if isinstance(spec, str) else spec


def halved(table: Table) -> tuple[Table, Table]:
    """The table with a column to filter by, and the table filtered already."""
    inside = np.arange(table.n_rows) % 5 != 2
    flag = Column(name="kept", kind=Kind.category, levels=[Level(value="in"), Level(value="out")])
    codes = pa.array(np.where(inside, 0, 1).astype(np.int32))
    cells = pa.DictionaryArray.from_arrays(codes, pa.array(["in", "out"]))
    whole = table.with_column(flag, cells)
    return whole, whole.keep(inside)


def ruined(table: Table) -> Iterator[tuple[str, Table]]:
    """The table with one column spoilt in each of the ways that happen."""
    for name in table.names:
        kind = table.column(name).kind
        if kind in NUMERIC:
            yield f"{name} constant", with_numbers(table, name, lambda v: np.full(len(v), 7.0))
            yield f"{name} vast in one cell", with_numbers(table, name, lambda v: np.r_[1e308, v[1:]])
            yield f"{name} vast throughout", with_numbers(table, name, lambda v: v * 1e200)
            yield f"{name} tiny throughout", with_numbers(table, name, lambda v: v * 1e-200)
            yield f"{name} in two values", with_numbers(table, name, lambda v: np.where(v > np.median(v), 1.0, 0.0))
            yield f"{name} empty", with_numbers(table, name, lambda v: np.full(len(v), np.nan))
        if kind in CODED:
            codes = table.codes(name).codes
            first = int(codes[codes >= 0][0])
            yield f"{name} one level", table.keep(codes == first)
            seen = np.zeros(len(codes), bool)
            seen[np.flatnonzero(codes != first)[:1]] = True
            yield f"{name} a level with one row", table.keep((codes == first) | seen)
    yield "one row", table.slice(0, 1)
    yield "two rows", table.slice(0, 2)
    yield "no rows", table.slice(0, 0)
    yield "three rows", table.slice(0, 3)


def facts(case: Case, table: Table, spec: dict[str, Any] | None = None) -> dict[str, Any]:
    found = answer(case.method, table, spec or case.asked())
    assert broken_by(found) == []
    return dict(found.facts)


def tried(case: Case, table: Table) -> str:
    """'answered', or the sentence that says why not. What else is raised is a defect."""
    try:
        found = answer(case.method, table, case.asked())
    except DataProblem as problem:
        return problem.message
    assert broken_by(found) == []
    return "answered"
