"""Tables saved in open formats, and whole studies packed and unpacked."""

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from fastapi.responses import StreamingResponse
from starlette.concurrency import run_in_threadpool

from yavik.core.files.formats import OUTPUTS, output
from yavik.core.table import DataProblem
from yavik.engine.packing import pack, unpack
from yavik.server.access import TheEngine, TheStore, TheStudy
from yavik.server.contents import study_out
from yavik.server.figures_view import bring_up_to_date
from yavik.server.schemas import OutputOut
from yavik.server.schemas_contents import StudyOut
from yavik.server.tables_view import snapshot_of
from yavik.store.files import MOST_BYTES

router = APIRouter(prefix="/api", tags=["saving"])
CHUNK = 1 << 20


@router.get("/outputs")
def outputs() -> list[OutputOut]:
    return [OutputOut(id=o.id, title=o.title, keeps=o.keeps) for o in OUTPUTS]


@router.get("/studies/{study_id}/tables/{table_id}/save")
def save_table(study: TheStudy, table_id: str, store: TheStore, format: Annotated[str, Query()]) -> StreamingResponse:
    """The prepared table as a file. Raises DataProblem for a format that cannot hold it."""
    out = output(format)
    item = store.items.item(study.id, table_id, "table")
    table = store.versions.table(snapshot_of(store, study.id, table_id))
    folder = tempfile.TemporaryDirectory(prefix="yavik-")
    path = Path(folder.name) / "out"
    try:
        out.write(table, path, item.name)
    except BaseException:
        folder.cleanup()
        raise
    return as_download(path, folder, f"{item.name}{out.suffix}", out.media)


@router.get("/studies/{study_id}/pack")
def pack_study(study: TheStudy, store: TheStore, engine: TheEngine) -> StreamingResponse:
    """The whole study as one zip: a data package, the files as they were brought, everything said, and a script."""
    folder = tempfile.TemporaryDirectory(prefix="yavik-")
    path = Path(folder.name) / "study.zip"
    try:
        bring_up_to_date(store, engine, study.id)
        pack(store, study, path)
    except BaseException:
        folder.cleanup()
        raise
    return as_download(path, folder, f"{study.name}.zip", "application/zip")


def as_download(path: Path, folder: "tempfile.TemporaryDirectory[str]", name: str, media: str) -> StreamingResponse:
    """Sent in pieces; the folder goes when all is sent."""

    def pieces() -> Iterator[bytes]:
        with folder, path.open("rb") as file:
            while chunk := file.read(CHUNK):
                yield chunk

    headers = {
        "content-disposition": f"attachment; filename*=UTF-8''{quote(name)}",
        "content-length": str(path.stat().st_size),
    }
    return StreamingResponse(pieces(), media_type=media, headers=headers)


@router.post("/unpack", status_code=201)
async def unpack_study(request: Request, store: TheStore) -> StudyOut:
    """A packed study (the body is the zip) as a new study. Raises DataProblem."""
    with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        path, size = Path(folder) / "study.zip", 0
        with path.open("wb") as out:
            async for chunk in request.stream():
                size += len(chunk)
                if size > MOST_BYTES:
                    raise DataProblem("A packed study can have up to 2 GB.")
                out.write(chunk)
        study = await run_in_threadpool(unpack, store, path)
    return study_out(store, study)
