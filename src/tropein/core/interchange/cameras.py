"""Solved cameras as glTF 2.0 and USD, out and in: an animated camera, and the points of the scene.

Both have y up and cameras that look along their own -z; ours have y down and look along +z. Positions are in the track's own world.
"""

from __future__ import annotations

import struct
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.document import Track
from tropein.core.errors import BadInput
from tropein.core.interchange import camera_gltf, camera_usd
from tropein.core.interchange.camera_move import Move
from tropein.core.interchange.form import FORMS, FormBase, Of
from tropein.core.limited import Limits, Say, run
from tropein.core.track.file import FileBase
from tropein.core.track.forms.camera import CameraFile, CameraSample, SolveFacts

Form = Literal["glb", "gltf", "usda", "usdc"]
READABLE = (".glb", ".gltf", ".usda", ".usdc", ".usd", ".usdz")
MOST_POINTS = 500_000
LIMITS = Limits(memory_bytes=4 << 30, quiet_s=60, total_s=60)
# what libraries raise for numbers and structures that cannot be
DAMAGED = (
    ValueError,
    LookupError,
    TypeError,
    ArithmeticError,
    AttributeError,
    RecursionError,
    AssertionError,
    struct.error,
)
FLIP = np.diag([1.0, -1.0, -1.0, 1.0])


@FORMS.add
class SolvedCamera(FormBase):
    """A solved camera, animated, with the points of its scene."""

    title: ClassVar[str] = "Camera"
    writes: ClassVar[dict[str, str]] = {
        ".glb": "glTF, one file", ".gltf": "glTF, as text", ".usda": "USD, as text", ".usdc": "USD, compact",
    }  # fmt: skip
    reads: ClassVar[tuple[str, ...]] = READABLE
    files: ClassVar[tuple[str, ...]] = ("camera",)
    into: ClassVar[tuple[str, ...]] = ("camera",)
    kind: Literal["camera"] = "camera"

    def write(self, file: FileBase, extension: str, world: list[float] | None = None) -> bytes:
        assert isinstance(file, CameraFile)
        return written(file, extension.removeprefix("."), world)  # type: ignore[arg-type]

    def read(self, data: bytes, name: str, of: Of) -> CameraFile:
        facts = SolveFacts(kind="free", reprojection_px=0.0)
        like = CameraFile(**of._asdict(), focal_px=1, principal_point=(0, 0), points3d=[], solve=facts, frames=[])
        return read_limited(data, name, like)

    def changes(self, track: Track, file: FileBase) -> dict[str, Any]:
        return {"note": file.stopped, "world": None}


def written(file: CameraFile, form: Form, world: list[float] | None = None) -> bytes:
    """The camera as a file; `world` (4x4, row by row) is what the track makes of the solved world. BadInput when nothing is
    solved."""
    move = _out(file, np.eye(4) if world is None else np.array(world).reshape(4, 4))
    if not move.frames:
        raise BadInput("There is no solved camera to write.")
    if form in ("glb", "gltf"):
        return camera_gltf.written(move, file, as_text=form == "gltf")
    return camera_usd.written(move, file, form)


def read_limited(data: bytes, name: str, like: CameraFile) -> CameraFile:
    """`read` in a child process with limits: what a library makes of a damaged file is no danger to this one."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "camera"
        path.write_bytes(data)
        arguments = [str(path), name, like.model_dump(mode="json")]
        return CameraFile.model_validate(run("tropein.core.interchange.cameras:_in_child", arguments, LIMITS))


def _in_child(say: Say, path: str, name: str, like: dict[str, Any]) -> dict[str, Any]:
    return read(Path(path).read_bytes(), name, CameraFile.model_validate(like)).model_dump(mode="json")


def read(data: bytes, name: str, like: CameraFile) -> CameraFile:
    """A camera from a file called `name`; `like` says of what footage (size, rate). BadInput says what is missing in it, or that it
    is damaged."""
    suffix = Path(name).suffix.lower()
    if suffix not in READABLE:
        raise BadInput(f"Cameras are read from {', '.join(READABLE)} files.")
    fps = float(Fraction(like.rate))
    form = camera_gltf if suffix in (".glb", ".gltf") else camera_usd
    try:
        move = form.read(data, suffix, like.size, fps)
    except DAMAGED as error:
        raise BadInput(f"{name} is damaged, or says things that cannot be: {error}.") from error
    if not move.frames:
        raise BadInput(f"{name} holds no camera.")
    if len(move.points) > MOST_POINTS:
        raise BadInput(f"{name} holds more than {MOST_POINTS} points.")
    if not (np.isfinite(move.poses).all() and np.isfinite(move.points).all() and 1e-3 < move.focal_px < 1e7):
        raise BadInput(f"{name} is damaged: its camera has no place, or no lens, that could be.")
    rows = []
    for frame, pose in zip(move.frames, move.poses, strict=True):
        ours = np.linalg.inv(FLIP @ pose @ FLIP)[:3]
        rows.append(
            CameraSample(
                frame=frame, confidence=1.0, lost=False, world_to_camera=[float(f"{v:.10g}") for v in ours.ravel()]
            )
        )
    points = [(float(x), float(-y), float(-z)) for x, y, z in move.points]
    w, h = like.size
    return like.model_copy(
        update={
            "frames": rows, "points3d": points, "focal_px": round(move.focal_px, 4), "principal_point": (w / 2, h / 2), "radial": move.radial,
            "solve": SolveFacts(kind="free", reprojection_px=0.0), "stopped": f"Read from {name}.",
        }
    )  # fmt: skip


def _out(file: CameraFile, world: NDArray[np.float64]) -> Move:
    size = float(np.cbrt(np.linalg.det(world[:3, :3])))
    frames, poses = [], []
    for row in sorted(file.frames, key=lambda s: s.frame):
        if row.world_to_camera is None or row.lost:
            continue
        solved = np.vstack([np.array(row.world_to_camera).reshape(3, 4), [0, 0, 0, 1]])
        pose = world @ np.linalg.inv(solved)
        pose[:3, :3] /= size
        frames.append(row.frame)
        poses.append(FLIP @ pose @ FLIP)
    points = np.array(file.points3d, float).reshape(-1, 3) @ world[:3, :3].T + world[:3, 3]
    return Move(frames, np.array(poses).reshape(-1, 4, 4), file.focal_px, points * [1, -1, -1], file.radial)
