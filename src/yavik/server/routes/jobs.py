"""Long work: how far it is, as server-sent events, and stopping it."""

import asyncio
import json
from collections.abc import AsyncIterator

from fastapi import APIRouter
from fastapi.responses import StreamingResponse

from yavik.engine import Engine, Job
from yavik.server.access import TheEngine
from yavik.server.schemas import JobOut
from yavik.server.tables_view import job_out

router = APIRouter(prefix="/api/jobs", tags=["jobs"])
BEAT = 0.1


def job_of(engine: Engine, job_id: str) -> Job:
    if job_id not in engine.jobs:
        raise LookupError(job_id)
    return engine.jobs[job_id]


@router.get("")
def running(engine: TheEngine) -> list[JobOut]:
    return [job_out(j) for j in engine.jobs.values() if not j.ended]


@router.get("/{job_id}")
def job(job_id: str, engine: TheEngine) -> JobOut:
    return job_out(job_of(engine, job_id))


@router.delete("/{job_id}")
def stop(job_id: str, engine: TheEngine) -> JobOut:
    found = job_of(engine, job_id)
    engine.stop(found)
    return job_out(found)


@router.get("/{job_id}/events")
async def events(job_id: str, engine: TheEngine) -> StreamingResponse:
    return StreamingResponse(
        _tell(job_of(engine, job_id)), media_type="text/event-stream", headers={"cache-control": "no-store"}
    )


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
