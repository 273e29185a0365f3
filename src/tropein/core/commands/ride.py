"""Tie something to a track, or untie it."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.addresses import Address, holder_of, parts_of
from tropein.core.commands.common import Plain, known
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.base import Frame
from tropein.core.document.track import TrackBase
from tropein.core.errors import BadInput


@command
class RideOn(Command):
    """Lets a layer, a point of an effect or a shape ride on a track from a frame on, where nothing jumps; without a track it is untied. How
    smoothly, and what happens in gaps, stays as it was."""

    name: ClassVar[str] = "ride"
    title: ClassVar[str] = "Let it ride on a track"
    at: Annotated[Address, Field(description="the tie: layers/ID/place/ride, layers/ID/effects/ID/ride, ...")]
    track: Id | None = None
    frame: Annotated[Frame, Field(description="of the shot")] = 0
    whole: Annotated[bool, Field(description="all of its motion; else its position alone")] = True

    def run(self, shot: Shot, document: Plain) -> Change:
        holder, name = holder_of(document, self.at)
        if not name.endswith("ride"):
            raise BadInput(f"{self.at} is not a tie to a track.")
        if parts_of(self.at) == ["layers", shot.plate, "place", "ride"]:
            raise BadInput("The plate cannot ride on a track that was made from it.")
        if self.track is None:
            holder[name] = None
            return Change(f"untie {_called(document, self.at)}")
        track = shot.tracks[known(shot, "tracks", [self.track])[0]]
        holder[name] = tie(track, self.frame, holder[name], self.whole)
        return Change(f"let {_called(document, self.at)} ride on {track.name}")


def _called(document: Plain, address: str) -> str:
    """What is tied, in words."""
    here, name = document, ""
    for part in parts_of(address)[:-1]:
        here = here[part]
        name = here.get("name", name)
    family, _, *rest = parts_of(address)
    return name if family in ("mattes", "spots") or rest == ["place", "ride"] else f"a point of {name}"


def tie(track: TrackBase, frame: int, old: Plain | None, whole: bool = True) -> Plain:
    """A plain tie to a track from a frame on."""
    kept: Plain = {name: value for name, value in (old or {}).items() if name in ("steady", "gaps")}
    parts = list(track.parts) if whole else ["position"]
    return {"track": track.id, "reference_frame": frame, "parts": parts, "spot": track.first_spot, **kept}
