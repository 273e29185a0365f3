"""Pictures of a shot, and the values they are made of."""

from __future__ import annotations

from base64 import b64encode
from typing import Annotated, Literal

from fastapi import Depends, Query, Response
from pydantic import BaseModel, TypeAdapter, ValidationError

from tropein.app.api.deps import FrameAsked, FrameInPath, IdInPath, Live, Pool, Revision
from tropein.app.api.routing import router as plain_router
from tropein.app.live.preview import Ask
from tropein.core.compose.look import Look, Named, Of, View
from tropein.core.document.patch import PatchOps
from tropein.core.errors import BadInput

router = plain_router("/api/shots", "shots")
PATCH = TypeAdapter(PatchOps)
REGION = r"^(-?\d{1,6}(\.\d{1,3})?(,-?\d{1,6}(\.\d{1,3})?){3})?$"
PixelAsked = Annotated[int, Query(ge=-100_000, le=100_000)]
Over = Annotated[str, Query(max_length=12_000, description="a JSON Patch that is laid over the shot")]


def looking(
    of: Of = "shot", layer: Named = "", without: Named = "", effect: Named = "",
    view: View = "picture", matte: Named = "", checker: bool = False,
) -> Look:  # fmt: skip
    """A way to look, from an address (see core.compose.look)."""
    return Look(of=of, layer=layer, without=without, effect=effect, view=view, matte=matte, checker=checker)


Looking = Annotated[Look, Depends(looking)]


@router.get("/{shot_id}/frame/{frame}.jpg", response_class=Response)
async def frame_jpeg(
    shot_id: IdInPath, frame: FrameInPath, pool: Pool, live: Live, look: Looking, revision: Revision = -1,
    width: Annotated[int, Query(ge=16, le=4096)] = 320, over: Over = "",
    about: Named = "",
) -> Response:  # fmt: skip
    """One frame as a JPEG, `width` pixels wide; with its revision in the address it may be kept by the browser. `over`: a JSON Patch that is laid
    over the shot; `about`: only what lies about this layer."""
    seen = await live.document(shot_id, revision, _overlay(over))
    scale = min(1.0, width / seen.document["size"][0])
    ask = Ask("", frame, round(scale, 5), look, True, 84, about=(about, width) if about else ("", 0))
    picture = await pool.ask(seen, ask, 7)
    keep = "private, max-age=31536000, immutable" if revision >= 0 else "no-store"
    return Response(picture.data, media_type="image/jpeg", headers={"Cache-Control": keep, "ETag": f'"{picture.key}"'})


@router.get("/{shot_id}/life/{layer}.jpg", response_class=Response)
async def life_jpeg(
    shot_id: IdInPath, layer: IdInPath, pool: Pool, live: Live, frame: FrameAsked = 0, revision: Revision = -1,
    over: Over = "",
) -> Response:  # fmt: skip
    """What one of the many a layer makes looks like at ages from birth to end, side by side."""
    seen = await live.document(shot_id, revision, _overlay(over))
    found = await pool.question(seen, frame, "life", 6, layer=layer)
    keep = "private, max-age=31536000, immutable" if revision >= 0 else "no-store"
    return Response(found["jpeg"], media_type="image/jpeg", headers={"Cache-Control": keep})


ScopeKind = Literal["brightness", "channels", "colours", "histogram"]


class ScopesSeen(BaseModel):
    """Scopes by their kinds as PNGs in base64; shares of what they look at that are white or black in one channel at least; whether an insert lies over what is around it."""

    pictures: dict[ScopeKind, str]
    white: float
    black: float
    insert: bool


@router.get("/{shot_id}/scopes")
async def scopes_at(
    shot_id: IdInPath, kind: Annotated[list[ScopeKind], Query(min_length=1, max_length=4)], frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1,
    layer: Named = "", region: Annotated[str, Query(pattern=REGION)] = "", over: Over = "",
) -> ScopesSeen:  # fmt: skip
    """What values a frame is made of: all of it, a region (x,y,width,height in shot pixels), or a layer laid over what lies around it."""
    seen = await live.document(shot_id, revision, _overlay(over))
    part = tuple(float(v) for v in region.split(",")) if region else None
    asked = {"kinds": kind, "layer": layer, "region": part}
    found = await pool.question(seen, frame, "scopes", 4, f"scopes {shot_id}", **asked)
    pictures = {name: b64encode(png).decode() for name, png in found["pictures"].items()}
    return ScopesSeen(**{**found, "pictures": pictures})


def _overlay(text: str) -> PatchOps | None:
    if not text:
        return None
    try:
        return PATCH.validate_json(text)
    except ValidationError as error:
        raise BadInput("What is to be laid over the shot is no JSON Patch.") from error


class PixelValues(BaseModel):
    """Linear RGBA (premultiplied) and display-encoded 8-bit RGB."""

    linear: list[float]
    display: list[int]


@router.get("/{shot_id}/pixel")
async def pixel(
    shot_id: IdInPath, frame: FrameAsked, x: PixelAsked, y: PixelAsked, pool: Pool, live: Live, look: Looking, revision: Revision = -1,
    around: Annotated[int, Query(ge=0, le=32)] = 0, over: Over = "",
) -> PixelValues:  # fmt: skip
    """The values of the picture, looked at in some way, at a whole shot pixel, averaged over `around` to each side."""
    seen = await live.document(shot_id, revision, _overlay(over))
    channel = (
        None if around else f"pixel {shot_id}"
    )  # what the pointer passes over may be given up, a picked colour not
    w, h = seen.document["size"]
    scale = min(1.0, 960 / w)
    at = (min(max(int(x * scale), 0), int(w * scale) - 1), min(max(int(y * scale), 0), int(h * scale) - 1))
    asked = {"look": look, "scale": scale, "at": at, "around": around}
    return PixelValues(**await pool.question(seen, frame, "pixel", 2, channel, **asked))
