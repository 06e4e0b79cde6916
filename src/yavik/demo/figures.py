"""Figures and the report of the demo study."""

from typing import Any

from yavik.core.answers import Answer
from yavik.core.figures import Figure
from yavik.core.report.phrases import phrases
from yavik.core.report.writing import write_up
from yavik.store import Store
from yavik.store.bodies import FigureBody

DRAWN: tuple[tuple[str, str, dict[str, Any]], ...] = (
    (
        "Branches",
        "Visits over floor area",
        {
            "kind": "relation",
            "response": "visits",
            "x": "floor_area",
            "colour": "cafe",
            "show": ["points", "line"],
            "width_mm": 120,
            "equation": True,
        },
    ),
    (
        "Fluency",
        "Tutoring week by week",
        {
            "kind": "course",
            "response": "fluency",
            "x": "week",
            "colour": "tutoring",
            "show": ["line", "band"],
            "legend": "direct",
            "width_mm": 120,
        },
    ),
    (
        "Winter challenge",
        "Cards by age",
        {"kind": "shares", "response": "card", "groups": "age_group", "show": ["stacked"], "width_mm": 120},
    ),
)
"""Table, name and description of each figure beside the first."""


def draw_the_demo(store: Store, study_id: str, tables: dict[str, str], minutes: str) -> str:
    """Draws the figures; returns the one of minutes by room."""
    first = {
        "response": "minutes",
        "groups": "room",
        "marks_from": minutes,
        "brackets": [["Alcove", "Winter garden"]],
    }
    made = [
        _draw(store, study_id, tables[table], name, Figure.model_validate(figure))
        for table, name, figure in (("Room trial", "Minutes by room", first), *DRAWN)
    ]
    return made[0]


def _draw(store: Store, study_id: str, table: str, name: str, figure: Figure) -> str:
    body = FigureBody(table=table, figure=figure).model_dump(mode="json")
    return store.items.add(study_id, "figure", name, body, f"Draw {name}").id


def report_of_the_demo(store: Store, study_id: str, question: str, figure: str, panel: str) -> dict[str, Any]:
    """A report begun: words with live numbers, a table, a figure, references to both, a footnote, models side by
    side."""
    answer = _answered(store, question)
    said = {p.key: p.text for p in phrases(answer)}

    def text(kind: str, words: str, **attrs: Any) -> dict[str, Any]:
        return {"type": kind, "attrs": attrs, "content": [{"type": "text", "text": words}]}

    def live(uid: str, key: str) -> dict[str, Any]:
        return {"type": "live", "attrs": {"uid": uid, "question": question, "key": key, "said": said[key]}}

    def words(text: str) -> dict[str, Any]:
        return {"type": "text", "text": text}

    def refer(target: str, part: str) -> dict[str, Any]:
        return {"type": "crossReference", "attrs": {"target": target, "part": part}}

    method, result = write_up(answer, question, "Do minutes read differ between reading rooms?")
    for i, node in enumerate(n for p in (method, result) for n in p["content"] if n["type"] == "live"):
        node["attrs"]["uid"] = f"demolive{i}"  # the same study every time it is made
    visit = {
        "type": "paragraph",
        "content": [
            words("In spring we timed one visit of each of "),
            live("demo0010", "rows|used"),
            words(" visitors of the Quillmoor branches, in the kind of room where they happened to sit down."),
            {
                "type": "footnote",
                "attrs": {"text": "Four further visitors did not want their visit used; it was left out."},
            },
            words(" Alcove readers stayed "),
            live("demo0011", "estimate|groups|Alcove"),
            words(", winter-garden readers "),
            live("demo0012", "estimate|groups|Winter garden"),
            words(" ("),
            refer("demo0001", "groups"),
            words(", "),
            refer("demo0002", "figure"),
            words(")."),
        ],
    }
    return {
        "type": "doc",
        "content": [
            text("heading", "Where do visitors read longest?", level=1),
            text("heading", "What we did", level=2),
            visit,
            method,
            text("heading", "Results", level=2),
            result,
            {
                "type": "answer",
                "attrs": {
                    "uid": "demo0001",
                    "question": question,
                    "parts": ["groups", "pairs"],
                    "said": answer.headline,
                },
            },
            {"type": "figure", "attrs": {"uid": "demo0002", "figure": figure}},
            text(
                "paragraph",
                "Spread differed between the rooms, so means were compared without assuming that it is the same.",
            ),
            text("heading", "Loans over the years", level=2),
            {
                "type": "answer",
                "attrs": {
                    "uid": "demo0003",
                    "question": panel,
                    "parts": ["models"],
                    "said": _answered(store, panel).headline,
                },
            },
            {"type": "paragraph"},
        ],
    }


def _answered(store: Store, question: str) -> Answer:
    key = store.shown(question)
    assert key is not None
    return Answer.model_validate(store.result(key))
