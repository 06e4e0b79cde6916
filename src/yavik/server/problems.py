"""Problems as RFC 9457 problem details."""

import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import DatabaseError
from starlette.exceptions import HTTPException as StarletteHTTPException

from yavik.core.table import DataProblem
from yavik.engine.problems import problem_data
from yavik.server.contract import TYPE
from yavik.store.files import TooLarge
from yavik.store.items import Conflict
from yavik.store.troubles import FULL, said_of_database

WORDS = {
    404: "There is nothing at this address.",
    405: "This address takes no such request.",
    400: "This request cannot be read.",
}
log = logging.getLogger("yavik.server")


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
    def missing(request: Request, trouble: LookupError) -> JSONResponse:
        if isinstance(trouble, KeyError | IndexError):
            return unforeseen(request, trouble)  # a mistake of ours, not something that was deleted
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

    @app.exception_handler(DatabaseError)
    def database(request: Request, trouble: DatabaseError) -> JSONResponse:
        words = said_of_database(trouble)
        if words is None:
            return unforeseen(request, trouble)
        log.error("the database: %s", trouble.orig)
        return problem(507 if words is FULL else 503, "Not kept", words)

    @app.exception_handler(StarletteHTTPException)
    def by_the_book(_request: Request, trouble: StarletteHTTPException) -> JSONResponse:
        return problem(trouble.status_code, str(trouble.detail), WORDS.get(trouble.status_code, str(trouble.detail)))

    @app.exception_handler(Exception)
    def unforeseen(request: Request, trouble: Exception) -> JSONResponse:
        log.error("%s %s", request.method, request.url.path, exc_info=trouble)
        return problem(500, "Something went wrong inside Yavik", "Nothing was changed; the log has the details.")

    @app.exception_handler(TooLarge)
    def too_large(_request: Request, _trouble: TooLarge) -> JSONResponse:
        return problem(413, "Too large", "The file is larger than 2 GB.")
