"""Stock elements of the demo that are made of the application's own particles, and stills and sounds that are made of arithmetic.

Each function writes PNG files (straight alpha, display-encoded) or a WAV into a folder and returns their paths.
"""

from __future__ import annotations

import wave
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from demo.stock import light_of
from tropein.core.compose.render import Renderer
from tropein.core.document import DrawnCurve, Layer, Shot
from tropein.core.document.content import CONTENTS, starting
from tropein.core.media.encode import write_picture
from tropein.core.media.record import MediaStore
from tropein.core.media.source import Sources
from tropein.core.raster.grain import fractal

SIZE, FRAMES, FIRST = (640, 360), 48, 96
RATE = 48_000
Sound = NDArray[np.float64]


def _curve(*points: tuple[float, float]) -> DrawnCurve:
    return DrawnCurve(points=list(points))


# what of the shelf is made of particles: the start it is made from, and what is another than there
PARTICLES: dict[str, tuple[str, dict[str, Any], list[str]]] = {
    "Drizzle": ("Drizzle", {"opacity": 0.95, "rate": 2400.0, "radius": 1.5, "light": 4.0}, ["weather", "rain"]),
    "Snow, near": ("Snow", {"deep": 300.0, "rate": 26.0, "radius": 9.0, "speed": 120.0, "fall": 110.0}, ["weather", "snow"]),
    "Snow, between": ("Snow", {"deep": 400.0, "rate": 90.0, "radius": 3.4}, ["weather", "snow"]),
    "Snow, far": ("Snow", {"deep": 300.0, "rate": 340.0, "radius": 1.3, "speed": 40.0, "fall": 26.0, "opacity": 0.7}, ["weather", "snow"]),
    "Dust in the light": ("Dust", {"radius": 3.4, "light": 2.4, "opacity": 0.9}, ["dust"]),
    "Sparks": ("Sparks", {"source": (320.0, 300.0)}, ["fire", "particles"]),
    "Smoke, clear": ("Smoke", {"source": (300.0, 330.0)}, ["smoke"]),
    "Fire": (
        "Smoke",
        {
            "source": (320.0, 336.0), "area": (150.0, 16.0), "rate": 210.0, "life": 1.05, "life_varies": 0.45, "speed": 90.0, "direction": -90.0, "fan": 30.0, "fall": -330.0,
            "drag": 1.4, "wind": (0.0, 0.0), "turbulence": 120.0, "eddy": 90.0, "boil": 1.4, "radius": 40.0, "growth": _curve((0, 0.5), (0.25, 1), (1, 0.3)), "opacity": 0.5,
            "fading": _curve((0, 0), (0.08, 1), (0.5, 0.55), (1, 0)), "colour": (1.0, 0.46, 0.09), "colour_end": (0.9, 0.12, 0.015), "light": 0.8, "covers": 0.0, "breakup": 0.85,
            "opening": 0.75, "soft": 0.5,
        },
        ["fire"],
    ),
}  # fmt: skip


def particles(folder: Path, name: str) -> list[Path]:
    """Two seconds of one of PARTICLES, from when as many are born as end."""
    start, values, _ = PARTICLES[name]
    content = {"kind": "particles", **CONTENTS.of("particles").begun(start, SIZE), **starting(**values)}
    middle = (SIZE[0] / 2, SIZE[1] / 2)
    layer = Layer.model_validate(
        {"id": "it", "name": "It", "content": content, "place": {"position": {"value": middle}}}
    )
    last = FIRST + FRAMES - 1
    shot = Shot(name="It", size=SIZE, rate="24/1", frames=last + 1, trim=(0, last), layers={"it": layer}, stack=["it"])
    renderer = Renderer(Sources(MediaStore(folder), final=True), lambda *_: None, 16 << 20)
    planner = renderer.planner(shot, 1.0)
    stem = name.lower().replace(", ", "-").replace(" ", "-")
    paths = []
    for frame in range(FRAMES):
        pixels = renderer.run(planner.plan(float(FIRST + frame))).fill(planner.frame_window)
        covers = float(pixels[..., 3].max()) > 0.02
        path = folder / f"{stem}_{frame:04d}.png"
        write_picture(path, pixels if covers else light_of(pixels[..., :3]), "png")
        paths.append(path)
    return paths


