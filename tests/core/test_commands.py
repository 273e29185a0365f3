"""Commands that tie, fit, lay in, copy and give a scene its world."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from tests.core.builders import document
from tropein.core.animate.camera import placed
from tropein.core.commands import do
from tropein.core.compose.places import Places
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.raster.warp import apply

CORNERS = [[40, 20], [140, 30], [130, 110], [35, 90]]
WALL = {"kind": "plane", "id": "wall", "name": "Wall", "footage": "wall", "reference_frame": 6, "corners": CORNERS}
CAM = {"kind": "camera", "id": "cam", "name": "Camera", "footage": "wall"}
FACE = {"kind": "face", "id": "face", "name": "Face", "footage": "wall"}
NAIL = {"kind": "point", "id": "nail", "name": "Nail", "footage": "wall", "position": [9, 9]}


def layer(layer_id: str, **more: Any) -> dict[str, Any]:
    return {"id": layer_id, "name": layer_id, "content": {"kind": "footage", "footage": "wall"}, **more}


def with_tracks(*layers: dict[str, Any]) -> Shot:
    """Layers over the plate, or in its place where one of them is called so."""
    made = load_shot(document()).model_dump(mode="json")
    made["layers"] |= {one["id"]: one for one in layers}
    made["stack"] = list(made["layers"])[1:] + ["plate"]
    made["tracks"] = {t["id"]: dict(t) for t in (WALL, CAM, FACE, NAIL)}
    return load_shot(made)


def constant(value: Any, *keys: tuple[int, Any]) -> dict[str, Any]:
    return {"value": value, "keys": [{"frame": f, "value": v} for f, v in keys]}


def test_a_tie_follows_what_its_track_can_give() -> None:
    shot = with_tracks(layer("card"))
    wanted = {"wall": (["perspective"], ""), "cam": (["position", "rotation", "scale"], ""),
              "face": (["position", "rotation", "scale"], "head"), "nail": (["position"], "")}  # fmt: skip
    for track, (parts, spot) in wanted.items():
        tied, _, change = do(shot, "ride", {"at": "layers/card/place/ride", "track": track, "frame": 3})
        ride = tied.layers["card"].place.ride
        assert ride is not None and (ride.parts, ride.spot, ride.reference_frame) == (parts, spot, 3)
        assert change.label == f"let card ride on {shot.tracks[track].name}"
    held = load_shot(tied.model_dump(mode="json"))
    held.layers["card"].place.ride.steady = 4.0  # type: ignore[union-attr]
    again, _, _ = do(held, "ride", {"at": "/layers/card/place/ride", "track": "cam", "frame": 9, "whole": False})
    ride = again.layers["card"].place.ride
    assert ride is not None and ride.steady == 4.0 and ride.parts == ["position"]
    loose, _, change = do(again, "ride", {"at": "layers/card/place/ride"})
    assert loose.layers["card"].place.ride is None and change.label == "untie card"
    for at, error in (
        ("layers/plate/place/ride", BadInput),
        ("layers/card/opacity", BadInput),
        ("layers/none/place/ride", NotFound),
    ):
        with pytest.raises(error):
            do(shot, "ride", {"at": at, "track": "cam"})


def test_a_picture_is_fitted_to_a_plane_where_the_plate_shows_it() -> None:
    moved = {"position": constant([170, 100]), "scale": constant([1.5, 1.5]), "rotation": constant(10)}
    shot = with_tracks(layer("card"), layer("plate", place=moved))
    fitted, _, _ = do(shot, "fit-to-plane", {"layer": "card", "track": "wall"})
    place = fitted.layers["card"].place
    seen = Places(fitted, lambda samples, spot: None).matrix(fitted.layers["plate"], 6)
    assert seen is not None and place.corners is not None and place.ride is not None
    np.testing.assert_allclose(place.corners.value, apply(seen, np.array(CORNERS, float)), atol=1e-3)
    assert place.ride.reference_frame == 6 and place.ride.parts == ["perspective"]
    for wrong, words in (
        ({"layer": "card", "track": "nail"}, "no plane"),
        ({"layer": "plate", "track": "wall"}, "no insert"),
    ):
        with pytest.raises(BadInput, match=words):
            do(shot, "fit-to-plane", wrong)


def test_footage_is_laid_in_fitted_and_never_below_the_plate() -> None:
    shot = with_tracks()
    smoke = {
        "id": "smoke",
        "name": "Smoke",
        "kind": "clip",
        "media": "e" * 32,
        "size": [640, 90],
        "frames": 10,
        "alpha": True,
    }
    laid, _, change = do(shot, "lay-in", {"footage": smoke, "frame": 12, "index": 99})
    made = laid.layers[change.select[0].removeprefix("layers/")]
    assert laid.stack == [made.id, "plate"] and made.place.scale.value == (0.5, 0.5)
    assert (made.time.start, made.time.end, made.name) == (12, "loop", "Smoke") and "smoke" in laid.footage
    with pytest.raises(BadInput, match="Sound"):
        do(shot, "lay-in", {"footage": {**smoke, "kind": "sound", "size": [0, 0]}})


def test_keys_go_to_the_effect_of_the_same_kind_on_another_layer() -> None:
    effects = lambda *kinds: {"effects": {f"e{i}": {"id": f"e{i}", "kind": k} for i, k in enumerate(kinds)}, "chain": [f"e{i}" for i in range(len(kinds))]}  # noqa: E731  # fmt: skip
    shot = with_tracks(
        layer("a", **effects("blur", "grade", "blur")), layer("b", **effects("grade", "blur")), layer("c")
    )
    keys = [
        {"at": "/layers/a/effects/e0/radius", "key": {"frame": 4, "value": 9.0}},
        {"at": "/layers/a/effects/e0/radius", "key": {"frame": 6, "value": 1.0}},
        {"at": "/layers/a/opacity", "key": {"frame": 5, "value": 0.5}},
    ]
    pasted, _, change = do(shot, "paste-keys", {"keys": keys, "frame": 20, "layer": "b"})
    blur: Any = pasted.layers["b"].effects["e1"]
    assert [(k.frame, k.value) for k in blur.radius.keys] == [(20, 9.0), (22, 1.0)]
    assert [(k.frame, k.value) for k in pasted.layers["b"].opacity.keys] == [(21, 0.5)]
    assert set(change.select) == {
        "layers/b/effects/e1/radius/keys/20",
        "layers/b/effects/e1/radius/keys/22",
        "layers/b/opacity/keys/21",
    }
    second = [{"at": "layers/a/effects/e2/radius", "key": keys[0]["key"]}]  # b has one blur only
    assert do(shot, "paste-keys", {"keys": second, "frame": 0, "layer": "b"})[0].layers["b"].effects["e1"].radius.keys  # type: ignore[attr-defined]
    bare, _, change = do(shot, "paste-keys", {"keys": keys, "frame": 0, "layer": "c"})
    assert len(bare.layers["c"].opacity.keys) == 1 and change.note.startswith("2 of")
    for wrong in ([{"at": "layers/a/name", "key": {"frame": 1}}], [{"at": "layers/a/opacity", "key": {"frame": "x"}}]):
        with pytest.raises(BadInput):
            do(shot, "paste-keys", {"keys": wrong, "frame": 0})


def test_a_set_up_is_given_to_others_whose_pictures_stay_their_own() -> None:
    looks = {"effects": {"g": {"id": "g", "kind": "grade", "exposure": constant(1, (0, 1), (9, 2))}}, "chain": ["g"]}
    shot = with_tracks(layer("a", blend="add", opacity=constant(0.4), **looks), layer("b"), layer("plate"))
    given, _, change = do(shot, "copy-setup", {"layer": "a", "to": ["a", "b"]})
    a, b = given.layers["a"], given.layers["b"]
    assert b.blend == "add" and b.opacity == a.opacity and change.select == ["layers/b"]
    assert [e.model_copy(update={"id": "g"}) for e in b.looks] == a.looks and b.chain != a.chain
    assert b.content == shot.layers["b"].content and b.place == shot.layers["b"].place
    with pytest.raises(BadInput, match="plate stays"):
        do(shot, "copy-setup", {"layer": "a", "to": ["plate"], "what": ["place"]})
    carrier = with_tracks(layer("a", **looks), {"id": "c", "name": "c", "content": {"kind": "nothing"}})
    with pytest.raises(BadInput, match="no picture"):
        do(carrier, "copy-setup", {"layer": "a", "to": ["c"]})


def test_layers_go_into_depth_where_they_are_seen() -> None:
    shot = with_tracks(layer("a", place={"position": constant([100, 60]), "scale": constant([0.5, 0.5])}))
    deep, _, _ = do(shot, "put-in-depth", {"layers": ["a"], "frame": 0})
    flat, there = (Places(s, lambda samples, spot: None).matrix(s.layers["a"], 0) for s in (shot, deep))
    size = shot.layers["a"].content.size(shot)
    corners = np.array([[0, 0], [size[0], 0], list(size), [0, size[1]]], float)
    assert flat is not None and there is not None
    np.testing.assert_allclose(apply(there, corners), apply(flat, corners), atol=0.01)


def test_what_lies_in_a_scene_goes_along_with_its_new_world() -> None:
    """Every corner of what lies there is, in the solve's own space, where it was."""
    card = {
        "track": "cam",
        "position": constant([1, 2, 3], (5, [4, 1, 2])),
        "rotation": constant([10, 20, 30]),
        "width": constant(2),
    }
    hung = {"position": constant([0, 0, -5]), "width": constant(1)}
    shot = with_tracks(
        layer("ring", place={"depth": card}, meets={"t": {"id": "t", "kind": "touches", "soft": constant(5)}}, meeting=["t"]),
        layer("child", place={"depth": hung, "hang": {"layer": "ring"}}),
    )  # fmt: skip
    world = placed(np.array([0.5, -1, 2]), np.array([15, -40, 5])) @ np.diag([4, 4, 4, 1.0])
    after, _, _ = do(shot, "set-world", {"track": "cam", "world": world.ravel().tolist()})

    def model(s: Shot, i: str) -> np.ndarray:
        depth = s.layers[i].place.depth
        assert depth is not None
        own = placed(np.array(depth.position.value), np.array(depth.rotation.value))
        own[:3, :3] *= depth.width.value
        return own

    np.testing.assert_allclose(model(after, "ring"), world @ model(shot, "ring"), atol=1e-9)
    ring = after.layers["ring"]
    assert ring.place.depth is not None
    np.testing.assert_allclose(ring.place.depth.position.keys[0].value, (world @ [4, 1, 2, 1])[:3])
    assert ring.meets["t"].soft.value == pytest.approx(20)  # type: ignore[attr-defined]
    np.testing.assert_allclose(model(after, "child")[:3, 3], [0, 0, -20])
    for skewed in (np.diag([1, 2, 1, 1.0]), np.diag([1, 1, -1, 1.0]), np.zeros((4, 4))):
        with pytest.raises(BadInput, match="turn, a shift and a scale"):
            do(shot, "set-world", {"track": "cam", "world": skewed.ravel().tolist()})
