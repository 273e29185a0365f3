from __future__ import annotations

import copy
import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.builders import document, layer, shot
from tropein.core.animate.sample import sample
from tropein.core.document.held import Held, edit
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput


def broken(change: Any) -> str:
    d = document([layer("a")])
    change(d)
    with pytest.raises(BadInput) as caught:
        load_shot(d)
    return caught.value.message


def test_defaults_are_filled_in_and_survive_a_round_trip() -> None:
    shot = load_shot(document([layer("a", effects=[{"kind": "blur", "id": "b"}])]))
    data = shot.model_dump(mode="json")
    assert data["layers"]["a"]["effects"]["b"]["radius"] == {"value": 6.0, "keys": []}
    assert load_shot(data) == shot


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: d.update(surprise=1), "surprise"),
        (lambda d: d["layers"]["a"].update(footage="gone"), "shows footage that is not in the shot"),
        (lambda d: d["stack"].pop(0), "every layer exactly once"),
        (lambda d: d["stack"].reverse(), "plate must be the last"),
        (lambda d: d["layers"]["a"].update(place={"ride": {"track": "gone"}}), "rides on a track"),
        (lambda d: d["layers"]["a"].update(opacity={"value": math.nan}), "finite"),
        (lambda d: d["layers"]["a"].update(effects=[{"kind": 3, "id": "x"}]), "object with a kind"),
        (lambda d: d["layers"]["a"].update(effects=[3]), "hold together"),
        (lambda d: d.update(trim=[10, 90]), "trim"),
        (lambda d: d.update(size=[100000, 100000]), "pixels"),
        (lambda d: d.update(schema_version=99), "version"),
        (lambda d: d.update(rate="24/0"), "zero"),
        (lambda d: d["layers"]["a"].update(opacity={"value": 1, "keys": [{"frame": 3, "value": 1}, {"frame": 3, "value": 0}]}), "order"),
    ],
)  # fmt: skip
def test_what_does_not_hang_together_is_refused_in_words(change: Any, words: str) -> None:
    assert words in broken(change)


def test_something_that_is_no_document_is_refused() -> None:
    for thing in (None, [], "shot", 3, {}):
        with pytest.raises(BadInput):
            load_shot(thing)


def test_an_edit_keeps_its_inverse() -> None:
    before = load_shot(document([layer("a")])).model_dump(mode="json")
    after, shot, patch, inverse = edit(before, [{"op": "replace", "path": "/layers/a/opacity/value", "value": 0.25}])
    assert shot.layers["a"].opacity.value == 0.25
    assert apply_patch(after, inverse) == before
    assert apply_patch(before, patch) == after


def test_an_edit_that_breaks_the_document_changes_nothing() -> None:
    before = load_shot(document([layer("a")])).model_dump(mode="json")
    kept = copy.deepcopy(before)
    for ops in (
        [{"op": "remove", "path": "/layers/a"}],
        [{"op": "replace", "path": "/nowhere/at/all", "value": 1}],
        [{"op": "add", "path": "/layers/a/opacity/value", "value": "much"}],
        [{"nonsense": True}],
    ):
        with pytest.raises(BadInput):
            edit(before, ops)
    assert before == kept


paths = st.sampled_from(
    [
        "/name",
        "/trim",
        "/layers/a/opacity/value",
        "/layers/a",
        "/stack/0",
        "/stack",
        "/rate",
        "/footage/wall/media",
        "/cues/-",
    ]
)
values = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=True) | st.integers(-(2**40), 2**40) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3), max_leaves=6,
)  # fmt: skip


@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.fixed_dictionaries(
            {
                "op": st.sampled_from(["add", "remove", "replace", "move", "copy", "test"]),
                "path": paths,
                "value": values,
                "from": paths,
            }
        ),
        max_size=4,
    )
)
def test_any_edit_either_gives_a_valid_document_or_is_refused(ops: list[dict[str, Any]]) -> None:
    before = load_shot(document([layer("a")])).model_dump(mode="json")
    try:
        after, _, _, inverse = edit(before, ops)
    except BadInput:
        return
    assert load_shot(after).model_dump(mode="json") == after
    assert apply_patch(after, inverse) == before


