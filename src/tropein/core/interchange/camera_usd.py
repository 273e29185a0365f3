"""Cameras as USD."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from tropein.core.errors import BadInput
from tropein.core.interchange.camera_move import Move, check_count, noted_radial, rigid
from tropein.core.track.forms.camera import CameraFile

NOTE = "tropein:radial"
APERTURE_MM = 36.0  # the horizontal aperture; only its ratio to the focal length says anything


def written(move: Move, file: CameraFile, form: str) -> bytes:
    """A stage as text (usda) or compact (usdc)."""
    from pxr import Gf, Usd, UsdGeom, Vt

    fps, (w, h) = float(Fraction(file.rate)), file.size
    with tempfile.TemporaryDirectory() as name:  # the library only knows files
        folder = Path(name)
        stage = Usd.Stage.CreateNew(str(folder / f"camera.{form}"))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        stage.SetTimeCodesPerSecond(fps)
        stage.SetFramesPerSecond(fps)
        stage.SetStartTimeCode(move.frames[0])
        stage.SetEndTimeCode(move.frames[-1])
        root = UsdGeom.Xform.Define(stage, "/Shot")
        stage.SetDefaultPrim(root.GetPrim())
        camera = UsdGeom.Camera.Define(stage, "/Shot/Camera")
        camera.CreateHorizontalApertureAttr(APERTURE_MM)
        camera.CreateVerticalApertureAttr(APERTURE_MM * h / w)
        camera.CreateFocalLengthAttr(move.focal_px / w * APERTURE_MM)
        camera.GetPrim().SetCustomDataByKey(NOTE, move.radial)
        placed = camera.AddTransformOp()
        for frame, pose in zip(move.frames, move.poses, strict=True):
            placed.Set(Gf.Matrix4d(*pose.T.ravel().tolist()), frame)
        if len(move.points):
            cloud = UsdGeom.Points.Define(stage, "/Shot/Points")
            cloud.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.float32(move.points)))
            cloud.CreateWidthsAttr([0.01])
            cloud.SetWidthsInterpolation(UsdGeom.Tokens.constant)
        stage.GetRootLayer().Save()
        return (folder / f"camera.{form}").read_bytes()


def read(data: bytes, suffix: str, size: tuple[int, int], fps: float) -> Move:
    """The first camera of the stage, through what it hangs from. BadInput says what is missing."""
    from pxr import Tf

    try:
        return _read(data, suffix, size, fps)
    except Tf.ErrorException as error:
        raise BadInput("This is not a USD file that can be read, or it is damaged.") from error


def _read(data: bytes, suffix: str, size: tuple[int, int], fps: float) -> Move:
    from pxr import Sdf, Usd, UsdGeom

    with tempfile.TemporaryDirectory() as name:  # the library only knows files
        folder = Path(name)
        path = folder / f"camera{suffix}"
        path.write_bytes(data)
        layer = Sdf.Layer.FindOrOpen(str(path))
        if layer is None:
            raise BadInput("This is not a USD file that can be read.")
        if _leads_elsewhere(layer):
            raise BadInput("The file refers to other files, which are not read: flatten it into one and try again.")
        stage = Usd.Stage.Open(layer, Usd.Stage.LoadNone)
        prim = next((p for p in stage.Traverse() if p.IsA(UsdGeom.Camera)), None)
        if prim is None:
            raise BadInput("The file holds no camera.")
        camera = UsdGeom.Camera(prim)
        times = sorted(
            {t for p in _chain(prim) for t in UsdGeom.Xformable(p).GetTimeSamples()} or {stage.GetStartTimeCode()}
        )
        check_count(len(times))
        up = (
            np.eye(4)
            if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.y
            else np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1.0]])
        )
        cache, per = UsdGeom.XformCache(), fps / (stage.GetTimeCodesPerSecond() or fps)
        frames: list[int] = []
        poses = []
        for time in times:
            frame = round(time * per)
            if frames and frame == frames[-1]:
                continue
            cache.SetTime(time)
            frames.append(frame)
            poses.append(rigid(up @ np.array(cache.GetLocalToWorldTransform(prim)).T))
        aperture = camera.GetHorizontalApertureAttr().Get(times[0])
        if not aperture or aperture <= 0:
            raise BadInput("The file's camera has no width of picture (its horizontal aperture is 0).")
        focal = camera.GetFocalLengthAttr().Get(times[0]) / aperture * size[0]
        clouds = []
        for p in stage.Traverse():
            if p.IsA(UsdGeom.Points) and (points := UsdGeom.Points(p).GetPointsAttr().Get(times[0])) is not None:
                matrix = up @ np.array(cache.GetLocalToWorldTransform(p)).T
                clouds.append(np.array(points, float) @ matrix[:3, :3].T + matrix[:3, 3])
        radial = noted_radial(prim.GetCustomDataByKey(NOTE))
    return Move(frames, np.array(poses), float(focal), np.concatenate(clouds) if clouds else np.zeros((0, 3)), radial)


def _leads_elsewhere(layer: Any) -> bool:
    """Whether a layer takes anything in from other files: layers below it, references, payloads, clips of values."""
    if layer.GetCompositionAssetDependencies():
        return True
    found = False

    def look(path: Any) -> None:
        nonlocal found
        prim = layer.GetPrimAtPath(path) if path.IsPrimPath() else None
        found = found or (prim is not None and prim.HasInfo("clips"))

    layer.Traverse("/", look)
    return found


def _chain(prim: Any) -> Iterator[Any]:
    """A prim and what it hangs from, as far as that has a place."""
    from pxr import UsdGeom

    while prim and prim.IsA(UsdGeom.Xformable):
        yield prim
        prim = prim.GetParent()
