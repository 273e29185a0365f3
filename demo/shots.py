"""The finished demo shots, as documents. Tracks are really tracked when the demo is set up."""

from __future__ import annotations

from typing import Any

import numpy as np

from tropein.app.jobs.context import WorkContext
from tropein.core.compose.cutout_piece import by_frame, mark_of
from tropein.core.compose.cutouts import Carry, carry
from tropein.core.document import (
    CameraTrack,
    CutoutStroke,
    FaceTrack,
    Footage,
    PlaneTrack,
    PointTrack,
    Shot,
    Track,
    new_id,
)
from tropein.core.matte.cutout_file import packed
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.raster.warp import apply, quad_to_quad
from tropein.core.track.file import CameraFile, FaceFile
from tropein.core.track.measure import Job, measure

SIGN_CORNERS = ((180.65, 22.42), (610.12, 27.64), (609.24, 271.71), (186.37, 279.12))  # of the sign, frame 0
BENCH_SPOT = (690.0, 500.0)  # near where the workbench is free, frame 0
RING_CARDS, RING_RADIUS = 6, 92.0
SIGN_NAIL = (396.5, 128.5)  # the little boat's mast top on the sign, frame 0 of the quay plate


def _effect(kind: str, **values: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": new_id(),
        **{k: v if isinstance(v, dict) and "value" in v else {"value": v} for k, v in values.items()},
    }


def _keys(value: Any, *keys: tuple[int, Any] | tuple[int, Any, str]) -> dict[str, Any]:
    return {
        "value": value,
        "keys": [{"frame": k[0], "value": k[1], "ease": k[2] if len(k) > 2 else "smooth"} for k in keys],
    }


def _layer(name: str, footage: Footage, **more: Any) -> dict[str, Any]:
    return {"kind": "footage", "id": new_id(), "name": name, "footage": footage.id, **more}


def _veil(name: str, effects: list[dict[str, Any]]) -> dict[str, Any]:
    return {"kind": "veil", "id": new_id(), "name": name, "effects": effects}


def _stacked(shot: Shot, layers: list[dict[str, Any]], footage: list[Footage], **more: Any) -> dict[str, Any]:
    """The shot with layers laid over its plate, first nearest the lens."""
    document = shot.model_dump(mode="json")
    document["layers"].update({layer["id"]: layer for layer in layers})
    document["stack"] = [layer["id"] for layer in layers] + document["stack"]
    document["footage"].update({f.id: f.model_dump(mode="json") for f in footage})
    return {**document, **more}


def tracked_point(
    context: WorkContext, footage: Footage, name: str, at: tuple[float, float], frame: int
) -> dict[str, Any]:
    """A point track in the document's form, with its samples stored."""
    track = PointTrack(id=new_id(), name=name, footage=footage.id, reference_frame=frame, position=at)
    return tracked(context, footage, track)


_faces: dict[tuple[str, str], dict[str, Any]] = {}


def tracked_face(context: WorkContext, footage: Footage) -> dict[str, Any]:
    """The pilot's face; shots that need it share what was once tracked."""
    place = (str(context.artefacts.root), footage.media)
    if place not in _faces:
        track = FaceTrack(id=new_id(), name="Pilot's face", footage=footage.id, reference_frame=0)
        _faces[place] = tracked(context, footage, track)
    return {**_faces[place], "id": new_id(), "footage": footage.id}


def tracked(context: WorkContext, footage: Footage, track: Track) -> dict[str, Any]:
    """A track in the document's form, really tracked, with its samples stored."""
    done = measure(Job(context.library.store, footage, track, (0, footage.frames - 1))).file
    lost = sum(s.lost for s in done.frames)
    return track.model_copy(update={"samples": context.artefacts.put_track(done), "lost_frames": lost}).model_dump(
        mode="json"
    )


