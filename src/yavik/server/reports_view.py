"""Reports as the interface sees them: the text, and what stands at each live place."""

from typing import Any
from uuid import uuid4

from yavik.core.answers import Answer, TableBlock
from yavik.core.report import Document, Embed, assemble
from yavik.core.report.assemble import Missing, NumberedFigure, NumberedTable
from yavik.core.report.describe import Node
from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.server.figures_view import drawing_out, drawn, figure_body, figure_key
from yavik.server.questions_view import shown_answer
from yavik.server.schemas import DrawingOut, EmbedOut, ReportState
from yavik.store import Store
from yavik.store.bodies import ReportBody
from yavik.store.models import Item
from yavik.store.versions import key_of

DEFAULT_PARTS = ("groups", "frequencies", "pairs")
OTHER_PARTS = ("models", "coefficients", "fit", "means", "anova", "crosstab", "correlations", "levels", "power")
"""Tables that stand in a report by themselves: the first kind where an answer has them, else the second."""


def document_of(store: Store, engine: Engine, item: Item) -> tuple[Document, dict[tuple[str, str], Embed]]:
    """Assembled from what its answers and figures show now (out-of-date ones as they were, marked)."""
    found: dict[tuple[str, str], Embed] = {}

    def lookup(kind: str, ref: str) -> Embed | None:
        if (kind, ref) not in found:
            embed = (
                _answer(store, item.study_id, ref) if kind == "answer" else _figure(store, engine, item.study_id, ref)
            )
            if embed is None:
                return None
            found[kind, ref] = embed
        return found[kind, ref]

    return assemble(Node.model_validate(ReportBody.model_validate(item.body).doc), lookup), found


def _answer(store: Store, study_id: str, ref: str) -> Embed | None:
    try:
        question = store.items.item(study_id, ref, "question")
    except LookupError:
        return None
    answer, old = shown_answer(store, question)
    return Embed(
        question.name,
        answer=answer,
        out_of_date=old,
        problem=None if answer else f"{question.name} has no answer yet.",
    )


def _figure(store: Store, engine: Engine, study_id: str, ref: str) -> Embed | None:
    try:
        figure = store.items.item(study_id, ref, "figure")
    except LookupError:
        return None
    shown = store.shown(figure.id)
    data = store.result(shown) if shown else None
    try:
        drawing = DrawingOut.model_validate(data) if data else drawing_out(drawn(store, engine, figure))
    except (DataProblem, LookupError) as problem:
        return Embed(figure.name, problem=f"{figure.name} cannot be drawn: {problem}")
    shown = store.shown(figure.id)
    return Embed(
        figure.name,
        vega=drawing.vega,
        caption=drawing.caption,
        alt=drawing.alt,
        width_mm=figure_body(figure).figure.width_mm,
        out_of_date=shown != figure_key(store, figure),
    )


def report_state(store: Store, engine: Engine, item: Item) -> ReportState:
    body = ReportBody.model_validate(item.body)
    document, found = document_of(store, engine, item)
    embeds = []
    for node in walk(body.doc):
        if node.get("type") in ("answer", "figure"):
            embeds.append(_embed_out(node, document, found))
    return ReportState(id=item.id, name=item.name, doc=body.doc, revision=key_of(body.doc), embeds=embeds)


def walk(node: dict[str, Any]) -> list[dict[str, Any]]:
    return [node, *(inner for child in node.get("content", []) for inner in walk(child))]


def _embed_out(node: dict[str, Any], document: Document, found: dict[tuple[str, str], Embed]) -> EmbedOut:
    attrs, kind = node.get("attrs", {}), node["type"]
    ref = str(attrs.get("question" if kind == "answer" else "figure", ""))
    embed = found.get((kind, ref))
    made = document.embeds.get(str(attrs.get("uid")), [])
    missing = next((p.text for p in made if isinstance(p, Missing)), None)
    answer = embed.answer if embed else None
    return EmbedOut(
        uid=str(attrs.get("uid")),
        kind=kind,
        ref=ref,
        name=embed.name if embed else "Deleted",
        out_of_date=bool(embed and embed.out_of_date),
        problem=missing,
        headline=answer.headline_spans if answer and "headline" in (attrs.get("parts") or ["headline"]) else None,
        tables=[
            {"number": p.number, "block": p.block.model_dump(mode="json")}
            for p in made
            if isinstance(p, NumberedTable)
        ],
        figures=[
            {
                "number": p.number,
                "vega": p.vega,
                "caption": [s.model_dump() for s in p.own_caption],
                "alt": p.alt,
                "width_mm": p.width_mm,
            }
            for p in made
            if isinstance(p, NumberedFigure)
        ],
        parts=parts_of(answer) if answer else [],
    )


def parts_of(answer: Answer) -> list[dict[str, str]]:
    """What of an answer can be placed."""
    blocks = [
        {"id": b.id, "title": ("Figure: " if b.type == "figure" else "") + b.title}
        for b in answer.blocks
        if b.type != "note"
    ]
    return [{"id": "headline", "title": "The statement"}, *blocks]


def default_parts(answer: Answer | None) -> list[str]:
    """The statement, the first table of groups, and the figure; a second question does not repeat everything."""
    if answer is None:
        return ["headline"]
    shown = [b.id for b in answer.blocks if isinstance(b, TableBlock) and not b.folded]
    tables = [t for t in shown if t in DEFAULT_PARTS] or [t for t in shown if t in OTHER_PARTS][:2]
    figures = [b.id for b in answer.blocks if b.type == "figure" and not b.folded][:1]
    return ["headline", *tables, *figures]


def node_for(kind: str, ref: str, parts: list[str]) -> dict[str, Any]:
    uid = uuid4().hex[:8]
    if kind == "answer":
        return {"type": "answer", "attrs": {"uid": uid, "question": ref, "parts": parts}}
    return {"type": "figure", "attrs": {"uid": uid, "figure": ref}}


def count_embeds(doc: dict[str, Any]) -> tuple[int, int]:
    nodes = walk(doc)
    return sum(n.get("type") == "answer" for n in nodes), sum(n.get("type") == "figure" for n in nodes)
