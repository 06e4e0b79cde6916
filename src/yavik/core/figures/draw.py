"""From a figure's description, a table and an answer's marks to a drawing: Vega-Lite, a caption, words and numbers.

Only summaries and the points that are shown leave the server.
"""

import re
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from yavik.core.answers import Answer, Marks, Span, TableBlock
from yavik.core.answers.wording import italic, plain, say
from yavik.core.figures.compose import compose
from yavik.core.figures.data import Grouped
from yavik.core.figures.describe import Figure
from yavik.core.figures.extras import marks_of
from yavik.core.figures.images import FONTS
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.kinds.groups import cells_of, plot_cells
from yavik.core.figures.plot import Plot, Style
from yavik.core.figures.telling_apart import alike
from yavik.core.steps.expressions import Parsed, rows_where
from yavik.core.table import DataProblem, Table
from yavik.core.table.texts import as_json

TOKEN = re.compile(r"\{(\w+)\}")


@dataclass(frozen=True)
class Lent:
    """An answer's marks and its name."""

    name: str
    marks: Marks


@dataclass
class Drawing:
    vega: dict[str, Any]
    caption: list[Span]
    own_caption: list[Span]
    """The caption that writes itself, whatever the researcher wrote."""
    alt: str
    levels: list[str] = field(default_factory=list)
    colours: dict[str, str] = field(default_factory=dict)
    shapes: dict[str, str] = field(default_factory=dict)
    level_column: str | None = None
    groups: list[str] = field(default_factory=list)
    """Places along the axis, for an order by hand and for brackets."""
    parts: dict[str, str] = field(default_factory=dict)
    """What the live parts of the caption say."""
    template: str = ""
    """The caption that writes itself, with its live parts as ``{name}``."""
    behind: TableBlock | None = None
    warnings: list[str] = field(default_factory=list)
    grey: list[str] = field(default_factory=list)


def reads(figure: Figure) -> list[str]:
    """The columns a figure looks at. Raises DataProblem for a condition that cannot be read."""
    kind = KINDS.get(figure.kind)
    names = kind.columns(figure) if kind else []
    return list(dict.fromkeys([*names, *(sorted(Parsed(figure.where).columns) if figure.where else [])]))


def is_ready(figure: Figure) -> bool:
    """Whether everything that a figure needs is chosen."""
    if figure.kind == "answer":
        return bool(figure.question and figure.block)
    return KINDS[figure.kind].ready(figure)


def draw_figure(figure: Figure, table: Table, lent: Lent | None = None, style: Style | None = None) -> Drawing:
    """Pure: the same figure, table and marks give the same drawing (jitter and samples are seeded).

    Args:
        style: the colours and marks that the study keeps, by column and level.

    Raises:
        DataProblem: slots that are empty, columns that cannot stand there, axes that cannot hold the data.
    """
    if not is_ready(figure):
        raise DataProblem("Fill the slots of the sentence to see the figure.")
    kind = KINDS[figure.kind]
    shown = [s for s in figure.show if any(s == x.id for x in kind.layers)] or list(kind.usual)
    alone = [x.id for x in kind.layers if x.alone and x.id in shown]
    figure = figure.model_copy(update={"show": alone[-1:] or shown})
    if figure.where:
        table = table.keep(rows_where(figure.where, table))
        if not table.n_rows:
            raise DataProblem("No row is left by the condition of this figure.")
    return finish(figure, kind.plot(figure, table, style or Style()), lent)


def draw(figure: Figure, data: Grouped, marks: Marks | None = None) -> Drawing:
    """A figure of groups that a method has read already."""
    return finish(figure, plot_cells(figure, cells_of(figure, data)), Lent("", marks) if marks else None)


def finish(figure: Figure, plot: Plot, lent: Lent | None) -> Drawing:
    """The drawing with its marks, notes and caption."""
    marks, high, said = marks_of(figure, plot, lent.marks if lent else None)
    parts = {**plot.caption, **{k: v for k, v in said.items() if v}}
    if said and lent and lent.name:
        parts["answer"] = f"Marks from the answer “{lent.name}”."
    template = template_of(parts)
    vega = compose(figure, plot, marks, high)
    shown = [(level.name, level.colour) for level in plot.levels if level.name]
    warnings, grey = alike(shown)
    own = caption_of(template, parts)
    return Drawing(
        vega=vega,
        caption=caption_of(figure.caption, parts) if figure.caption is not None else own,
        own_caption=own,
        alt=plot.alt,
        levels=[name for name, _ in shown],
        colours=dict(shown),
        shapes={level.name: level.shape for level in plot.levels if level.name},
        level_column=kind.level_column(figure) if (kind := KINDS.get(figure.kind)) else None,
        groups=plot.x.places or plot.y.places,
        parts=parts,
        template=template,
        behind=plot.behind,
        warnings=[*plot.warnings, *lacking(vega), *(warnings if plot.legend else [])],
        grey=grey if plot.legend else [],
    )


