"""Shots on the quay plate."""

from __future__ import annotations

from typing import Any

import numpy as np

from demo.shots.common import (
    above,
    effect,
    keys,
    layer,
    made,
    seen_as,
    spoken,
    stacked,
    tracked,
    tracked_point,
    veil,
)
from tropein.app.jobs.context import WorkContext
from tropein.core.document import Footage, Shot, new_id
from tropein.core.match.follow import follow
from tropein.core.match.sit import in_order, sit
from tropein.core.raster.warp import apply, quad_to_quad
from tropein.core.track.forms.camera import CameraFile
from tropein.core.tracks.camera import CameraTrack
from tropein.core.tracks.plane import PlaneTrack

SIGN_CORNERS = ((180.65, 22.42), (610.12, 27.64), (609.24, 271.71), (186.37, 279.12))  # of the sign, frame 0
BENCH_SPOT = (690.0, 500.0)  # near where the workbench is free, frame 0
RING_CARDS, RING_RADIUS = 6, 92.0
SIGN_NAIL = (396.5, 128.5)  # the little boat's mast top on the sign, frame 0 of the quay plate


def lamp_on_the_sign(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A lamp is lit before the sign: a flare rides on the painted boat, flickers, and the plate turns to evening."""
    nail = tracked_point(context, footage["Quay"], "Sign nail", SIGN_NAIL, 0)
    flicker = keys(
        1.0, (10, 0.0, "hold"), (12, 0.75, "linear"), (13, 0.15, "linear"), (15, 0.95, "linear"), (17, 0.7), (24, 1.0),
        (31, 0.82), (38, 1.0), (46, 0.86), (52, 1.0), (60, 0.9), (71, 1.0),
    )  # fmt: skip
    flare = layer(
        "Lamp flare", footage["Lamp flare"], blend="add", opacity=flicker, span=[10, 71],
        place={
            "position": {"value": SIGN_NAIL}, "scale": {"value": [0.62, 0.62]},
            "ride": {"track": nail["id"], "reference_frame": 0},
        },
        effects=[effect("glow", threshold=0.25, radius=46.0, amount=0.8, tint=[1.0, 0.72, 0.42])],
    )  # fmt: skip
    evening = veil(
        "Evening",
        [
            effect(
                "grade", exposure=keys(-1.1, (0, -0.75), (24, -1.15)), temperature=-1.6, saturation=0.82, contrast=1.08,
                black=0.012,
            ),
        ],
    )  # fmt: skip
    return stacked(
        shot,
        [flare, evening],
        [footage["Lamp flare"]],
        tracks={nail["id"]: nail},
        cues=[{"frame": 12, "name": "lamp lights"}],
    )


def sign_repainted(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Another board hangs on the sign: four corners inside the tracked plane, in its perspective, with its motion blur."""
    plane = PlaneTrack(
        id=new_id(), name="Sign plane", footage=footage["Quay"].id, reference_frame=0, corners=SIGN_CORNERS
    )
    track = tracked(context, footage["Quay"], plane)
    return stacked(shot, [_board(footage, track["id"])], [footage["Painted board"]], tracks={track["id"]: track})


def _board(footage: dict[str, Footage], track: str) -> dict[str, Any]:
    """The painted board, within the sign's four corners."""
    inset = np.array([[0.06, 0.09], [0.94, 0.09], [0.94, 0.62], [0.06, 0.62]])
    onto = quad_to_quad(np.array([[0, 0], [1, 0], [1, 1], [0, 1]]), np.array(SIGN_CORNERS))
    corners = [[round(float(v), 2) for v in p] for p in apply(onto, inset)]
    return layer(
        "Painted board", footage["Painted board"],
        place={
            "corners": {"value": corners}, "motion_blur": True,
            "ride": {"track": track, "reference_frame": 0, "parts": ["perspective"]},
        },
        effects=[
            effect("grade", exposure=-0.35, temperature=0.3, contrast=0.9, black=-0.015, saturation=0.9),
            effect("blur", radius=1.3),
        ],
    )  # fmt: skip


def camera_at(
    context: WorkContext, quay: Footage, frame: int, *spots: tuple[float, float]
) -> tuple[dict[str, Any], list[tuple[float, float, float]]]:
    """The solved camera, its world as that of the first frame, and where what was seen nearest to each of `spots` at `frame` lies; a unit is as
    wide as a pixel at the first of them."""
    camera = CameraTrack(id=new_id(), name="Camera", footage=quay.id, reference_frame=0)
    track = tracked(context, quay, camera)
    file = context.artefacts.track(track["samples"])
    assert isinstance(file, CameraFile)

    def seen(number: int) -> np.ndarray:
        pose = np.array(file.frames[number].world_to_camera).reshape(3, 4)
        return np.asarray(np.array(file.points3d) @ pose[:, :3].T + pose[:, 3])

    there = seen(frame)
    px = file.focal_px * there[:, :2] / there[:, 2:] + np.array(file.principal_point)
    nearest = [int(np.argmin(np.where(there[:, 2] > 0, np.linalg.norm(px - s, axis=1), 1e9))) for s in spots]
    first = seen(0)[nearest]
    pose = np.eye(4)
    pose[:3] = np.array(file.frames[0].world_to_camera).reshape(3, 4)
    unit = file.focal_px / first[0, 2]
    track["world"] = (np.diag([unit, unit, unit, 1]) @ pose).ravel().tolist()
    return track, [(float(x), float(y), float(z)) for x, y, z in first * unit]


MOUTHS = ((249.0, 426.0), (838.0, 411.0))  # of the two who mind the boat, frame 24


def breath_on_the_quay(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """It is cold in the workshop: one who minds the boat talks on, the other has a word to say now and then, and their breath hangs in the solved scene;
    snow drifts through it. What comes of the first goes by how loud her voice is."""
    track, places = camera_at(context, footage["Quay"], 24, *MOUTHS)
    said = ((), ((22, 27), (31, 39), (60, 66)))
    layers = []
    for name, (x, y, z), words, way in zip(
        ("Breath, red cap", "Breath, blue cap"), places, said, (1.0, -1.0), strict=True
    ):
        rate = [
            k
            for a, b in words
            for k in ((a - 1, 0.0, "linear"), (a, 240.0, "linear"), (b, 170.0, "linear"), (b + 1, 0.0, "linear"))
        ]
        layers.append(made(
            shot, name, "particles", "Breath", {"place": {"depth": {"track": track["id"], "position": {"value": [x, y, z - 12]}, "width": {"value": shot.size[0]}}}},
            source=[shot.size[0] / 2, shot.size[1] / 2], area=[6.0, 3.0], rate=keys(0.0, *rate) if rate else 220.0, life=2.0, speed=170.0, direction=90 - way * 78.0, fan=24.0, fall=-26.0, drag=2.6,
            turbulence=46.0, eddy=44.0, radius=30.0, opacity=0.26, carried=0.0, colour=[0.62, 0.66, 0.72], colour_end=[0.5, 0.55, 0.62],
        ))  # fmt: skip
    snow = made(
        shot, "Snow", "particles", "Snow", {"place": {"depth": {"track": track["id"], "position": {"value": [0, -330, places[0][2] * 0.6]}, "width": {"value": shot.size[0]}}}},
        source=[shot.size[0] / 2, shot.size[1] / 2], area=[1100.0, 40.0], deep=620.0, rate=70.0, radius=2.2, speed=60.0, opacity=0.75, carried=0.0,
    )  # fmt: skip
    cold = veil(
        "Cold",
        [
            effect("grade", exposure=-0.75, temperature=-1.3, saturation=0.72, contrast=1.05),
            effect("haze", all=0.06, thick=0.0, colour=[0.32, 0.4, 0.5]),
        ],
    )
    document = above(stacked(shot, [cold], [], tracks={track["id"]: track}), [snow, *layers])
    talks = f"layers/{layers[0]['id']}/content/rate"
    return spoken(context, document, talks, "Voice", footage["Voice"], 220.0)


def compass_in_the_air(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A dial hovers over the workbench in the solved scene, swinging; a ring of small boards turns round it in depth."""
    track, [(x, y, z)] = camera_at(context, footage["Quay"], 0, BENCH_SPOT)

    def at(*moments: tuple[int, float]) -> dict[str, Any]:
        """Bobbing above the spot."""
        return keys([x, y - 100, z], *((frame, [x, y - up, z]) for frame, up in moments))

    bob = at((0, 100), (18, 112), (36, 100), (54, 112), (71, 102))
    swing = keys([0, 0, 0], (0, [0, 0, -30]), (20, [0, 0, 40]), (44, [0, 0, -15]), (71, [0, 0, 150]))
    dial = layer(
        "Brass dial", footage["Brass dial"],
        place={
            "motion_blur": True,
            "depth": {"track": track["id"], "position": bob, "rotation": swing, "width": {"value": 88}, "facing": "camera"},
        },
        effects=[
            effect("grade", exposure=-0.5, temperature=0.4),
            effect("blur", radius=2.0),
            effect("glow", threshold=0.35, radius=60.0, amount=0.5, tint=[1.0, 0.8, 0.5]),
        ],
    )  # fmt: skip
    spin = keys([-12, 0, 0], (0, [-12, 0, 0], "linear"), (71, [-12, -300, 0], "linear"))
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
            layer(
                f"Board {i + 1}", footage["Painted board"],
                place={"motion_blur": True, "hang": {"layer": ring["id"]}, "depth": depth},
                effects=[effect("grade", exposure=-0.2, temperature=0.3), effect("blur", radius=1.0)],
            )
        )  # fmt: skip
    used = [footage["Brass dial"], footage["Painted board"]]
    return stacked(shot, [ring, dial, *cards], used, tracks={track["id"]: track})


def sign_in_the_lamplight(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The lamp gutters and warms the whole workshop; the board that hangs on the sign goes with it, by keys measured on the plate."""
    plane = PlaneTrack(
        id=new_id(), name="Sign plane", footage=footage["Quay"].id, reference_frame=0, corners=SIGN_CORNERS
    )
    track = tracked(context, footage["Quay"], plane) | {"footage": footage["Quay by lamplight"].id}
    document = stacked(shot, [_board(footage, track["id"])], [footage["Painted board"]], tracks={track["id"]: track})
    frames = range(footage["Quay by lamplight"].frames)
    document = seen_as(context, document, "Painted board", lambda seen: follow(seen, frames, 0).fix)
    return seen_as(
        context, document, "Painted board", lambda seen: sit(seen.renderer, seen.shot, seen.layer.id, "grain").fix
    )


def rope_in_from_the_blue(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """The caster, keyed from an uneven blue screen, stands before the quay, its colours, blacks and grain brought to the plate's; nothing that is measured
    of it shows."""
    caster = footage["Caster"]
    matte = {"id": new_id(), "name": "Caster: screen", "pieces": []}
    subject = layer(
        "Caster", caster, start=0, end="hold",
        place={"position": {"value": [600, 300]}, "scale": {"value": [0.9, 0.9]}}, cut=[{"matte": matte["id"]}],
        effects=[effect("grade", exposure=-0.35, temperature=1.1, tint=0.1, contrast=1.05, saturation=0.95)],
    )  # fmt: skip
    matte["pieces"] = [
        {"kind": "chroma", "id": new_id(), "name": "Blue screen", "layer": subject["id"], "balance": {"value": 0.35}}
    ]
    far = [
        effect("blur", radius=3.5),
        effect("grade", exposure=-0.15),
        effect("grain", amount=0.011, size=0.6, tones=0.2),
    ]
    document = stacked(
        shot, [subject, veil("Far away", far)], [caster], mattes={matte["id"]: matte}, trim=[0, caster.frames - 1]
    )
    for measure in in_order():
        document = seen_as(
            context, document, "Caster", lambda seen, m=measure: sit(seen.renderer, seen.shot, seen.layer.id, m).fix
        )  # type: ignore[misc]
    return document
