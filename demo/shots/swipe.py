"""Shots on the swipe plate."""

from __future__ import annotations

from typing import Any

import numpy as np

from demo.shots import common
from demo.shots.common import effect, keys, layer, stacked, tracked, veil
from tropein.app.jobs.context import WorkContext
from tropein.core.document import Footage, HandSet, Shot, new_id
from tropein.core.track.forms.point import PointFile, PointSample
from tropein.core.tracks.body import BodyTrack

CARDS, RADIUS = 8, 210.0
# where the fingertip goes while it is out of the picture, as one would draw it there
OUTSIDE = ((22, 900.0, 150.0), (28, 1120.0, 140.0), (34, 960.0, 150.0))
TAPPED = 0  # the card that grows


def _measured(context: WorkContext, footage: Footage, track: BodyTrack) -> list[PointSample]:
    file = common.followed(context, footage, track)
    assert isinstance(file, PointFile)
    return file.frames


def ring_of_charts(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A ring of pictures turns about a clay hand, spun by its swipes; at the tap one card grows and the others blink out."""
    swipe = footage["Swipe"]
    found = BodyTrack(
        id=new_id(), name="Index fingertip", footage=swipe.id, reference_frame=0, part="right index fingertip"
    )
    at = {s.frame: s for s in _measured(context, swipe, found)}
    drawn = [HandSet(frame=f, position=(x, y)) for f, x, y in OUTSIDE if at[f].lost]
    track = tracked(context, swipe, found.model_copy(update={"hand_set": drawn}))
    tip = at[0].points[0]
    ride = {"track": track["id"], "reference_frame": 0, "parts": ["position"], "steady": 1.0}
    spin = keys(
        [-14, 0, 0],
        (0, [-14, 0, 0]),
        (8, [-14, 10, 0]),
        (24, [-14, 250, 0]),
        (33, [-14, 280, 0]),
        (50, [-14, 45, 0]),
        (59, [-14, 45, 0]),
    )
    ring = {
        "kind": "carrier", "id": new_id(), "name": "Ring of charts",
        "place": {"depth": {"position": {"value": [round(tip[0] - 430, 1), round(tip[1] - 190, 1), 60]}, "rotation": spin}, "ride": ride},
    }  # fmt: skip
    pictures = (
        "Painted board",
        "Brass dial",
        "Night sky",
        "Painted board",
        "Brass dial",
        "Night sky",
        "Painted board",
        "Night sky",
    )
    cards = []
    for i in range(CARDS):
        angle = 2 * np.pi * i / CARDS
        where = [round(-RADIUS * np.sin(angle), 2), 0, round(-RADIUS * np.cos(angle), 2)]
        width = 70.0 if pictures[i] == "Brass dial" else 112.0
        gone = 52 + (i * 5) % CARDS  # one after another, not in a row
        alive = {} if i == TAPPED else {"opacity": keys(0.92, (gone, 0.92, "hold"), (gone + 1, 0.0, "hold"))}
        grown = keys(width, (54, width), (59, 1.35 * width)) if i == TAPPED else {"value": width}
        cards.append(
            layer(
                f"Card {i + 1}", footage[pictures[i]], **({"opacity": {"value": 0.92}} | alive),
                place={
                    "motion_blur": True, "hang": {"layer": ring["id"]},
                    "depth": {"position": {"value": where}, "rotation": {"value": [0, round(np.degrees(angle), 2), 0]}, "width": grown},
                },
                effects=[effect("glow", threshold=0.2, radius=14.0, amount=0.5, tint=[0.7, 0.95, 1.0])],
            )
        )  # fmt: skip
    dusk = veil("Dusk", [effect("grade", exposure=-0.7, temperature=-0.8, saturation=0.8)])
    shine = effect(
        "light",
        centre=[round(tip[0], 1), round(tip[1] + 60, 1)],
        colour=[0.45, 0.8, 1.0],
        inner=60.0,
        outer=380.0,
        strength=0.7,
    )
    blue = veil("Light of the cards", [shine | {"ride": ride}])
    used = [footage[n] for n in ("Painted board", "Brass dial", "Night sky")]
    return stacked(shot, [ring, *cards, blue, dusk], used, tracks={track["id"]: track})
