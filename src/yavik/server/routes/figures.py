"""Figures, their images, and the study's own style."""

from typing import Any, Literal

from fastapi import APIRouter, Query, Response

from yavik.core.answers import FigureBlock
from yavik.core.figures import Figure
from yavik.core.figures.images import pdf, png, svg
from yavik.core.figures.kinds import KINDS
from yavik.core.figures.presets import PRESETS, looked
from yavik.core.files.csv_out import guarded_word
from yavik.core.table import DataProblem
from yavik.engine.describing import style_item, style_of
from yavik.server.access import Meant, TheEngine, TheStore, TheStudy
from yavik.server.figures_view import drawing_now, figure_body, figure_state, redraw
from yavik.server.questions_view import question_body, shown_answer
from yavik.server.schemas import FigureChange, FigureState, NewFigure, StyleChange, StyleState
from yavik.server.tables_view import titles_of
from yavik.store import Store
from yavik.store.bodies import FigureBody, StyleBody
from yavik.store.history import Seen
from yavik.store.models import Item, Study

router = APIRouter(prefix="/api/studies/{study_id}/figures", tags=["figures"])


@router.post("", status_code=201)
def new_figure(study: TheStudy, data: NewFigure, store: TheStore, engine: TheEngine) -> FigureState:
    """A figure from slots, or a drawing of a question's answer opened to be worked on, in step with the answer."""
    figure, table = data.figure, data.table
    style = style_of(store, study.id)
    name = None
    if data.from_question:
        question = store.items.item(study.id, data.from_question, "question")
        figure, name = _from_answer(store, question, data.block, figure)
        table = question_body(question).table
    if not data.figure.model_fields_set & {"width_mm", "height_mm", "type_pt"} and figure.kind != "answer":
        size = {"width_mm": KINDS[figure.kind].size[0], "height_mm": KINDS[figure.kind].size[1]}
        figure = figure.model_copy(update=looked(style.look) | (size if style.preset == "journal" else {}))
    store.items.item(study.id, table, "table")
    name = name or figure_name(figure, titles_of(store, study.id, table))
    made = FigureBody(table=table, figure=figure)
    item = store.items.add(study.id, "figure", name, made.model_dump(mode="json"), f"Draw {name}")
    return redraw(store, engine, item)


def _from_answer(store: Store, question: Item, wanted: str | None, figure: Figure) -> tuple[Figure, str | None]:
    """A drawing with a description of its own becomes that figure, with the answer's marks; any other is worked on
    as it is."""
    answer, _ = shown_answer(store, question)
    blocks = [b for b in answer.blocks if isinstance(b, FigureBlock)] if answer else []
    block = next((b for b in blocks if b.id == wanted), None) if wanted else next((b for b in blocks), None)
    if block is None or answer is None:
        return figure, None
    if block.figure:
        lends = bool(answer.marks.letters or answer.marks.p)
        return Figure.model_validate({**block.figure, "marks_from": question.id if lends else None}), None
    width, height = (block.drawing.get(k) for k in ("width", "height"))
    wide = width if isinstance(width, int | float) else 330.0
    high = height if isinstance(height, int | float) else 250.0
    size = {"width_mm": 85.0 if wide < 260 else 120.0}
    size["height_mm"] = round(min(220.0, max(35.0, size["width_mm"] * (high + 45) / (wide + 60))), 0)
    return (
        Figure(kind="answer", question=question.id, block=block.id, **size),
        f"{question.name}: {block.title}"[:200],
    )


def figure_name(figure: Figure, titles: dict[str, str] | None = None) -> str:
    """What a figure is called until it is named by hand; columns by their labels where these are given."""
    if titles:
        return figure_name(
            figure.model_copy(
                update={
                    "samples": [titles.get(s, s) for s in figure.samples],
                    **{k: titles.get(v, v) for k in ("response", "groups", "x") if (v := getattr(figure, k))},
                }
            )
        )[:200]
    if figure.kind in ("samples", "paired", "matrix") and figure.samples:
        return ", ".join(figure.samples[:3])
    if figure.kind == "roc" and figure.samples:
        return f"{figure.samples[0]} telling {figure.groups}"
    parts = [figure.response, figure.x or figure.groups]
    joint = " over " if figure.x else " by "
    return joint.join(p for p in parts if p) or "New figure"


@router.get("/style")
def style(study: TheStudy, store: TheStore) -> StyleState:
    return _style_state(style_of(store, study.id))


@router.put("/style")
def change_style(study: TheStudy, data: StyleChange, store: TheStore) -> StyleState:
    """Sets how new figures look, from a preset or from a figure; ``all`` lays it over every figure of the study."""
    with store.items.turn:
        return _style_state(_keep_style(study, data, store))


def _keep_style(study: Study, data: StyleChange, store: Store) -> StyleBody:
    body = style_of(store, study.id)
    if data.preset:
        body = body.model_copy(update={"look": PRESETS[data.preset][1], "preset": data.preset})
    elif data.look:
        body = body.model_copy(update={"look": data.look, "preset": None})
    bodies = {_style_id(store, study.id): body.model_dump(mode="json")}
    if data.all:
        for item in store.items.items(study.id):
            if item.type == "figure":
                held = figure_body(item)
                figure = held.figure.model_copy(update=looked(body.look))
                bodies[item.id] = held.model_copy(update={"figure": figure}).model_dump(mode="json")
    store.items.change_several(study.id, "Change the style of figures", bodies)
    return body


def _style_state(body: StyleBody) -> StyleState:
    return StyleState(look=body.look, preset=body.preset, presets={k: v[0] for k, v in PRESETS.items()})