ASIDE = {"p"}
"""Parts that can be quoted in a caption but do not stand in it by themselves."""


def template_of(parts: dict[str, str]) -> str:
    """'{subject} ({counts}). {boxes} {letters}'."""
    rest = [f"{{{name}}}" for name in parts if name not in ("subject", "counts") and name not in ASIDE]
    lead = "{subject} ({counts})." if "counts" in parts else "{subject}."
    return " ".join([lead, *rest])


def caption_of(template: str, parts: dict[str, str]) -> list[Span]:
    """The template with its live parts filled in; parts that are no longer drawn leave nothing behind."""
    out: list[Span] = []
    last = 0
    for found in TOKEN.finditer(template):
        name = found[1]
        out.append(Span(t=template[last : found.start()]))
        last = found.end()
        if name in parts:
            out += _in_italics(parts[name]) if name == "p" else [Span(t=parts[name])]
        elif name not in KNOWN:
            out.append(Span(t=found[0]))
    out.append(Span(t=template[last:]))
    return _tidy(out)


KNOWN = {
    "subject", "counts", "boxes", "violins", "points", "means", "letters", "brackets", "fitted", "p", "answer",
    "bars",
    "curves", "steps", "lines", "hulls", "ellipses", "arrows", "left", "r", "area",
}  # fmt: skip
"""Names of all live parts: one that is not drawn now is left out, not printed as ``{name}``."""


def _in_italics(words: str) -> list[Span]:
    return say(italic(words[:1]), words[1:])


def _tidy(spans: list[Span]) -> list[Span]:
    """One space between words, none at the ends and before a full stop."""
    out: list[Span] = []
    for s in spans:
        t = re.sub(r" {2,}", " ", s.t)
        if out and out[-1].t.endswith(" ") and t.startswith(" "):
            t = t[1:]
        if not out:
            t = t.lstrip()
        if t:
            if out and out[-1].style == s.style:
                out[-1] = Span(t=re.sub(r" {2,}", " ", out[-1].t + t), style=s.style)
            else:
                out.append(Span(t=t, style=s.style))
    if out:
        out[-1] = Span(t=out[-1].t.rstrip(), style=out[-1].style)
    return [s for s in out if s.t]


@lru_cache(maxsize=4)
def _signs(file: str) -> frozenset[int]:
    """Characters that a face has; empty where the face is not there."""
    path = FONTS / file
    if not path.exists():
        return frozenset()
    from fontTools.ttLib import TTFont

    with TTFont(str(path), lazy=True) as font:
        return frozenset(font.getBestCmap())


FILES = {
    "Commissioner": "Commissioner-Regular.ttf",
    "STIX Two Text": "STIXTwoText-Regular.ttf",
}


def lacking(vega: dict[str, Any]) -> list[str]:
    """Characters of the drawing that its face does not have."""
    face = str(vega.get("config", {}).get("font", "Commissioner"))
    known = _signs(FILES.get(face, ""))
    if not known:
        return []
    text = as_json({k: v for k, v in vega.items() if k != "description"})
    if text.isascii():
        return []
    missing = sorted({c for c in set(text) if ord(c) > 0x2FF and ord(c) not in known and not c.isspace()})
    if not missing:
        return []
    signs = " ".join(missing[:12])
    return [f"The figure’s type has no sign for {signs}; they may print in another face, or as empty boxes."]


def answer_figure(figure: Figure, name: str, answer: Answer) -> Drawing:
    """A drawing of an answer, worked on further: its size, type, titles, colours, notes. Raises DataProblem."""
    from yavik.core.figures.rework import rework

    block = next((b for b in answer.blocks if b.type == "figure" and b.id == figure.block), None)
    if block is None or block.type != "figure":
        raise DataProblem(f"{name} no longer has the drawing that stood here. Choose another, or delete this figure.")
    title = plain(block.caption) if block.caption else f"{block.title.rstrip('.')}."
    parts = {"subject": title.rstrip("."), "answer": f"From the answer “{name}”."}
    template = template_of(parts)
    vega, colours, behind = rework(figure, block)
    own = caption_of(template, parts)
    warnings, grey = alike(list(colours.items()))
    return Drawing(
        vega=vega, caption=caption_of(figure.caption, parts) if figure.caption is not None else own, own_caption=own,
        alt=block.alt, levels=list(colours), colours=colours, parts=parts, template=template, behind=behind,
        warnings=[*lacking(vega), *warnings], grey=grey,
    )  # fmt: skip
