"""The rows of a figure sorted into its groups, colours and panels."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from yavik.core.answers.wording import among
from yavik.core.figures.data import MOST_GROUPS
from yavik.core.figures.describe import Figure
from yavik.core.figures.plot import Kept, Level
from yavik.core.figures.style import colour, shape
from yavik.core.stats.groups import Groups
from yavik.core.table import Column, DataProblem, Kind, Table

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
MOST_PANELS = 60
MOST_COLOURS = 60


@dataclass(frozen=True)
class Sorted:
    """A column's rows as places among words, in the order in which the words are shown.

    Args:
        codes: shape (rows,), −1 where there is none.
        names: the words, each with at least one row.
    """

    codes: npt.NDArray[np.int32]
    names: tuple[str, ...]
    title: str
    column: str | None = None

    @property
    def k(self) -> int:
        """How many levels."""
        return len(self.names)


ALL = "all rows"


def one(n: int) -> Sorted:
    """Every row in one group without a name."""
    return Sorted(np.zeros(n, np.int32), ("",), "")


def sort_by(table: Table, name: str | None, used: npt.NDArray[np.bool_], most: int, what: str) -> Sorted:
    """Levels that have rows among ``used``, in the dictionary's order. Raises DataProblem for too many."""
    if name is None:
        return one(table.n_rows)
    column, coded = table.column(name), table.codes(name)
    if len(coded.levels) > 50_000:
        raise too_many(name, len(coded.levels), most, what)
    counts = np.bincount(coded.codes[used & (coded.codes >= 0)], minlength=len(coded.levels))
    kept = np.flatnonzero(counts > 0)
    if len(kept) > most:
        raise too_many(name, len(kept), most, what)
    if not len(kept):
        raise DataProblem(f"{name} has no filled cells among the rows of this figure.", column=name)
    place = np.full(len(coded.levels) + 1, -1, np.int32)
    place[kept] = np.arange(len(kept), dtype=np.int32)
    return Sorted(place[coded.codes], tuple(coded.levels[i] for i in kept), column.title, name)


def too_many(name: str, found: int, most: int, what: str) -> DataProblem:
    """What is said of more values than a figure takes."""
    return DataProblem(
        f"{name} has {found} different values; a figure takes at most {most} {what}. Choose a column with fewer"
        " levels, or put some together in the table.",
        column=name,
    )


def reorder(found: Sorted, figure: Figure, by: Floats | None = None) -> Sorted:
    """The order asked for: by the groups' values (falling), by name, or by hand; else as in the dictionary."""
    if figure.order == "hand":
        wanted = {name: i for i, name in enumerate(figure.by_hand)}
        order = sorted(range(found.k), key=lambda i: (wanted.get(found.names[i], len(wanted)), i))
    elif figure.order == "name":
        order = sorted(range(found.k), key=lambda i: found.names[i].casefold())
    elif figure.order == "value" and by is not None:
        order = sorted(range(found.k), key=lambda i: (-by[i] if np.isfinite(by[i]) else np.inf, i))
    else:
        return found
    place = np.full(found.k + 1, -1, np.int32)
    place[np.array(order, int)] = np.arange(found.k, dtype=np.int32)
    return Sorted(place[found.codes], tuple(found.names[i] for i in order), found.title, found.column)


@dataclass(frozen=True)
class Split:
    """Rows by panel (rows × columns), and by colour within."""

    panel: Sorted
    panel_rows: Sorted
    colour: Sorted

    @property
    def panels(self) -> list[tuple[int, int, str]]:
        """(row, column, title); a panel column alone wraps, two make a grid."""
        return [
            (r, c, ", ".join(filter(None, (self.panel_rows.names[r], self.panel.names[c]))))
            for r in range(self.panel_rows.k)
            for c in range(self.panel.k)
        ]

    @cached_property
    def panel_codes(self) -> npt.NDArray[np.int32]:
        """The panel of each row, −1 where it has none."""
        codes = self.panel_rows.codes * self.panel.k + self.panel.codes
        return np.where((self.panel_rows.codes < 0) | (self.panel.codes < 0), -1, codes).astype(np.int32)

    @property
    def n_panels(self) -> int:
        """How many panels."""
        return self.panel.k * self.panel_rows.k

    def cells(self, y: Floats, rows: Ints, inner: Sorted | None = None) -> Groups:
        """Values by panel, inner group and colour: cell (panel · k + group) · colours + colour."""
        group = inner or one(len(y))
        code = (self.panel_codes.astype(np.int64) * group.k + group.codes) * self.colour.k + self.colour.codes
        none = (self.panel_codes < 0) | (group.codes < 0) | (self.colour.codes < 0)
        k = self.n_panels * group.k * self.colour.k
        if k > MOST_GROUPS:
            raise DataProblem(
                f"These columns make {k} groups; a figure takes at most {MOST_GROUPS}. Leave out a colour or a panel."
            )
        return Groups.of(y, np.where(none, -1, code).astype(np.int32), rows, ("",) * k)


def split(figure: Figure, table: Table, used: npt.NDArray[np.bool_], colour_by: str | None = None) -> Split:
    """Rows divided by panels, rows of panels and colours."""
    by = colour_by if colour_by is not None else figure.colour
    return Split(
        sort_by(table, figure.panel, used, MOST_PANELS, "panels"),
        sort_by(table, figure.panel_rows, used, 12, "rows of panels"),
        sort_by(table, by, used, MOST_COLOURS, "colours"),
    )


def filled(table: Table, *names: str | None) -> npt.NDArray[np.bool_]:
    """Rows with a value in each of these columns. Raises DataProblem naming the first that has none at all."""
    use = np.ones(table.n_rows, bool)
    for name in filter(None, names):
        empty = table.empty(name)
        if empty.all():
            raise DataProblem(f"{name} has no filled cells {among(table.n_rows)}.", column=name)
        use &= ~empty
    if not use.any():
        listed = " and ".join(n for n in names if n)
        raise DataProblem(f"No row has a value in {listed} at once.", column=names[0])
    return use


def along(table: Table, name: str) -> tuple[Floats, Column, tuple[str, ...]]:
    """A column as places on an axis: numbers, milliseconds of dates, or 0, 1, 2 … with words for ordered levels."""
    column = table.column(name)
    if column.kind is Kind.date:
        import pyarrow as pa

        array = table.array(name).cast(pa.timestamp("ms"))
        whole = array.cast(pa.int64())
        return np.asarray(whole.to_numpy(zero_copy_only=False), float), column, ()
    if column.kind in (Kind.ordered, Kind.category, Kind.text, Kind.yes_no):
        coded = table.codes(name)
        if len(coded.levels) > 200:
            raise too_many(name, len(coded.levels), 200, "places on an axis")
        return np.where(coded.codes < 0, np.nan, coded.codes).astype(float), column, coded.levels
    return table.numbers(name), column, ()


def levels(figure: Figure, found: Sorted, style: Kept | None = None) -> list[Level]:
    """Colours and marks: the figure's own, else what the study keeps for the level, else the house's in turn."""
    kept = style or Kept()
    return [
        Level(
            name,
            figure.colours.get(name) or kept.colours.get(name) or colour(i),
            figure.shapes.get(name) or kept.marks.get(name) or shape(i),
        )
        for i, name in enumerate(found.names)
    ]
