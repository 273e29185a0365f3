"""What is measured of mattes and inserts at a frame, and matches that are found for them."""

from __future__ import annotations

from typing import Annotated

from fastapi import Path, Query

from tropein.app.api.deps import FrameAsked, IdInPath, Live, Pool, Revision
from tropein.app.api.routing import router as plain_router
from tropein.core.checks.faults_seen import FaultsSeen
from tropein.core.checks.hidden import Guarded
from tropein.core.checks.outline_fit import OutlineFit
from tropein.core.checks.screen_seen import ScreenSeen
from tropein.core.document.base import ID_PATTERN
from tropein.core.match.colours import Asked, Matched
from tropein.core.match.measure import Reading
from tropein.core.match.sit import MOST, USUAL, Sat
from tropein.core.match.tones import Tones

router = plain_router("/api/shots", "shots")


@router.get("/{shot_id}/mattes/{matte_id}/guard")
async def guard(
    shot_id: IdInPath, matte_id: IdInPath, track: Annotated[str, Query(pattern=ID_PATTERN)], frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1,
    margin: Annotated[float, Query(ge=0, le=1)] = 0.08,
) -> Guarded:  # fmt: skip
    """Whether a matte hides a tracked face at a frame, with a margin as a share of the face's width."""
    seen = await live.document(shot_id, revision)
    return Guarded(**await pool.question(seen, frame, "guard", matte=matte_id, track=track, margin=margin))


@router.get("/{shot_id}/mattes/{matte_id}/faults")
async def matte_faults(
    shot_id: IdInPath, matte_id: IdInPath, frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1
) -> FaultsSeen:
    """How many holes and crumbs a matte has at a frame."""
    seen = await live.document(shot_id, revision)
    return FaultsSeen(**await pool.question(seen, frame, "faults", matte=matte_id))


@router.get("/{shot_id}/mattes/{matte_id}/shapes/{piece_id}/fit")
async def shape_fit(
    shot_id: IdInPath,
    matte_id: IdInPath,
    piece_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> OutlineFit:
    """About how far a shape is off the edges it lay on in its nearest keys."""
    seen = await live.document(shot_id, revision)
    return OutlineFit(**await pool.question(seen, frame, "fit", matte=matte_id, piece=piece_id))


@router.get("/{shot_id}/mattes/{matte_id}/keys/{piece_id}/screen")
async def screen(
    shot_id: IdInPath,
    matte_id: IdInPath,
    piece_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> ScreenSeen:
    """Which screen a chroma key sees at a frame, if any."""
    seen = await live.document(shot_id, revision)
    return ScreenSeen(
        **await pool.question(seen, frame, "screen", 4, f"screen {shot_id}", matte=matte_id, piece=piece_id)
    )


@router.get("/{shot_id}/layers/{layer_id}/measures/{measure}")
async def measured(
    shot_id: IdInPath,
    layer_id: IdInPath,
    measure: Annotated[str, Path(max_length=40)],
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> Reading:
    """How an insert differs from what lies around it at a frame, by one of the measures of /api/about, and the edit that would mend it."""
    seen = await live.document(shot_id, revision)
    return Reading(**await pool.question(seen, frame, "measure", layer=layer_id, measure=measure))


@router.get("/{shot_id}/layers/{layer_id}/sit/{measure}")
async def sits(
    shot_id: IdInPath,
    layer_id: IdInPath,
    measure: Annotated[str, Path(max_length=40)],
    pool: Pool,
    live: Live,
    revision: Revision = -1,
    count: Annotated[int, Query(ge=1, le=MOST)] = USUAL,
) -> Sat:
    """One measure of an insert over the frames in which it is seen."""
    seen = await live.document(shot_id, revision)
    return Sat(**await pool.question(seen, 0, "sit", layer=layer_id, measure=measure, count=count))


@router.post("/{shot_id}/layers/{layer_id}/match")
async def match_colours(
    shot_id: IdInPath, layer_id: IdInPath, asked: Asked, pool: Pool, live: Live, revision: Revision = -1
) -> Matched:
    """The grade that brings an insert to its plate: by pairs, by regions, or by itself; nothing is changed yet."""
    seen = await live.document(shot_id, revision)
    return Matched(**await pool.question(seen, asked.frame, "match", layer=layer_id, asked=asked.model_dump()))


@router.get("/{shot_id}/layers/{layer_id}/tones")
async def tones_of(
    shot_id: IdInPath,
    layer_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    effect: Annotated[str, Query(max_length=40)] = "",
    revision: Revision = -1,
) -> Tones:
    """Which tones and hues a layer shows, as it is without one of its effects."""
    seen = await live.document(shot_id, revision)
    return Tones(**await pool.question(seen, frame, "tones", layer=layer_id, effect=effect))
