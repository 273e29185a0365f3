"""A new floor, origin or unit for a solved scene."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, ClassVar

import numpy as np
import scipy
from numpy.typing import NDArray
from pydantic import Field

from tropein.core.animate.camera import placed
from tropein.core.commands.common import Plain, known
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.errors import BadInput

Array = NDArray[np.float64]
Entry = Annotated[float, Field(ge=-1e9, le=1e9)]
LENGTHS = ("near", "far", "height")  # of a piece by distance


@command
class SetWorld(Command):
    """Gives a solved scene another floor, origin or unit: a turn, a shift and a scale (4x4, row by row) that take the solve's own space to the
    world. What lies in the scene goes along, so that nothing is seen to move."""

    name: ClassVar[str] = "set-world"
    title: ClassVar[str] = "Set the world of a scene"
    track: Id
    world: Annotated[list[Entry], Field(min_length=16, max_length=16)]
    called: Annotated[str, Field(max_length=120, description="what of it is set, for the history")] = "the world"

    def run(self, shot: Shot, document: Plain) -> Change:
        track = shot.tracks[known(shot, "tracks", [self.track])[0]]
        if "world" not in type(track).model_fields:
            raise BadInput(f"{track.name} is no solved camera: it has no scene.")
        new = np.array(self.world, np.float64).reshape(4, 4)
        old = np.eye(4) if track.scene_world is None else np.array(track.scene_world, np.float64).reshape(4, 4)
        _holds(new)
        change: Array = new @ np.linalg.inv(old)
        size = float(np.cbrt(np.linalg.det(change[:3, :3])))
        document["tracks"][track.id]["world"] = self.world
        for matte in document["mattes"].values():
            for piece in matte["pieces"].values():
                if piece.get("track") == track.id and piece["kind"] == "distance":
                    for name in LENGTHS:
                        _every(piece[name], lambda v: v * size)
        self._layers(shot, document, change, size)
        return Change(f"set {self.called} of {track.name}")

    def _layers(self, shot: Shot, document: Plain, change: Array, size: float) -> None:
        turn = change[:3, :3] / size
        below = _hanging(document)
        for layer in shot.layers.values():
            depth = layer.place.depth
            if depth is None or depth.track != self.track or _in_depth(document, layer.place.hang):
                continue
            plain = document["layers"][layer.id]
            lies = plain["place"]["depth"]
            _every(lies["position"], lambda p: (change[:3, :3] @ p + change[:3, 3]).tolist())
            _grown(plain, size)
            if lies["facing"] == "own" and not np.allclose(turn, np.eye(3), atol=1e-9):
                _every(lies["rotation"], lambda r: _turned(turn, r))
            for child in below(layer.id):
                _every(child["place"]["depth"]["position"], lambda p: (size * np.array(p)).tolist())
                _grown(child, size)


def _holds(world: Array) -> None:
    """It turns, shifts and scales, and does nothing else."""
    turn = world[:3, :3]
    det = np.linalg.det(turn)
    if det <= 1e-12 or not np.allclose(world[3], [0, 0, 0, 1]):
        raise BadInput("A world is made by a turn, a shift and a scale.")
    if not np.allclose(turn @ turn.T, np.eye(3) * np.cbrt(det) ** 2, atol=1e-4 * np.cbrt(det) ** 2):
        raise BadInput("A world is made by a turn, a shift and a scale: this matrix skews.")


def _turned(turn: Array, degrees: list[float]) -> list[float]:
    own = placed(np.zeros(3), np.array(degrees))[:3, :3]
    turns: list[float] = scipy.spatial.transform.Rotation.from_matrix(turn @ own).as_euler("xyz", degrees=True).tolist()
    return turns


def _every(parameter: Plain, change: Callable[[Any], Any]) -> None:
    """A parameter changed throughout: its constant and every key."""
    parameter["value"] = change(parameter["value"])
    for key in parameter["keys"]:
        key["value"] = change(key["value"])


def _grown(layer: Plain, size: float) -> None:
    _every(layer["place"]["depth"]["width"], lambda v: v * size)
    for meet in layer["meets"].values():
        if meet["kind"] == "touches":
            _every(meet["soft"], lambda v: v * size)


def _in_depth(document: Plain, hang: Any) -> bool:
    return hang is not None and document["layers"][hang.layer]["place"]["depth"] is not None


def _hanging(document: Plain) -> Callable[[str], list[Plain]]:
    """What hangs from a layer, through others too, as far as it lies in depth."""

    def below(layer: str) -> list[Plain]:
        own = [one for one in document["layers"].values() if (one["place"]["hang"] or {}).get("layer") == layer]
        return [one for child in own for one in ([child] if child["place"]["depth"] else []) + below(child["id"])]

    return below
