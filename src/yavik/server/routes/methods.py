"""The catalogue: methods, steps, functions and the figure's schema, all drawn by the interface from here."""

from fastapi import APIRouter

from yavik.core.figures import Figure
from yavik.core.figures.kinds import KINDS
from yavik.core.methods import AIMS, methods
from yavik.core.methods.registry import get
from yavik.core.steps import step_kinds
from yavik.core.steps.functions import FUNCTIONS
from yavik.core.table import Kind
from yavik.server.schemas import AimOut, Catalogue, LayoutOut, MethodOut, MethodPageOut

router = APIRouter(prefix="/api/catalogue", tags=["catalogue"])


@router.get("")
def catalogue() -> Catalogue:
    return Catalogue(
        aims=[AimOut(id=a.value, title=t) for a, t in AIMS.items()],
        methods=[
            MethodOut(
                id=m.id,
                aim=m.aim.value,
                title=m.title,
                spec=m.schema(),
                keywords=list(m.keywords),
                gives_columns=m.new_columns is not None,
                view=m.view,
                makes_models=m.card is not None,
                layouts=[
                    LayoutOut(
                        id=la.id, words=la.words, sentence=la.sentence, slots=list(la.slots), needed=list(la.needed)
                    )
                    for la in m.layouts
                ],
            )
            for m in methods().values()
        ],
        steps=step_kinds(),
        functions=[{"name": f.name, "shape": f.shape, "help": f.help} for f in FUNCTIONS.values()],
        figure=Figure.model_json_schema(),
        figure_kinds=[k.card() for k in KINDS.values()],
        kinds=list(Kind),
    )


@router.get("/methods/{method}")
def method_page(method: str) -> MethodPageOut:
    m = get(method)
    p = m.page
    return MethodPageOut(
        id=m.id,
        title=m.title,
        sentence=m.layouts[0].sentence,
        answers=p.answers,
        assumes=p.assumes,
        formulas=p.formulas,
        reading=p.reading,
        conventions=p.conventions,
        references=p.references,
    )
