"""Reports: the text, what is placed in it, and saving it."""

from typing import Any, Literal

from fastapi import APIRouter, Request, Response
from pydantic import ValidationError

from yavik.core.report import ReportDoc
from yavik.core.report.templates import TEMPLATES
from yavik.core.table import DataProblem
from yavik.server.access import Meant, TheStore, TheStudy
from yavik.server.once import Once
from yavik.server.questions_view import shown_answer
from yavik.server.reports_view import default_parts, document_of, node_for, noted, report_body, report_state
from yavik.server.routes.figures import file_name
from yavik.server.savings import WRITERS, Saving, Savings
from yavik.server.schemas_reports import AddToReport, NewReport, ReportChange, ReportState, SavingOut, TemplateOut
from yavik.store.bodies import ReportBody
from yavik.store.history import Seen

router = APIRouter(prefix="/api/studies/{study_id}/reports", tags=["reports"])
_once = Once(most=20)
KindOfFile = Literal["docx", "pdf", "html", "md", "zip"]


@router.get("/templates")
def templates(study: TheStudy) -> list[TemplateOut]:
    return [TemplateOut(id=t.id, title=t.title, help=t.help) for t in TEMPLATES.values()]


@router.post("", status_code=201)
def new_report(study: TheStudy, data: NewReport, store: TheStore) -> ReportState:
    template = TEMPLATES.get(data.template)
    if template is None:
        raise DataProblem(f"There is no template named '{data.template}'.")
    body = ReportBody(doc=template.doc(), look=template.look)
    item = store.items.add(study.id, "report", data.name, body.model_dump(), f"Begin {data.name}")
    return report_state(store, item)


@router.get("/{item_id}", response_model=ReportState)
def report(study: TheStudy, item_id: str, store: TheStore) -> Response:
    """Assembled once, until anything is written."""
    store.items.item(study.id, item_id, "report")  # no place is kept for what is not there

    def make() -> tuple[bytes, bool]:
        found = store.items.item(study.id, item_id, "report")
        return report_state(store, found).model_dump_json().encode(), True

    return Response(_once.get(store, study.id, item_id, make), media_type="application/json")


@router.put("/{item_id}")
def write_report(study: TheStudy, item_id: str, data: ReportChange, store: TheStore, seen: Meant) -> ReportState:
    item = store.items.item(study.id, item_id, "report")
    label = "Write in the report"
    if data.doc is not None:
        demand_text(data.doc)
    if data.look is not None:
        label = "Set the report otherwise"
    taken = None
    if data.noted:
        state, label = report_state(store, item), "Take note of what changed"
        taken, seen = noted(report_body(item).doc, state), Seen(item.revision)

    def changed(before: dict[str, Any]) -> dict[str, Any]:
        new = {"doc": taken or data.doc, "look": data.look}
        body = ReportBody.opened(before).model_copy(update={k: v for k, v in new.items() if v is not None})
        return body.model_dump(mode="json")

    item = store.items.revise(study.id, item_id, label, changed, seen=seen, together=data.doc is not None)
    return report_state(store, item)


def demand_text(doc: dict[str, Any]) -> None:
    """Raises DataProblem for what is no text of a report."""
    try:
        ReportDoc.model_validate({"doc": doc})
    except (ValidationError, RecursionError) as trouble:
        first = trouble.errors()[0] if isinstance(trouble, ValidationError) else None
        place = ".".join(str(p) for p in first["loc"]) if first else "doc"
        raise DataProblem(
            f"This is no text of a report: {place}: {first['msg'] if first else 'it is nested too deeply'}."
        ) from trouble


@router.post("/add", status_code=201)
def add_to_report(study: TheStudy, data: AddToReport, store: TheStore) -> ReportState:
    """Places an answer or figure at the end of the study's first report, which is begun when there is none."""
    parts, said = data.parts, None
    source = store.items.item(study.id, data.ref, "question" if data.kind == "answer" else "figure")
    if data.kind == "answer":
        answer, _ = shown_answer(store, source)
        parts, said = parts or default_parts(answer), answer.headline if answer else None
    node = node_for(data.kind, data.ref, parts, said)

    def longer(before: dict[str, Any]) -> dict[str, Any]:
        body = ReportBody.opened(before)
        content = list(body.doc.get("content", []))
        while content and content[-1].get("type") == "paragraph" and not content[-1].get("content"):
            content.pop()
        doc = {**body.doc, "content": [*content, node, {"type": "paragraph"}]}
        return body.model_copy(update={"doc": doc}).model_dump(mode="json")

    with store.items.turn:
        item = store.items.first(study.id, "report") or store.items.add(
            study.id, "report", "Report", ReportBody().model_dump(), "Begin a report"
        )
        item = store.items.revise(study.id, item.id, f"Add {source.name} to the report", longer)
    return report_state(store, item)


@router.get("/{item_id}/file.{kind}")
def save_report(study: TheStudy, item_id: str, kind: KindOfFile, store: TheStore) -> Response:
    item = store.items.item(study.id, item_id, "report")
    document, _ = document_of(store, item, saving=True)
    write, _media = WRITERS[kind]
    return _file(item.name, kind, write(document, lambda _part: None))


@router.post("/{item_id}/files/{kind}", status_code=202)
def begin_saving(study: TheStudy, item_id: str, kind: KindOfFile, store: TheStore, request: Request) -> SavingOut:
    """Begins to make the file; how far it is can be asked, and the file be fetched when it is done."""
    item = store.items.item(study.id, item_id, "report")
    savings: Savings = request.app.state.savings
    return _saving_out(savings.begin(study.id, kind, lambda: document_of(store, item, saving=True)[0]))


@router.get("/{item_id}/files/{saving}/state")
def saving_state(study: TheStudy, item_id: str, saving: str, request: Request) -> SavingOut:
    savings: Savings = request.app.state.savings
    return _saving_out(savings.get(study.id, saving))


@router.get("/{item_id}/files/{saving}/content")
def saved_file(study: TheStudy, item_id: str, saving: str, store: TheStore, request: Request) -> Response:
    savings: Savings = request.app.state.savings
    found = savings.get(study.id, saving)
    if found.data is None:
        raise DataProblem(found.problem or "The file is not ready yet.")
    return _file(store.items.item(study.id, item_id, "report").name, found.kind, found.data)


def _saving_out(found: Saving) -> SavingOut:
    done = found.data is not None or found.problem is not None
    return SavingOut(id=found.id, part=round(found.part, 3), done=done, problem=found.problem)


def _file(name: str, kind: str, data: bytes) -> Response:
    end = "md.zip" if kind == "zip" else kind
    disposition = f'attachment; filename="{file_name(name)}.{end}"'
    return Response(data, media_type=WRITERS[kind][1], headers={"content-disposition": disposition})
