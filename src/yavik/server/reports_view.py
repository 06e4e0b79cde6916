"""Reports as the interface sees them: the text, and what stands at each live place."""

from typing import Any
from uuid import uuid4

from yavik.core.answers import Answer, Span, TableBlock
from yavik.core.answers.wording import plain
from yavik.core.report import Document, Embed, assemble
from yavik.core.report.appendix import Appendix, Asked, PreparedTable
from yavik.core.report.assemble import Missing, NumberedFigure, NumberedTable, Paragraph
from yavik.core.report.describe import Node
from yavik.core.table import DataProblem
from yavik.server.figures_view import drawing_now, figure_body, figure_key, shown_drawing
from yavik.server.questions_view import question_body, shown_answer
from yavik.server.schemas_reports import EmbedOut, LiveOut, ReportState, TargetOut
from yavik.server.tables_view import body_of
from yavik.store import Store
from yavik.store.bodies import ReportBody
from yavik.store.models import Item

DEFAULT_PARTS = ("groups", "frequencies", "pairs")
OTHER_PARTS = ("models", "coefficients", "fit", "means", "anova", "crosstab", "correlations", "levels", "power")
"""Tables that stand in a report by themselves: the first kind where an answer has them, else the second."""

Found = dict[tuple[str, str], Embed]


def report_body(item: Item) -> ReportBody:
    """What is stored of a report."""
    return ReportBody.opened(item.body)


def document_of(store: Store, item: Item, saving: bool = False) -> tuple[Document, Found]:
    """Assembled from what its answers and figures show now (out-of-date ones as they were, marked). A figure that was
    not drawn yet is drawn only for a file that is being saved."""
    found: Found = {}

    def lookup(kind: str, ref: str) -> Embed | None:
        if (kind, ref) not in found:
            embed = (
                _answer(store, item.study_id, ref) if kind == "answer" else _figure(store, item.study_id, ref, saving)
            )
            if embed is None:
                return None
            found[kind, ref] = embed
        return found[kind, ref]

    body = report_body(item)
    appendix = lambda: appendix_of(store, item)  # noqa: E731
    return assemble(Node.model_validate(body.doc), lookup, body.look, appendix), found


def appendix_of(store: Store, item: Item) -> Appendix:
    """Every table that the report's answers and figures read, and the answers themselves."""
    from yavik.core.methods.registry import get

    nodes = walk(report_body(item).doc)
    refs = list(dict.fromkeys(_refs(nodes)))
    asked, tables = [], []
    for ref in refs:
        try:
            found = store.items.item(item.study_id, ref)
        except LookupError:
            continue
        if found.type == "question":
            body = question_body(found)
            answer, _ = shown_answer(store, found)
            tables.append(body.table)
            if answer is not None:
                asked.append(
                    Asked(found.name, get(body.method).title, _name(store, item.study_id, body.table), answer)
                )
        elif found.type == "figure":
            tables.append(figure_body(found).table)
    return Appendix([t for key in dict.fromkeys(tables) if (t := _prepared(store, item.study_id, key))], asked)


def _refs(nodes: list[dict[str, Any]]) -> list[str]:
    return [
        str(n["attrs"].get("figure" if n["type"] == "figure" else "question", ""))
        for n in nodes
        if n.get("type") in ("answer", "figure", "live") and isinstance(n.get("attrs"), dict)
    ]


def _name(store: Store, study_id: str, table: str) -> str:
    try:
        return store.items.item(study_id, table, "table").name
    except LookupError:
        return "a deleted table"


def _prepared(store: Store, study_id: str, key: str) -> PreparedTable | None:
    try:
        item = store.items.item(study_id, key, "table")
        body = body_of(item)
        snapshot, effects = store.tables(study_id).replay(body)
    except (LookupError, DataProblem):
        return None
    source = f"the table {_name(store, study_id, body.link)}" if body.link else body.filename or "typed-in rows"
    steps = [(e.title, e.problem or e.said) for e in effects]
    return PreparedTable(item.name, source, snapshot.n_rows, list(snapshot.columns), steps)


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


def _figure(store: Store, study_id: str, ref: str, saving: bool) -> Embed | None:
    try:
        figure = store.items.item(study_id, ref, "figure")
    except LookupError:
        return None
    try:
        drawing = shown_drawing(store, figure) or (drawing_now(store, figure) if saving else None)
    except (DataProblem, LookupError) as problem:
        return Embed(figure.name, problem=f"{figure.name} cannot be drawn: {problem}")
    if drawing is None:
        return Embed(figure.name, problem=f"{figure.name} has not been drawn yet.", out_of_date=True)
    shown = store.shown(figure.id)
    return Embed(
        figure.name,
        vega=drawing.vega,
        caption=drawing.caption,
        alt=drawing.alt,
        width_mm=figure_body(figure).figure.width_mm,
        out_of_date=shown != figure_key(store, figure),
    )


