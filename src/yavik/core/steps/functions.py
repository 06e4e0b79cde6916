"""The functions an expression may call. One place: the completion list and the evaluator both read it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from yavik.core.stats.ranks import mid_ranks
from yavik.core.steps.values import Vec, numeric
from yavik.core.table import DataProblem


@dataclass(frozen=True)
class Function:
    name: str
    shape: str
    help: str
    call: Callable[..., Vec]
    fewest: int = 1
    most: int = 1
    named: tuple[str, ...] = ()
    undefined: str = ""
    """What to call a filled cell that it makes empty: 'the logarithm of a number that is not positive'."""


NOT_POSITIVE = "the logarithm of a number that is not positive"


def _plain(name: str, help: str, f: Callable[[Any], Any], undefined: str = "a number too large to hold") -> Function:
    def call(x: Vec) -> Vec:
        with np.errstate(all="ignore"):
            data = f(x.data)
        if np.isfinite(data).all():
            return Vec("number", data, x.empty)
        return numeric(np.where(np.isinf(data), np.nan, data), x.empty)

    return Function(name, f"{name}(x)", help, call, undefined=undefined)


def _over(name: str, help: str, f: Callable[[Any], float]) -> Function:
    """One number from the filled cells of a column, the same for every row."""

    def call(x: Vec) -> Vec:
        data = np.atleast_1d(x.data)
        filled = data[~np.broadcast_to(x.empty, data.shape)]
        value = f(filled) if len(filled) else np.nan
        return numeric(np.float64(value), np.bool_(False))

    return Function(name, f"{name}(x)", help, call)


def _empty(x: Vec) -> Vec:
    return Vec("truth", np.asarray(x.empty), np.zeros_like(np.asarray(x.empty)))


def _rank(x: Vec) -> Vec:
    out, full = np.zeros(np.shape(x.data)), ~np.broadcast_to(x.empty, np.shape(x.data))
    out[full] = mid_ranks(x.data[full])
    return numeric(out, x.empty)


def _round(x: Vec, places: Vec | None = None) -> Vec:
    """Places beyond what a number holds leave it as it is."""
    wanted = _whole_number(places, 400) if places else 0
    with np.errstate(over="ignore", invalid="ignore"):
        rounded = np.round(x.data, wanted)
    return numeric(np.where(np.isfinite(rounded), rounded, x.data), x.empty, whole=places is None)


def _whole_number(x: Vec, most: int) -> int:
    """A plain number of an expression, cut to what the work can take. Raises DataProblem where it is none."""
    value = float(x.data)
    if np.any(x.empty) or not np.isfinite(value):
        raise DataProblem("The number of places or rows cannot be worked out.")
    return int(np.clip(value, -most, most))


def _across(name: str, help: str, f: Callable[..., Any]) -> Function:
    def call(*xs: Vec) -> Vec:
        data, empty = xs[0].data, xs[0].empty
        for x in xs[1:]:
            data, empty = f(data, x.data), empty | x.empty
        return numeric(np.asarray(data, float), empty, whole=all(x.whole for x in xs))

    return Function(name, f"{name}(x, y, …)", help, call, 2, 50)


def _lag(x: Vec, steps: Vec | None = None, by: Vec | None = None, order: Vec | None = None) -> Vec:
    """The value k rows earlier within ``by``, rows taken in the order of ``order`` (file order when not given)."""
    n = len(x.data)
    k = _whole_number(steps, n) if steps else 1
    keys = [np.arange(n)]
    if order is not None:
        keys.append(np.broadcast_to(order.data, n))
    group = np.broadcast_to(by.data, n) if by is not None else np.zeros(n, np.int32)
    place = np.lexsort([*keys, group])
    source = np.arange(n) - k
    inside = (source >= 0) & (source < n)
    safe = np.clip(source, 0, max(0, n - 1))
    inside &= group[place] == group[place[safe]]
    data, empty = np.zeros_like(x.data), np.ones(n, bool)
    data[place] = np.where(inside, x.data[place[safe]], 0)
    empty[place] = np.where(inside, np.broadcast_to(x.empty, n)[place[safe]], True)
    return Vec(x.sort, data, empty, x.levels, x.whole, x.aliases)


_ALL = [
    _plain(
        "log",
        "Natural logarithm; empty where x is not positive",
        np.log,
        NOT_POSITIVE,
    ),
    _plain("log2", "Logarithm to base 2", np.log2, NOT_POSITIVE),
    _plain("log10", "Logarithm to base 10", np.log10, NOT_POSITIVE),
    _plain("exp", "e to the power of x", np.exp),
    _plain("sqrt", "Square root; empty where x is negative", np.sqrt, "the root of a negative number"),
    _plain("abs", "Size without sign", np.abs),
    _plain("floor", "Next whole number below", np.floor),
    _plain("ceil", "Next whole number above", np.ceil),
    _plain("sin", "Sine of x in radians", np.sin),
    _plain("cos", "Cosine of x in radians", np.cos),
    _plain("tan", "Tangent of x in radians", np.tan),
    _over("mean", "Mean of the whole column", np.mean),
    _over(
        "sd", "Standard deviation of the whole column (n − 1)", lambda v: np.std(v, ddof=1) if len(v) > 1 else np.nan
    ),
    _over("median", "Median of the whole column", np.median),
    _over("sum", "Sum of the whole column", np.sum),
    _across("smallest", "The smallest of several values in the row", np.minimum),
    _across("largest", "The largest of several values in the row", np.maximum),
    Function("empty", "empty(x)", "Whether the cell is empty", _empty),
    Function("rank", "rank(x)", "Rank of the value, ties share their mean rank", _rank),
    Function("round", "round(x, places)", "Rounded to that many places", _round, 1, 2),
    Function(
        "lag",
        "lag(x, 1, by=unit, order=time)",
        "The value one row earlier within the unit",
        _lag,
        1,
        2,
        ("by", "order"),
    ),
]

FUNCTIONS: dict[str, Function] = {f.name: f for f in _ALL}
