"""Routers whose JSON is plain: text that can be stored, nested to a sensible depth, parsed off the event loop when long."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from typing import Any

import orjson
from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import Response
from fastapi.routing import APIRoute
from pydantic import BaseModel

MOST_DEPTH = 64
LONG_BYTES = 64 << 10


class Problem(BaseModel):
    """What went wrong: a code for machines, words for people."""

    code: str
    message: str


def _said(words: str) -> dict[str, Any]:
    return {"model": Problem, "description": words}


# What any request can be answered with.
ANY: dict[int | str, dict[str, Any]] = {
    400: _said("not a request that can be understood"),
    401: _said("a password is needed"),
    403: _said("not from our own page"),
    404: _said("there is no such thing"),
    408: _said("the request did not come in time"),
    409: _said("something else was first"),
    413: _said("too large"),
    422: _said("cannot be used as it is; the message says why"),
    429: _said("too often"),
    500: _said("a fault of our own, noted in the log"),
    503: _said("the database cannot be reached at the moment"),
    507: _said("the disk is full"),
}


class PlainRequest(Request):
    """A request whose JSON is checked before anything sees it."""

    async def json(self) -> Any:
        if not hasattr(self, "_json"):
            body = await self.body()
            self._json = await asyncio.to_thread(plain_json, body) if len(body) > LONG_BYTES else plain_json(body)
        return self._json


def plain_json(body: bytes) -> Any:
    """The parsed body; HTTPException 422 for what is no JSON, nests too deep, or holds what cannot be stored."""
    try:
        data = orjson.loads(body)
    except orjson.JSONDecodeError as error:
        raise HTTPException(422, f"This is not JSON that can be read: {error}.") from error
    level = [data]
    for _ in range(MOST_DEPTH):
        below: list[Any] = []
        for item in level:
            if isinstance(item, str):
                if "\x00" in item:
                    raise HTTPException(422, "Text may not hold the character 0.")
            elif isinstance(item, list):
                below.extend(item)
            elif isinstance(item, dict):
                below.extend(item)
                below.extend(item.values())
        if not below:
            return data
        level = below
    raise HTTPException(422, f"This nests deeper than {MOST_DEPTH} levels.")


class _PlainRoute(APIRoute):
    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handler = super().get_route_handler()

        async def handle(request: Request) -> Response:
            return await handler(PlainRequest(request.scope, request.receive))

        return handle


def router(prefix: str = "/api", tag: str = "") -> APIRouter:
    return APIRouter(prefix=prefix, tags=[tag] if tag else None, route_class=_PlainRoute, responses=ANY)
