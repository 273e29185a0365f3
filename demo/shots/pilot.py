"""Shots on the pilot plate."""

from __future__ import annotations

import math
from typing import Any

from demo.shots.common import above, effect, keys, layer, made, stacked, tracked_face, veil
from tropein.app.jobs.context import WorkContext
from tropein.core.commands.group import blank
from tropein.core.document import Footage, Shot, new_id
from tropein.core.matte.cutout_file import packed
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.pieces.carry import Carry, carry
from tropein.core.pieces.cutout import CutoutStroke
from tropein.core.pieces.settled import by_frame, mark_of
from tropein.core.track.forms.face import FaceFile


def embers_and_mist(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Embers rise before the pilot, mist drifts past behind a cooler, darker dusk."""
    embers = layer(
        "Ember sparks", footage["Ember sparks"], blend="add", end="loop",
        place={"position": {"value": [300, 330]}, "scale": {"value": [1.1, 1.1]}},
        effects=[effect("glow", threshold=0.1, radius=14.0, amount=0.9, tint=[1.0, 0.55, 0.25], scales=3.0)],
    )  # fmt: skip
    mist = layer(
        "Drifting mist", footage["Drifting mist"], blend="screen", opacity={"value": 0.8},
        place={"position": keys([480, 380], (0, [330, 400], "linear"), (71, [640, 388], "linear"))},
        effects=[effect("blur", radius=7.0)],
    )  # fmt: skip
    luma = {"points": [[0, 0], [0.3, 0.22], [0.75, 0.7], [1, 0.96]]}
    blue = {"points": [[0, 0.025], [0.5, 0.54], [1, 1]]}
    dusk = veil("Dusk", [effect("curves", luma=luma, blue=blue), effect("grade", temperature=-0.5, saturation=0.88)])
    return stacked(shot, [embers, mist, dusk], [footage["Ember sparks"], footage["Drifting mist"]])


def lamp_eyes(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Small lamps burn in the pilot's eyes: they ride on the irises and go out with each blink, by keys read off the track."""
    track = tracked_face(context, footage["Pilot"])
    file = context.artefacts.track(track["samples"])
    assert isinstance(file, FaceFile)
    layers = []
    for side in ("left", "right"):
        opened = [(s.frame, getattr(s.eye_open, side)) for s in file.frames if s.eye_open]
        wide = [v > 0.85 for _, v in opened]
        ends = [not all(wide[max(0, i - 1) : i + 2]) or i in (0, len(wide) - 1) for i in range(len(wide))]
        lit = [(f, 0.9 * min(1.0, max(0.0, 1.4 * v - 0.3))) for (f, v), kept in zip(opened, ends, strict=True) if kept]
        brightness = [(f, round(v, 3), "linear") for f, v in lit]
        iris = next(getattr(s.iris, side) for s in file.frames if s.iris)
        layers.append(
            layer(
                f"Lamp, {side} eye", footage["Lamp flare"], blend="screen", opacity=keys(0.9, *brightness),
                place={
                    "position": {"value": [round(iris[0], 2), round(iris[1], 2)]}, "scale": {"value": [0.11, 0.11]},
                    "ride": {
                        "track": track["id"], "reference_frame": 0, "parts": ["position", "rotation", "scale"],
                        "spot": f"{side} iris", "gaps": "hide",
                    },
                },
                effects=[effect("glow", threshold=0.2, radius=40.0, amount=0.9, tint=[1.0, 0.75, 0.45])],
            )
        )  # fmt: skip
    night = veil("Night", [effect("grade", exposure=-0.9, temperature=-0.9, saturation=0.8, contrast=1.05)])
    return stacked(shot, [*layers, night], [footage["Lamp flare"]], tracks={track["id"]: track})


RISES = 0.05  # of warm breath, beside how far the face is turned


def breath_in_the_dusk(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot's breath shows in the cold: it comes from the mouth, more of it the wider that is open, and goes where the face looks."""
    track = tracked_face(context, footage["Pilot"])
    file = context.artefacts.track(track["samples"])
    assert isinstance(file, FaceFile)
    known = [s for s in file.frames if s.pose]
    rate = [(s.frame, round(2400 * max(0.0, s.mouth_open - 0.06)), "linear") for s in known[::2]]
    # where the nose points, a little upwards
    to = [(s.frame, round(math.degrees(math.atan2(-RISES, s.pose[2])), 1)) for s in known[::4]]
    mouth = file.path("mouth").at(0)
    assert mouth is not None
    breath = made(
        shot, "Breath", "particles", "Breath", source=[round(float(v), 1) for v in mouth[0]], source_ride={"track": track["id"], "reference_frame": 0, "spot": "mouth"},
        rate=keys(0, *rate), direction=keys(to[0][1], *to), speed=260.0, radius=52.0, opacity=0.14, colour=[0.5, 0.55, 0.62], colour_end=[0.42, 0.48, 0.58],
    )  # fmt: skip
    cold = veil("Cold", [effect("grade", exposure=-0.5, temperature=-0.9, saturation=0.8, contrast=1.05)])
    return above(stacked(shot, [cold], [], tracks={track["id"]: track}), [breath])


def instrument_before_the_pilot(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Rings of light stand before the pilot's left eye and turn, a hand sweeps through them; they go where the head goes."""
    track = tracked_face(context, footage["Pilot"])
    file = context.artefacts.track(track["samples"])
    assert isinstance(file, FaceFile)
    iris = next(s.iris.left for s in file.frames if s.iris)
    at = [round(v, 1) for v in iris[:2]]
    ride = {"track": track["id"], "reference_frame": 0, "spot": "head", "steady": 1.5}
    amber = [1.0, 0.62, 0.22]
    rings = [
        ("Sweep", "Sweep", {"radius": 22.0, "thick": 44.0, "light": 0.22}),
        ("Ticks", "Ticks", {"radius": 66.0, "thick": 7.0, "light": 0.9}),
        ("Inner ring", "Ring", {"radius": 46.0, "thick": 1.6}),
        ("Dashes", "Dashes", {"radius": 82.0, "thick": 1.6}),
        ("Arc", "Arc", {"radius": 94.0, "thick": 3.0, "colour": amber}),
    ]
    layers = [
        made(shot, name, "instrument", start, {"opacity": {"value": 0.8}}, centre=at, centre_ride=ride, **values)
        for name, start, values in rings
    ]
    dim = veil("Dim", [effect("grade", exposure=-1.3, temperature=-0.5, saturation=0.55, contrast=1.1)])
    return above(stacked(shot, [dim], [], tracks={track["id"]: track}), layers)


def sea_glass_eyes(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot's irises turn to sea glass: a veil that works only within the irises, where the lids are open."""
    track = tracked_face(context, footage["Pilot"])

    def part(name: str, part: str, **more: Any) -> dict[str, Any]:
        return {"kind": "face", "id": new_id(), "name": name, "track": track["id"], "part": part, **more}

    irises = {
        "id": new_id(), "name": "Irises between the lids",
        "pieces": [
            part("Irises", "irises", grow={"value": -1.6}, soften={"value": 1.0}),  # what is bright about them is the white
            part("Open eyes", "eyes", how="intersect", grow={"value": 0.5}, soften={"value": 0.6}),
        ],
    }  # fmt: skip
    whites = {
        "id": new_id(), "name": "Whites of the eyes",
        "pieces": [part("Open eyes", "eyes", soften={"value": 0.8}), part("Irises", "irises", how="subtract", grow={"value": -0.6}, soften={"value": 1.0})],
    }  # fmt: skip
    appear = keys(0.0, (2, 0.0), (14, 1.0))
    glass = veil("Sea glass", [
        effect("grade", exposure=1.3, contrast=1.15, saturation=0.35, slope=[0.55, 1.25, 1.15], offset=[0.0, 0.05, 0.045]),
        effect("glow", threshold=0.22, radius=3.0, amount=0.7, tint=[0.6, 1.0, 0.92]),
    ]) | {"cut": [{"matte": irises["id"]}], "opacity": appear}  # fmt: skip
    pale = veil("Pale whites", [effect("grade", exposure=0.25, saturation=0.6, temperature=-0.6)]) | {
        "cut": [{"matte": whites["id"]}], "opacity": appear,
    }  # fmt: skip
    mattes = {m["id"]: m for m in (irises, whites)}
    return stacked(shot, [glass, pale], [], tracks={track["id"]: track}, mattes=mattes)


# strokes of a patient hand on the pilot plate: over the head and the jumper and beside them at first, and where the outline had
# gone wrong later; (frame, whether it keeps, the line)
STROKES = [
    (0, True, [(470, 40), (385, 190), (390, 330), (450, 420), (430, 480)]),
    (0, True, [(300, 525), (580, 510)]),
    (0, True, [(470, 40), (545, 90), (565, 190), (590, 230)]),
    (0, True, [(400, 60), (370, 110)]),
    (0, False, [(60, 60), (200, 300), (150, 500)]),
    (0, False, [(900, 60), (780, 300), (900, 500)]),
    (0, False, [(720, 400), (700, 100)]),
    (0, False, [(270, 420), (255, 250)]),
    (0, False, [(610, 420), (660, 470)]),
    (40, False, [(368, 290), (378, 358), (388, 358)]),
    (40, False, [(690, 186), (702, 204), (684, 216)]),
]


_cut_outs: dict[tuple[str, str], str] = {}


def pilot_cut_out(context: WorkContext, pilot: Footage) -> tuple[str, list[CutoutStroke]]:
    """The pilot cut out by strokes that are carried through the shot: (what was stored, the strokes); shots that need it share it."""
    drawn = [
        CutoutStroke(frame=f, keep=keep, points=[(float(x), float(y)) for x, y in line]) for f, keep, line in STROKES
    ]
    place = (str(context.artefacts.root), pilot.media)
    if place not in _cut_outs:
        strokes = by_frame(drawn)
        pictures = ColourFrames(context.library.store, pilot.media)
        try:
            carried = carry(Carry(pictures.rgb, pilot.size, (0, pilot.frames - 1), strokes))
        finally:
            pictures.close()
        _cut_outs[place] = context.artefacts.put_cutout(packed(carried, {f: mark_of(s) for f, s in strokes.items()}))
    return _cut_outs[place], drawn


def broken_signal(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot is only a signal: cut out, in two tones and lines, standing in the dark; it breaks three times, and the channels come apart."""
    pilot = footage["Pilot"]
    samples, drawn = pilot_cut_out(context, pilot)
    bursts = ((9, 15), (30, 33), (47, 56))

    def burst(*levels: Any) -> dict[str, Any]:
        """There, over, and back within a few frames, at each burst."""
        rest, over, back = levels
        moments = [
            k
            for a, b in bursts
            for k in (
                (a, rest, "hold"),
                (a + 1, over, "hold"),
                (a + 2 + (b - a - 2) // 2, back, "hold"),
                (b, rest, "hold"),
            )
        ]
        return keys(rest, *moments)

    matte = {"id": new_id(), "name": "Pilot: cut-out", "pieces": []}
    # cut first, broken afterwards: what is torn aside leaves its outline
    subject = layer(
        "Pilot, cut out", pilot, start=0, end="hold", cut=[{"matte": matte["id"], "soften": {"value": 1.0}}], place={"position": {"value": [480, 270]}},
        visible=False,
    )  # fmt: skip
    broken = [
        effect("two-tones", dark=[0.002, 0.012, 0.016], bright=[0.5, 1.0, 0.92], keep=0.16),
        effect("levels", black=0.06, middle=0.9),
        effect("scan-lines", every=4.0, dark=0.55, roll=1.5),
        effect("stepped", steps=9.0, dither=1.0),
        effect(
            "displace",
            far=burst([0.0, 0.0], [190.0, 0.0], [-120.0, 0.0]),
            width=620.0,
            height=22.0,
            contrast=3.0,
            boil=12.0,
            seed=7.0,
        ),
        effect(
            "split",
            red=burst([-1.0, 0.0], [-26.0, 2.0], [14.0, 0.0]),
            blue=burst([1.0, 0.0], [24.0, -2.0], [-16.0, 0.0]),
        ),
        effect("dropouts", often=burst(0.012, 0.14, 0.08), long=220.0, line=2.0),
    ]
    signal = {
        **blank(shot, "Signal", {"kind": "twin", "layer": subject["id"]}), "opacity": burst(0.95, 0.7, 0.95),
        "effects": {e["id"]: e for e in broken}, "chain": [e["id"] for e in broken],
    }  # fmt: skip
    matte["pieces"] = [
        {"kind": "cutout", "id": new_id(), "name": "Cut-out", "layer": subject["id"], "samples": samples,
         "strokes": [s.model_dump(mode="json") for s in drawn], "soften": {"value": 1.0}},
    ]  # fmt: skip
    words = made(
        shot, "Words", "text", "Label", text="SIGNAL 04\nCARRIER LOST", at=[64.0, 470.0], height=20.0, colour=[1.0, 0.5, 0.16], shown=keys(0.0, (4, 0.0, "linear"), (22, 1.0, "linear")),
    )  # fmt: skip
    ticks = made(
        shot,
        "Ticks",
        "instrument",
        "Ticks",
        {"opacity": {"value": 0.3}},
        centre=[480.0, 300.0],
        radius=236.0,
        thick=9.0,
        glow=0.2,
    )
    dark = veil(
        "Dark room", [effect("grade", exposure=-5.0, saturation=0.3, temperature=-1.0), effect("blur", radius=14.0)]
    )
    glow = veil(
        "Glow",
        [
            effect("glow", threshold=0.16, radius=34.0, amount=0.7, tint=[0.5, 1.0, 0.9]),
            effect("grain", amount=0.02, size=0.6),
        ],
    )
    document = stacked(shot, [glow, subject, dark], [pilot], mattes={matte["id"]: matte})
    document = above(document, [words, ticks, signal])
    # the glow is of all of it
    return document | {"stack": [glow["id"], *(i for i in document["stack"] if i != glow["id"])]}


def mist_behind_the_pilot(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot, cut out by a few strokes carried through the shot, stands before mist and a night that are laid behind."""
    pilot = footage["Pilot"]
    samples, drawn = pilot_cut_out(context, pilot)
    matte = {"id": new_id(), "name": "Pilot: cut-out", "pieces": []}
    before = layer(
        "Pilot, cut out",
        pilot,
        start=0,
        end="hold",
        place={"position": {"value": [480, 270]}},
        cut=[{"matte": matte["id"]}],
        wrap={"value": 0.35},
    )
    matte["pieces"] = [
        {"kind": "cutout", "id": new_id(), "name": "Cut-out", "layer": before["id"], "samples": samples,
         "strokes": [s.model_dump(mode="json") for s in drawn], "fine": {"value": 25}, "soften": {"value": 0.7}},
    ]  # fmt: skip
    mists = [
        layer(f"Mist, {name}", footage["Drifting mist"], blend="screen", opacity={"value": opacity},
               place={"position": keys([x, y], (0, [x, y], "linear"), (71, [x + by, y], "linear")), "scale": {"value": [size, size]}})
        for name, opacity, x, y, by, size in (("near", 0.75, 330, 400, 190, 0.75), ("far", 0.5, 640, 300, -120, 0.6))
    ]  # fmt: skip
    night = veil(
        "Night behind", [effect("grade", exposure=-1.1, temperature=-1.0, saturation=0.6), effect("blur", radius=3.0)]
    )
    cold = veil("Cold light", [effect("grade", exposure=-0.15, temperature=-0.5, contrast=1.05)])
    return stacked(shot, [cold, before, *mists, night], [pilot, footage["Drifting mist"]], mattes={matte["id"]: matte})