def lens_dirt(folder: Path, width: int = 1280, height: int = 720) -> list[Path]:
    """Dust, drops and a wiped smear on the front of a lens, as light."""
    rng = np.random.default_rng(21)
    light = np.zeros((height, width), np.float32)
    for _ in range(150):
        x, y, r = rng.uniform(0, width), rng.uniform(0, height), 3 + 34 * rng.random() ** 3
        spot = np.zeros_like(light)
        cv2.circle(spot, (int(x * 8), int(y * 8)), int(r * 8), 1.0, -1, cv2.LINE_AA, 3)
        rim = spot - cv2.GaussianBlur(spot, (0, 0), max(r / 4, 1))
        light += float(rng.uniform(0.03, 0.16)) * (0.5 * spot + np.clip(rim, 0, 1))
    smear = np.clip(fractal(width, height, 260, seed=61, octaves=6, gain=0.62) + 0.1, 0, 1)
    along = cv2.GaussianBlur(smear, (0, 0), 30, sigmaY=2)
    path = folder / "lens-dirt.png"
    write_picture(path, light_of((light + 0.22 * along)[..., None] * np.array([1.0, 0.95, 0.88], np.float32)), "png")
    return [path]


def chart_paper(folder: Path, width: int = 1200, height: int = 900) -> list[Path]:
    """Old paper with the lines of depth of a sea that is none."""
    n = fractal(width, height, 420, seed=71, octaves=6)
    paper = (
        0.62
        + 0.12 * fractal(width, height, 30, seed=72, octaves=5)
        - 0.2 * np.clip(fractal(width, height, 300, seed=73), 0, 1)
    )
    rgb = paper[..., None] * np.array([1.0, 0.86, 0.6], np.float32)
    bands = (n * 14) % 1
    lines = np.clip(
        1
        - np.minimum(bands, 1 - bands)
        / (np.abs(np.gradient(n * 14, axis=0)) + np.abs(np.gradient(n * 14, axis=1)) + 1e-4)
        / 0.9,
        0,
        1,
    )
    land = np.clip((n - 0.13) * 60, 0, 1)[..., None]
    rgb = rgb * (1 - 0.28 * land * np.array([0.3, 0.6, 1.0], np.float32))
    rgb *= (1 - 0.55 * lines * (1 - land[..., 0]))[..., None]
    for at in range(100, max(width, height), 200):
        rgb[:, at : at + 1] *= 0.8
        rgb[at : at + 1] *= 0.8
    path = folder / "chart-paper.png"
    write_picture(path, light_of(np.clip(rgb, 0, 1).astype(np.float32), np.ones((height, width), np.float32)), "png")
    return [path]


def iris_texture(folder: Path, size: int = 720) -> list[Path]:
    """An iris with its fibres, seen from the front; the pupil is left out."""
    c = (size - 1) / 2
    y, x = (np.mgrid[0:size, 0:size].astype(np.float32) - c) / c
    r, angle = np.hypot(x, y), np.arctan2(y, x)
    turns = fractal(2048, 512, 40, seed=81, octaves=6, gain=0.7)
    u = ((angle / (2 * np.pi)) % 1 * 1024 + 9 * np.sin(r * 9)).astype(np.float32) % 1024
    fibres = cv2.remap(
        cv2.resize(turns, (1024, 512)), u, (r * 120).astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP
    )
    collar = np.exp(-(((r - 0.46) / 0.07) ** 2))
    tone = 0.5 + 1.5 * fibres
    near, far = np.array([0.42, 0.3, 0.1], np.float32), np.array([0.1, 0.2, 0.22], np.float32)
    mix = np.clip((0.62 - r) / 0.25 + 0.5 * fibres, 0, 1)[..., None]
    rgb = (near * mix + far * (1 - mix)) * np.clip(tone + 0.5 * collar, 0.05, 2)[..., None]
    rgb *= (1 - 0.85 * np.clip((r - 0.8) / 0.16, 0, 1))[..., None]
    alpha = np.clip((0.97 - r) * size / 6, 0, 1) * np.clip((r - 0.3) * size / 8, 0, 1)
    path = folder / "iris-texture.png"
    write_picture(
        path, light_of(np.clip(rgb * alpha[..., None], 0, 1).astype(np.float32), alpha.astype(np.float32)), "png"
    )
    return [path]


