"""Values of a whole shot at one frame, movers included, with what they may ask for."""

from __future__ import annotations

from typing import Any

from tropein.core.animate.sample import sample
from tropein.core.document.animated import Animated
from tropein.core.document.shot import Shot
from tropein.core.errors import BadInput


class Sampler:
    """Gives any parameter of a shot its value at a frame. A parameter that follows another is refused where that goes round in a circle."""

    def __init__(self, shot: Shot, frame: float) -> None:
        self.shot, self.frame = shot, frame
        self._under_way: list[str] = []

    def value(self, parameter: Animated[Any]) -> Any:
        return sample(parameter, self.frame, self)

    def at(self, address: str) -> Any:
        if address in self._under_way:
            raise BadInput(f"{address} would follow itself.")
        self._under_way.append(address)
        try:
            return self.value(self._found(address))
        finally:
            self._under_way.pop()

    def _found(self, address: str) -> Animated[Any]:
        value: Any = self.shot
        for part in address.strip("/").split("/"):
            value = value.get(part) if isinstance(value, dict) else getattr(value, part, None)
        if not isinstance(value, Animated):
            raise BadInput(f"There is no parameter {address}.")
        return value
