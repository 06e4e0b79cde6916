"""Problems as RFC 9457 problem details."""

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse

from yavik.core.table import DataProblem
from yavik.engine.tasks import problem_data
from yavik.store.files import TooLarge
from yavik.store.items import Conflict

TYPE = "application/problem+json"


def problem(status: int, title: str, detail: str, **more: Any) -> JSONResponse:
    """A problem as RFC 9457 has it."""
    return JSONResponse(
        {"type": "about:blank", "title": title, "status": status, "detail": detail, **more}, status, media_type=TYPE
    )


def install(app: FastAPI) -> None:
    @app.exception_handler(DataProblem)
    def data_problem(_request: Request, trouble: DataProblem) -> JSONResponse:
        data = problem_data(trouble)
        return problem(422, "The data cannot carry this", data.pop("message"), **data)

    @app.exception_handler(RequestValidationError)
    def invalid(_request: Request, trouble: RequestValidationError) -> JSONResponse:
        first = trouble.errors()[0]
        place = ".".join(str(p) for p in first["loc"] if p != "body")
        return problem(422, "Not understood", f"{place}: {first['msg']}" if place else first["msg"])

    @app.exception_handler(LookupError)
    def missing(_request: Request, _trouble: LookupError) -> JSONResponse:
        return problem(
            404, "Not here", "This is no longer in the study. It may have been deleted; undo brings it back."
        )

    @app.exception_handler(Conflict)
    def apart(_request: Request, trouble: Conflict) -> JSONResponse:
        present = trouble.present
        places = [{"path": list(p.path), "base": p.base, "theirs": p.theirs, "mine": p.mine} for p in trouble.places]
        detail = (
            f"{present.name} was changed in another window at the same place, after this one read it. Nothing was"
            " overwritten; choose which to keep."
        )
        more = {"revision": present.revision, "present": present.body, "mine": trouble.mine, "places": places}
        return problem(409, "Changed elsewhere", detail, **more)

    @app.exception_handler(TooLarge)
    def too_large(_request: Request, _trouble: TooLarge) -> JSONResponse:
        return problem(413, "Too large", "The file is larger than 2 GB.")
