"""Layers in depth: before the frame, in a solved scene, hanging together, hiding each other."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tropein.core.animate import camera
from tropein.core.animate.ride import Path
from tropein.core.compose.places import Places
from tropein.core.compose.render import Renderer
from tropein.core.document import DrawnCurve, Shot
from tropein.core.document.content import starting
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING
from tropein.core.raster.picture import Window
from tropein.core.raster.warp import apply

SIZE = (200, 120)
FRAME = Window(0, 0, *SIZE)
CARD = np.array([[0, 0], [40, 0], [40, 20], [0, 20.0]])


def layer(id: str, footage: str, hang: str | None = None, **depth: Any) -> dict[str, Any]:
    values = {k: v if k in ("track", "facing") or isinstance(v, dict) else {"value": v} for k, v in depth.items()}
    kind = {"kind": "footage", "footage": footage} if footage else {"kind": "carrier"}
    return {**kind, "id": id, "name": id, "place": {"depth": values, "hang": hang and {"layer": hang}}}


def shot(*layers: dict[str, Any], tracks: dict[str, Any] | None = None) -> Shot:
    footage = {
        i: {"id": i, "name": i, "media": m * 32, "kind": "still", "size": (40, 20), "frames": 1, "rate": "24/1"}
        for i, m in (("red", "0"), ("green", "1"))
    }
    return load_shot(
        {
            "schema_version": 2, "name": "depth", "size": SIZE, "rate": "24/1", "frames": 20, "trim": [0, 19], "footage": footage,
            "layers": {i["id"]: i for i in layers}, "stack": [i["id"] for i in layers], "tracks": tracks or {},
        }
    )  # fmt: skip


def corners(document: Shot, id: str, frame: float = 0, paths: Any = lambda samples, spot: None) -> np.ndarray:
    one = document.layers[id]
    matrix = Places(document, paths).matrix(one, frame)
    assert matrix is not None
    return apply(matrix, CARD)


class Cards:
    """Footage "red" is red, "green" green; both are opaque."""

    def level(self, media: str, scale: float) -> int:
        return 0

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        pixels = np.zeros((20, 40, 4), np.float32)
        pixels[..., [int(media[0]), 3]] = 1
        return Coded(pixels, WORKING)


def drawn(document: Shot, frame: float = 0) -> np.ndarray:
    return Renderer(Cards(), lambda samples, spot: None, 1 << 24).frame(document, frame).fill(FRAME)  # type: ignore[arg-type]


def test_at_no_depth_a_card_lies_in_the_frame_as_large_as_it_is() -> None:
    flat = corners(shot(layer("a", "red", width=40)), "a")
    assert flat == pytest.approx(CARD - (20, 10) + (100, 60))
    focal = camera.STILL_FOCAL * SIZE[0]
    far = corners(shot(layer("a", "red", width=40, position=[0, 0, focal])), "a")
    assert np.ptp(far, axis=0) == pytest.approx([20, 10])  # twice as far, half as large
    moved = corners(shot(layer("a", "red", width=40, position=[30, -10, 0])), "a")
    assert moved == pytest.approx(flat + (30, -10))


def test_a_turned_card_is_seen_in_perspective() -> None:
    turned = corners(shot(layer("a", "red", width=40, rotation=[0, 60, 0])), "a")
    left, right = turned[3, 1] - turned[0, 1], turned[2, 1] - turned[1, 1]
    assert np.ptp(turned[:, 0]) < 22 and abs(left - right) > 1
    edge = Places(shot(layer("a", "red", width=40, rotation=[0, 90, 0])), lambda s, p: None)
    assert edge.shot.layers["a"].place.depth is not None
    behind = shot(layer("a", "red", width=40, position=[0, 0, -1000]))
    assert Places(behind, lambda s, p: None).matrix(behind.layers["a"], 0) is None
    facing = corners(shot(layer("c", "", rotation=[0, 70, 0]), layer("a", "red", "c", width=40, facing="camera")), "a")
    assert np.ptp(facing, axis=0) == pytest.approx([40, 20])


def test_what_hangs_from_a_carrier_in_depth_turns_with_it() -> None:
    spin = {
        "value": [0, 0, 0],
        "keys": [{"frame": 0, "value": [0, 0, 0], "ease": "linear"}, {"frame": 10, "value": [0, 180, 0]}],
    }
    ring = shot(
        layer("a", "red", "c", width=40, position=[0, 0, -50]),
        layer("b", "green", "c", width=40, position=[0, 0, 50]),
        layer("c", "", rotation=spin),
    )
    near, far = np.ptp(corners(ring, "a"), axis=0), np.ptp(corners(ring, "b"), axis=0)
    assert near[0] > 45 and far[0] < 35
    assert np.ptp(corners(ring, "a", 10), axis=0) == pytest.approx(far)
    aside = corners(ring, "a", 5).mean(0)
    assert abs(aside[0] - 100) == pytest.approx(50, abs=4)
    # whichever is nearer hides the other, whatever their order in the stack
    assert drawn(ring, 0)[60, 100, 0] == pytest.approx(1) and drawn(ring, 0)[60, 100, 1] == pytest.approx(0)
    assert drawn(ring, 10)[60, 100, 1] == pytest.approx(1) and drawn(ring, 10)[60, 100, 0] == pytest.approx(0)


@pytest.mark.parametrize("radial", [0.0, -0.4])
def test_a_card_in_a_solved_scene_goes_where_its_corners_are_seen(radial: float) -> None:
    rng = np.random.default_rng(2)
    poses = []
    for i in range(20):
        pose = camera.placed(
            np.array([0.1 * i - 1, 0.05 * i, 4.0]), np.array([2.0 * i / 20, -1.0 * i / 3, 0.5 * i / 20])
        )
        poses.append(pose)
    packed = np.array([camera.numbers(p, 180.0, np.array(SIZE) / 2, radial) for p in poses])
    path = Path(np.arange(20.0), packed, np.ones(20, bool))
    track = {"kind": "camera", "id": "cam", "name": "cam", "footage": "red", "samples": "a" * 32}
    at, turn = rng.normal(0, 0.3, 3), rng.uniform(-30, 30, 3)
    document = shot(
        layer("a", "red", track="cam", position=at.tolist(), rotation=turn.tolist(), width=1.0), tracks={"cam": track}
    )
    world = camera.placed(at, turn) @ np.c_[(CARD - (20, 10)) / 40, np.zeros(4), np.ones(4)].T
    for frame in (0, 7, 19):
        seen = (poses[frame] @ world)[:3]
        flat = seen[:2] / seen[2]
        expected = (180 * flat * (1 + radial * (flat**2).sum(0))).T + np.array(SIZE) / 2
        assert corners(document, "a", frame, lambda samples, spot: path) == pytest.approx(expected, abs=1e-4)


def test_a_world_of_ones_own_changes_units_and_axes_but_not_what_is_seen() -> None:
    pose = camera.placed(np.array([0.2, 0.1, 4.0]), np.array([5.0, -8.0, 2.0]))
    path = Path(np.arange(20.0), np.array([camera.numbers(pose, 180.0, np.array(SIZE) / 2)] * 20), np.ones(20, bool))
    world = camera.placed(np.array([1.0, 2, 3]), np.array([20.0, 10, 40]))
    world[:3, :3] *= 7.5
    track = {"kind": "camera", "id": "cam", "name": "cam", "footage": "red", "samples": "a" * 32}
    at = np.array([0.3, -0.2, 0.5, 1])
    plain = shot(
        layer("a", "red", track="cam", position=at[:3].tolist(), width=1.0, facing="camera"), tracks={"cam": track}
    )
    moved = (world @ at)[:3].tolist()
    own = shot(
        layer("a", "red", track="cam", position=moved, width=7.5, facing="camera"),
        tracks={"cam": track | {"world": world.ravel().tolist()}},
    )
    paths = lambda samples, spot: path
    assert corners(own, "a", 3, paths) == pytest.approx(corners(plain, "a", 3, paths), abs=1e-6)
    with pytest.raises(BadInput, match="must turn, shift and scale"):
        shot(layer("a", "red"), tracks={"cam": track | {"world": [1.0] * 16}})


def test_a_scene_needs_a_camera() -> None:
    track = {"kind": "point", "id": "p", "name": "p", "footage": "red"}
    with pytest.raises(BadInput, match="not a camera track"):
        shot(layer("a", "red", track="p"), tracks={"p": track})


def test_the_plate_does_not_lie_in_depth() -> None:
    document = shot(layer("a", "red", width=40)).model_dump(mode="json")
    with pytest.raises(BadInput, match="nor lies in depth"):
        load_shot(document | {"plate": "a"})


def cloud(**values: Any) -> Shot:
    """One white dot at a time that hangs where it was born, in the scene of a camera that goes to the right, between cards."""
    still = {
        "area": (0.0, 0.0), "rate": 24.0, "life": 2.0, "life_varies": 0.0, "speed": 0.0, "fall": 0.0, "drag": 1.0, "turbulence": 0.0, "radius": 10.0,
        "radius_varies": 0.0, "growth": FULL, "opacity": 1.0, "fading": FULL, "colour": (1.0, 1.0, 1.0), "colour_end": (1.0, 1.0, 1.0), "breakup": 0.0, "opening": 0.0,
        "source": (100.0, 60.0),
    }  # fmt: skip
    content = {
        "kind": "particles",
        **starting(**still | {k: v for k, v in values.items() if k not in ("depth", "lands")}),
    }
    content |= {"lands": values.get("lands", "through")}
    tracks = {"cam": {"id": "cam", "name": "Cam", "kind": "camera", "footage": "red", "samples": "0" * 32}}
    document = shot(layer("near", "red", width=4, position=[-3, 0, 8], track="cam"), layer("far", "green", width=60, position=[0, 0, 30], track="cam"), tracks=tracks).model_dump(mode="json")  # fmt: skip
    depth = {"track": "cam", "width": {"value": 20.0}} | {
        k: {"value": v} for k, v in values.get("depth", {"position": [0, 0, 15]}).items()
    }
    document["layers"]["dots"] = {"id": "dots", "name": "Dots", "content": content, "place": {"depth": depth}}
    document["stack"] = ["near", "dots", "far"]
    return Shot.model_validate(document)


FULL = DrawnCurve(points=[(0, 1), (1, 1)])


def passing(samples: str, spot: str) -> Path:
    """A camera with a focal length of 200 px that goes 0.1 to the right in a frame."""
    poses = []
    for f in range(20):
        pose = np.eye(4)
        pose[0, 3] = -0.1 * f
        poses.append(camera.numbers(pose, 200.0, np.array([100.0, 60.0])))
    return Path(np.arange(20.0), np.array(poses), np.ones(20, bool))


def of_cloud(document: Shot, frame: float) -> np.ndarray:
    return Renderer(Cards(), passing, 1 << 24).frame(document, frame).fill(FRAME)  # type: ignore[arg-type]


def test_particles_stand_in_the_scene_and_are_hidden_by_nearer_cards_alone() -> None:
    seen = of_cloud(cloud(), 10)
    blue = np.argwhere(seen[..., 2] > 0.9)
    # at (0, 0, 15), seen from (1, 0, 0): 200 * -1 / 15 from the middle; a pixel of its own is 0.1 of the scene, 1.33 of the frame
    assert blue[:, 1].mean() + 0.5 == pytest.approx(100 - 200 / 15, abs=0.5) and blue[
        :, 0
    ].mean() + 0.5 == pytest.approx(60, abs=0.5)
    assert seen[60, 130, 1] > 0.9  # the far card behind them
    hidden = of_cloud(cloud(depth={"position": [-4.6, 0, 15]}), 10)
    assert hidden[60, 25, 0] > 0.9 and hidden[60, 25, 2] < 0.05  # the near card covers x to 50
    spread = {"depth": {"position": [-2.5, 0, 10]}, "deep": 80.0, "rate": 60.0, "radius": 1.5, "area": (40.0, 16.0)}
    both = of_cloud(cloud(**spread), 10)  # from 6 to 14 away: some before the near card at 8, most behind it
    without = cloud(**spread)
    without.layers["near"].visible = False
    shown, all_of_them = ((p[58:62, 5:45, 2] > 0.5).mean() for p in (both, of_cloud(without, 10)))
    assert 0.02 < shown < 0.6 * all_of_them


def test_what_was_born_in_a_scene_stays_there_or_goes_with_its_place() -> None:
    moving = {"position": [0, 0, 15]}
    for carried, wanted in ((0.0, 0.0), (1.0, 3.0)):
        document = cloud(depth=moving, carried=carried, rate=24.0).model_dump(mode="json")
        keys = [{"frame": f, "value": [0.3 * f, 0, 15], "ease": "linear"} for f in (0, 10)]
        document["layers"]["dots"]["place"]["depth"]["position"] = {"value": [0, 0, 15], "keys": keys}
        seen = of_cloud(Shot.model_validate(document), 10)
        left = np.flatnonzero(seen[60, :, 2] > 0.5)[0]
        # the oldest that still lives was born at 0, and is 10 pixels of its own wide
        assert left == pytest.approx(100 + 200 * (wanted - 1 - 1) / 15, abs=2.0)


def test_the_camera_smears_them_and_the_floor_takes_them() -> None:
    document = cloud(radius=2.0).model_copy(update={"shutter_deg": 360.0})
    wide = np.flatnonzero(of_cloud(document, 10)[60, :, 2] > 0.02)
    still = np.flatnonzero(of_cloud(document.model_copy(update={"shutter_deg": 0.0}), 10)[60, :, 2] > 0.02)
    assert len(wide) - len(still) == pytest.approx(200 * 0.1 / 15, abs=1.0)
    fallen = {"depth": {"position": [0.0, -1.0, 15]}, "fall": 400.0, "drag": 0.0, "radius": 3.0, "rate": 24.0}
    ends = [np.argwhere(of_cloud(cloud(lands=how, **fallen), 19)[..., 2] > 0.3) for how in ("through", "lies", "gone")]
    floor = 60
    assert ends[0][:, 0].max() > floor + 10 and ends[1][:, 0].max() <= floor + 4 and len(ends[2]) < len(ends[1])
