"""Solved cameras as glTF 2.0 and USD, out and in: an animated camera, and the points of the scene.

Both have y up and cameras that look along their own -z; ours have y down and look along +z. Positions are in the track's own world.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from tropein.core.errors import BadInput
from tropein.core.track.file import CameraFile, CameraSample, SolveFacts

Form = Literal["glb", "gltf", "usda", "usdc"]
READABLE = (".glb", ".gltf", ".usda", ".usdc", ".usd", ".usdz")
FLIP = np.diag([1.0, -1.0, -1.0, 1.0])
APERTURE_MM = 36.0  # of USD's horizontal aperture; only its ratio to the focal length says anything
MOST_FRAMES = 100_000


@dataclass(frozen=True, eq=False)
class Move:
    """`poses` (n, 4, 4) camera to world at `frames`, y up, looking along -z, without scale; `points` (m, 3) of the same world."""

    frames: list[int]
    poses: NDArray[np.float64]
    focal_px: float
    points: NDArray[np.float64]


def written(file: CameraFile, form: Form, world: list[float] | None = None) -> bytes:
    """The camera as a file; `world` (4x4, row by row) is what the track makes of the solved world. BadInput when nothing is
    solved."""
    move = _out(file, np.eye(4) if world is None else np.array(world).reshape(4, 4))
    if not move.frames:
        raise BadInput("There is no solved camera to write.")
    return _gltf(move, file, form) if form in ("glb", "gltf") else _usd(move, file, form)


def read(data: bytes, name: str, like: CameraFile) -> CameraFile:
    """A camera from a file called `name`; `like` says of what footage (size, rate). BadInput says what is missing in it."""
    suffix = Path(name).suffix.lower()
    if suffix not in READABLE:
        raise BadInput(f"Cameras are read from {', '.join(READABLE)} files.")
    fps = float(Fraction(like.rate))
    move = (
        _from_gltf(data, suffix, like.size, fps)
        if suffix in (".glb", ".gltf")
        else _from_usd(data, suffix, like.size, fps)
    )
    if not move.frames:
        raise BadInput(f"{name} holds no camera.")
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
            "frames": rows, "points3d": points, "focal_px": round(move.focal_px, 4), "principal_point": (w / 2, h / 2),
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
    return Move(frames, np.array(poses).reshape(-1, 4, 4), file.focal_px, points * [1, -1, -1])


def _gltf(move: Move, file: CameraFile, form: Form) -> bytes:
    import pygltflib as g

    fps, (w, h) = float(Fraction(file.rate)), file.size
    turns = Rotation.from_matrix(move.poses[:, :3, :3]).as_quat()
    for i in range(1, len(turns)):  # the shorter way round between neighbours
        turns[i] *= 1 if turns[i] @ turns[i - 1] >= 0 else -1
    times = np.array(move.frames) / fps
    blobs = [a.astype(np.float32) for a in (times, move.poses[:, :3, 3], turns, move.points)]
    kinds = [g.SCALAR, g.VEC3, g.VEC4, g.VEC3]
    out = g.GLTF2(asset=g.Asset(version="2.0", generator="Tropein", extras={"rate": file.rate, "size": [w, h]}))
    data = b""
    for blob, kind in zip(blobs, kinds, strict=True):
        if not len(blob):
            continue
        out.bufferViews.append(g.BufferView(buffer=0, byteOffset=len(data), byteLength=blob.nbytes))
        low, high = (np.atleast_1d(f(blob, axis=0)).astype(float).tolist() for f in (np.min, np.max))
        out.accessors.append(
            g.Accessor(
                bufferView=len(out.bufferViews) - 1,
                componentType=g.FLOAT,
                count=len(blob),
                type=kind,
                min=low,
                max=high,
            )
        )
        data += blob.tobytes()
    out.buffers.append(g.Buffer(byteLength=len(data)))
    out.cameras.append(
        g.Camera(
            type="perspective",
            perspective=g.Perspective(yfov=2 * float(np.arctan(h / 2 / move.focal_px)), aspectRatio=w / h, znear=0.01),
        )
    )
    first = move.poses[0]
    out.nodes.append(g.Node(name="Camera", camera=0, translation=first[:3, 3].tolist(), rotation=turns[0].tolist()))
    samplers = [g.AnimationSampler(input=0, output=k, interpolation="LINEAR") for k in (1, 2)]
    targets = [
        g.AnimationChannel(sampler=i, target=g.AnimationChannelTarget(node=0, path=p))
        for i, p in enumerate(("translation", "rotation"))
    ]
    out.animations.append(g.Animation(name="Move", samplers=samplers, channels=targets))
    if len(move.points):
        out.meshes.append(
            g.Mesh(name="Points", primitives=[g.Primitive(attributes=g.Attributes(POSITION=3), mode=g.POINTS)])
        )
        out.nodes.append(g.Node(name="Points", mesh=0))
    out.scenes.append(g.Scene(nodes=list(range(len(out.nodes)))))
    out.scene = 0
    out.set_binary_blob(data)
    if form == "glb":
        return b"".join(out.save_to_bytes())
    out.convert_buffers(g.BufferFormat.DATAURI)
    return out.to_json().encode()


def _from_gltf(data: bytes, suffix: str, size: tuple[int, int], fps: float) -> Move:
    import pygltflib as g

    try:
        doc = g.GLTF2.load_from_bytes(data) if suffix == ".glb" else g.GLTF2.from_json(data.decode())
        if suffix == ".gltf":
            doc.convert_buffers(g.BufferFormat.BINARYBLOB)
    except Exception as error:  # the library raises whatever it meets
        raise BadInput("This is not a glTF file that can be read.") from error
    index = next((i for i, n in enumerate(doc.nodes) if n.camera is not None), None)
    lens = doc.cameras[doc.nodes[index].camera].perspective if index is not None else None
    if index is None or lens is None:
        raise BadInput("The file holds no camera with perspective.")

    def values(accessor: int) -> NDArray[np.float64]:
        a = doc.accessors[accessor]
        view, width = doc.bufferViews[a.bufferView], {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[a.type]
        if a.componentType != g.FLOAT or view.byteStride not in (None, 4 * width):
            raise BadInput("The file's numbers are laid out in a way that is not read here.")
        start = (view.byteOffset or 0) + (a.byteOffset or 0)
        blob = doc.binary_blob() or b""
        return np.frombuffer(blob, "<f4", a.count * width, start).reshape(a.count, width).astype(float)

    node = doc.nodes[index]
    moved: dict[str, tuple[NDArray, NDArray]] = {}
    try:
        for animation in doc.animations:
            for channel in animation.channels:
                if channel.target.node == index:
                    sampler = animation.samplers[channel.sampler]
                    moved[channel.target.path] = values(sampler.input)[:, 0], values(sampler.output)
        clouds = [values(p.attributes.POSITION) for m in doc.meshes for p in m.primitives if p.mode == g.POINTS]
    except (IndexError, KeyError, ValueError, TypeError) as error:
        raise BadInput("This glTF file is damaged.") from error
    above = _parents(doc, index)
    times = np.unique(np.concatenate([t for t, _ in moved.values()])) if moved else np.zeros(1)
    _check_count(len(times))
    frames = sorted({round(float(t) * fps) for t in times})
    poses = []
    for frame in frames:
        pose = _local(node) if not moved else np.eye(4)
        if moved:
            turn = _slerp(*moved["rotation"], frame / fps) if "rotation" in moved else _local(node)[:3, :3]
            at = moved.get("translation")
            pose[:3, :3] = turn
            pose[:3, 3] = [np.interp(frame / fps, at[0], c) for c in at[1].T] if at else _local(node)[:3, 3]
        poses.append(_rigid(above @ pose))
    return Move(
        frames,
        np.array(poses),
        size[1] / 2 / float(np.tan(lens.yfov / 2)),
        np.concatenate(clouds) if clouds else np.zeros((0, 3)),
    )


def _parents(doc: Any, index: int) -> NDArray[np.float64]:
    total, at, seen = np.eye(4), index, {index}
    while (
        above := next((i for i, n in enumerate(doc.nodes) if at in (n.children or [])), None)
    ) is not None and above not in seen:
        total, at = _local(doc.nodes[above]) @ total, above
        seen.add(above)
    return total


def _local(node: Any) -> NDArray[np.float64]:
    if node.matrix is not None:
        return np.array(node.matrix, float).reshape(4, 4).T
    out = np.eye(4)
    if node.rotation is not None:
        out[:3, :3] = Rotation.from_quat(node.rotation).as_matrix()
    out[:3, :3] = out[:3, :3] * np.array(node.scale if node.scale is not None else [1, 1, 1], float)
    out[:3, 3] = node.translation if node.translation is not None else [0, 0, 0]
    return out


def _slerp(times: NDArray, turns: NDArray, at: float) -> NDArray[np.float64]:
    from scipy.spatial.transform import Slerp

    rotations = Rotation.from_quat(turns)
    if len(times) < 2:
        return np.asarray(rotations[0].as_matrix())
    return np.asarray(Slerp(times, rotations)(float(np.clip(at, times[0], times[-1]))).as_matrix())


def _rigid(pose: NDArray[np.float64]) -> NDArray[np.float64]:
    """Without scale or skew: the nearest turn. Schoenemann, Psychometrika 31, 1966."""
    u, _, v = np.linalg.svd(pose[:3, :3])
    out = pose.copy()
    out[:3, :3] = u @ np.diag([1, 1, np.linalg.det(u @ v)]) @ v
    return out


def _check_count(frames: int) -> None:
    if frames > MOST_FRAMES:
        raise BadInput(f"The file's camera has more than {MOST_FRAMES} keys.")


def _usd(move: Move, file: CameraFile, form: Form) -> bytes:
    from pxr import Gf, Usd, UsdGeom, Vt

    fps, (w, h) = float(Fraction(file.rate)), file.size
    with _folder() as folder:
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


def _from_usd(data: bytes, suffix: str, size: tuple[int, int], fps: float) -> Move:
    from pxr import Tf, Usd, UsdGeom

    with _folder() as folder:
        path = folder / f"camera{suffix}"
        path.write_bytes(data)
        try:
            stage = Usd.Stage.Open(str(path), Usd.Stage.LoadNone)
        except Tf.ErrorException as error:
            raise BadInput("This is not a USD file that can be read.") from error
        prim = next((p for p in stage.Traverse() if p.IsA(UsdGeom.Camera)), None)
        if prim is None:
            raise BadInput("The file holds no camera.")
        camera = UsdGeom.Camera(prim)
        times = sorted(
            {t for p in _chain(prim) for t in UsdGeom.Xformable(p).GetTimeSamples()} or {stage.GetStartTimeCode()}
        )
        _check_count(len(times))
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
            poses.append(_rigid(up @ np.array(cache.GetLocalToWorldTransform(prim)).T))
        focal = camera.GetFocalLengthAttr().Get(times[0]) / camera.GetHorizontalApertureAttr().Get(times[0]) * size[0]
        clouds = []
        for p in stage.Traverse():
            if p.IsA(UsdGeom.Points) and (points := UsdGeom.Points(p).GetPointsAttr().Get(times[0])) is not None:
                matrix = up @ np.array(cache.GetLocalToWorldTransform(p)).T
                clouds.append(np.array(points, float) @ matrix[:3, :3].T + matrix[:3, 3])
    return Move(frames, np.array(poses), float(focal), np.concatenate(clouds) if clouds else np.zeros((0, 3)))


def _chain(prim: Any) -> Iterator[Any]:
    """A prim and what it hangs from, as far as that has a place."""
    from pxr import UsdGeom

    while prim and prim.IsA(UsdGeom.Xformable):
        yield prim
        prim = prim.GetParent()


class _folder:
    """A folder of its own for a library that only knows files."""

    def __enter__(self) -> Path:
        self._kept = tempfile.TemporaryDirectory()
        return Path(self._kept.name)

    def __exit__(self, *_: object) -> None:
        self._kept.cleanup()