touched = st.sampled_from(
    ["/layers/a/opacity/value", "/layers/a/name", "/layers/a/effects", "/layers/a", "/layers", "/stack", "/stack/0", "/name", "/plate", "/layers/a/content/footage"]
)  # fmt: skip
fitting = st.sampled_from(
    [0.5, "New", {}, [], None, ["a", "plate"], ["plate"], "wall", {"b": {"kind": "blur", "id": "b"}}]
)


@settings(max_examples=200, deadline=None)
@given(
    st.lists(
        st.fixed_dictionaries(
            {
                "op": st.sampled_from(["add", "remove", "replace", "copy"]),
                "path": touched,
                "value": fitting,
                "from": touched,
            }
        ),
        min_size=1,
        max_size=4,
    )
)
def test_an_edit_of_what_is_touched_is_an_edit_of_the_whole(ops: list[dict[str, Any]]) -> None:
    """Parts validated by themselves against the whole validated anew: the same document, or both refuse; and there and back."""
    held = Held.of(document([layer("a")]))
    kept = copy.deepcopy(held.plain)
    try:
        after, patch, inverse = held.edit(ops)
    except BadInput:
        with pytest.raises(BadInput):
            load_shot(apply_patch(kept, ops))
    else:
        whole = load_shot(apply_patch(kept, ops))
        assert after.shot == whole and after.plain == whole.model_dump(mode="json")
        assert apply_patch(kept, patch) == after.plain and apply_patch(after.plain, inverse) == kept
    assert held.plain == kept and held.shot == load_shot(kept)


def test_pieces_and_tracks_that_are_not_installed_are_kept_and_do_nothing() -> None:
    odd = {"kind": "smoke", "id": "s", "name": "s", "density": {"thick": 3}, "on": True}
    whole = shot(
        mattes={"m": {"id": "m", "name": "m", "pieces": [odd]}},
        tracks={"t": {"kind": "sonar", "id": "t", "name": "t", "footage": "wall", "depth": [1, 2]}},
    )
    plain = whole.model_dump(mode="json")
    assert plain["mattes"]["m"]["pieces"]["s"]["density"] == {"thick": 3} and plain["tracks"]["t"]["depth"] == [1, 2]
    assert load_shot(plain) == whole and whole.tracks["t"].unknown
    held = Held.of(plain)
    after, _, back = held.edit([{"op": "replace", "path": "/mattes/m/pieces/s/name", "value": "Smoke"}])
    assert after.plain["mattes"]["m"]["pieces"]["s"]["density"] == {"thick": 3}
    assert after.edit(back)[0].plain == plain
    with pytest.raises(BadInput, match="not installed"):
        whole.tracks["t"].measure(None)
    with pytest.raises(BadInput, match="not in the shot"):  # what it shares with the others is still looked at
        load_shot({**plain, "tracks": {"t": {**plain["tracks"]["t"], "footage": "gone"}}})


def test_a_hundred_thousand_keys_are_taken_and_one_more_is_refused_in_words() -> None:
    plain = shot([layer("a")]).model_dump(mode="json")
    keys = [{"frame": i, "value": i / 100_000, "ease": "smooth"} for i in range(100_000)]
    plain["layers"]["a"]["opacity"] = {"value": 1.0, "keys": keys}
    held = Held.of(plain)
    opacity = held.shot.layers["a"].opacity
    assert sample(opacity, 70_000.5) == pytest.approx(0.700005) and sample(opacity, 2e5) == pytest.approx(0.99999)
    after = held.edit([{"op": "replace", "path": "/layers/a/opacity/keys/5/value", "value": 0.5}])[0]
    assert sample(after.shot.layers["a"].opacity, 5) == 0.5 and sample(opacity, 5) == pytest.approx(5e-5)
    more = {"op": "add", "path": "/layers/a/opacity/keys/-", "value": {"frame": 100_001, "value": 1.0}}
    with pytest.raises(BadInput, match="100000"):
        held.edit([more])
