"""Looking after the data folder while the server has it."""

from fastapi import APIRouter, Request
from pydantic import BaseModel

from yavik.server.keeping import Keeper

router = APIRouter(prefix="/api", tags=["keeping"])


class TidiedOut(BaseModel):
    """What was thrown away, in words, and the database's bytes."""

    said: str
    before: int
    after: int


@router.post("/tidy")
def tidy_now(request: Request) -> TidiedOut:
    """Throws away what no study, no history and no page needs."""
    keeper: Keeper = request.app.state.keeper
    done = keeper.tidy()
    return TidiedOut(said=done.said(), before=done.before, after=done.after)
