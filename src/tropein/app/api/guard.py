"""Who may ask: Host and Origin checks, the password when the server is reachable from elsewhere, and page headers."""

from __future__ import annotations

import hmac
import secrets
import time
from hashlib import sha256
from urllib.parse import urlsplit

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from fastapi import APIRouter, Request, Response
from pydantic import BaseModel
from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tropein.app.settings import Settings
from tropein.core.errors import BadInput

COOKIE = "tropein-session"
SESSION_SECONDS = 14 * 24 * 3600
CSP = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; "
    "media-src 'self' blob:; font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
PAGE_HEADERS = {
    "Content-Security-Policy": CSP, "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin",
}  # fmt: skip
router = APIRouter(prefix="/api", tags=["session"])


class Sessions:
    """Signed session cookies; the key lives as long as the process."""

    def __init__(self, password: str) -> None:
        self._hasher = PasswordHasher()
        self._hash = self._hasher.hash(password) if password else ""
        self._key = secrets.token_bytes(32)

    @property
    def needed(self) -> bool:
        return bool(self._hash)

    def open(self, password: str) -> str:
        try:
            self._hasher.verify(self._hash, password)
        except VerifyMismatchError as error:
            raise BadInput("That is not the password.") from error
        body = f"{int(time.time()) + SESSION_SECONDS}.{secrets.token_hex(8)}"
        return f"{body}.{self._sign(body)}"

    def holds(self, cookie: str) -> bool:
        body, _, sign = cookie.rpartition(".")
        end = body.partition(".")[0]
        return hmac.compare_digest(sign, self._sign(body)) and end.isdigit() and int(end) > time.time()

    def _sign(self, body: str) -> str:
        return hmac.new(self._key, body.encode(), sha256).hexdigest()


class Guard:
    """ASGI middleware: refuses what does not come from our own page, or from nobody in particular (no Origin, safe)."""

    def __init__(self, app: ASGIApp, settings: Settings, sessions: Sessions) -> None:
        self.app, self.settings, self.sessions = app, settings, sessions

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        refusal = self._refusal(scope)
        if refusal is None:
            await self.app(scope, receive, self._with_headers(send))
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 4403})
        else:
            status, text = refusal
            answer = JSONResponse({"code": "refused", "message": text}, status, headers=PAGE_HEADERS)
            await answer(scope, receive, send)

    def _refusal(self, scope: Scope) -> tuple[int, str] | None:
        headers = Headers(scope=scope)
        host = headers.get("host", "")
        name = urlsplit(f"//{host}").hostname or ""
        if self.settings.loopback and name not in ("127.0.0.1", "localhost", "::1"):
            return 403, "This address does not belong to this server."
        origin = headers.get("origin")
        if origin is not None and urlsplit(origin).netloc != host:
            return 403, "Requests from other pages are not taken."
        path = scope["path"]
        if scope["type"] == "websocket" and origin is None and not self.settings.loopback:
            return 403, "An origin is needed."
        guarded = path.startswith("/api") or path.startswith("/live")
        if self.sessions.needed and guarded and path not in ("/api/login", "/api/session"):
            cookie = Request(scope).cookies.get(COOKIE, "") if scope["type"] == "http" else _cookie(headers)
            if not self.sessions.holds(cookie):
                return 401, "Log in first."
        return None

    def _with_headers(self, send: Send) -> Send:
        async def out(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for key, value in PAGE_HEADERS.items():
                    headers.setdefault(key, value)
            await send(message)

        return out


def _cookie(headers: Headers) -> str:
    for part in headers.get("cookie", "").split(";"):
        key, _, value = part.strip().partition("=")
        if key == COOKIE:
            return value
    return ""


class Login(BaseModel):
    password: str


class SessionInfo(BaseModel):
    needed: bool
    open: bool


@router.post("/login", status_code=204)
def login(body: Login, request: Request, response: Response) -> None:
    sessions: Sessions = request.app.state.sessions
    if sessions.needed:
        cookie = sessions.open(body.password)
        response.set_cookie(COOKIE, cookie, max_age=SESSION_SECONDS, httponly=True, samesite="strict")


@router.get("/session")
def session(request: Request) -> SessionInfo:
    sessions: Sessions = request.app.state.sessions
    open_now = not sessions.needed or sessions.holds(request.cookies.get(COOKIE, ""))
    return SessionInfo(needed=sessions.needed, open=open_now)
