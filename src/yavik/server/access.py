"""The one way for a route to its study, so that sign-in and members can be added here."""

from typing import Annotated

from fastapi import Depends, Request

from yavik.engine import Engine
from yavik.store import Store
from yavik.store.models import Study


def store_of(request: Request) -> Store:
    """The store, for a route."""
    store: Store = request.app.state.store
    return store


def engine_of(request: Request) -> Engine:
    """The engine, for a route."""
    engine: Engine = request.app.state.engine
    return engine


TheStore = Annotated[Store, Depends(store_of)]
TheEngine = Annotated[Engine, Depends(engine_of)]


def study_of(study_id: str, store: TheStore) -> Study:
    """Raises LookupError, which becomes 404."""
    return store.items.study(study_id)


TheStudy = Annotated[Study, Depends(study_of)]
