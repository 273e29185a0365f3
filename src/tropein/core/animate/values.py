"""Every kind of value as numbers and back, so that keys and eases are one thing for all of them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from tropein.core.document.animated import DrawnCurve
from tropein.core.document.matte import Outline, OutlinePoint

Numbers = tuple[float, ...]
Back = Callable[[Numbers], Any]


def flat(value: Any) -> tuple[Numbers, Back]:
    """(the numbers of a value, how a value is made of so many numbers again)."""
    kind = type(value)
    if kind is float:
        return (value,), _first
    if kind is tuple and all(type(v) is float for v in value):
        return value, _same
    if isinstance(value, Outline):
        return tuple(n for p in value.points for n in p.numbers()), _outline
    if isinstance(value, DrawnCurve):
        return tuple(n for p in value.points for n in p), _curve
    if isinstance(value, tuple | list):
        parts = [flat(v) for v in value]
        counts, backs = [len(p) for p, _ in parts], [b for _, b in parts]
        return tuple(n for p, _ in parts for n in p), lambda numbers: _split(numbers, counts, backs)
    return (float(value),), lambda numbers: numbers[0]


def _first(numbers: Numbers) -> float:
    return numbers[0]


def _same(numbers: Numbers) -> Numbers:
    return tuple(numbers)


def _split(numbers: Numbers, counts: list[int], backs: list[Back]) -> tuple[Any, ...]:
    out, at = [], 0
    for count, back in zip(counts, backs, strict=True):
        out.append(back(numbers[at : at + count]))
        at += count
    return tuple(out)


def _outline(numbers: Numbers) -> Outline:
    return Outline.model_construct(points=[OutlinePoint.of(numbers[i : i + 8]) for i in range(0, len(numbers), 8)])


def _curve(numbers: Numbers) -> DrawnCurve:
    """A curve stays within its square, and runs from left to right, whatever an ease overshoots to."""
    held = [min(max(n, 0.0), 1.0) for n in numbers]
    xs, ys = held[0::2], held[1::2]
    for i in range(1, len(xs)):
        xs[i] = max(xs[i], xs[i - 1] + _APART)
    for i in range(len(xs) - 1, -1, -1):
        xs[i] = min(xs[i], 1.0 - (len(xs) - 1 - i) * _APART)
    return DrawnCurve(points=list(zip(xs, ys, strict=True)))


_APART = 2e-4  # between the points of a drawn curve: twice what it must be
