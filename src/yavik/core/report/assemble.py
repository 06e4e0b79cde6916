"""From a report's description to a document: embeds filled in, tables and figures numbered in order."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from yavik.core.answers import Answer, Span, TableBlock
from yavik.core.answers.wording import bold, plain, say
from yavik.core.figures.images import width_mm
from yavik.core.report.describe import Node


@dataclass
class Embed:
    """What an answer or figure node stands for, as looked up by the caller. ``parts`` are block ids, 'headline' and 'figure'."""

    name: str
    answer: Answer | None = None
    vega: dict[str, Any] | None = None
    caption: list[Span] = field(default_factory=list)
    alt: str = ""
    width_mm: float = 85.0
    out_of_date: bool = False
    problem: str | None = None


@dataclass
class Heading:
    level: int
    spans: list[Span]


@dataclass
class Paragraph:
    spans: list[Span]
    statement: bool = False


@dataclass
class Listing:
    ordered: bool
    items: list[list[Span]]


@dataclass
class NumberedTable:
    number: int
    block: TableBlock
    uid: str

    @property
    def caption(self) -> list[Span]:
        return say(bold(f"Table {self.number}. "), self.block.title)


@dataclass
class NumberedFigure:
    number: int
    vega: dict[str, Any]
    own_caption: list[Span]
    alt: str
    width_mm: float
    uid: str

    @property
    def caption(self) -> list[Span]:
        return say(bold(f"Figure {self.number}. "), *self.own_caption)


@dataclass
class Missing:
    """An embed that has nothing to show, and why."""

    text: str


Part = Heading | Paragraph | Listing | NumberedTable | NumberedFigure | Missing


@dataclass
class Document:
    parts: list[Part]
    embeds: dict[str, list[Part]]
    """What each embed became, by its uid."""

    @property
    def title(self) -> str:
        return next((plain(p.spans) for p in self.parts if isinstance(p, Heading)), "Report")


Lookup = Callable[[str, str], Embed | None]
"""(kind, id) → what it shows; None when it is gone."""


def assemble(doc: Node, lookup: Lookup) -> Document:
    return _Assembly(lookup).run(doc)


class _Assembly:
    def __init__(self, lookup: Lookup) -> None:
        self.lookup = lookup
        self.tables = self.figures = 0
        self.parts: list[Part] = []
        self.embeds: dict[str, list[Part]] = {}

    def run(self, doc: Node) -> Document:
        for node in doc.content:
            self.node(node)
        return Document(self.parts, self.embeds)

    def node(self, node: Node) -> None:
        if node.type == "heading":
            self.parts.append(Heading(min(3, max(1, int(node.attrs.get("level", 1)))), spans_of(node)))
        elif node.type == "paragraph":
            self.parts.append(Paragraph(spans_of(node)))
        elif node.type in ("bulletList", "orderedList"):
            items = [[s for child in item.content for s in spans_of(child)] for item in node.content]
            self.parts.append(Listing(node.type == "orderedList", items))
        elif node.type == "blockquote":
            for child in node.content:
                self.node(child)
        elif node.type in ("answer", "figure"):
            self.embed(node)

    def embed(self, node: Node) -> None:
        uid = str(node.attrs.get("uid", ""))
        found = self.lookup(node.type, str(node.attrs.get("question" if node.type == "answer" else "figure", "")))
        made: list[Part] = []
        if found is None:
            made.append(Missing(f"This {node.type} is no longer in the study."))
        elif node.type == "figure":
            made += self.figure(found, uid)
        elif found.answer is None:
            made.append(Missing(found.problem or f"{found.name} has no answer yet."))
        else:
            made += self.answer(found.answer, node.attrs.get("parts") or ["headline"], uid)
        self.embeds[uid] = made
        self.parts += made

    def figure(self, found: Embed, uid: str) -> list[Part]:
        if found.vega is None:
            return [Missing(found.problem or f"{found.name} cannot be drawn yet.")]
        self.figures += 1
        return [NumberedFigure(self.figures, found.vega, found.caption, found.alt, found.width_mm, uid)]

    def answer(self, answer: Answer, parts: list[str], uid: str) -> list[Part]:
        made: list[Part] = []
        if "headline" in parts:
            made.append(Paragraph(answer.headline_spans, statement=True))
        for block in answer.blocks:
            if block.id not in parts:
                continue
            if isinstance(block, TableBlock):
                self.tables += 1
                made.append(NumberedTable(self.tables, block, uid))
            elif block.type == "figure":
                self.figures += 1
                made.append(
                    NumberedFigure(
                        self.figures,
                        block.drawing,
                        block.caption or say(block.title + "."),
                        block.alt,
                        width_mm(block.drawing),
                        uid,
                    )
                )
        return made


def spans_of(node: Node) -> list[Span]:
    """Text runs with their marks; bold wins where both are set."""
    out: list[Span] = []
    for child in node.content:
        if child.type == "text":
            names = {m.type for m in child.marks}
            style: Any = "bold" if "bold" in names else "italic" if "italic" in names else "plain"
            out.append(Span(t=child.text, style=style))
        elif child.type == "hardBreak":
            out.append(Span(t="\n"))
        else:
            out += spans_of(child)
    return out
