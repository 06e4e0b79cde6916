"""The contract: every status that a route can answer with, and one kind of problem (RFC 9457) for all of them."""

from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from pydantic import AfterValidator, BaseModel

REF = "#/components/schemas/{model}"
TYPE = "application/problem+json"
WORDS = {
    "400": "The request cannot be read",
    "401": "The key of the start-up address is missing",
    "403": "The request comes from another page or host",
    "404": "Not in this study",
    "408": "The request did not arrive in time",
    "409": "Changed elsewhere at the same place",
    "413": "Too large",
    "422": "The data cannot carry this, or the request is not understood",
    "500": "A mistake of ours; the log has the details",
    "503": "The database cannot be used now",
    "507": "No room left on the disk",
}


def _zoned(value: datetime) -> datetime:
    """Times are kept in UTC without saying so; what is told says so."""
    return value if value.tzinfo else value.replace(tzinfo=UTC)


When = Annotated[datetime, AfterValidator(_zoned)]


class ProblemPlace(BaseModel):
    """A place that two changed, each otherwise."""

    path: list[str | int]
    base: Any
    theirs: Any
    mine: Any


class ProblemOut(BaseModel):
    type: Literal["about:blank"] = "about:blank"
    title: str
    status: int
    detail: str
    column: str | None = None
    rows: list[int] | None = None
    position: int | None = None
    revision: int | None = None
    """Of a 409: the entry's revision now; ``present`` is what it holds, ``mine`` what it would hold."""
    present: dict[str, Any] | None = None
    mine: dict[str, Any] | None = None
    places: list[ProblemPlace] | None = None


def document(app: FastAPI) -> dict[str, Any]:
    """The OpenAPI document, made once."""
    if app.openapi_schema:
        return app.openapi_schema
    made = get_openapi(title=app.title, version=app.version, routes=app.routes)
    schemas = made["components"]["schemas"]
    schemas.update(_schemas())
    for unused in ("HTTPValidationError", "ValidationError"):
        schemas.pop(unused, None)
    content = {TYPE: {"schema": {"$ref": REF.format(model="ProblemOut")}}}
    made["components"]["responses"] = {
        f"Problem{status}": {"description": words, "content": content} for status, words in WORDS.items()
    }
    for path in made["paths"].values():
        for operation in path.values():
            names = {p["name"] for p in operation.get("parameters", [])}
            for status in WORDS:
                if status != "409" or "if-match" in names:
                    operation["responses"][status] = {"$ref": f"#/components/responses/Problem{status}"}
    app.openapi_schema = made
    return made


def _schemas() -> dict[str, Any]:
    own = ProblemOut.model_json_schema(ref_template=REF, mode="serialization")
    return {**own.pop("$defs", {}), "ProblemOut": own}
