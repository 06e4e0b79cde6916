"""Reports: the text, what is placed in it, and saving it."""

from typing import Literal

from fastapi import APIRouter, Response

from yavik.core.report import ReportDoc
from yavik.core.report.markdown import write_markdown
from yavik.core.report.pdf import write_pdf
from yavik.core.report.web import write_html
from yavik.core.report.word import write_docx
from yavik.server.access import TheEngine, TheStore, TheStudy
from yavik.server.questions_view import shown_answer
from yavik.server.reports_view import default_parts, document_of, node_for, report_state
from yavik.server.routes.figures import file_name
from yavik.server.schemas import AddToReport, Named, ReportChange, ReportState
from yavik.store.bodies import ReportBody
from yavik.store.models import Item

router = APIRouter(prefix="/api/studies/{study_id}/reports", tags=["reports"])
WRITERS = {
    "docx": (write_docx, "application/vnd.openxmlformats-officedocument.wordprocessingml.document"),
    "pdf": (write_pdf, "application/pdf"),
    "html": (write_html, "text/html; charset=utf-8"),
    "md": (write_markdown, "text/markdown; charset=utf-8"),
}


@router.post("", status_code=201)
def new_report(study: TheStudy, data: Named, store: TheStore, engine: TheEngine) -> ReportState:
    item = store.items.add(study.id, "report", data.name, ReportBody().model_dump(), f"Begin {data.name}")
    return report_state(store, engine, item)


@router.get("/{item_id}")
def report(study: TheStudy, item_id: str, store: TheStore, engine: TheEngine) -> ReportState:
    return report_state(store, engine, store.items.item(study.id, item_id, "report"))


@router.put("/{item_id}")
def write_report(
    study: TheStudy, item_id: str, data: ReportChange, store: TheStore, engine: TheEngine
) -> ReportState:
    ReportDoc.model_validate({"doc": data.doc})
    item = store.items.change(study.id, item_id, "Write in the report", together=True, body={"doc": data.doc})
    return report_state(store, engine, item)


@router.post("/add", status_code=201)
def add_to_report(study: TheStudy, data: AddToReport, store: TheStore, engine: TheEngine) -> ReportState:
    """Places an answer or figure at the end of the study's first report, which is begun when there is none."""
    reports = [i for i in store.items.items(study.id) if i.type == "report"]
    item: Item = (
        reports[0]
        if reports
        else store.items.add(study.id, "report", "Report", ReportBody().model_dump(), "Begin a report")
    )
    parts = data.parts
    source = store.items.item(study.id, data.ref, "question" if data.kind == "answer" else "figure")
    if data.kind == "answer" and not parts:
        parts = default_parts(shown_answer(store, source)[0])
    doc = dict(ReportBody.model_validate(item.body).doc)
    content = list(doc.get("content", []))
    while content and content[-1].get("type") == "paragraph" and not content[-1].get("content"):
        content.pop()
    doc["content"] = [*content, node_for(data.kind, data.ref, parts), {"type": "paragraph"}]
    item = store.items.change(study.id, item.id, f"Add {source.name} to the report", body={"doc": doc})
    return report_state(store, engine, item)


@router.get("/{item_id}/file.{kind}")
def save_report(
    study: TheStudy, item_id: str, kind: Literal["docx", "pdf", "html", "md"], store: TheStore, engine: TheEngine
) -> Response:
    item = store.items.item(study.id, item_id, "report")
    write, media = WRITERS[kind]
    document, _ = document_of(store, engine, item)
    return Response(
        write(document),
        media_type=media,
        headers={"content-disposition": f'attachment; filename="{file_name(item.name)}.{kind}"'},
    )
