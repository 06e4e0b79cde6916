"""Whoever answers to the start-up address may come in, and nobody else of this computer's accounts: the address holds
a key that the browser keeps in a cookie."""

import hmac
import html
import os
import secrets
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from urllib.parse import parse_qsl, quote, urlencode

from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from yavik.server.problems import problem
from yavik.store.folder import private

FILE = "key"
NAME = "key"
OWN = "YAVIK_KEY"
YEAR = 365 * 24 * 3600
WORDS = (
    "Yavik answers whoever opened it. Open the address that it printed when it started: it ends in ?key=… and is kept"
    " in this browser from then on."
)


def key_of_folder(folder: Path) -> str:
    """The folder's key, made when there is none; readable by its owner alone. Programs that start a server may set
    one of their own (YAVIK_KEY)."""
    if os.environ.get(OWN):
        return os.environ[OWN]
    file = folder / FILE
    if not file.exists() or not file.read_text(encoding="ascii").strip():
        with private(file) as out:
            out.write(secrets.token_urlsafe(24).encode())
    return file.read_text(encoding="ascii").strip()


def address(port: int, key: str) -> str:
    """The address to open, with its key."""
    return f"http://127.0.0.1:{port}/?{NAME}={quote(key)}"


class Keyed:
    def __init__(self, app: ASGIApp, key: str) -> None:
        self.app, self.key = app, key

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        cookie = f"yavik-{(scope.get('server') or ('', 0))[1]}"
        if self._fits(_cookies(request).get(cookie)) or self._fits(_bearer(request)):
            await self.app(scope, receive, send)
            return
        shown = request.query_params.get(NAME)
        response = self._welcome(request, cookie) if self._fits(shown) else _refused(request)
        await response(scope, receive, send)

    def _fits(self, shown: str | None) -> bool:
        return shown is not None and hmac.compare_digest(shown.encode(), self.key.encode())

    def _welcome(self, request: Request, cookie: str) -> Response:
        """To the same page without the key in its address, which would end up in the history and in screenshots."""
        rest = urlencode([(k, v) for k, v in parse_qsl(request.url.query) if k != NAME])
        path = "/" + request.url.path.lstrip("/")  # never to another host
        response = RedirectResponse(quote(path, safe="/%") + (f"?{rest}" if rest else ""), 303)
        response.set_cookie(cookie, self.key, max_age=YEAR, httponly=True, samesite="lax", path="/")
        response.headers["cache-control"] = "no-store"
        return response


def _cookies(request: Request) -> dict[str, str]:
    try:
        found = SimpleCookie(request.headers.get("cookie", ""))
    except CookieError:
        return {}
    return {name: morsel.value for name, morsel in found.items()}


def _bearer(request: Request) -> str | None:
    """For programs: ``Authorization: Bearer KEY`` (RFC 6750)."""
    scheme, _, value = request.headers.get("authorization", "").partition(" ")
    return value.strip() if scheme.lower() == "bearer" else None


def _refused(request: Request) -> Response:
    if request.url.path.startswith("/api/"):
        return problem(401, "Who is there?", WORDS)
    page = f"<!doctype html><title>Yavik</title><p style='font:16px sans-serif;margin:3rem'>{html.escape(WORDS)}</p>"
    return HTMLResponse(page, 401)
