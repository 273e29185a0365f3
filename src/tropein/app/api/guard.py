"""Who may ask: Host and Origin checks, the password when the server is reachable from elsewhere, and page headers."""

from __future__ import annotations

import ipaddress
import secrets
import threading
import time
from collections import OrderedDict, deque
from hashlib import sha256
from typing import Annotated
from urllib.parse import urlsplit

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from fastapi import Request, Response
from pydantic import BaseModel, Field
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import HTTPConnection
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from tropein.app.api.routing import router as plain_router
from tropein.app.settings import Settings
from tropein.core.errors import BadInput, TropeinError

COOKIE = "tropein-session"
SESSION_SECONDS = 14 * 24 * 3600
MOST_SESSIONS = 1000
LONGEST_PASSWORD = 1024
MOST_GUESSES, GUESSES_S = 5, 60.0  # wrong ones of one address within so long; then it waits
MOST_WAITING = 8  # a password takes 64 MB and a twentieth of a second to check: one at a time, few in line
KNOWN_ADDRESSES = 10_000
CSP = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:; "
    "media-src 'self' blob:; font-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
PAGE_HEADERS = {
    "Content-Security-Policy": CSP, "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin",
}  # fmt: skip
OPEN = ("/api/login", "/api/session")
router = plain_router("/api", "session")


class TooOften(TropeinError):
    """Too many wrong passwords, or too many at once."""

    code = "too-often"


class Guesses:
    """Wrong passwords of late, by address; an IPv6 network of one household counts as one."""

    def __init__(self) -> None:
        self._wrong: OrderedDict[str, deque[float]] = OrderedDict()

    def check(self, address: str) -> None:
        """TooOften when this address has to wait."""
        wrong = self._wrong.get(self._of(address))
        while wrong and time.monotonic() - wrong[0] > GUESSES_S:
            wrong.popleft()
        if wrong and len(wrong) >= MOST_GUESSES:
            wait = GUESSES_S - (time.monotonic() - wrong[0])
            raise TooOften(f"Too many wrong passwords: wait {wait:.0f} s.", retry_after=int(wait) + 1)

    def note(self, address: str) -> None:
        key = self._of(address)
        self._wrong.setdefault(key, deque()).append(time.monotonic())
        self._wrong.move_to_end(key)
        while len(self._wrong) > KNOWN_ADDRESSES:
            self._wrong.popitem(last=False)

    @staticmethod
    def _of(address: str) -> str:
        try:
            ip = ipaddress.ip_address(address)
        except ValueError:
            return address
        return str(ipaddress.ip_network(f"{ip}/64", strict=False)) if ip.version == 6 else str(ip)


class Sessions:
    """Who has given the password: random tokens, known by their hash, for as long as the process lives."""

    def __init__(self, password: str) -> None:
        self._hasher = PasswordHasher()
        self._hash = self._hasher.hash(password) if password else ""
        self._open: OrderedDict[bytes, float] = OrderedDict()
        self._guesses, self._lock, self._waiting = Guesses(), threading.Lock(), 0

    @property
    def needed(self) -> bool:
        return bool(self._hash)

    def open(self, password: str, address: str) -> str:
        """A new session's token; BadInput for a wrong password, TooOften when there were too many of them."""
        self._guesses.check(address)
        if self._waiting >= MOST_WAITING:
            raise TooOften("Too many are logging in at once: wait a moment.", retry_after=2)
        self._waiting += 1
        try:
            with self._lock:
                self._guesses.check(address)
                try:
                    self._hasher.verify(self._hash, password)
                except VerifyMismatchError as error:
                    self._guesses.note(address)
                    raise BadInput("That is not the password.") from error
        finally:
            self._waiting -= 1
        token = secrets.token_urlsafe(32)
        self._open[self._mark(token)] = time.time() + SESSION_SECONDS
        while len(self._open) > MOST_SESSIONS:
            self._open.popitem(last=False)
        return token

    def holds(self, token: str) -> bool:
        return self._open.get(self._mark(token), 0.0) > time.time()

    def close(self, token: str) -> None:
        self._open.pop(self._mark(token), None)

    @staticmethod
    def _mark(token: str) -> bytes:
        return sha256(token.encode("utf-8", "surrogateescape")).digest()


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
        host, origin = headers.get("host", ""), headers.get("origin")
        name, asked_by = _hostname(host), _netloc(origin) if origin is not None else None
        if name is None:
            return 400, "The host this request names is none."
        if self.settings.loopback and name not in ("127.0.0.1", "localhost", "::1"):
            return 403, "This address does not belong to this server."
        if origin is not None and asked_by != host:
            return 403, "Requests from other pages are not taken."
        if scope["type"] == "websocket" and origin is None and not self.settings.loopback:
            return 403, "An origin is needed."
        path = scope["path"]
        guarded = scope["type"] == "websocket" or path.startswith(("/api", "/live"))
        if (
            self.sessions.needed
            and guarded
            and path not in OPEN
            and not self.sessions.holds(token_of(HTTPConnection(scope)))
        ):
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


def _hostname(host: str) -> str | None:
    """The name in a Host header; None when it is no such thing."""
    try:
        parts = urlsplit(f"//{host}")
        parts.port  # noqa: B018  (raises for what is no port)
        return parts.hostname or ""
    except ValueError:
        return None


def _netloc(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def token_of(request: HTTPConnection) -> str:
    return request.cookies.get(COOKIE, "")


class Login(BaseModel):
    password: Annotated[str, Field(max_length=LONGEST_PASSWORD)]


class SessionInfo(BaseModel):
    needed: bool
    open: bool


@router.post("/login", status_code=204)
def login(body: Login, request: Request, response: Response) -> None:
    sessions: Sessions = request.app.state.sessions
    if sessions.needed:
        token = sessions.open(body.password, request.client.host if request.client else "")
        response.set_cookie(COOKIE, token, max_age=SESSION_SECONDS, httponly=True, samesite="strict")


@router.post("/logout", status_code=204)
def logout(request: Request, response: Response) -> None:
    """End this session, here and in the browser."""
    request.app.state.sessions.close(token_of(request))
    response.delete_cookie(COOKIE, httponly=True, samesite="strict")


@router.get("/session")
def session(request: Request) -> SessionInfo:
    sessions: Sessions = request.app.state.sessions
    return SessionInfo(needed=sessions.needed, open=not sessions.needed or sessions.holds(token_of(request)))
