"""The application put together."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import AsyncIterator

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import DataError, SQLAlchemyError
from starlette.exceptions import HTTPException
from starlette.routing import Match, Route
from starlette.websockets import WebSocket

from tropein.app.api import about, bundles, fonts, guard, judged, limits, looks, pictures, runs, shelf, shots, tracks
from tropein.app.jobs.context import make
from tropein.app.live.events import Events
from tropein.app.live.pool import PreviewPool
from tropein.app.live.shots import LiveShots
from tropein.app.live.socket import Connection
from tropein.app.settings import Settings
from tropein.app.store.database import is_full, is_gone, transaction
from tropein.app.store.settings import claim_home
from tropein.core.errors import TropeinError
from tropein.core.files import FULL as NO_ROOM

STATUS = {
    "bad-input": 422, "media": 422, "asks": 422, "not-found": 404, "conflict": 409, "out-of-space": 507, "preview": 422,
    "superseded": 409, "too-often": 429,
}  # fmt: skip
PAGES = "/{path:path}"
MODULES = (shots, pictures, judged, tracks, shelf, runs, about, bundles, fonts, looks, guard)
FULL = "The disk is full: nothing was stored. Make room, then do it again."
AWAY = "The database cannot be reached at the moment: nothing was stored. It is tried again; do this again in a while."
log = logging.getLogger(__name__)


def create_app(settings: Settings | None = None) -> FastAPI:
    """The server for these settings (from the environment when none are given)."""
    settings = settings or Settings()
    if not settings.loopback and not settings.password:
        raise SystemExit(
            "Binding to an address that others can reach needs a password: set TROPEIN_PASSWORD, or use --host 127.0.0.1."
        )
    app = FastAPI(
        title="Tropein", version="0.1.0", lifespan=_lifespan, docs_url=None, redoc_url=None, openapi_url="/api/openapi.json",
    )  # fmt: skip
    app.state.settings = settings
    app.state.sessions = guard.Sessions(settings.password)
    for module in MODULES:
        app.include_router(module.router)
    app.add_exception_handler(TropeinError, _expected)
    app.add_exception_handler(RequestValidationError, _malformed)
    app.add_exception_handler(HTTPException, _refused)
    app.add_exception_handler(SQLAlchemyError, _database)
    app.add_exception_handler(OSError, _disk)
    app.add_exception_handler(Exception, _unexpected)
    app.add_middleware(limits.Limits, settings=settings)
    app.add_middleware(guard.Guard, settings=settings, sessions=app.state.sessions)

    @app.websocket("/live")
    async def live(socket: WebSocket) -> None:
        state = socket.app.state
        await Connection(socket, state.pool, state.events, state.live_shots).run()

    _pages(app, settings)
    return app


@contextlib.asynccontextmanager
async def _lifespan(app: FastAPI) -> AsyncIterator[None]:
    settings: Settings = app.state.settings
    app.state.work = make(settings)
    with transaction(app.state.work.engine) as session:
        claim_home(session, settings.home)
    app.state.pool = PreviewPool(settings)
    app.state.events = Events(settings.database)
    app.state.live_shots = LiveShots(app.state.work.engine)
    app.state.pool.start()
    app.state.events.start()
    try:
        yield
    finally:
        await app.state.events.stop()
        await app.state.pool.stop()
        app.state.work.engine.dispose()


async def _expected(request: Request, error: Exception) -> Response:
    assert isinstance(error, TropeinError)
    wait = error.details.get("retry_after")
    return _problem(STATUS.get(error.code, 400), error.code, error.message, wait=wait, **error.details)


def _problem(status: int, code: str, message: str, wait: object = None, **details: object) -> Response:
    """The one form of every refusal."""
    headers = {"Retry-After": str(wait)} if wait else None
    return JSONResponse({"code": code, "message": message, **details}, status, headers=headers)


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    codes = {404: "not-found", 405: "not-found", 422: "bad-input"}
    words = {404: "There is nothing here.", 405: "This cannot be done here."}
    answer = _problem(
        error.status_code, codes.get(error.status_code, "refused"), words.get(error.status_code, error.detail)
    )
    for name, value in (error.headers or {}).items():
        answer.headers[name] = value
    if error.status_code == 405:
        answer.headers["Allow"] = ", ".join(sorted(_methods(request)))
    return answer


def _methods(request: Request) -> set[str]:
    """All that can be done at an address: each way of it is a route of its own."""
    found: set[str] = set()
    for module in MODULES:
        for route in module.router.routes:
            if isinstance(route, Route) and route.matches(request.scope)[0] != Match.NONE:
                found |= route.methods or set()
    return found


async def _database(request: Request, error: Exception) -> Response:
    if is_gone(error):
        return _problem(503, "away", AWAY, wait=2)
    if is_full(error):
        return _problem(507, "out-of-space", FULL)
    if isinstance(error, DataError):
        return _problem(422, "bad-input", "This holds something that cannot be stored.")
    return await _unexpected(request, error)


async def _disk(request: Request, error: Exception) -> Response:
    if isinstance(error, OSError) and error.errno in NO_ROOM:
        return _problem(507, "out-of-space", FULL)
    return await _unexpected(request, error)


async def _unexpected(request: Request, error: Exception) -> Response:
    log.error("%s %s failed", request.method, request.url.path, exc_info=error)
    return _problem(500, "fault", f"Something unexpected went wrong here ({type(error).__name__}); the log says more.")


async def _malformed(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"][1:])
    return _problem(422, "bad-input", f"{where}: {first['msg']}" if where else first["msg"])


def _pages(app: FastAPI, settings: Settings) -> None:
    assets = settings.web / "assets"
    if assets.is_dir():
        app.mount("/assets", StaticFiles(directory=assets), name="assets")

    @app.get(PAGES, include_in_schema=False)
    def page(path: str, request: Request) -> Response:
        index = settings.web / "index.html"
        if path.startswith("api/") and _methods(request):
            raise HTTPException(405)
        if path.startswith("api/") or not index.is_file():
            return _problem(404, "not-found", "There is nothing here.")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
