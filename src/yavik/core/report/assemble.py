"""From a report's description to a document: embeds and live words filled in, tables and figures numbered in
order."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from yavik.core.answers import Answer, Span, TableBlock
from yavik.core.answers.wording import bold, plain, say
from yavik.core.figures.images import width_mm
from yavik.core.report.appendix import PARTS, Appendix, tell
from yavik.core.report.describe import Node, ReportLook
from yavik.core.report.numbers import comma_spans, comma_table, comma_vega
from yavik.core.report.phrases import holds, phrases


@dataclass
class Embed:
    """What an answer or figure node stands for, as looked up by the caller. ``parts`` are block ids, 'headline' and
    'figure'."""

    name: str
    answer: Answer | None = None
    vega: dict[str, Any] | None = None
    caption: list[Span] = field(default_factory=list)
    alt: str = ""
    width_mm: float = 85.0
    out_of_date: bool = False
    problem: str | None = None


@dataclass
class Footnote:
    number: int
    text: str


@dataclass
class Reference:
    """A number of a table or figure that stands elsewhere: 'Table 2'."""

    text: str
    target: str | None


Run = Span | Footnote | Reference


@dataclass
class Heading:
    level: int
    spans: list[Run]


@dataclass
class Paragraph:
    spans: list[Run]
    statement: bool = False
    reference: bool = False
    """An entry of the list of references: its further lines are set in."""


@dataclass
class Listing:
    ordered: bool
    items: list[list[Run]]


@dataclass
class PageBreak:
    pass


@dataclass
class NumberedTable:
    number: int
    block: TableBlock
    uid: str
    prefix: str = ""
    own_title: str | None = None

    @property
    def label(self) -> str:
        """'Table 2'."""
        return f"Table {self.prefix}{self.number}"

    @property
    def target(self) -> str:
        """Where links to it lead."""
        return target_name(self.uid, self.block.id)

    @property
    def title(self) -> list[Span]:
        """Its own title, or the answer's."""
        return say(self.own_title or self.block.title)

    @property
    def caption(self) -> list[Span]:
        """Number and title."""
        return say(bold(f"{self.label}. "), *self.title)


@dataclass
class NumberedFigure:
    number: int
    vega: dict[str, Any]
    own_caption: list[Span]
    alt: str
    width_mm: float
    uid: str
    part: str = "figure"

    @property
    def label(self) -> str:
        """'Figure 3'."""
        return f"Figure {self.number}"

    @property
    def target(self) -> str:
        """Where links to it lead."""
        return target_name(self.uid, self.part)

    @property
    def caption(self) -> list[Span]:
        """Number and caption."""
        return say(bold(f"{self.label}. "), *self.own_caption)


@dataclass
class Missing:
    """An embed that has nothing to show, and why."""

    text: str


Part = Heading | Paragraph | Listing | PageBreak | NumberedTable | NumberedFigure | Missing


@dataclass
class LiveWord:
    """A live word as it reads now. ``flipped``: the evidence has changed sides since the sentence was written."""

    spans: list[Span]
    text: str = ""
    """The same with decimal points whatever the report's language of numbers: what is compared with what it said."""
    missing: bool = False
    out_of_date: bool = False
    flipped: bool = False
    name: str = ""


@dataclass
class Document:
    parts: list[Part]
    embeds: dict[str, list[Part]]
    """What each embed became, by its uid."""
    live: dict[str, LiveWord] = field(default_factory=dict)
    labels: dict[str, str] = field(default_factory=dict)
    """'Table 2' by its target."""
    look: ReportLook = field(default_factory=ReportLook)
    footnotes: list[Footnote] = field(default_factory=list)

    @property
    def title(self) -> str:
        """The first heading."""
        return next((plain(words_of(p.spans)) for p in self.parts if isinstance(p, Heading)), "") or "Report"


def words_of(runs: list[Run]) -> list[Span]:
    """Runs as plain words, references by their number, without footnotes."""
    return [Span(t=r.text) if isinstance(r, Reference) else r for r in runs if not isinstance(r, Footnote)]


def target_name(uid: str, part: str) -> str:
    """A name for a numbered thing that every kind of file accepts."""
    kept = "".join(c if c.isascii() and c.isalnum() else "_" for c in f"{uid}_{part}")
    return f"at_{kept}"[:40]


