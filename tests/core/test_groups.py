"""Groups, twins, time, and commands on layers: known answers on small pictures."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import pytest

from tests.core.builders import document, layer
from tests.core.test_compose import SAMPLES, Painted, paths
from tropein.core.commands import commands, do
from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.render import Renderer
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, NotFound
from tropein.core.media.coded import Coded
from tropein.core.raster.colour import WORKING
from tropein.core.raster.picture import Window

FRAME = Window(0, 0, 320, 180)


class Counted(Painted):
    """As painted; "spot" moves: at frame i its square lies i pixels to the right, and the wall is as bright as its frame says."""

    def chroma_cells(self, media: str) -> None:
        return None

    def read(self, media: str, index: int, level: int) -> Coded:
        plain = super().read(media, index, level)
        if media == "2" * 32:
            pixels = np.zeros((40, 80, 4), np.float32)
            pixels[10:30, 10 + index : 30 + index] = [1.0, 0.5, 0.25, 1.0]
            return Coded(pixels, WORKING)
        return plain


def spot(layer_id: str, x: float = 160.0, y: float = 90.0, **more: Any) -> dict[str, Any]:
    return layer(layer_id, **{"footage": "spot", "place": {"position": {"value": [x, y]}}, **more})


def shot(*layers: dict[str, Any], mattes: dict[str, Any] | None = None) -> Shot:
    nail = {"kind": "point", "id": "nail", "name": "Nail", "footage": "wall", "samples": SAMPLES}
    short = document(list(layers), tracks={"nail": nail}, mattes=mattes or {})
    short["footage"]["spot"] = {
        "id": "spot",
        "name": "Spot",
        "kind": "still",
        "media": "1" * 32,
        "size": [40, 40],
        "alpha": True,
    }
    short["footage"]["run"] = {
        "id": "run",
        "name": "Run",
        "kind": "clip",
        "media": "2" * 32,
        "size": [80, 40],
        "alpha": True,
        "frames": 24,
    }
    return load_shot(short)


def drawn(what: Shot, frame: float = 0, scale: float = 1.0) -> np.ndarray:
    r = Renderer(Counted(), paths, 1 << 26)  # type: ignore[arg-type]
    return r.run(r.planner(what, scale).plan(frame)).fill(r.planner(what, scale).frame_window)


def changed(what: Shot, layer_id: str, **fields: Any) -> Shot:
    plain = what.model_dump(mode="json")
    for name, value in fields.items():
        plain["layers"][layer_id][name] = value
    return load_shot(plain)


def given(what: Shot, name: str, **arguments: Any) -> Shot:
    return do(what, name, arguments)[0]


def grouped(what: Shot, *layers: str) -> tuple[Shot, str]:
    after, _, change = do(what, "group", {"layers": list(layers)})
    return after, change.select[0].removeprefix("layers/")


BOX = {
    "kind": "shape",
    "id": "s",
    "name": "s",
    "outline": {"value": {"points": [{"at": p} for p in ([150, 60], [170, 60], [170, 120], [150, 120])]}},
}
CUT = {"m": {"id": "m", "name": "m", "pieces": [BOX]}}
MIXED = (
    spot("a", 100, 60, blend="add", opacity={"value": 0.7}),
    spot("b", 150, 80, effects=[{"kind": "blur", "id": "e", "radius": {"value": 3}}], cut=[{"matte": "m"}]),
    {"kind": "veil", "id": "v", "name": "v", "effects": [{"kind": "grade", "id": "g", "exposure": {"value": -1}}], "cut": [{"matte": "m"}]},
    spot("c", 170, 100, place={"position": {"value": [50, 60]}, "ride": {"track": "nail"}}, blend="screen"),
    spot("d", 60, 120, place={"position": {"value": [60, 120]}, "hang": {"layer": "c"}}),
)  # fmt: skip


@pytest.mark.parametrize("chosen", [("a",), ("a", "b"), ("b", "v", "c"), ("v",), ("c", "d"), ("a", "b", "v", "c", "d")])
def test_grouping_changes_no_pixel_whenever_it_is_done(chosen: tuple[str, ...]) -> None:
    plain = shot(*MIXED, mattes=CUT)
    into, group = grouped(plain, *chosen)
    deeper, _ = grouped(into, group)
    for frame in (0, 7):
        before = drawn(plain, frame)
        assert np.array_equal(drawn(into, frame), before) and np.array_equal(drawn(deeper, frame), before)
    back, _, change = do(into, "ungroup", {"group": group})
    assert not change.note and np.array_equal(drawn(back, 7), before) and back.stack == plain.stack


def test_a_moved_group_takes_its_layers_with_their_cuts_rides_and_effects_along() -> None:
    plain = shot(*MIXED, mattes=CUT)
    into, group = grouped(plain, "a", "b", "c", "d")
    moved = changed(into, group, place={"position": {"value": [160 + 24, 90 - 10]}})
    alone = given(plain, "remove-layers", layers=["v"])
    only = [drawn(looked_at(s, Look(of="layer", layer=i)), 5) for s, i in ((alone, "b"), (moved, "b"))]
    assert np.abs(only[1][:-10, 24:] - only[0][10:, :-24]).max() < 1e-5 and only[0][..., 3].max() > 0.5
    one, other = (
        drawn(given(alone, "remove-layers", layers=["plate"]), 5),
        drawn(given(given(moved, "remove-layers", layers=["v"]), "remove-layers", layers=["plate"]), 5),
    )
    assert np.abs(other[:-10, 24:] - one[10:, :-24]).max() < 2e-3
    seen = ride_matrices(Renderer(Counted(), paths, 1 << 20).planner(moved).places, 5)  # type: ignore[arg-type]
    assert seen["a"] is not None and seen["a"][:2, 2] == pytest.approx([24, -10])


def test_a_turned_group_is_as_if_its_layers_had_been_turned() -> None:
    into, group = grouped(shot(spot("a", 190, 90), spot("b", 160, 60)), "a", "b")
    turned = changed(into, group, place={"position": {"value": [160, 90]}, "rotation": {"value": 90}})
    y, x = np.nonzero(drawn(turned)[..., 0] > 0.9)
    assert (x.min(), x.max() + 1, y.min(), y.max() + 1) == (150, 200, 80, 130)
    back, _, change = do(turned, "ungroup", {"group": group})
    assert not change.note and np.abs(drawn(back) - drawn(turned)).max() < 1e-5


def test_a_group_with_something_of_its_own_becomes_a_picture_first() -> None:
    both = (spot("a", 150, 90), spot("b", 165, 90))
    into, group = grouped(shot(*both), "a", "b")
    half = drawn(changed(into, group, opacity={"value": 0.5}))
    wall = drawn(shot())
    for x in (142, 158, 173):  # in the one, in both, in the other: one picture, so nowhere thicker
        assert half[90, x, 0] == pytest.approx(0.5 + wall[90, x, 0] / 2, abs=1e-4)
    dark = {"g": {"kind": "grade", "id": "g", "exposure": {"value": -1}}}
    graded = drawn(changed(into, group, effects=dark, chain=["g"]))
    assert graded[90, 158, 0] == pytest.approx(0.5, rel=2e-3) and graded[20, 20, 0] == wall[20, 20, 0]
    added = changed(changed(into, "a", blend="add"), group, opacity={"value": 0.999999})
    assert drawn(added)[90, 142, 0] == pytest.approx(1.0, abs=1e-3)  # within the group there is nothing to add to
    assert drawn(changed(into, "a", blend="add"))[90, 142, 0] > 1.05  # the open one adds to the wall
    scaled = changed(
        changed(into, group, opacity={"value": 0.5}),
        group,
        place={"position": {"value": [160, 90]}, "scale": {"value": [2, 2]}},
    )
    y, x = np.nonzero(drawn(scaled)[..., 0] > 0.4)
    assert (x.min(), x.max() + 1) == pytest.approx((120, 190), abs=1) and (y.min(), y.max() + 1) == pytest.approx(
        (70, 110), abs=1
    )


def test_a_group_far_off_its_frame_still_shows_what_comes_into_view() -> None:
    into, group = grouped(shot(spot("a", -100, 90)), "a")
    here = changed(into, group, place={"position": {"value": [160 + 200, 90]}}, opacity={"value": 0.5})
    assert drawn(here)[90, 100, 0] == pytest.approx(0.5 + drawn(shot())[90, 100, 0] / 2, abs=1e-3)


def test_time_of_a_group_is_that_of_all_within() -> None:
    moving = spot(
        "a",
        place={
            "position": {
                "value": [100, 90],
                "keys": [
                    {"frame": 0, "value": [100, 90], "ease": "linear"},
                    {"frame": 10, "value": [200, 90], "ease": "linear"},
                ],
            }
        },
    )
    into, group = grouped(shot(moving), "a")
    plain = [drawn(into, f) for f in range(11)]
    late = changed(into, group, time={"start": 2})
    assert np.allclose(drawn(late, 7), plain[5], atol=1e-6)
    frozen = changed(into, group, time={"position": {"value": 3}})
    assert np.allclose(drawn(frozen, 9), plain[3], atol=1e-6)
    slow = changed(into, group, time={"speed": {"value": 0.5}})
    y, x = np.nonzero(drawn(slow, 5)[..., 0] > 0.9)
    assert (x.min() + x.max() + 1) / 2 == pytest.approx(125, abs=0.6)  # frame 2.5, half way between two


def at(what: Shot, frame: float) -> float:
    """Where the square of the moving footage lies, in its own pixels."""
    columns = drawn(what, frame)[90, :, 0]
    wall = drawn(shot(), 0)[90, :, 0]
    weight = np.abs(columns - wall)
    return float((weight * (np.arange(320) + 0.5)).sum() / weight.sum()) - 120


def run(**time: Any) -> Shot:
    return changed(shot(spot("a", footage="run")), "a", time=time)


def test_footage_is_frozen_turned_round_keyed_and_fitted() -> None:
    assert at(run(), 4) == pytest.approx(24, abs=0.1) and at(run(position={"value": 7}), 40) == pytest.approx(
        27, abs=0.1
    )
    assert at(run(speed={"value": -1}), 0) == pytest.approx(43, abs=0.1)
    keyed = {
        "value": 0,
        "keys": [{"frame": 0, "value": 10, "ease": "linear"}, {"frame": 10, "value": 0, "ease": "linear"}],
    }
    assert at(run(position=keyed), 4) == pytest.approx(26, abs=0.1)
    assert at(run(start=5.5), 6) == pytest.approx(20, abs=0.1) and at(run(speed={"value": 0.5}), 5) == pytest.approx(
        22, abs=0.1
    )


def test_what_lies_between_two_frames() -> None:
    slow = {"speed": {"value": 0.5}}
    mixed = drawn(run(**slow, between="mixed"), 5)[90, :, 0]
    ends = [drawn(run(position={"value": v}), 0)[90, :, 0] for v in (2, 3)]
    assert np.allclose(mixed, (ends[0] + ends[1]) / 2, atol=1e-5)
    assert at(run(**slow, between="by motion"), 5) == pytest.approx(22.5, abs=0.35)
    assert np.array_equal(drawn(run(**slow, between="by motion"), 4), drawn(run(**slow), 4))


def test_a_twin_is_its_original_and_lies_elsewhere() -> None:
    original = spot(
        "a", 100, 70, effects=[{"kind": "grade", "id": "g", "exposure": {"value": -1}}], cut=[{"matte": "m"}]
    )
    mattes = {
        "m": {
            **CUT["m"],
            "pieces": [
                {
                    **BOX,
                    "outline": {"value": {"points": [{"at": p} for p in ([90, 60], [100, 60], [100, 80], [90, 80])]}},
                }
            ],
        }
    }
    what = shot(original, mattes=mattes)
    twin, _, change = do(what, "twin", {"layer": "a", "frame": 0})
    twin_id = change.select[0].removeprefix("layers/")
    assert (
        np.abs(
            drawn(looked_at(twin, Look(of="layer", layer=twin_id)))
            - drawn(looked_at(twin, Look(of="layer", layer="a")))
        ).max()
        < 1e-5
    )
    below = changed(
        twin, twin_id, place={"position": {"value": [100, 120]}, "scale": {"value": [1, -1]}, "hang": {"layer": "a"}}
    )
    seen = drawn(looked_at(below, Look(of="layer", layer=twin_id)))
    y, x = np.nonzero(seen[..., 3] > 0.5)
    assert (x.min(), x.max() + 1, y.min(), y.max() + 1) == (90, 100, 110, 130)
    assert seen[115, 95, 0] == pytest.approx(0.5, rel=2e-3)
    follows = changed(below, "a", place={"position": {"value": [130, 70]}, "ride": {"track": "nail"}})
    assert ride_matrices(Renderer(Counted(), paths, 1 << 20).planner(follows).places, 3)[twin_id][
        :2, 2
    ] == pytest.approx([9, 3])  # type: ignore[arg-type,index]


def test_a_twin_of_a_group_and_of_the_plate() -> None:
    into, group = grouped(shot(spot("a", 100, 90), spot("b", 200, 90)), "a", "b")
    twin, _, change = do(into, "twin", {"layer": group, "frame": 0})
    of_group = change.select[0].removeprefix("layers/")
    assert (
        np.abs(
            drawn(looked_at(twin, Look(of="layer", layer=of_group)))[..., 3]
            - drawn(looked_at(twin, Look(of="layer", layer=group)))[..., 3]
        ).max()
        < 1e-5
    )
    plate, _, change = do(shot(), "twin", {"layer": "plate", "frame": 0})
    assert plate.stack[-1] == "plate" and np.array_equal(drawn(plate), drawn(shot()))


def with_layers(*layers: dict[str, Any], stack: list[str]) -> dict[str, Any]:
    plain = shot().model_dump(mode="json")
    plain["layers"].update({made["id"]: {"name": made["id"], **made} for made in layers})
    return plain | {"stack": [*stack, "plate"]}


@pytest.mark.parametrize(
    ("layers", "stack", "words"),
    [
        ([{"id": "a", "content": {"kind": "twin", "layer": "b"}}, {"id": "b", "content": {"kind": "twin", "layer": "a"}}], ["a", "b"], "would show itself"),
        ([{"id": "a", "content": {"kind": "twin", "layer": "a"}}], ["a"], "would show itself"),
        ([{"id": "g", "content": {"kind": "group", "stack": ["g"]}}], [], "lie within itself"),
        ([{"id": "g", "content": {"kind": "group", "stack": ["h"]}}, {"id": "h", "content": {"kind": "group", "stack": ["g"]}}], [], "lie within itself"),
        ([{"id": "g", "content": {"kind": "group", "stack": ["a"]}}, {"id": "a", "content": {"kind": "twin", "layer": "g"}}], ["g"], "would show itself"),
        ([{"id": "g", "content": {"kind": "group", "stack": ["a"]}, "place": {"hang": {"layer": "a"}}}, {"id": "a", "content": {"kind": "nothing"}}], ["g"], "would hang from itself"),
        ([{"id": "g", "content": {"kind": "group", "stack": ["plate"]}}], ["g"], "exactly once"),
        ([{"id": "a", "content": {"kind": "twin", "layer": "gone"}}], ["a"], "is the twin of a layer that is not in the shot"),
        ([{"id": "a", "content": {"kind": "twin", "layer": "v"}}, {"id": "v", "content": {"kind": "beneath"}}], ["a", "v"], "not a layer with a picture"),
        ([{"id": "a", "content": {"kind": "group", "stack": []}, "cuts": {"c": {"id": "d", "matte": "m"}}}], ["a"], "cut"),
    ],
)  # fmt: skip
def test_circles_and_broken_stacks_are_refused_in_words(
    layers: list[dict[str, Any]], stack: list[str], words: str
) -> None:
    with pytest.raises(BadInput, match=words):
        load_shot(with_layers(*layers, stack=stack))


def test_groups_nested_fifty_deep_and_five_hundred_layers() -> None:
    nested = [
        {"id": f"g{i}", "content": {"kind": "group", "stack": [f"g{i + 1}"] if i < 49 else ["a"]}} for i in range(50)
    ]
    bottom = {"id": "a", "content": {"kind": "footage", "footage": "spot"}, "place": {"position": {"value": [160, 90]}}}
    for group in nested:
        group["place"] = {"position": {"value": [160, 90]}}
    deep = load_shot(with_layers(bottom, *nested, stack=["g0"]))
    assert np.array_equal(drawn(deep), drawn(shot(spot("a"))))
    many = [{"id": f"n{i}", "content": {"kind": "footage", "footage": "spot"}} for i in range(499)]
    begun = time.monotonic()
    wide = load_shot(with_layers(*many, stack=[m["id"] for m in many]))
    Renderer(Counted(), paths, 1 << 20).planner(wide).plan(0)  # type: ignore[arg-type]
    assert time.monotonic() - begun < 60  # no hang
    with pytest.raises(BadInput):
        load_shot(
            with_layers(*many, {"id": "more", "content": {"kind": "nothing"}}, stack=[*(m["id"] for m in many), "more"])
        )


def test_kinds_that_are_not_installed_are_kept_and_show_nothing() -> None:
    plain = shot(spot("a"), spot("b")).model_dump(mode="json")
    a, b = plain["layers"]["a"], plain["layers"]["b"]
    a["effects"], a["chain"] = {"x": {"kind": "sparkle", "id": "x", "glitter": [1, {"deep": 2}]}}, ["x"]
    a["meets"], a["meeting"] = {"y": {"kind": "handshake", "id": "y", "firm": 1}}, ["y"]
    b["content"] = {"kind": "hologram", "film": "none"}
    loaded = load_shot(plain)
    kept = loaded.model_dump(mode="json")["layers"]
    assert kept["a"]["effects"]["x"]["glitter"] == [1, {"deep": 2}] and kept["a"]["meets"]["y"]["firm"] == 1
    assert kept["b"]["content"] == {"kind": "hologram", "film": "none"}
    assert np.array_equal(drawn(loaded), drawn(shot(spot("a"))))
    assert load_shot(loaded.model_dump(mode="json")) == loaded


def test_removing_takes_what_hangs_on_it_and_nothing_else() -> None:
    ride = {"track": "nail"}
    look = {"kind": "light", "id": "l", "ride": ride}
    looks = {
        "m": {
            "id": "m",
            "name": "m",
            "pieces": [BOX | {"ride": ride}, {"kind": "luma", "id": "k", "name": "k", "layer": "a"}],
        }
    }
    what = shot(
        spot("a", effects=[look]),
        spot("b", place={"ride": ride, "hang": {"layer": "a"}}, cut=[{"matte": "m"}]),
        mattes=looks,
    )
    twin = given(what, "twin", layer="a")
    without = given(twin, "remove-tracks", tracks=["nail"])
    assert "nail" not in str(without.model_dump(mode="json")) and without.layers["a"].effects["l"].on
    gone = given(twin, "remove-layers", layers=["a"])
    assert (
        set(gone.layers) == {"b", "plate"} and gone.mattes["m"].order == ["s"] and gone.layers["b"].place.hang is None
    )
    assert given(twin, "remove-mattes", mattes=["m"]).layers["b"].cuts == {}
    into, group = grouped(what, "a", "b")
    assert set(given(into, "remove-layers", layers=[group]).layers) == {"plate"}


def test_layers_move_within_and_between_groups_and_are_copied_together() -> None:
    what = shot(spot("a"), spot("b"), spot("c", place={"hang": {"layer": "b"}}))
    into, group = grouped(what, "b", "c")
    assert given(into, "move", layers=["a"], group=group, before="c").layers[group].stack == ["b", "a", "c"]
    assert given(into, "move", layers=["c"]).stack == ["a", group, "c", "plate"]
    assert given(into, "move", layers=["a"], before="plate").stack == [group, "a", "plate"]
    with pytest.raises(BadInput, match="plate stays"):
        given(into, "move", layers=["plate"])
    with pytest.raises(BadInput):
        given(into, "move", layers=[group], group=group)
    double, _, change = do(into, "duplicate", {"layers": [group, "b"]})
    copy = double.layers[change.select[0].removeprefix("layers/")]
    assert len(change.select) == 1 and copy.stack is not None and len(copy.stack) == 2
    assert double.layers[copy.stack[1]].place.hang.layer == copy.stack[0]  # type: ignore[union-attr]


def test_commands_say_what_does_not_fit() -> None:
    assert {"group", "ungroup", "twin", "move", "duplicate", "remove-layers"} <= set(commands())
    for name, arguments, words in (
        ("dance", {}, "no command"),
        ("group", {"layers": ["gone"]}, "gone"),
        ("group", {"layer": 1}, "layers"),
        ("ungroup", {"group": "plate"}, "no group"),
    ):
        with pytest.raises((BadInput, NotFound), match=words):
            do(shot(), name, arguments)


def test_a_ring_is_a_carrier_with_cards_at_equal_distances_in_place_of_the_layer() -> None:
    before = shot(spot("a"), spot("b"), spot("c"))
    made, _, change = do(before, "ring", {"layer": "b", "count": 4, "radius": 100, "width": 80, "tilt": 10})
    assert change.label == "make a ring of b" and "b" not in made.layers
    carrier, *cards = made.stack[1:6]
    assert change.select == [f"layers/{carrier}"] and made.stack[0] == "a" and made.stack[6] == "c"
    depths = [made.layers[i].place.depth for i in cards]
    assert [d.position.value for d in depths if d] == [(0, 0, -100), (-100, 0, 0), (0, 0, 100), (100, 0, 0)]
    assert [d.rotation.value[1] for d in depths if d] == [0, 90, 180, 270]
    hang = [made.layers[i].place.hang for i in cards]
    assert all(h and h.layer == carrier for h in hang) and [made.layers[i].name for i in cards][3] == "b 4"
    hung = before.model_dump(mode="json")
    hung["layers"]["a"]["place"]["hang"] = {"layer": "b"}
    kept = do(load_shot(hung), "ring", {"layer": "b", "facing": "camera"})[0]
    assert "b" in kept.layers and kept.stack.index("b") == 1 and len(kept.stack) == len(before.stack) + 9
    with pytest.raises(BadInput, match="no insert"):
        do(before, "ring", {"layer": before.plate})
