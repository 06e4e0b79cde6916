"""Figures and their images."""

from typing import Literal

from fastapi import APIRouter, Response

from yavik.core.figures import Figure
from yavik.core.figures.images import png, svg
from yavik.server.access import TheEngine, TheStore, TheStudy
from yavik.server.figures_view import drawn, figure_body, figure_state
from yavik.server.questions_view import question_body, shown_answer
from yavik.server.schemas import FigureChange, FigureState, NewFigure
from yavik.store.bodies import FigureBody

router = APIRouter(prefix="/api/studies/{study_id}/figures", tags=["figures"])


@router.post("", status_code=201)
def new_figure(study: TheStudy, data: NewFigure, store: TheStore, engine: TheEngine) -> FigureState:
    """A figure from slots, or the main figure of a question's answer opened to be worked on, with its marks."""
    figure, table, layout = data.figure, data.table, data.layout
    if data.from_question:
        question = store.items.item(study.id, data.from_question, "question")
        body = question_body(question)
        answer, _ = shown_answer(store, question)
        block = next((b for b in answer.blocks if b.type == "figure" and b.figure), None) if answer else None
        if block is not None and block.type == "figure" and block.figure:
            lends = bool(answer and answer.marks.letters)
            figure = Figure.model_validate({**block.figure, "marks_from": question.id if lends else None})
        table, layout = body.table, "side_by_side" if figure.samples else "stacked"
    store.items.item(study.id, table, "table")
    name = figure_name(figure)
    made = FigureBody(table=table, layout=layout, figure=figure)
    item = store.items.add(study.id, "figure", name, made.model_dump(mode="json"), f"Draw {name}")
    return figure_state(store, engine, item)


def figure_name(figure: Figure) -> str:
    if figure.samples:
        return ", ".join(figure.samples[:3])
    return f"{figure.response} by {figure.groups}" if figure.ready else "New figure"


@router.get("/{item_id}")
def figure(study: TheStudy, item_id: str, store: TheStore, engine: TheEngine) -> FigureState:
    return figure_state(store, engine, store.items.item(study.id, item_id, "figure"))


@router.patch("/{item_id}")
def change_figure(
    study: TheStudy, item_id: str, data: FigureChange, store: TheStore, engine: TheEngine
) -> FigureState:
    item = store.items.item(study.id, item_id, "figure")
    body = figure_body(item)
    fresh = body.model_copy(
        update={
            k: v
            for k, v in (("table", data.table), ("layout", data.layout), ("figure", data.figure))
            if v is not None
        }
    )
    name = figure_name(fresh.figure) if item.name == figure_name(body.figure) else item.name
    item = store.items.change(
        study.id,
        item_id,
        f"Change the figure {item.name}",
        together=True,
        body=fresh.model_dump(mode="json"),
        name=name,
    )
    return figure_state(store, engine, item)


@router.get("/{item_id}/image.{kind}")
def image(study: TheStudy, item_id: str, kind: Literal["svg", "png"], store: TheStore, engine: TheEngine) -> Response:
    """The figure as SVG, or as PNG at 300 dots per inch."""
    item = store.items.item(study.id, item_id, "figure")
    vega = drawn(store, engine, item).vega
    data, media = (svg(vega).encode(), "image/svg+xml") if kind == "svg" else (png(vega), "image/png")
    return Response(
        data,
        media_type=media,
        headers={"content-disposition": f'attachment; filename="{file_name(item.name)}.{kind}"'},
    )


def file_name(name: str) -> str:
    kept = "".join(c if c.isascii() and (c.isalnum() or c in "-_ ") else "-" for c in name).strip()
    return kept.replace(" ", "-") or "figure"
