"""Expressions over columns: Python's expression syntax, parsed to a tree of allowed nodes, run over whole columns.

Nothing is ever handed to Python's eval. A mistake is a DataProblem with its position in the text.
Empty cells stay empty: arithmetic and comparison with an empty cell give an empty cell; in ``and``/``or``
an empty cell decides nothing unless the other side decides alone (Kleene, 1952).
"""

import ast
import operator
import re
import sys
from collections.abc import Callable
from typing import Any

import numpy as np

from yavik.core.steps.functions import FUNCTIONS
from yavik.core.steps.values import Vec, align, constant, from_column, numeric
from yavik.core.table import DataProblem, Table
from yavik.core.table.problem import nearest
from yavik.core.table.texts import cleaned
from yavik.core.table.written import written

BACKTICKED = re.compile(r"`([^`]*)`")
CONSTANTS = {"pi": np.pi, "e": np.e}
ARITHMETIC: dict[type[ast.operator], Callable[[Any, Any], Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv,
    ast.Mod: operator.mod,
    ast.Pow: operator.pow,
}
COMPARE: dict[type[ast.cmpop], Callable[[Any, Any], Any]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}
DIVISIONS = (ast.Div, ast.FloorDiv, ast.Mod)
MOST_CHARACTERS = 4000


class Parsed:
    """A checked expression: its tree, and which columns it reads."""

    def __init__(self, text: str) -> None:
        if len(text) > MOST_CHARACTERS:
            raise DataProblem(f"The expression is longer than {MOST_CHARACTERS} characters.")
        if not text.strip():
            raise DataProblem("The expression is empty: write what to compute, such as minutes / 60.", position=0)
        self.text = text
        self._names: dict[str, str] = {}
        code = BACKTICKED.sub(self._stand_in, text)
        try:
            self.tree = ast.parse(code.replace("\n", " "), mode="eval").body
        except SyntaxError as trouble:
            place = self._back((trouble.offset or 1) - 1)
            raise DataProblem(
                f"This cannot be read as an expression: look near '{text[max(0, place - 1) : place + 12].strip()}'.",
                position=place,
            ) from None
        except (ValueError, RecursionError, MemoryError):
            raise DataProblem("This cannot be read as an expression.", position=0) from None

    def _stand_in(self, match: re.Match[str]) -> str:
        # The stand-in is as long as what it replaces, so that positions stay true.
        width = len(match.group(0))
        key = f"_{len(self._names)}".ljust(max(width, 3), "_")
        self._names[key] = match.group(1)
        return key

    def _back(self, place: int) -> int:
        return max(0, min(place, len(self.text)))

    def name(self, node: ast.Name) -> str:
        return self._names.get(node.id, node.id)

    @property
    def columns(self) -> set[str]:
        called = {id(n.func) for n in ast.walk(self.tree) if isinstance(n, ast.Call)}
        names = {self.name(n) for n in ast.walk(self.tree) if isinstance(n, ast.Name) and id(n) not in called}
        return names - {"row", "count", *CONSTANTS}


def evaluate(text: str, table: Table) -> Vec:
    """The expression over every row.

    Args:
        text: such as ``"high" if score > 50 else "low"``; column names with spaces in backticks.

    Raises:
        DataProblem: with ``position`` where the mistake stands in the text.
    """
    return _Run(Parsed(text), table).value()


def evaluate_counting(text: str, table: Table) -> tuple[Vec, dict[str, int]]:
    """The same, and how many filled cells became empty for which reason (a division by zero, a logarithm of 0)."""
    run = _Run(Parsed(text), table)
    return run.value(), {why: n for why, n in run.undefined.items() if n}


def rows_where(text: str, table: Table) -> Any:
    """A mask of the rows for which a condition is true (empty counts as not true)."""
    return holds(evaluate(text, table), table)


def holds(value: Vec, table: Table) -> Any:
    """A condition's value as a mask over the rows. Raises DataProblem when it is no condition."""
    if value.sort != "truth":
        raise DataProblem(
            "This gives a value, not yes or no: compare it with something, such as age >= 18.", position=0
        )
    data = value.data if not np.ndim(value.empty) and not value.empty else value.data & ~value.empty
    return np.broadcast_to(data, table.n_rows)


class _Run:
    def __init__(self, parsed: Parsed, table: Table) -> None:
        self.parsed, self.table = parsed, table
        self.undefined: dict[str, int] = {}

    def count_undefined(self, why: str, result: Any, *inputs: Any) -> None:
        """Cells that had values and have none now."""
        if not np.any(result):
            return
        fresh = np.broadcast_to(result, self.table.n_rows)
        for empty in inputs:
            fresh = fresh & ~empty
        self.undefined[why] = self.undefined.get(why, 0) + int(fresh.sum())

    def value(self) -> Vec:
        try:
            return self.visit(self.parsed.tree)
        except RecursionError:
            raise DataProblem("The expression is nested too deeply.", position=0) from None

    def visit(self, node: ast.AST) -> Vec:
        handler = getattr(self, f"_{type(node).__name__.lower()}", None)
        if handler is None:
            raise self.wrong(node, "This is not something an expression can do.")
        result: Vec = handler(node)
        return result

    def wrong(self, node: ast.AST, message: str, column: str | None = None) -> DataProblem:
        byte = getattr(node, "col_offset", 0)  # ast counts bytes
        place = len(self.parsed.text.encode()[:byte].decode(errors="ignore"))
        return DataProblem(message, column=column, position=place)

    def _constant(self, node: ast.Constant) -> Vec:
        if isinstance(node.value, str):
            return constant(cleaned(node.value))  # "\\x0b" is a way to write what no text can show
        if isinstance(node.value, int) and abs(node.value) > sys.float_info.max:
            raise self.wrong(node, "This number is larger than any that can be computed with.")
        if isinstance(node.value, bool | int | float):
            return constant(node.value)
        raise self.wrong(node, "Only numbers, texts in quotes, True and False can be written here.")

    def _name(self, node: ast.Name) -> Vec:
        name = self.parsed.name(node)
        if self.table.has(name):
            return from_column(self.table, name)
        if name == "row":
            return Vec("number", self.table.rows.astype(float), np.zeros(self.table.n_rows, bool), whole=True)
        if name == "count":
            return constant(self.table.n_rows)
        if name in CONSTANTS:
            return constant(CONSTANTS[name])
        hint = (
            nearest(name, [*self.table.names, "row", "count"])
            or " Texts stand in quotes; names with spaces in backticks."
        )
        raise self.wrong(node, f"There is no column '{name}'.{hint}", name)

    def _unaryop(self, node: ast.UnaryOp) -> Vec:
        value = self.visit(node.operand)
        if isinstance(node.op, ast.Not):
            self.must(value, "truth", node, "'not' needs a yes or no")
            return Vec("truth", ~value.data, value.empty)
        self.must(value, "number", node, "A sign needs a number")
        return numeric(-value.data if isinstance(node.op, ast.USub) else +value.data, value.empty, value.whole)

    def _binop(self, node: ast.BinOp) -> Vec:
        left, right = self.visit(node.left), self.visit(node.right)
        do = ARITHMETIC.get(type(node.op))
        if do is None:
            raise self.wrong(node, "Use 'and', 'or', 'not' to join conditions; + − * / ** to calculate.")
        self.must(left, "number", node.left, "Only numbers can be calculated with")
        self.must(right, "number", node.right, "Only numbers can be calculated with")
        with np.errstate(all="ignore"):
            data = do(np.asarray(left.data, float), np.asarray(right.data, float))
        whole = left.whole and right.whole and not isinstance(node.op, ast.Div)
        if np.isfinite(data).all():
            return Vec("number", data, left.empty | right.empty, whole=whole)
        data = np.where(np.isinf(data), np.nan, data)  # a division by zero has no value: the cell is empty
        why = (
            "a division by zero" if type(node.op) in DIVISIONS else "a result that is no number or too large to hold"
        )
        self.count_undefined(why, np.isnan(data), left.empty, right.empty)
        return numeric(data, left.empty | right.empty, whole)

    def _boolop(self, node: ast.BoolOp) -> Vec:
        values = [self.visit(v) for v in node.values]
        for value, part in zip(values, node.values, strict=True):
            self.must(value, "truth", part, "'and' and 'or' join conditions")
        data, empty = values[0].data, values[0].empty
        for v in values[1:]:
            if isinstance(node.op, ast.And):
                decided = (~data & ~empty) | (~v.data & ~v.empty)
                data, empty = data & v.data & ~decided, (empty | v.empty) & ~decided
            else:
                decided = (data & ~empty) | (v.data & ~v.empty)
                data, empty = decided | (data & v.data), (empty | v.empty) & ~decided
        return Vec("truth", data, empty)

    def _compare(self, node: ast.Compare) -> Vec:
        parts = [node.left, *node.comparators]
        results = []
        for a, op, b in zip(parts, node.ops, parts[1:], strict=False):
            results.append(self.one_of(a, op, b) if isinstance(op, ast.In | ast.NotIn) else self.compare(a, op, b))
        data, empty = results[0].data, results[0].empty
        for r in results[1:]:
            data, empty = data & r.data, empty | r.empty
        return Vec("truth", data, empty)

    def compare(self, a: ast.expr, op: ast.cmpop, b: ast.expr) -> Vec:
        left, right = self.visit(a), self.visit(b)
        do = COMPARE.get(type(op))
        if do is None:
            raise self.wrong(b, "Compare with ==, !=, <, <=, > or >=.")
        if left.sort != right.sort:
            left, right = self.meet(left, right, b)
        if left.sort == "text":
            if left.aliases or not right.aliases:
                x, y, levels = align(left, right)
            else:  # the side with aliases leads, so that a level may be written by value or by label
                y, x, levels = align(right, left)
            if not isinstance(op, ast.Eq | ast.NotEq) and not (left.aliases or right.aliases):
                rank = np.argsort(np.argsort(np.array(levels)))
                x, y = rank[x], rank[y]
            return Vec("truth", do(x, y), left.empty | right.empty)
        return Vec("truth", do(left.data, right.data), left.empty | right.empty)

    def meet(self, left: Vec, right: Vec, node: ast.expr) -> tuple[Vec, Vec]:
        """A coded column compared with a number: the number is taken as a level's value."""
        for text, number, flip in ((left, right, False), (right, left, True)):
            if text.sort == "text" and number.sort == "number" and np.ndim(number.data) == 0 and text.aliases:
                word = constant(written(float(number.data)))
                return (word, text) if flip else (text, word)
            if text.sort == "text" and number.sort == "truth" and np.ndim(number.data) == 0 and len(text.levels) == 2:
                word = constant(text.levels[int(number.data)])
                return (word, text) if flip else (text, word)
        raise self.wrong(node, f"A {left.sort} cannot be compared with a {right.sort}. Texts stand in quotes.")

    def one_of(self, a: ast.expr, op: ast.cmpop, b: ast.expr) -> Vec:
        if not isinstance(b, ast.Tuple | ast.List | ast.Set) or not b.elts:
            raise self.wrong(b, 'After "in" comes a list, such as town in ("Corrin", "Hollin").')
        hits = [self.compare(a, ast.Eq(), item) for item in b.elts]
        data, empty = hits[0].data, hits[0].empty
        for h in hits[1:]:
            data = data | h.data
        return Vec("truth", ~data if isinstance(op, ast.NotIn) else data, empty)

    def _ifexp(self, node: ast.IfExp) -> Vec:
        test, yes, no = self.visit(node.test), self.visit(node.body), self.visit(node.orelse)
        self.must(test, "truth", node.test, "After 'if' comes a condition")
        if yes.sort != no.sort:
            raise self.wrong(node.orelse, f"One way gives a {yes.sort}, the other a {no.sort}: both must be alike.")
        a, b, levels = align(yes, no) if yes.sort == "text" else (yes.data, no.data, ())
        empty = test.empty | np.where(test.data, yes.empty, no.empty)
        return Vec(yes.sort, np.where(test.data, a, b), empty, levels, whole=yes.whole and no.whole)

    def _call(self, node: ast.Call) -> Vec:
        if not isinstance(node.func, ast.Name):
            raise self.wrong(node, "Only the listed functions can be called.")
        f = FUNCTIONS.get(node.func.id)
        if f is None:
            raise self.wrong(node, f"There is no function '{node.func.id}'.{nearest(node.func.id, FUNCTIONS)}")
        if not f.fewest <= len(node.args) <= f.most or any(k.arg not in f.named for k in node.keywords):
            raise self.wrong(node, f"Write it as {f.shape}.")
        args = [self.visit(a) for a in node.args]
        if f.name != "empty" and f.name != "lag":
            for value, part in zip(args, node.args, strict=True):
                self.must(value, "number", part, f"{f.name} needs a number")
        if f.name in ("lag", "rank") and np.ndim(args[0].data) == 0:
            raise self.wrong(node, f"{f.name} needs a column.")
        if f.name in ("lag", "round") and len(args) > 1 and np.ndim(args[1].data) != 0:
            raise self.wrong(node.args[1], "Write a plain number here.")
        result = f.call(*args, **{str(k.arg): self.visit(k.value) for k in node.keywords})
        if f.undefined:
            self.count_undefined(f.undefined, result.empty, *(a.empty for a in args))
        return result

    def must(self, value: Vec, sort: str, node: ast.AST, message: str) -> None:
        if value.sort != sort:
            raise self.wrong(node, f"{message}; this is a {value.sort}.")
