"""Path tracing with mitsuba: materials, lights, cameras, one exposure averaged over an open shutter, and denoising.

A scene and a sensor are loaded once and moved through their parameters (made opaque), so that kernels are not compiled
again for every frame."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM-19.so")

import drjit as dr  # noqa: E402
import mitsuba as mi  # noqa: E402
import numpy as np  # noqa: E402
import pyoidn  # noqa: E402
from numpy.typing import ArrayLike, NDArray  # noqa: E402

from demo.plates import textures  # noqa: E402

mi.set_variant("llvm_ad_rgb")
Array = NDArray[np.float64]
BRIGHTEST = 30.0  # samples are clamped here: fireflies outlast any denoiser
SHUTTER = 0.5  # of a frame


def rgb(value: ArrayLike) -> dict[str, Any]:
    return {"type": "rgb", "value": [float(v) for v in np.asarray(value)]}


def bitmap(path: Path, raw: bool = False) -> dict[str, Any]:
    return {"type": "bitmap", "filename": str(path), "raw": raw, "wrap_mode": "mirror"}


def transform(matrix: Array) -> Any:
    return mi.ScalarTransform4f(matrix)


def surface(
    colour: dict[str, Any], bump: dict[str, Any] | None = None, depth: float = 0.2, **finish: float
) -> dict[str, Any]:
    """A principled surface seen from both sides. ``finish``: roughness, specular, sheen, metallic, clearcoat."""
    finish = {"roughness": 0.55, "specular": 0.4} | finish
    if finish.get("metallic"):
        finish.pop("specular")
    inner: dict[str, Any] = {"type": "principled", "base_color": colour, **finish}
    if bump is not None:
        inner = {"type": "bumpmap", "arbitrary": bump, "scale": depth, "bsdf": inner}
    return {"type": "twosided", "bsdf": inner}


def window(at: ArrayLike, towards: ArrayLike, half: tuple[float, float], radiance: ArrayLike) -> dict[str, Any]:
    """A rectangle of light."""
    stand = mi.ScalarTransform4f().look_at(
        origin=list(np.asarray(at, float)), target=list(np.asarray(towards, float)), up=[0, 0, 1]
    )
    shape = stand @ mi.ScalarTransform4f().scale([*half, 1])
    return {"type": "rectangle", "to_world": shape, "emitter": {"type": "area", "radiance": rgb(radiance)}}


def looking(eye: ArrayLike, target: ArrayLike, roll: float = 0.0) -> Array:
    """World to camera, 4x4, OpenCV axes (x right, y down, z forward); ``roll`` in radians."""
    eye, target = np.asarray(eye, float), np.asarray(target, float)
    z = (target - eye) / np.linalg.norm(target - eye)
    x = np.cross(z, (0, 0, 1))
    x /= np.linalg.norm(x)
    y = np.cross(z, x)
    c, s = np.cos(roll), np.sin(roll)
    matrix = np.eye(4)
    matrix[:3, :3] = np.stack([c * x + s * y, -s * x + c * y, z])
    matrix[:3, 3] = -matrix[:3, :3] @ eye
    return matrix


@dataclass(frozen=True)
class Shot:
    """``world_to_camera`` and ``focus`` (distance, cm) at a frame, which may lie between frames."""

    width: int
    height: int
    field: float  # degrees across
    aperture: float  # radius, cm
    world_to_camera: Callable[[float], Array]
    focus: Callable[[float], float]

    @property
    def focal(self) -> float:
        """In pixels."""
        return self.width / 2 / float(np.tan(np.radians(self.field / 2)))

    def project(self, points: Array, frame: float) -> Array:
        """(n, 3) in the world to (n, 2) pixels; (0, 0) is the corner of the top left pixel."""
        seen = np.c_[points, np.ones(len(points))] @ self.world_to_camera(frame).T
        return self.focal * seen[:, :2] / seen[:, 2:3] + (self.width / 2, self.height / 2)


class Camera:
    """One sensor, moved for every exposure."""

    def __init__(self, shot: Shot, samples: int, alpha: bool = False) -> None:
        self.shot = shot
        self.sensor = mi.load_dict(
            {
                "type": "thinlens",
                "fov": shot.field,
                "fov_axis": "x",
                "aperture_radius": shot.aperture,
                "focus_distance": shot.focus(0),
                "near_clip": 1.0,
                "far_clip": 1000.0,
                "to_world": transform(self._to_world(0)),
                "film": {
                    "type": "hdrfilm",
                    "width": shot.width,
                    "height": shot.height,
                    "rfilter": {"type": "box"},
                    "component_format": "float32",
                    "pixel_format": "rgba" if alpha else "rgb",
                },
                "sampler": {"type": "independent", "sample_count": samples},
            }
        )
        self._parameters = mi.traverse(self.sensor)
        self._samples = samples

    def _to_world(self, frame: float) -> Array:
        return np.linalg.inv(self.shot.world_to_camera(frame)) @ np.diag([-1.0, -1.0, 1.0, 1.0])

    def move(self, frame: float) -> None:
        pose = mi.Transform4f(transform(self._to_world(frame)))
        dr.make_opaque(pose)
        self._parameters["to_world"] = pose
        self._parameters["focus_distance"] = dr.opaque(mi.Float, self.shot.focus(frame))
        self._parameters.update()

    def expose(self, scene: Any, integrator: Any, seed: int) -> NDArray[np.float32]:
        picture = np.array(mi.render(scene, sensor=self.sensor, spp=self._samples, seed=seed, integrator=integrator))
        return np.minimum(np.nan_to_num(picture, nan=0, posinf=0, neginf=0), BRIGHTEST).astype(np.float32)


def shutter(frame: int, parts: int) -> list[float]:
    """The moments within the open shutter of ``frame``, centred on it."""
    return [frame + ((k + 0.5) / parts - 0.5) * SHUTTER for k in range(parts)]


class Tracer:
    """Renders frames of a scene that may change from moment to moment."""

    def __init__(self, shot: Shot, samples: int, parts: int, depth: int) -> None:
        self.camera = Camera(shot, samples)
        self.holdout = Camera(shot, samples + 1, alpha=True)
        self.parts = parts
        self._light = mi.load_dict({"type": "path", "max_depth": depth})
        self._guides = mi.load_dict({"type": "aov", "aovs": "albedo:albedo,normal:sh_normal"})
        self._solid = mi.load_dict({"type": "path", "max_depth": 2, "hide_emitters": True})

    def picture(self, frame: int, scene: Callable[[float], Any]) -> NDArray[np.float32]:
        """Linear light (h, w, 3), averaged over the shutter and denoised."""
        light, guides = 0, 0
        for k, moment in enumerate(shutter(frame, self.parts)):
            at, seed = scene(moment), frame * 64 + k
            self.camera.move(moment)
            light = light + self.camera.expose(at, self._light, seed)
            guides = guides + self.camera.expose(at, self._guides, seed)[..., -6:]
        light, guides = light / self.parts, guides / self.parts
        return pyoidn.denoise(
            np.ascontiguousarray(light),
            albedo=np.ascontiguousarray(np.clip(guides[..., :3], 0, 1)),
            normal=np.ascontiguousarray(guides[..., 3:]),
            hdr=True,
        )

    def coverage(self, frame: int, scene: Callable[[float], Any]) -> NDArray[np.float32]:
        """True alpha (h, w) of a scene without its screen, over the same shutter."""
        total = 0
        for k, moment in enumerate(shutter(frame, self.parts)):
            self.holdout.move(moment)
            total = total + self.holdout.expose(scene(moment), self._solid, frame * 64 + k)[..., 3]
        return np.clip(total / self.parts, 0, 1)


class Paints:
    """Named materials whose textures are written once into ``folder``."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.materials: dict[str, dict[str, Any]] = {}

    def textured(
        self, name: str, texture: tuple[textures.Picture, textures.Picture], depth: float = 0.2, **finish: float
    ) -> None:
        colour, height = texture
        self.materials[name] = surface(
            bitmap(textures.save(self.folder / f"{name}.png", colour)),
            bitmap(textures.save(self.folder / f"{name}.height.png", height), raw=True),
            depth,
            **finish,
        )

    def plain(self, name: str, colour: ArrayLike, **finish: float) -> None:
        self.materials[name] = surface(rgb(colour), **finish)