def report_state(store: Store, item: Item) -> ReportState:
    """A report as its page has it."""
    body = report_body(item)
    document, found = document_of(store, item)
    nodes = walk(body.doc)
    embeds = [_embed_out(n, document, found) for n in nodes if n.get("type") in ("answer", "figure", "appendix")]
    return ReportState(
        id=item.id,
        name=item.name,
        doc=body.doc,
        revision=item.revision,
        embeds=embeds,
        live=[_live_out(n, document) for n in nodes if n.get("type") == "live" and _uid(n) in document.live],
        targets=_targets(document),
        look=body.look,
    )


def walk(node: dict[str, Any]) -> list[dict[str, Any]]:
    """A node and everything in it."""
    return [node, *(inner for child in node.get("content", []) for inner in walk(child))]


def _uid(node: dict[str, Any]) -> str:
    return str(node.get("attrs", {}).get("uid", ""))


def _live_out(node: dict[str, Any], document: Document) -> LiveOut:
    attrs = node.get("attrs", {})
    uid = _uid(node)
    word = document.live[uid]
    return LiveOut(
        uid=uid,
        spans=word.spans,
        text=word.text,
        said=str(attrs.get("said") or word.text),
        name=word.name,
        ref=str(attrs.get("question", "")),
        missing=word.missing,
        out_of_date=word.out_of_date,
        flipped=word.flipped,
    )


def _targets(document: Document) -> list[TargetOut]:
    out = []
    for uid, parts in document.embeds.items():
        for p in parts:
            if isinstance(p, NumberedTable):
                out.append(TargetOut(uid=uid, part=p.block.id, label=p.label, title=plain(p.title)))
            elif isinstance(p, NumberedFigure):
                out.append(TargetOut(uid=uid, part=p.part, label=p.label, title=plain(p.own_caption)[:90]))
    return out


def _embed_out(node: dict[str, Any], document: Document, found: Found) -> EmbedOut:
    attrs, kind = node.get("attrs", {}), node["type"]
    ref = str(attrs.get("question" if kind == "answer" else "figure", ""))
    embed = found.get((kind, ref))
    made = document.embeds.get(str(attrs.get("uid")), [])
    missing = next((p.text for p in made if isinstance(p, Missing)), None)
    answer = embed.answer if embed else None
    said = attrs.get("said")
    now = answer.headline if answer else None
    headline = next((p.spans for p in made if isinstance(p, Paragraph) and p.statement), None)
    return EmbedOut(
        uid=str(attrs.get("uid")),
        kind=kind,
        ref=ref,
        name="Appendix" if kind == "appendix" else embed.name if embed else "Deleted",
        out_of_date=bool(embed and embed.out_of_date),
        was=said if now and said and said != now else None,
        now=now,
        problem=missing,
        headline=[s for s in headline if isinstance(s, Span)] if headline else None,
        tables=[
            {"number": p.number, "label": p.label, "title": plain(p.title), "block": p.block.model_dump(mode="json")}
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


def node_for(kind: str, ref: str, parts: list[str], said: str | None = None) -> dict[str, Any]:
    """A node that holds an answer or a figure."""
    uid = uuid4().hex[:8]
    if kind == "answer":
        return {"type": "answer", "attrs": {"uid": uid, "question": ref, "parts": parts, "said": said}}
    return {"type": "figure", "attrs": {"uid": uid, "figure": ref}}


def noted(doc: dict[str, Any], state: ReportState) -> dict[str, Any]:
    """The same text with every live place taken note of: what it says now is what it is compared with from here
    on."""
    live = {w.uid: w for w in state.live}
    embeds = {e.uid: e for e in state.embeds}

    def renewed(node: dict[str, Any]) -> dict[str, Any]:
        attrs = node.get("attrs") or {}
        uid = str(attrs.get("uid", ""))
        if node.get("type") == "live" and uid in live and not live[uid].missing:
            attrs = {**attrs, "said": live[uid].text}
            if live[uid].flipped:
                attrs["holds"] = not attrs.get("holds")
        elif node.get("type") == "answer" and uid in embeds and embeds[uid].now:
            attrs = {**attrs, "said": embeds[uid].now}
        made = {**node, "attrs": attrs} if attrs else dict(node)
        if "content" in node:
            made["content"] = [renewed(c) for c in node["content"]]
        return made

    return renewed(doc)


def count_embeds(doc: dict[str, Any]) -> tuple[int, int]:
    """How many answers and figures a report holds."""
    nodes = walk(doc)
    return sum(n.get("type") == "answer" for n in nodes), sum(n.get("type") == "figure" for n in nodes)