Lookup = Callable[[str, str], Embed | None]
"""(kind, id) → what it shows; None when it is gone."""
GetAppendix = Callable[[], Appendix]


def assemble(
    doc: Node, lookup: Lookup, look: ReportLook | None = None, appendix: GetAppendix | None = None
) -> Document:
    """A report's nodes as a document: numbered, with what is quoted as it is now."""
    return _Assembly(lookup, look or ReportLook(), appendix).run(doc)


class _Assembly:
    def __init__(self, lookup: Lookup, look: ReportLook, appendix: GetAppendix | None) -> None:
        self.lookup, self.look, self.appendix = lookup, look, appendix
        self.tables = self.figures = 0
        self.parts: list[Part] = []
        self.embeds: dict[str, list[Part]] = {}
        self.live: dict[str, LiveWord] = {}
        self.known: dict[str, dict[str, list[Span]]] = {}
        self.footnotes: list[Footnote] = []
        self.waiting: list[tuple[Reference, str, str]] = []
        """References are filled in when everything has its number: some point forward."""
        self.comma = self.look.decimal == "comma"

    def run(self, doc: Node) -> Document:
        """The document of all nodes."""
        for node in doc.content:
            self.node(node)
        labels = {p.target: p.label for p in self.parts if isinstance(p, NumberedTable | NumberedFigure)}
        for reference, uid, part in self.waiting:
            self.refer(reference, uid, part, labels)
        return Document(self.parts, self.embeds, self.live, labels, self.look, self.footnotes)

    def refer(self, reference: Reference, uid: str, part: str, labels: dict[str, str]) -> None:
        """Fills in what a reference points at."""
        made = [p for p in self.embeds.get(uid, []) if isinstance(p, NumberedTable | NumberedFigure)]
        wanted = next((p for p in made if p.target == target_name(uid, part)), made[0] if made and not part else None)
        reference.target = wanted.target if wanted else None
        label = labels.get(wanted.target) if wanted else None
        reference.text = label.replace(" ", "\u00a0") if label else "(what stood here is gone)"

    def node(self, node: Node) -> None:
        """Takes in one node."""
        if node.type == "heading":
            self.parts.append(Heading(min(3, max(1, _whole(node.attrs.get("level"), 1))), self.runs(node)))
        elif node.type in ("paragraph", "reference"):
            self.parts.append(Paragraph(self.runs(node), reference=node.type == "reference"))
        elif node.type in ("bulletList", "orderedList"):
            self.parts.append(
                Listing(node.type == "orderedList", [item for n in node.content for item in self.items(n)])
            )
        elif node.type == "blockquote":
            for child in node.content:
                self.node(child)
        elif node.type == "pageBreak":
            self.parts.append(PageBreak())
        elif node.type == "appendix":
            self.add_appendix(node)
        elif node.type in ("answer", "figure"):
            self.embed(node)

    def items(self, item: Node) -> list[list[Run]]:
        """An item's own words, then the items of lists within it."""
        own = [
            r for child in item.content if child.type not in ("bulletList", "orderedList") for r in self.runs(child)
        ]
        inner = [
            x
            for child in item.content
            if child.type in ("bulletList", "orderedList")
            for n in child.content
            for x in self.items(n)
        ]
        return [own, *inner]

    def embed(self, node: Node) -> None:
        """Takes in an answer or a figure."""
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
            made += self.answer(found.answer, node, uid)
        self.embeds[uid] = made
        self.parts += made

    def drawing(self, vega: dict[str, Any]) -> dict[str, Any]:
        """The drawing in the report's language of numbers."""
        return comma_vega(vega) if self.comma else vega

    def said(self, spans: list[Span]) -> list[Span]:
        """A sentence in the report's language of numbers."""
        return comma_spans(spans) if self.comma else spans

    def figure(self, found: Embed, uid: str) -> list[Part]:
        """A figure with its number."""
        if found.vega is None:
            return [Missing(found.problem or f"{found.name} cannot be drawn yet.")]
        self.figures += 1
        vega = self.drawing(found.vega)
        return [NumberedFigure(self.figures, vega, self.said(found.caption), found.alt, found.width_mm, uid)]

    def answer(self, answer: Answer, node: Node, uid: str) -> list[Part]:
        """The parts of an answer that are wanted, numbered."""
        parts = node.attrs.get("parts") or ["headline"]
        titles = node.attrs.get("captions")
        own: dict[str, Any] = titles if isinstance(titles, dict) else {}
        made: list[Part] = []
        if "headline" in parts:
            made.append(Paragraph(list(self.said(answer.headline_spans)), statement=True))
        for block in answer.blocks:
            if block.id not in parts:
                continue
            title = str(own[block.id]) if own.get(block.id) else None
            if isinstance(block, TableBlock):
                self.tables += 1
                shown = comma_table(block) if self.comma else block
                made.append(NumberedTable(self.tables, shown, uid, own_title=title))
            elif block.type == "figure":
                self.figures += 1
                caption = say(title) if title else self.said(block.caption or say(block.title + "."))
                vega = self.drawing(block.drawing)
                made.append(NumberedFigure(self.figures, vega, caption, block.alt, width_mm(vega), uid, block.id))
        return made

    def add_appendix(self, node: Node) -> None:
        """Takes in the appendix."""
        uid = str(node.attrs.get("uid", ""))
        wanted = node.attrs.get("parts")
        parts = [p for p in PARTS if p in wanted] if isinstance(wanted, list) else list(PARTS)
        made: list[Part] = []
        tables = 0
        for kind, words in tell(self.appendix(), parts) if self.appendix else []:
            if kind in ("heading", "heading1"):
                made.append(Heading(2 if kind == "heading1" else 3, list(say(words))))
            elif kind == "text":
                made.append(Paragraph(list(say(words))))
            elif kind == "list" and words:
                made.append(Listing(False, [list(say(w)) for w in words]))
            elif kind == "table":
                tables += 1
                made.append(NumberedTable(tables, words, f"{uid}_{tables}", "A"))
        self.embeds[uid] = made
        self.parts += made

    def runs(self, node: Node) -> list[Run]:
        """Text runs with their marks (the strongest wins), live words, references and footnotes."""
        out: list[Run] = []
        for child in node.content:
            if child.type == "text":
                names = {m.type for m in child.marks}
                style: Any = next((s for m, s in MARKS if m in names), "plain")
                out.append(Span(t=child.text, style=style))
            elif child.type == "hardBreak":
                out.append(Span(t="\n"))
            elif child.type == "live":
                out += self.live_word(child)
            elif child.type == "crossReference":
                reference = Reference("", None)
                self.waiting.append(
                    (reference, str(child.attrs.get("target", "")), str(child.attrs.get("part") or ""))
                )
                out.append(reference)
            elif child.type == "footnote":
                self.footnotes.append(Footnote(len(self.footnotes) + 1, str(child.attrs.get("text", ""))))
                out.append(self.footnotes[-1])
            else:
                out += self.runs(child)
        return out

    def words(self, found: Embed | None, question: str) -> dict[str, list[Span]]:
        """All phrases of an answer, worked out once however many of them the text quotes."""
        if question not in self.known:
            self.known[question] = {p.key: p.spans for p in phrases(found.answer)} if found and found.answer else {}
        return self.known[question]

    def live_word(self, node: Node) -> list[Span]:
        """The words of a live word now, or those it had."""
        uid, key = str(node.attrs.get("uid", "")), str(node.attrs.get("key", ""))
        found = self.lookup("answer", str(node.attrs.get("question", "")))
        spans = self.words(found, str(node.attrs.get("question", ""))).get(key)
        if spans is None:
            said = str(node.attrs.get("said") or "") or "(gone)"
            word = LiveWord(say(said), said, missing=True, name=found.name if found else "Deleted")
        else:
            before = node.attrs.get("holds")
            flipped = (
                isinstance(before, bool)
                and found is not None
                and found.answer is not None
                and holds(found.answer) is not before
            )
            word = LiveWord(
                self.said(spans),
                plain(spans),
                out_of_date=bool(found and found.out_of_date),
                flipped=flipped,
                name=found.name if found else "",
            )
        self.live[uid] = word
        return word.spans


MARKS = (("superscript", "sup"), ("subscript", "sub"), ("bold", "bold"), ("italic", "italic"))


def _whole(value: Any, usual: int) -> int:
    return int(value) if isinstance(value, int | float) else usual
