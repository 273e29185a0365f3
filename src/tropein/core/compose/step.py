"""One operation of a plan, named by what goes into it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from hashlib import blake2b
from typing import Any


@dataclass(frozen=True, eq=False)
class Step:
    """`make(*results of the inputs)` gives a Picture or a Coverage; `key` names its result for ever."""

    key: str
    make: Callable[..., Any]
    inputs: tuple[Step, ...] = ()


def step(op: str, parameters: object, inputs: tuple[Step, ...], make: Callable[..., Any]) -> Step:
    """A step whose key is the hash of its operation, parameters and inputs."""
    text = repr((op, parameters, [i.key for i in inputs]))
    return Step(blake2b(text.encode(), digest_size=16).hexdigest(), make, inputs)
