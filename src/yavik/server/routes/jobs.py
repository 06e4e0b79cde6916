"""Long work: how far it is, as server-sent events, and stopping it."""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import APIRouter, Depends
from fastapi.responses import StreamingResponse

from yavik.engine import Job
from yavik.server.access import TheEngine, TheStudy
from yavik.server.schemas import JobOut
from yavik.server.tables_view import job_out

router = APIRouter(prefix="/api/studies/{study_id}/jobs", tags=["jobs"])
BEAT = 0.1


def job_of(study: TheStudy, job_id: str, engine: TheEngine) -> Job:
    """A job of a study. Raises LookupError."""
    found = engine.jobs.get(job_id)
    if found is None or found.study_id != study.id:
        raise LookupError(job_id)
    return found


TheJob = Annotated[Job, Depends(job_of)]


@router.get("")
def running(study: TheStudy, engine: TheEngine) -> list[JobOut]:
    return [job_out(j) for j in engine.jobs.values() if not j.ended and j.study_id == study.id]


@router.get("/{job_id}")
def job(found: TheJob) -> JobOut:
    return job_out(found)


@router.delete("/{job_id}")
def stop(found: TheJob, engine: TheEngine) -> JobOut:
    engine.stop(found)
    return job_out(found)


@router.get("/{job_id}/events")
async def events(found: TheJob) -> StreamingResponse:
    return StreamingResponse(_tell(found), media_type="text/event-stream", headers={"cache-control": "no-store"})


async def _tell(job: Job) -> AsyncIterator[str]:
    """One event at each change, and the last when the job has ended."""
    seen = -1
    while True:
        if job.revision != seen:
            seen = job.revision
            yield f"data: {json.dumps(job.seen())}\n\n"
        if job.ended and job.revision == seen:
            return
        await asyncio.sleep(BEAT)
