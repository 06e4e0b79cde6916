"""The application: routes over store and engine, and the built interface."""

import os
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from math import inf
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, HTMLResponse, Response
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles

from yavik import __version__
from yavik.engine import Engine
from yavik.engine.engine import PATIENCE
from yavik.server import problems
from yavik.server.archives import Archive, configured
from yavik.server.contract import document
from yavik.server.keeping import Keeper
from yavik.server.key import Keyed, key_of_folder
from yavik.server.limits import Limits
from yavik.server.routes import (
    archives,
    figures,
    items,
    jobs,
    keeping,
    methods,
    paths,
    questions,
    reports,
    saving,
    studies,
    tables,
)
from yavik.server.savings import Savings
from yavik.server.security import LocalOnly
from yavik.store import Store

FOLDER = "YAVIK_DATA_DIR"
STATIC = Path(__file__).with_name("static")


def create_app(
    folder: Path,
    *,
    workers: int | None = None,
    warm: bool = True,
    more_archives: list[Archive] | None = None,
    key: str | None = None,
) -> FastAPI:
    """
    Args:
        folder: where the data live.
        workers: processes for long work; 0 in tests that need none.
        warm: import and start what the first question would otherwise wait for, and leave what turns out long to
            the workers.
        more_archives: beside those of the folder's archives.json.
        key: without which nothing answers; None where whoever calls sees to that.
    """

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        app.state.store = Store(folder)
        app.state.savings = Savings()
        app.state.archives = [*configured(folder), *(more_archives or [])]
        patience = PATIENCE if warm else inf
        app.state.engine = Engine(app.state.store, workers, os.environ.get("YAVIK_ENGINE"), patience, warm)
        app.state.keeper = Keeper(app.state.store, app.state.engine)
        if warm:
            app.state.keeper.start()
            threading.Thread(target=warm_up, daemon=True).start()
        yield
        app.state.keeper.close()
        app.state.engine.close()
        app.state.store.close()

    app = FastAPI(
        title="Yavik",
        version=__version__,
        lifespan=life,
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=short_id,
    )
    app.add_middleware(Limits)
    if key:
        app.add_middleware(Keyed, key=key)
    app.add_middleware(LocalOnly)
    problems.install(app)
    for module in (
        studies,
        items,
        tables,
        paths,
        saving,
        archives,
        methods,
        questions,
        figures,
        reports,
        jobs,
        keeping,
    ):
        app.include_router(module.router)
    _interface(app)
    app.openapi = lambda: document(app)  # type: ignore[method-assign]
    return app


class Assets(StaticFiles):
    """Files whose names hold their hash: what a browser has of them it need not ask for again (RFC 8246)."""

    def file_response(self, *args: Any, **more: Any) -> Response:
        response = super().file_response(*args, **more)
        response.headers["cache-control"] = "private, max-age=31536000, immutable"
        return response


def from_environment() -> FastAPI:
    """For reloading servers, which make the application by name."""
    folder = Path(os.environ[FOLDER])
    return create_app(folder, key=key_of_folder(folder))


def short_id(route: APIRoute) -> str:
    return route.name


def warm_up() -> None:
    """The first answer and picture of a process pay for imports and start-up; they are paid here, beside the first
    page."""
    from yavik.core.figures.images import svg
    from yavik.core.files.delimited import read
    from yavik.core.methods import answer

    lines = "\n".join(f"{'abc'[i % 3]},{i * 7 % 11}.5" for i in range(60))
    table, _ = read(f"g,y\n{lines}\n".encode())
    found = answer("compare_groups", table, {"response": "y", "groups": "g"})
    svg(found.block("figure").drawing)


def _interface(app: FastAPI) -> None:
    if not (STATIC / "index.html").exists():

        @app.get("/", include_in_schema=False)
        def not_built() -> HTMLResponse:
            return HTMLResponse("<p>The interface has not been built. Run <code>make build</code>.</p>", 503)

        return
    own = {str(p.relative_to(STATIC)) for p in STATIC.rglob("*") if p.is_file()}
    app.mount("/assets", Assets(directory=STATIC / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        """Every address of the interface is its one page; its own files are served as they are."""
        if path.startswith("api/"):
            raise LookupError(path)
        if path in own:
            return FileResponse(STATIC / path)
        return FileResponse(STATIC / "index.html", headers={"cache-control": "no-cache"})