def _style_id(store: Store, study_id: str) -> str:
    """The entry that keeps the style; made when there is none, which is nothing to undo."""
    item = style_item(store, study_id)
    if item is None:
        from yavik.store.models import new_id

        body = StyleBody().model_dump(mode="json")
        item = Item(id=new_id(), study_id=study_id, type="style", name="Style of figures", body=body, deleted=False)
        store.items.put(item)
    return item.id


@router.get("/{item_id}")
def figure(study: TheStudy, item_id: str, store: TheStore) -> FigureState:
    """A figure with the drawing it last had, and whether that is out of date."""
    return figure_state(store, store.items.item(study.id, item_id, "figure"))


@router.post("/{item_id}/draw")
def draw(study: TheStudy, item_id: str, store: TheStore, engine: TheEngine) -> FigureState:
    """The figure as it now is: drawn, or the job that draws it, or the problem that stops it."""
    return redraw(store, engine, store.items.item(study.id, item_id, "figure"))


@router.patch("/{item_id}")
def change_figure(
    study: TheStudy, item_id: str, data: FigureChange, store: TheStore, engine: TheEngine, seen: Meant
) -> FigureState:
    if data.table is not None:
        store.items.item(study.id, data.table, "table")
    with store.items.turn:
        item = store.items.item(study.id, item_id, "figure")
        _keep_change(study, item, data, store, seen)
    return redraw(store, engine, store.items.item(study.id, item_id, "figure"))


def _keep_change(study: Study, item: Item, data: FigureChange, store: Store, seen: Seen | None) -> None:
    """Raises Conflict."""
    body = figure_body(item)
    parts = {k: v for k in ("table", "figure") if (v := getattr(data, k)) is not None}
    meant = store.items.meant(
        item, lambda b: FigureBody.opened(b).model_copy(update=parts).model_dump(mode="json"), seen
    )
    fresh = FigureBody.opened(meant)
    label = f"Change the figure {item.name}"
    column, colours, marks = _levels_changed(body.figure, fresh.figure)
    if column and (colours or marks):
        # A level's colour and mark are the level's, in every figure of the study; this one follows like the others.
        kept = style_of(store, study.id)
        style = kept.model_copy(
            update={
                "colours": _with(kept.colours, column, colours),
                "marks": _with(kept.marks, column, marks),
            }
        )
        bodies = {_style_id(store, study.id): style.model_dump(mode="json"), item.id: fresh.model_dump(mode="json")}
        store.items.change_several(study.id, label, bodies)
        return
    titles = titles_of(store, study.id, body.table)
    named = item.name in (figure_name(body.figure, titles), figure_name(body.figure))
    name = figure_name(fresh.figure, titles_of(store, study.id, fresh.table)) if named else item.name
    alone = seen is None or seen.revision == item.revision
    store.items.change(study.id, item.id, label, together=alone, body=fresh.model_dump(mode="json"), name=name)


Looks = dict[str, dict[str, str]]


def _with(kept: Looks, column: str, changed: dict[str, str]) -> Looks:
    of_column = {k: v for k, v in {**kept.get(column, {}), **changed}.items() if v}
    return {**kept, column: of_column} if changed else kept


def _levels_changed(before: Figure, after: Figure) -> tuple[str | None, dict[str, str], dict[str, str]]:
    """The column, and the levels whose colour or mark was set ('' where it was taken back)."""
    kind = KINDS.get(after.kind)
    column = kind.level_column(after) if kind else None
    if kind is None or kind.level_column(before) != column:
        return None, {}, {}
    return column, _changed(before.colours, after.colours), _changed(dict(before.shapes), dict(after.shapes))


def _changed(before: dict[str, Any], after: dict[str, Any]) -> dict[str, str]:
    return {n: after.get(n, "") for n in {*before, *after} if before.get(n) != after.get(n)}


Media = dict[str, tuple[str, str]]
MEDIA: Media = {"svg": ("image/svg+xml", "svg"), "png": ("image/png", "png"), "pdf": ("application/pdf", "pdf")}


@router.get("/{item_id}/image.{kind}")
def image(
    study: TheStudy,
    item_id: str,
    kind: Literal["svg", "png", "pdf"],
    store: TheStore,
    dpi: int = Query(300, ge=72, le=1200),
) -> Response:
    """The figure as SVG, as PDF with its faces in it, or as PNG at that many dots per inch."""
    item = store.items.item(study.id, item_id, "figure")
    made = drawing_now(store, item)
    data: Any
    if kind == "svg":
        data = svg(made.vega).encode()
    elif kind == "png":
        data = png(made.vega, dpi)
    else:
        data = pdf(made.vega, item.name, made.alt)
    return Response(
        data,
        media_type=MEDIA[kind][0],
        headers={"content-disposition": f'attachment; filename="{file_name(item.name)}.{kind}"'},
    )


@router.get("/{item_id}/data.csv")
def data_behind(study: TheStudy, item_id: str, store: TheStore) -> Response:
    """The numbers behind the figure as CSV, with all their digits."""
    import csv
    import io

    item = store.items.item(study.id, item_id, "figure")
    block = drawing_now(store, item).behind
    if block is None:
        raise DataProblem("This figure has no numbers of its own.")
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    keys = [h.key for h in block.columns]
    writer.writerow([guarded_word(k) for k in keys])
    for row in block.rows:
        cells = ["" if row[k].v is None else row[k].v for k in keys]
        writer.writerow([guarded_word(v) if isinstance(v, str) else v for v in cells])
    return Response(
        out.getvalue(),
        media_type="text/csv; charset=utf-8",
        headers={"content-disposition": f'attachment; filename="{file_name(item.name)}.csv"'},
    )


def file_name(name: str) -> str:
    kept = "".join(c if c.isascii() and (c.isalnum() or c in "-_ ") else "-" for c in name).strip()
    return kept.replace(" ", "-") or "figure"
