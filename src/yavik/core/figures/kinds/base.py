"""What a kind of figure declares: its sentence, its slots, what it can draw, and how it is made."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from yavik.core.ask import slot
from yavik.core.figures.describe import Figure, Layer
from yavik.core.figures.plot import Plot, Style
from yavik.core.table import Table


@dataclass(frozen=True)
class SlotCard:
    title: str
    kinds: list[str]
    placeholder: str
    many: bool = False


@dataclass(frozen=True)
class LayerCard:
    id: Layer
    words: str
    help: str
    alone: bool = False
    """Takes the place of the others instead of being drawn with them."""


@dataclass(frozen=True)
class Kind:
    id: str
    words: str
    sentence: str
    slots: dict[str, SlotCard]
    needed: tuple[str, ...]
    layers: tuple[LayerCard, ...]
    usual: tuple[Layer, ...]
    looks: tuple[str, ...]
    """What of the margin's settings means something here."""
    plot: Callable[[Figure, Table, Style], Plot]
    size: tuple[float, float] = field(default=(85.0, 70.0))
    only: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Of some choices of the margin, the values that this kind has."""
    coloured_by: tuple[str, ...] = ("colour",)
    """Slots whose column's levels have the colours: the first that is filled."""

    def level_column(self, figure: Figure) -> str | None:
        """The column whose levels have colours."""
        return next((getattr(figure, name) for name in self.coloured_by if getattr(figure, name)), None)

    def ready(self, figure: Figure) -> bool:
        """Whether every needed slot is filled."""
        return all(getattr(figure, name) for name in self.needed)

    def columns(self, figure: Figure) -> list[str]:
        """The columns it reads, each once."""
        found: list[str] = []
        for name in self.slots:
            value: Any = getattr(figure, name)
            found += value if isinstance(value, list) else [value] if value else []
        return list(dict.fromkeys(found))

    def card(self) -> dict[str, Any]:
        """For the interface."""
        return {
            "id": self.id,
            "words": self.words,
            "sentence": self.sentence,
            "slots": {
                k: {"title": s.title, **slot(s.kinds, s.placeholder, many=s.many)} for k, s in self.slots.items()
            },
            "needed": list(self.needed),
            "layers": [{"id": x.id, "words": x.words, "help": x.help, "alone": x.alone} for x in self.layers],
            "usual": list(self.usual),
            # Shares are per cent already.
            "looks": [*self.looks, *(() if "counts" in self.looks else ("percent",))],
            "only": {k: list(v) for k, v in self.only.items()},
        }


COLOUR = SlotCard("Colour", ["category", "ordered", "yes_no", "count", "text"], "column")
PANEL = SlotCard("Panel", ["category", "ordered", "yes_no", "count", "text"], "column")
PANEL_ROWS = SlotCard("Rows of panels", ["category", "ordered", "yes_no", "count", "text"], "column")
