"""Movers: live modifiers of any kind of value, kept in the document, seekable."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
import pytest

from tests.core.builders import document, layer
from tropein.core.animate.sample import keyed, sample
from tropein.core.animate.sampler import Sampler
from tropein.core.compose.places import Places
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import AnimatedCorners, AnimatedNumber, Shot
from tropein.core.document.mover import MOVERS, MoverBase, Numbers, Sampling
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput


class Follow(MoverBase):
    """Adds another parameter's value; for tests."""

    title: ClassVar[str] = "Follow"
    kind: Literal["follow"] = "follow"
    what: str = ""

    def moved(self, numbers: Numbers, frame: float, sampler: Sampling | None) -> Numbers:
        assert sampler is not None
        return tuple(n + float(sampler.at(self.what)) for n in numbers)


@pytest.fixture(autouse=True)
def follow() -> Any:
    MOVERS.add(Follow)
    yield
    MOVERS._kinds.pop("follow")


def moved(*movers: dict[str, Any], value: Any = 5.0) -> dict[str, Any]:
    return {"value": value, "movers": {m["id"]: m for m in movers}, "moving": [m["id"] for m in movers]}


JITTER = {"kind": "jitter", "id": "j", "amount": 2.0, "every": 3.0}


def test_jitter_stays_near_is_smooth_and_the_same_whenever_it_is_asked() -> None:
    parameter = AnimatedNumber.model_validate(moved(JITTER))
    values = np.array([sample(parameter, f) for f in range(400)])
    assert np.abs(values - 5).max() < 2.6 and values.std() > 0.6 and abs(values.mean() - 5) < 0.4
    assert sample(parameter, 317) == values[317] and keyed(parameter, 317) == 5
    assert abs(sample(parameter, 10.01) - sample(parameter, 10)) < 0.05
    other = AnimatedNumber.model_validate(moved(JITTER | {"seed": 2}))
    assert np.corrcoef(values, [sample(other, f) for f in range(400)])[0, 1] < 0.3
    off = AnimatedNumber.model_validate(moved(JITTER | {"on": False}))
    assert sample(off, 3) == 5.0


def test_every_kind_of_value_is_moved_number_by_number() -> None:
    corners = AnimatedCorners.model_validate(moved(JITTER, value=[[0, 0], [10, 0], [10, 10], [0, 10]]))
    at = np.array(sample(corners, 7))
    assert at.shape == (4, 2) and len(set((at - np.array(corners.value)).ravel().round(6))) == 8


def shot(opacity: dict[str, Any]) -> Shot:
    return load_shot(document([layer("a", opacity=opacity)]))


def test_a_value_without_movers_says_nothing_of_them_and_unknown_ones_are_kept() -> None:
    assert shot({"value": 0.5}).model_dump(mode="json")["layers"]["a"]["opacity"] == {"value": 0.5, "keys": []}
    unknown = {"kind": "wind", "id": "w", "from": "north"}
    kept = shot(moved(unknown, value=0.5))
    plain = kept.model_dump(mode="json")
    assert plain["layers"]["a"]["opacity"]["movers"]["w"]["from"] == "north" and load_shot(plain) == kept
    assert sample(kept.layers["a"].opacity, 3) == 0.5
    with pytest.raises(BadInput, match="order of the movers"):
        shot({"value": 0.5, "movers": {"w": unknown}, "moving": []})


def test_a_parameter_follows_another_and_circles_are_refused() -> None:
    follows = shot(moved({"kind": "follow", "id": "f", "what": "layers/plate/opacity"}, value=0.25))
    assert Sampler(follows, 0).value(follows.layers["a"].opacity) == 1.25
    circle = shot(moved({"kind": "follow", "id": "f", "what": "layers/a/opacity"}, value=0.25))
    with pytest.raises(BadInput, match="follow itself"):
        Sampler(circle, 0).at("layers/a/opacity")
    with pytest.raises(BadInput, match="no parameter"):
        Sampler(circle, 0).at("layers/gone/opacity")


def test_handles_are_told_what_movers_do_to_a_place() -> None:
    jitter = {"movers": {"j": {"kind": "jitter", "id": "j", "amount": 9.0}}, "moving": ["j"]}
    place = {"position": {"value": [100, 60]}, "rotation": {"value": 20}}
    plain = load_shot(document([layer("a", place=place)])).model_dump(mode="json")
    still = load_shot(plain)
    for name in ("position", "rotation"):
        plain["layers"]["a"]["place"][name] |= jitter
    moved = load_shot(plain)
    before, now = (Places(s, lambda *_: None) for s in (still, moved))
    told = ride_matrices(now, 7)["a"]
    assert told is not None and np.abs(told - np.eye(3)).max() > 0.1
    keyed = before.matrix(still.layers["a"], 7)
    assert told @ keyed == pytest.approx(now.matrix(moved.layers["a"], 7), abs=1e-9)
    assert "a" not in ride_matrices(before, 7)
