"""Opening a file from a configured archive."""

from typing import Annotated

from fastapi import APIRouter, Query, Request

from yavik.core.table import DataProblem
from yavik.server import archives
from yavik.server.access import TheStore, TheStudy
from yavik.server.routes.tables import first_look
from yavik.server.schemas import ArchiveFile, ArchiveOut, UploadOut

router = APIRouter(prefix="/api", tags=["archives"])


def _archive(request: Request, name: str) -> archives.Archive:
    found = next((a for a in request.app.state.archives if a.name == name), None)
    if found is None:
        raise DataProblem(
            f"There is no archive '{name}' here. Archives are named in archives.json in the data folder."
        )
    return found  # type: ignore[no-any-return]


@router.get("/archives")
def list_archives(request: Request) -> list[ArchiveOut]:
    return [ArchiveOut(name=a.name, words=a.words) for a in request.app.state.archives]


@router.get("/archives/{name}/files")
def search_archive(request: Request, name: str, q: Annotated[str, Query(max_length=200)] = "") -> list[ArchiveFile]:
    return archives.search(_archive(request, name), q)


@router.post("/studies/{study_id}/archives/{name}/files/{file_id}", status_code=201)
def open_from_archive(study: TheStudy, request: Request, name: str, file_id: str, store: TheStore) -> UploadOut:
    """Takes a file of the archive in, as if it had been brought from this computer."""
    filename, pieces = archives.fetch(_archive(request, name), file_id)
    upload = store.files.take(study.id, filename, pieces)
    try:
        return first_look(store, upload)
    except DataProblem:
        store.files.drop(upload.id)
        raise