def carved_sign(folder: Path, width: int = 1000, height: int = 380) -> list[Path]:
    """A plank with words cut into it, lit from above."""
    from tropein.core.raster.lettering import laid_out, lettered
    from tropein.core.raster.picture import Window

    letters, widths = laid_out("LAST FERRY", "plain", 800, 0.06)
    px, window = 130.0, Window(0, 0, width, height)
    at = np.array([[(width - widths[0] * px) / 2 + o.x * px, height / 2 + 46] for o in letters])
    cut = cv2.GaussianBlur(lettered(list(letters), at, np.ones(len(letters)), 800, px, 0.0, window), (0, 0), 1.6)
    wood = fractal(width // 12, height, 26, seed=91, octaves=6, gain=0.6)
    wood = cv2.resize(wood, (width, height), interpolation=cv2.INTER_CUBIC) + 0.3 * fractal(
        width, height, 6, seed=92, octaves=2
    )
    depth = 0.5 * wood - 2.2 * cut
    slope = np.gradient(depth, axis=0)
    shade = np.clip(0.75 - 1.3 * slope - 0.25 * cut, 0.08, 1.6)
    rgb = (0.5 + 0.5 * wood)[..., None] * np.array([0.36, 0.2, 0.09], np.float32) * shade[..., None]
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    rough = 5 * fractal(width, height, 40, seed=93, octaves=4)
    edge = np.minimum(np.minimum(x, width - 1 - x), np.minimum(y, height - 1 - y)) - 9 + rough
    alpha = np.clip(edge + 0.5, 0, 1)
    path = folder / "carved-sign.png"
    write_picture(
        path, light_of(np.clip(rgb * alpha[..., None], 0, 1).astype(np.float32), alpha.astype(np.float32)), "png"
    )
    return [path]


def _shaped(noise: Sound, low: float, high: float) -> Sound:
    """Noise between two pitches, its loudest at 1."""
    f = np.fft.rfftfreq(len(noise), 1 / RATE)
    out = np.fft.irfft(np.fft.rfft(noise) / (1 + (f / high) ** 4) / (1 + (low / np.maximum(f, 1e-3)) ** 4), len(noise))
    return np.asarray(out / np.abs(out).max())


def wind(seconds: float = 8.0) -> Sound:
    """Gusts about a corner."""
    n, rng = int(seconds * RATE), np.random.default_rng(31)
    t = np.arange(n) / RATE
    gust = 0.5 + 0.3 * np.sin(2 * np.pi * t / 4) + 0.2 * np.sin(2 * np.pi * t * 3 / 8 + 1)
    whistle = np.sin(2 * np.pi * np.cumsum(420 + 90 * np.sin(2 * np.pi * t / 4)) / RATE) * _shaped(
        rng.normal(size=n), 0.5, 3
    )
    return np.asarray(0.5 * _shaped(rng.normal(size=n), 90, 620) * gust + 0.06 * whistle * gust**2)


def voice(seconds: float = 5.0, pitch: float = 118.0, seed: int = 41) -> Sound:
    """A voice that says nothing: pulses through three moving resonances, syllable by syllable."""
    n, rng = int(seconds * RATE), np.random.default_rng(seed)
    t = np.arange(n) / RATE
    out = np.zeros(n)
    at = 0.15
    vowels = ((730, 1090, 2440), (530, 1840, 2480), (270, 2290, 3010), (570, 840, 2410), (300, 870, 2240))
    while at < seconds - 0.4:
        long = float(rng.uniform(0.12, 0.26))
        part = slice(int(at * RATE), int((at + long) * RATE))
        m = part.stop - part.start
        tune = pitch * (1.12 - 0.2 * (at % 1.7) / 1.7) * (1 + 0.02 * np.sin(2 * np.pi * 5 * t[part]))
        pulses = np.diff(np.floor(np.cumsum(tune) / RATE), prepend=0.0)
        f = np.fft.rfftfreq(m, 1 / RATE)
        formants = vowels[int(rng.integers(len(vowels)))]
        heard = sum(a / (1 + ((f - c) / 90) ** 2) for c, a in zip(formants, (1.0, 0.5, 0.25), strict=True))
        syllable = np.fft.irfft(np.fft.rfft(pulses) * heard, m)
        hiss = 0.02 * rng.normal(size=m) * (np.arange(m) < 0.03 * RATE)
        out[part] += (syllable / max(float(np.abs(syllable).max()), 1e-9) + hiss) * np.sin(
            np.pi * np.arange(m) / m
        ) ** 0.6
        at += long + float(rng.choice([0.03, 0.05, 0.28], p=[0.5, 0.3, 0.2]))
    return 0.5 * out


def murmur(seconds: float = 8.0) -> Sound:
    """A room full of people, none of whom can be understood."""
    rng = np.random.default_rng(51)
    total = np.zeros(int(seconds * RATE))
    for k in range(14):
        total += float(rng.uniform(0.3, 1)) * np.roll(
            voice(seconds, float(rng.uniform(95, 230)), 100 + k), int(rng.integers(len(total)))
        )
    return np.asarray(0.4 * _shaped(total, 150, 1500))


def write_sound(path: Path, sound: Sound) -> list[Path]:
    """Both channels, the right one a little later; faded at its ends."""
    n = len(sound)
    fade = np.minimum(1, np.minimum(np.arange(n), n - np.arange(n)) / (0.05 * RATE))
    left = sound * fade
    with wave.open(str(path), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(RATE)
        out.writeframes((np.stack([left, np.roll(left, 240)], 1).clip(-1, 1) * 32767).astype("<i2").tobytes())
    return [path]
