"""Shots on the harbour plate."""

from __future__ import annotations

from typing import Any

from demo.shots.common import above, effect, keys, layer, made, seen_as, stacked, tracked, veil
from tropein.app.jobs.context import WorkContext
from tropein.core.commands.group import blank
from tropein.core.document import Footage, Shot, new_id
from tropein.core.match.colours import scene_lit
from tropein.core.tracks.picture import PictureTrack

NIGHT_SHARE = 0.35  # of what the new sky is darker and cooler than the day's
SKYLINE_Y = 470.0  # below this nothing is sky, whatever is bright
WINDOWS = ((817.0, 440.0), (430.0, 470.0), (165.0, 450.0))  # lit ones, frame 0


def harbour_by_night(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Day becomes night: the bright sky is a matte that follows the roofs, stars stand behind them, mist lies on the quay and a
    few windows are lit."""
    harbour = footage["Harbour"]
    whole = PictureTrack(id=new_id(), name="The whole picture", footage=harbour.id, reference_frame=0)
    track = tracked(context, harbour, whole)
    ride = {"track": track["id"], "reference_frame": 0, "parts": ["position", "rotation", "scale"]}
    plate = shot.plate
    upper = [{"at": at} for at in ([-200, -200], [1160, -200], [1160, SKYLINE_Y], [-200, SKYLINE_Y])]
    sky = {
        "id": new_id(), "name": "Sky",
        "pieces": [
            {"kind": "luma", "id": new_id(), "name": "Bright", "layer": plate, "low": {"value": 0.66}, "softness": {"value": 0.10}},
            {"kind": "colour", "id": new_id(), "name": "But not the paint", "layer": plate, "how": "subtract", "hue": {"value": 40},
             "hue_width": {"value": 110}, "saturation": {"value": 0.16}, "softness": {"value": 0.3}},
            {"kind": "shape", "id": new_id(), "name": "Above the quay", "how": "intersect", "ride": ride,
             "outline": {"value": {"points": upper}}, "soften": {"value": 6.0}},
        ],
    }  # fmt: skip
    stars = layer(
        "Night sky", footage["Night sky"], cut=[{"matte": sky["id"], "grow": {"value": 0.6}}],
        place={"position": keys([480, 200], (0, [480, 200], "linear"), (59, [470, 196], "linear")),
               "scale": {"value": [0.72, 0.72]}, "ride": ride},
        effects=[effect("grade", exposure=0.5)],
    )  # fmt: skip
    mist = [
        layer(f"Mist, {name}", footage["Drifting mist"], blend="screen", opacity={"value": amount},
              place={"position": keys([x, y], (0, [x, y], "linear"), (59, [x + by, y], "linear")), "scale": {"value": [size, size * 0.6]}, "ride": ride})
        for name, amount, x, y, by, size in (("near", 0.55, 300, 505, 120, 0.9), ("far", 0.3, 700, 430, -70, 0.6))
    ]  # fmt: skip
    lamps = [
        effect("light", centre=list(at), colour=[1.0, 0.62, 0.25], inner=6.0, outer=70.0, strength=8.0) | {"ride": ride}
        for at in WINDOWS
    ]
    lit = veil("Lit windows", [*lamps, effect("glow", threshold=0.3, radius=26.0, amount=0.5, tint=[1.0, 0.75, 0.45])])
    night = veil("Night", [effect("grade", saturation=0.55, contrast=1.05, black=0.004)])
    finish = veil("Finish", [effect("grain", amount=0.012, size=0.6)])
    document = stacked(
        shot, [finish, *mist, lit, stars, night], [footage["Night sky"], footage["Drifting mist"]],
        tracks={track["id"]: track}, mattes={sky["id"]: sky},
    )  # fmt: skip
    # the plate takes the light of the sky that was laid behind it
    return seen_as(context, document, "Night sky", lambda seen: scene_lit(seen, 0, NIGHT_SHARE).fix)


MASTHEAD, DECK = (624.0, 82.0), (607.0, 470.0)


def current_in_the_mast(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Current runs down a mast in bursts, with a light at its head that flares, and what it lights lights up with it."""
    harbour = footage["Harbour"]
    whole = PictureTrack(id=new_id(), name="The whole picture", footage=harbour.id, reference_frame=0)
    track = tracked(context, harbour, whole)
    ride = {"track": track["id"], "reference_frame": 0, "parts": ["position", "rotation", "scale"]}
    on = keys(
        0.0,
        (5, 0.0),
        (8, 1.0, "linear"),
        (20, 0.8),
        (24, 0.15, "linear"),
        (31, 0.15),
        (33, 1.0, "linear"),
        (48, 0.9),
        (53, 0.0),
    )
    grown = keys(0.0, (5, 0.0, "linear"), (11, 1.0, "linear"))
    power = keys(0.3, *[(k["frame"], 0.3 + 1.6 * k["value"], k["ease"]) for k in on["keys"]])
    strength = keys(0.0, *[(k["frame"], 3.5 * k["value"], k["ease"]) for k in on["keys"]])
    current = [
        made(shot, name, "arcs", "Current", {"opacity": on}, start=list(MASTHEAD), end=list(DECK), start_ride=ride, end_ride=ride, grown=grown, seed=seed, wander=wander)
        for name, seed, wander in (("Current", 3.0, 0.07), ("Current, aside", 8.0, 0.12))
    ]  # fmt: skip
    flare = made(
        shot, "Light at the masthead", "flare", "Cold beacon", centre=list(MASTHEAD), centre_ride=ride, power=power, large=0.7, ghosts=5.0, streak=0.9,
        colour=[0.75, 0.72, 1.0],
    )  # fmt: skip
    pool = effect(
        "light", centre=list(MASTHEAD), colour=[0.6, 0.55, 1.0], inner=20.0, outer=420.0, strength=strength
    ) | {"ride": ride}
    dusk = veil(
        "Dusk", [pool, effect("grade", exposure=-2.7, temperature=-1.4, saturation=0.5, contrast=1.05, black=0.004)]
    )
    return above(stacked(shot, [dusk], [], tracks={track["id"]: track}), [flare, *current])


def ghost_gull(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A gull of pale light crosses the evening, burning away as it goes, the air behind it full of where it was; the planks give it back."""
    way = keys([-140, 330], (0, [-140, 330], "linear"), (24, [300, 236]), (44, [640, 210]), (59, [1060, 120], "linear"))
    shown = keys(0.95, (0, 0.0), (8, 0.95), (50, 0.9), (59, 0.4))
    pale = [
        effect("two-tones", dark=[0.004, 0.02, 0.06], bright=[0.24, 0.42, 0.55], keep=0.1),
        effect("turbulence", amount=9.0, size=46.0, speed=1.6, rise=60.0),
        effect("wear", gone=keys(0.1, (0, 0.1), (30, 0.25), (59, 0.62)), cell=60.0, soft=0.16, rim=0.14, colour=[0.35, 0.75, 1.0], light=1.6, rise=90.0),
        effect("smear", length=9.0, angle=-12.0),
        effect("glow", threshold=0.12, radius=30.0, amount=0.8, tint=[0.45, 0.75, 1.0]),
    ]  # fmt: skip
    gull = layer(
        "Gull", footage["Gull"], blend="add", end="loop", opacity=shown, effects=pale,
        place={"position": way, "scale": {"value": [0.62, 0.62]}, "rotation": keys(-8, (0, -14), (44, -6), (59, -18)), "motion_blur": True},
    )  # fmt: skip
    mirrored = {
        **blank(shot, "Gull in the planks", {"kind": "twin", "layer": gull["id"]}), "blend": "add", "opacity": {"value": 0.6},
        "place": {"position": keys([-140, 528], *[(k["frame"], [k["value"][0], 548 - k["value"][1] * 0.06], k["ease"]) for k in way["keys"]]), "scale": {"value": [0.62, -0.16]}},
    }  # fmt: skip
    blur = effect("blur", radius=7.0)
    mirrored |= {"effects": {blur["id"]: blur}, "chain": [blur["id"]]}
    document = stacked(
        shot,
        [gull, veil("Evening", [effect("grade", exposure=-2.3, temperature=-2.0, saturation=0.6, contrast=1.05), effect("vignette", stops=1.1)])],
        [footage["Gull"]],
    )  # fmt: skip
    trails = {
        "kind": "trails",
        "id": new_id(),
        "count": {"value": 14},
        "every": {"value": 2},
        "first": {"value": 0.3},
        "keep": {"value": 0.84},
        "adds": {"value": 1},
        "tint": {"value": [0.72, 0.88, 1.0]},
    }
    document["layers"][gull["id"]] |= {"meets": {trails["id"]: trails}, "meeting": [trails["id"]]}
    return above(document, [mirrored])
