"""Layers in depth: before the frame, in a solved scene, hanging together, hiding each other."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tropein.core.animate import camera
from tropein.core.animate.ride import Path
from tropein.core.compose.places import Places
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
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