def lamp_on_the_sign(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A lamp is lit before the sign: a flare rides on the painted boat, flickers, and the plate turns to evening."""
    nail = tracked_point(context, footage["Quay"], "Sign nail", SIGN_NAIL, 0)
    flicker = _keys(
        1.0, (10, 0.0, "hold"), (12, 0.75, "linear"), (13, 0.15, "linear"), (15, 0.95, "linear"), (17, 0.7), (24, 1.0),
        (31, 0.82), (38, 1.0), (46, 0.86), (52, 1.0), (60, 0.9), (71, 1.0),
    )  # fmt: skip
    flare = _layer(
        "Lamp flare", footage["Lamp flare"], blend="add", opacity=flicker, span=[10, 71],
        place={
            "position": {"value": SIGN_NAIL}, "scale": {"value": [0.62, 0.62]},
            "ride": {"track": nail["id"], "reference_frame": 0},
        },
        effects=[_effect("glow", threshold=0.25, radius=46.0, amount=0.8, tint=[1.0, 0.72, 0.42])],
    )  # fmt: skip
    evening = _veil(
        "Evening",
        [
            _effect(
                "grade", exposure=_keys(-1.1, (0, -0.75), (24, -1.15)), temperature=-1.6, saturation=0.82, contrast=1.08,
                black=0.012,
            ),
        ],
    )  # fmt: skip
    return _stacked(
        shot,
        [flare, evening],
        [footage["Lamp flare"]],
        tracks={nail["id"]: nail},
        cues=[{"frame": 12, "name": "lamp lights"}],
    )


def embers_and_mist(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Embers rise before the pilot, mist drifts past behind a cooler, darker dusk."""
    embers = _layer(
        "Ember sparks", footage["Ember sparks"], blend="add", end="loop",
        place={"position": {"value": [300, 330]}, "scale": {"value": [1.1, 1.1]}},
        effects=[_effect("glow", threshold=0.1, radius=14.0, amount=0.9, tint=[1.0, 0.55, 0.25], scales=3.0)],
    )  # fmt: skip
    mist = _layer(
        "Drifting mist", footage["Drifting mist"], blend="screen", opacity={"value": 0.8},
        place={"position": _keys([480, 380], (0, [330, 400], "linear"), (71, [640, 388], "linear"))},
        effects=[_effect("blur", radius=7.0)],
    )  # fmt: skip
    luma = {"points": [[0, 0], [0.3, 0.22], [0.75, 0.7], [1, 0.96]]}
    blue = {"points": [[0, 0.025], [0.5, 0.54], [1, 1]]}
    dusk = _veil("Dusk", [_effect("curves", luma=luma, blue=blue), _effect("grade", temperature=-0.5, saturation=0.88)])
    return _stacked(shot, [embers, mist, dusk], [footage["Ember sparks"], footage["Drifting mist"]])


def sign_repainted(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Another board hangs on the sign: four corners inside the tracked plane, in its perspective, with its motion blur."""
    plane = PlaneTrack(
        id=new_id(), name="Sign plane", footage=footage["Quay"].id, reference_frame=0, corners=SIGN_CORNERS
    )
    track = tracked(context, footage["Quay"], plane)
    inset = np.array([[0.06, 0.09], [0.94, 0.09], [0.94, 0.62], [0.06, 0.62]])
    onto = quad_to_quad(np.array([[0, 0], [1, 0], [1, 1], [0, 1]]), np.array(SIGN_CORNERS))
    corners = [[round(float(v), 2) for v in p] for p in apply(onto, inset)]
    board = _layer(
        "Painted board", footage["Painted board"],
        place={
            "corners": {"value": corners}, "motion_blur": True,
            "ride": {"track": track["id"], "reference_frame": 0, "parts": ["perspective"]},
        },
        effects=[
            _effect("grade", exposure=-0.35, temperature=0.3, contrast=0.9, black=-0.015, saturation=0.9),
            _effect("blur", radius=1.3),
        ],
    )  # fmt: skip
    return _stacked(shot, [board], [footage["Painted board"]], tracks={track["id"]: track})


def compass_in_the_air(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A dial hovers over the workbench in the solved scene, swinging; a ring of small boards turns round it in depth."""
    camera = CameraTrack(id=new_id(), name="Camera", footage=footage["Quay"].id, reference_frame=0)
    track = tracked(context, footage["Quay"], camera)
    file = context.artefacts.track(track["samples"])
    assert isinstance(file, CameraFile)
    pose = np.eye(4)
    pose[:3] = np.array(file.frames[0].world_to_camera).reshape(3, 4)
    seen = np.array(file.points3d) @ pose[:3, :3].T + pose[:3, 3]
    px = file.focal_px * seen[:, :2] / seen[:, 2:] + np.array(file.principal_point)
    near = seen[int(np.argmin(np.where(seen[:, 2] > 0, np.linalg.norm(px - BENCH_SPOT, axis=1), 1e9)))]
    # the world as the first frame's camera sees it, a unit as wide as a pixel at the bench spot
    unit = file.focal_px / near[2]
    track["world"] = (np.diag([unit, unit, unit, 1]) @ pose).ravel().tolist()
    x, y, z = (float(v) for v in near * unit)

    def at(*keys: tuple[int, float]) -> dict[str, Any]:
        """Bobbing above the spot."""
        return _keys([x, y - 100, z], *((frame, [x, y - up, z]) for frame, up in keys))

    bob = at((0, 100), (18, 112), (36, 100), (54, 112), (71, 102))
    swing = _keys([0, 0, 0], (0, [0, 0, -30]), (20, [0, 0, 40]), (44, [0, 0, -15]), (71, [0, 0, 150]))
    dial = _layer(
        "Brass dial", footage["Brass dial"],
        place={
            "motion_blur": True,
            "depth": {"track": track["id"], "position": bob, "rotation": swing, "width": {"value": 88}, "facing": "camera"},
        },
        effects=[
            _effect("grade", exposure=-0.5, temperature=0.4),
            _effect("blur", radius=2.0),
            _effect("glow", threshold=0.35, radius=60.0, amount=0.5, tint=[1.0, 0.8, 0.5]),
        ],
    )  # fmt: skip
    spin = _keys([-12, 0, 0], (0, [-12, 0, 0], "linear"), (71, [-12, -300, 0], "linear"))
    ring = {
        "kind": "carrier", "id": new_id(), "name": "Ring of boards",
        "place": {"depth": {"track": track["id"], "position": bob, "rotation": spin}},
    }  # fmt: skip
    cards = []
    for i in range(RING_CARDS):
        angle = 2 * np.pi * i / RING_CARDS
        where = [round(-RING_RADIUS * np.sin(angle), 3), 0, round(-RING_RADIUS * np.cos(angle), 3)]
        depth = {
            "position": {"value": where},
            "rotation": {"value": [0, round(np.degrees(angle), 3), 0]},
            "width": {"value": 60},
        }
        cards.append(
            _layer(
                f"Board {i + 1}", footage["Painted board"],
                place={"motion_blur": True, "hang": {"layer": ring["id"]}, "depth": depth},
                effects=[_effect("grade", exposure=-0.2, temperature=0.3), _effect("blur", radius=1.0)],
            )
        )  # fmt: skip
    used = [footage["Brass dial"], footage["Painted board"]]
    return _stacked(shot, [ring, dial, *cards], used, tracks={track["id"]: track})


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
        keys = [(f, round(v, 3), "linear") for f, v in lit]
        iris = next(getattr(s.iris, side) for s in file.frames if s.iris)
        layers.append(
            _layer(
                f"Lamp, {side} eye", footage["Lamp flare"], blend="screen", opacity=_keys(0.9, *keys),
                place={
                    "position": {"value": [round(iris[0], 2), round(iris[1], 2)]}, "scale": {"value": [0.11, 0.11]},
                    "ride": {
                        "track": track["id"], "reference_frame": 0, "parts": ["position", "rotation", "scale"],
                        "spot": f"{side} iris", "gaps": "hide",
                    },
                },
                effects=[_effect("glow", threshold=0.2, radius=40.0, amount=0.9, tint=[1.0, 0.75, 0.45])],
            )
        )  # fmt: skip
    night = _veil("Night", [_effect("grade", exposure=-0.9, temperature=-0.9, saturation=0.8, contrast=1.05)])
    return _stacked(shot, [*layers, night], [footage["Lamp flare"]], tracks={track["id"]: track})


def rope_in_from_the_blue(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The caster, keyed from an uneven blue screen, stands before the quay: spill out, warmed and softened to the plate."""
    caster = footage["Caster"]
    matte = {"id": new_id(), "name": "Caster: screen", "pieces": []}
    layer = _layer(
        "Caster", caster, start=0, end="hold",
        place={"position": {"value": [600, 300]}, "scale": {"value": [0.9, 0.9]}}, cut=[{"matte": matte["id"]}],
        effects=[
            _effect("grade", exposure=-0.35, temperature=1.1, tint=0.1, contrast=1.05, saturation=0.95),
            _effect("blur", radius=0.5),
            _effect("grain", amount=0.012, size=0.6),
        ],
    )  # fmt: skip
    matte["pieces"] = [
        {"kind": "chroma", "id": new_id(), "name": "Blue screen", "layer": layer["id"], "balance": {"value": 0.35}}
    ]
    background = _veil("Far away", [_effect("blur", radius=3.5), _effect("grade", exposure=-0.15)])
    last = caster.frames - 1
    return _stacked(shot, [layer, background], [caster], mattes={matte["id"]: matte}, trim=[0, last])


def sea_glass_eyes(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot's irises turn to sea glass: a veil that works only within the irises, where the lids are open."""
    track = tracked_face(context, footage["Pilot"])

    def part(name: str, part: str, **more: Any) -> dict[str, Any]:
        return {"kind": "face", "id": new_id(), "name": name, "track": track["id"], "part": part, **more}

    irises = {
        "id": new_id(), "name": "Irises between the lids",
        "pieces": [
            part("Irises", "irises", grow={"value": 1.0}, soften={"value": 0.7}),
            part("Open eyes", "eyes", how="intersect", grow={"value": 0.5}, soften={"value": 0.6}),
        ],
    }  # fmt: skip
    whites = {
        "id": new_id(), "name": "Whites of the eyes",
        "pieces": [part("Open eyes", "eyes", soften={"value": 0.8}), part("Irises", "irises", how="subtract", soften={"value": 0.8})],
    }  # fmt: skip
    appear = _keys(0.0, (2, 0.0), (14, 1.0))
    glass = _veil("Sea glass", [
        _effect("grade", exposure=1.3, contrast=1.15, saturation=0.35, slope=[0.55, 1.25, 1.15], offset=[0.0, 0.05, 0.045]),
        _effect("glow", threshold=0.22, radius=3.0, amount=0.7, tint=[0.6, 1.0, 0.92]),
    ]) | {"cut": [{"matte": irises["id"]}], "opacity": appear}  # fmt: skip
    pale = _veil("Pale whites", [_effect("grade", exposure=0.25, saturation=0.6, temperature=-0.6)]) | {
        "cut": [{"matte": whites["id"]}], "opacity": appear,
    }  # fmt: skip
    mattes = {m["id"]: m for m in (irises, whites)}
    return _stacked(shot, [glass, pale], [], tracks={track["id"]: track}, mattes=mattes)


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


def mist_behind_the_pilot(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The pilot, cut out by a few strokes carried through the shot, stands before mist and a night that are laid behind."""
    pilot = footage["Pilot"]
    drawn = [
        CutoutStroke(frame=f, keep=keep, points=[(float(x), float(y)) for x, y in line]) for f, keep, line in STROKES
    ]
    strokes = by_frame(drawn)
    pictures = ColourFrames(context.library.store, pilot.media)
    try:
        carried = carry(Carry(pictures.rgb, pilot.size, (0, pilot.frames - 1), strokes))
    finally:
        pictures.close()
    samples = context.artefacts.put_cutout(packed(carried, {f: mark_of(s) for f, s in strokes.items()}))
    matte = {"id": new_id(), "name": "Pilot: cut-out", "pieces": []}
    before = _layer(
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
         "strokes": [s.model_dump(mode="json") for s in drawn], "soften": {"value": 0.7}},
    ]  # fmt: skip
    mists = [
        _layer(f"Mist, {name}", footage["Drifting mist"], blend="screen", opacity={"value": opacity},
               place={"position": _keys([x, y], (0, [x, y], "linear"), (71, [x + by, y], "linear")), "scale": {"value": [size, size]}})
        for name, opacity, x, y, by, size in (("near", 0.75, 330, 400, 190, 0.75), ("far", 0.5, 640, 300, -120, 0.6))
    ]  # fmt: skip
    night = _veil(
        "Night behind", [_effect("grade", exposure=-1.1, temperature=-1.0, saturation=0.6), _effect("blur", radius=3.0)]
    )
    cold = _veil("Cold light", [_effect("grade", exposure=-0.15, temperature=-0.5, contrast=1.05)])
    return _stacked(shot, [cold, before, *mists, night], [pilot, footage["Drifting mist"]], mattes={matte["id"]: matte})
