"""Cameras as glTF 2.0."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.interchange.camera_move import Move, check_count, noted_radial, rigid
from tropein.core.track.forms.camera import CameraFile

NOTE = "radial"


def written(move: Move, file: CameraFile, as_text: bool) -> bytes:
    """GLB, or JSON with its data inside."""
    import pygltflib as g

    fps, (w, h) = float(Fraction(file.rate)), file.size
    turns = scipy.spatial.transform.Rotation.from_matrix(move.poses[:, :3, :3]).as_quat()
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
            extras={NOTE: move.radial},
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
    if not as_text:
        return b"".join(out.save_to_bytes())
    out.convert_buffers(g.BufferFormat.DATAURI)
    return out.to_json().encode()


def read(data: bytes, suffix: str, size: tuple[int, int], fps: float) -> Move:
    """The first camera of the file, through what it hangs from. BadInput says what is missing."""
    import pygltflib as g

    try:
        doc = g.GLTF2.load_from_bytes(data) if suffix == ".glb" else g.GLTF2.from_json(data.decode())
        if any(b.uri and not b.uri.startswith("data:") for b in doc.buffers):
            raise BadInput("Only glTF files that hold their own data are read: save it as one file (.glb).")
        if suffix == ".gltf":
            doc.convert_buffers(g.BufferFormat.BINARYBLOB)
    except BadInput:
        raise
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
    moved: dict[str, tuple[NDArray[Any], NDArray[Any]]] = {}
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
    check_count(len(times))
    frames = sorted({round(float(t) * fps) for t in times})
    poses = []
    for frame in frames:
        pose = _local(node) if not moved else np.eye(4)
        if moved:
            turn = _slerp(*moved["rotation"], frame / fps) if "rotation" in moved else _local(node)[:3, :3]
            at = moved.get("translation")
            pose[:3, :3] = turn
            pose[:3, 3] = [np.interp(frame / fps, at[0], c) for c in at[1].T] if at else _local(node)[:3, 3]
        poses.append(rigid(above @ pose))
    return Move(
        frames,
        np.array(poses),
        size[1] / 2 / float(np.tan(lens.yfov / 2)),
        np.concatenate(clouds) if clouds else np.zeros((0, 3)),
        noted_radial((doc.cameras[node.camera].extras or {}).get(NOTE)),
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
        out[:3, :3] = scipy.spatial.transform.Rotation.from_quat(node.rotation).as_matrix()
    out[:3, :3] = out[:3, :3] * np.array(node.scale if node.scale is not None else [1, 1, 1], float)
    out[:3, 3] = node.translation if node.translation is not None else [0, 0, 0]
    return out


def _slerp(times: NDArray[Any], turns: NDArray[Any], at: float) -> NDArray[np.float64]:
    rotations = scipy.spatial.transform.Rotation.from_quat(turns)
    if len(times) < 2:
        return np.asarray(rotations[0].as_matrix())
    return np.asarray(
        scipy.spatial.transform.Slerp(times, rotations)(float(np.clip(at, times[0], times[-1]))).as_matrix()
    )
