"""What is known about a whole table: its survey design, and the unit and time that make it a panel."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict

EARLIER = {"jackknife": "jk1", "balanced": "brr"}
"""What ways of making replicates were called in paths that were kept before."""


def _as_now(way: Any) -> Any:
    return EARLIER.get(way, way) if isinstance(way, str) else way


ReplicateMethod = Annotated[
    Literal["jk1", "jk2", "jkn", "brr", "fay", "bootstrap", "successive"], BeforeValidator(_as_now)
]
Lone = Literal["centred", "certainty", "pooled"]


class Design(BaseModel):
    """A survey's design.

    ``scale`` multiplies the squared differences between replicate estimates, None for what is usual of the method.
    ``population``: a column with how many clusters (rows where there are none) each stratum has in all, or which share
    of them was drawn. ``lone``: what a stratum with one cluster adds. ``waves``: samples drawn by themselves that stand
    in one table, each with a block of replicates.
    """

    model_config = ConfigDict(frozen=True)

    weight: str | None = None
    replicates: tuple[str, ...] = ()
    method: ReplicateMethod = "jk1"
    scale: float | None = None
    fay: float = 0.5
    strata: str | None = None
    clusters: str | None = None
    population: str | None = None
    lone: Lone = "centred"
    waves: int = 1

    @property
    def columns(self) -> list[str]:
        """Columns that the design is made of."""
        return [n for n in (self.weight, *self.replicates, self.strata, self.clusters, self.population) if n]


class Panel(BaseModel):
    """Which column names the unit and which the time."""

    model_config = ConfigDict(frozen=True)

    unit: str
    time: str


class About(BaseModel):
    model_config = ConfigDict(frozen=True)

    design: Design | None = None
    panel: Panel | None = None
    filtered_out: dict[str, tuple[str, ...]] = {}
    """Levels, by column, that a question's own filter leaves without rows."""

    def renamed(self, names: dict[str, str]) -> "About":
        """The same with columns under their new names."""

        def now(name: str | None) -> str | None:
            """A column's present name."""
            return names.get(name, name) if name else name

        design, panel = self.design, self.panel
        if design:
            design = design.model_copy(
                update={
                    "weight": now(design.weight),
                    "replicates": tuple(now(r) for r in design.replicates),
                    "strata": now(design.strata),
                    "clusters": now(design.clusters),
                    "population": now(design.population),
                }
            )
        if panel:
            panel = Panel(unit=names.get(panel.unit, panel.unit), time=names.get(panel.time, panel.time))
        return About(design=design, panel=panel)

    def fitting(self, names: list[str]) -> tuple["About", list[str]]:
        """What still holds for a table with these columns, and a sentence for each part that no longer does."""
        have, notes = set(names), []
        design, panel = self.design, self.panel
        if design and (gone := [n for n in design.columns if n not in have]):
            notes.append(f"The survey design is forgotten here: {gone[0]} is no longer a column.")
            design = None
        if panel and (lost := [n for n in (panel.unit, panel.time) if n not in have]):
            notes.append(f"Unit and time are forgotten here: {lost[0]} is no longer a column.")
            panel = None
        return About(design=design, panel=panel), notes


NOTHING = About()
