"""Shots on the spinner plate."""

from __future__ import annotations

from typing import Any

from demo.shots.common import effect, keys, layer, stacked, tracked, veil
from tropein.app.jobs.context import WorkContext
from tropein.core.document import Footage, Shot, new_id
from tropein.core.document.track import BoxAt
from tropein.core.tracks.object import ObjectTrack

HUB, BOSS = (247.4, 248.4), 96.0  # the wheel's boss in frame 0
WHEEL_PX = 186.0  # radius, with a hand's breadth of the handles


def wheel_at_speed(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The ship's wheel whirls up as its cart rolls off: a copy of it turns about the hub, which rides; smoke, light and a shake."""
    spinner = footage["Spinner"]
    box = BoxAt(centre=HUB, sides=(BOSS, BOSS))
    track = tracked(
        context, spinner, ObjectTrack(id=new_id(), name="Hub", footage=spinner.id, reference_frame=0, box=box)
    )
    ride = {"track": track["id"], "reference_frame": 0, "parts": ["position"], "steady": 1.5}
    k = 0.5523 * WHEEL_PX
    outline = [
        {"at": [HUB[0] + x * WHEEL_PX, HUB[1] + y * WHEEL_PX], "before": [-k * -y, -k * x], "after": [k * -y, k * x], "inner": 9.0}
        for x, y in ((0, -1), (1, 0), (0, 1), (-1, 0))
    ]  # fmt: skip
    rim = {
        "id": new_id(), "name": "Wheel",
        "pieces": [{"kind": "shape", "id": new_id(), "name": "Rim", "outline": {"value": {"points": outline}}, "ride": ride}],
    }  # fmt: skip
    turn = keys(0.0, (4, 0.0), (24, 260.0, "linear"), (46, 1150.0, "linear"), (59, 1400.0))
    wheel = layer(
        "Wheel, whirling", spinner, start=0, cut=[{"matte": rim["id"]}],
        place={
            "position": {"value": HUB}, "pivot": {"value": [HUB[0] - 480, HUB[1] - 270]}, "rotation": turn, "pivot_ride": ride,
            "motion_blur": True,
        },
    )  # fmt: skip
    screen = {"id": new_id(), "name": "Smoke: screen", "pieces": []}
    smoke = layer(
        "Smoke", footage["Chimney smoke"], start=10, end="loop", speed={"value": 2.0}, span=[14, 59],
        opacity=keys(0.0, (14, 0.0), (26, 0.75), (48, 0.8), (59, 0.3)), cut=[{"matte": screen["id"]}],
        place={"position": {"value": [210, 290]}, "scale": {"value": [0.72, 0.72]}, "rotation": {"value": -22}, "ride": ride},
        effects=[effect("grade", exposure=0.25, temperature=0.5), effect("blur", radius=1.4)],
    )  # fmt: skip
    screen["pieces"] = [
        {
            "kind": "chroma",
            "id": new_id(),
            "name": "Blue screen",
            "layer": smoke["id"],
            "core": {"value": 0},
            "balance": {"value": 1},
        }
    ]
    hot = effect(
        "light", centre=list(HUB), colour=[1.0, 0.55, 0.22], inner=30.0, outer=330.0,
        strength=keys(0.0, (12, 0.0), (34, 0.9), (50, 1.1), (59, 0.6)),
    ) | {"ride": ride}  # fmt: skip
    shake = veil(
        "Rumble", [effect("shake", strength=keys(0.0, (16, 0.0), (34, 5.0), (50, 6.0), (59, 2.0)), turn=0.15, pace=2.0)]
    )
    glow = veil("Warm light of the hub", [hot])
    evening = veil("Evening", [effect("grade", exposure=-0.55, temperature=-0.5, saturation=0.9, contrast=1.06)])
    return stacked(
        shot, [shake, smoke, glow, evening, wheel], [footage["Chimney smoke"]], tracks={track["id"]: track},
        mattes={m["id"]: m for m in (rim, screen)},
    )  # fmt: skip
