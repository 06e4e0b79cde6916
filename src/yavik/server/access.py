"""The one way for a route to its study, so that sign-in and members can be added here."""

import re
from typing import Annotated, Literal

from fastapi import Depends, Header, Path, Request

from yavik.core.table import DataProblem
from yavik.engine import Engine
from yavik.store import Store
from yavik.store.history import Seen
from yavik.store.models import Study


async def store_of(request: Request) -> Store:
    """The store, for a route. Such small things are got in the loop: a turn in a thread costs more than they do."""
    store: Store = request.app.state.store
    return store


async def engine_of(request: Request) -> Engine:
    """The engine, for a route."""
    engine: Engine = request.app.state.engine
    return engine


TheStore = Annotated[Store, Depends(store_of)]
TheEngine = Annotated[Engine, Depends(engine_of)]


def study_of(study_id: str, store: TheStore) -> Study:
    """Raises LookupError, which becomes 404."""
    return store.items.study(study_id)


TheStudy = Annotated[Study, Depends(study_of)]
TAG = re.compile(r'(?:W/)?"(\d{1,18})"')


async def seen_of(
    if_match: Annotated[str | None, Header()] = None,
    keep: Annotated[Literal["mine"] | None, Header()] = None,
) -> Seen | None:
    """The revision that a change was meant for (RFC 9110); None where it is meant for whatever stands now. With
    ``keep: mine`` it stands where another changed the same place. Raises DataProblem."""
    if if_match is None or if_match.strip() == "*":
        return None
    found = TAG.fullmatch(if_match.strip())
    if found is None:
        raise DataProblem('If-Match holds one revision in quotation marks, such as "7".')
    return Seen(int(found[1]), keep == "mine")


Meant = Annotated[Seen | None, Depends(seen_of)]
"""What a change was meant for."""

Whole = Annotated[int, Path(ge=0, le=1 << 53)]
"""A number in an address that the database and every browser can hold."""
