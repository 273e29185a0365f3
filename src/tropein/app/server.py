"""The application put together."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import AsyncIterator

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.websockets import WebSocket

from tropein.app.api import about, bundles, guard, runs, shelf, shots, tracks
from tropein.app.jobs.context import make
from tropein.app.live.events import Events
from tropein.app.live.pool import PreviewPool
from tropein.app.live.shots import LiveShots
from tropein.app.live.socket import Connection
from tropein.app.settings import Settings
from tropein.core.errors import TropeinError

STATUS = {
    "bad-input": 422, "media": 422, "not-found": 404, "conflict": 409, "out-of-space": 507, "preview": 422,
    "superseded": 409,
}  # fmt: skip
log = logging.getLogger(__name__)


def create_app(settings: Settings | None = None) -> FastAPI:
    """The server for these settings (from the environment when none are given)."""
    settings = settings or Settings()
    if not settings.loopback and not settings.password:
        raise SystemExit(
            "Binding to an address that others can reach needs a password: set TROPEIN_PASSWORD, or use --host 127.0.0.1."
        )
    app = FastAPI(title="Tropein", version="0.1.0", lifespan=_lifespan, docs_url=None, redoc_url=None)
    app.state.settings = settings
    app.state.sessions = guard.Sessions(settings.password)
    for module in (shots, tracks, shelf, runs, about, bundles, guard):
        app.include_router(module.router)
    app.add_exception_handler(TropeinError, _expected)
    app.add_exception_handler(RequestValidationError, _malformed)
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
    body = {"code": error.code, "message": error.message, **error.details}
    return JSONResponse(body, STATUS.get(error.code, 400))


async def _malformed(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    where = ".".join(str(p) for p in first["loc"][1:])
    return JSONResponse({"code": "bad-input", "message": f"{where}: {first['msg']}" if where else first["msg"]}, 422)


def _pages(app: FastAPI, settings: Settings) -> None:
    assets = settings.web / "assets"
    if assets.is_dir():
        app.mount("/assets", StaticFiles(directory=assets), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> Response:
        index = settings.web / "index.html"
        if path.startswith("api/") or not index.is_file():
            return JSONResponse({"code": "not-found", "message": "There is nothing here."}, 404)
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
