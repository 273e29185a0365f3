"""Every kind of value under every ease: numbers out, numbers in, and a value of its kind between two keys."""

from __future__ import annotations

import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tropein.core.animate.sample import sample
from tropein.core.animate.values import flat
from tropein.core.document.animated import Animated, DrawnCurve, Key
from tropein.core.document.matte import Outline, OutlinePoint

number = st.floats(-1000, 1000, allow_nan=False)
vec2, vec3 = st.tuples(number, number), st.tuples(number, number, number)
corners = st.tuples(vec2, vec2, vec2, vec2)
share = st.floats(0, 1, allow_nan=False)
point = st.builds(OutlinePoint, at=vec2, before=vec2, after=vec2, outer=st.floats(0, 50), inner=st.floats(0, 50))


def outline(n: int) -> st.SearchStrategy[Outline]:
    return st.builds(Outline, points=st.lists(point, min_size=n, max_size=n))


def curve(n: int) -> st.SearchStrategy[DrawnCurve]:
    ys = st.lists(share, min_size=n, max_size=n)
    return ys.map(lambda v: DrawnCurve(points=[(i / (n - 1), y) for i, y in enumerate(v)]))


KINDS: dict[str, st.SearchStrategy[Any]] = {
    "number": number, "vec2": vec2, "vec3": vec3, "corners": corners, "outline": outline(3), "curve": curve(4),
}  # fmt: skip
eases = st.sampled_from(["hold", "linear", "smooth", "bezier"])
handles = st.tuples(share, st.floats(-4, 5), share, st.floats(-4, 5))


@pytest.mark.parametrize("kind", KINDS)
@settings(max_examples=60, deadline=None)
@given(data=st.data())
def test_any_value_is_sampled_under_any_ease(kind: str, data: st.DataObject) -> None:
    frames = sorted(data.draw(st.sets(st.integers(-50, 50), min_size=1, max_size=5)))
    keys = [
        Key[Any].model_construct(
            frame=f, value=data.draw(KINDS[kind]), ease=data.draw(eases), handles=data.draw(handles)
        )
        for f in frames
    ]
    parameter = Animated[Any].model_construct(value=keys[0].value, keys=keys)
    for key in keys:
        assert close(flat(sample(parameter, key.frame))[0], flat(key.value)[0])
    at = data.draw(st.floats(-60, 60, allow_nan=False))
    found = sample(parameter, at)
    assert type(found) is type(keys[0].value) and len(flat(found)[0]) == len(flat(keys[0].value)[0])
    assert all(math.isfinite(n) for n in flat(found)[0])
    if isinstance(found, DrawnCurve):
        DrawnCurve.model_validate(found.model_dump())  # runs from left to right, within its square
    smooth = [k.model_copy(update={"ease": "smooth"}) for k in keys]
    for a, b in zip(smooth, smooth[1:], strict=False):  # a monotone cubic stays between its keys
        middle = sample(Animated[Any].model_construct(value=a.value, keys=smooth), (a.frame + b.frame) / 2)
        for low, mid, high in zip(flat(a.value)[0], flat(middle)[0], flat(b.value)[0], strict=True):
            assert min(low, high) - 1e-3 <= mid <= max(low, high) + 1e-3


def close(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return len(a) == len(b) and all(abs(x - y) < 1e-3 for x, y in zip(a, b, strict=True))


@given(st.one_of(*KINDS.values()))
@settings(max_examples=80, deadline=None)
def test_flat_and_back_is_the_same(value: Any) -> None:
    numbers, back = flat(value)
    assert close(flat(back(numbers))[0], numbers) and type(back(numbers)) is type(value)


def test_values_of_other_shapes_hold() -> None:
    three, five = (
        DrawnCurve(points=[(0, 0), (0.5, 1), (1, 0)]),
        DrawnCurve(points=[(0, 0), (0.2, 0), (0.4, 1), (0.8, 1), (1, 1)]),
    )
    for ease in ("linear", "smooth", "bezier"):
        keys = [Key[Any](frame=f, value=v, ease=ease) for f, v in ((0, three), (10, five), (20, five))]  # type: ignore[arg-type]
        parameter = Animated[Any].model_construct(value=three, keys=keys)
        assert sample(parameter, 5) == three and len(sample(parameter, 15).points) == 5
