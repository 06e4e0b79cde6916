"""Loopback only: the Host must be this machine, and whatever changes something must come from our own page."""

from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

HOSTS = {"127.0.0.1", "localhost", "[::1]"}
POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
    # Vega compiles its expressions with our interpreter build, so no 'unsafe-eval' is needed.
    "script-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action"
    " 'none'"
)


def name_of(host: str) -> str:
    """The host without its port."""
    return host.rsplit(":", 1)[0] if host.rsplit(":", 1)[-1].isdigit() else host


class LocalOnly:
    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        host = request.headers.get("host", "")
        origin = request.headers.get("origin")
        refused = None
        if name_of(host) not in HOSTS:
            refused = "This server answers only on this computer's own address."
        elif (origin is not None and origin.split("://", 1)[-1] != host) or (
            request.method not in ("GET", "HEAD")
            and request.headers.get("sec-fetch-site")
            in (
                "cross-site",
                "same-site",
            )
        ):
            refused = "This request comes from another page."
        if refused:
            response = JSONResponse(
                {"type": "about:blank", "title": "Refused", "status": 403, "detail": refused},
                403,
                media_type="application/problem+json",
            )
            await response(scope, receive, send)
            return

        async def guarded(message: dict) -> None:  # type: ignore[type-arg]
            if message["type"] == "http.response.start":
                message["headers"] = [
                    *message["headers"],
                    (b"content-security-policy", POLICY.encode()),
                    (b"x-content-type-options", b"nosniff"),
                    (b"referrer-policy", b"no-referrer"),
                ]
            await send(message)

        await self.app(scope, receive, guarded)  # type: ignore[arg-type]
