"""Keys by how loud a sound is."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field

from tropein.core.animate.fewest import fewest_keys
from tropein.core.commands.addresses import Address, holder_of
from tropein.core.commands.common import Plain
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Shot
from tropein.core.document.base import MOST_FRAMES, Frame, Name
from tropein.core.errors import BadInput

RANGE_DB = 24.0  # from nothing to all
UNDER_DB = 6.0  # of the loudest: from there on it is all
NEAR = 0.02  # of the range of values: keys nearer to a straight line are not set
Level = Annotated[float, Field(ge=-200, le=60)]
Value = Annotated[float, Field(ge=-1e6, le=1e6)]


@command
class KeysByLoudness(Command):
    """Keys a number from `quiet` to `loud` by the levels of a sound at some frames: `loud` within 6 dB of its loudest, `quiet` 24 dB below that. They
    take the place of the keys it has there."""

    name: ClassVar[str] = "keys-by-loudness"
    title: ClassVar[str] = "Keys by loudness"
    at: Address
    sound: Annotated[Name, Field(description="what the sound is called")]
    first: Frame
    levels: Annotated[
        list[Level], Field(min_length=2, max_length=MOST_FRAMES, description="dB, of each frame from the first on")
    ]
    quiet: Value
    loud: Value

    def run(self, shot: Shot, document: Plain) -> Change:
        holder, name = holder_of(document, self.at)
        parameter = holder[name]
        if not isinstance(parameter, dict) or not isinstance(parameter.get("value"), int | float):
            raise BadInput("Loudness keys a number, and this is none.")
        levels = np.array(self.levels)
        top = levels.max() - UNDER_DB
        share = np.clip((levels - (top - RANGE_DB)) / RANGE_DB, 0, 1)
        if np.ptp(share) < NEAR:
            raise BadInput(f"{self.sound} is as loud all the time here: there is nothing to go by.")
        values = self.quiet + share * (self.loud - self.quiet)
        frames = list(range(self.first, self.first + len(levels)))
        found = fewest_keys(frames, values, NEAR * abs(self.loud - self.quiet))
        if "keys" not in found:
            raise BadInput("It is the same loud and quiet: set what it is to be where the sound is loud, then key it.")
        rest = [k for k in parameter.get("keys", []) if not frames[0] <= k["frame"] <= frames[-1]]
        parameter["keys"] = sorted([*rest, *found["keys"]], key=lambda k: int(k["frame"]))
        return Change(f"key {name.replace('_', ' ')} by the loudness of {self.sound}")
