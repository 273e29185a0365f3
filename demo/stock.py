"""The stock elements, made from nothing but arithmetic: a lamp flare, embers, mist, smoke on blue, a night sky, a brass dial,
a painted board, harbour sound.

Each function writes PNG files (straight alpha, display-encoded) or a WAV into a folder and returns their paths.
"""

from __future__ import annotations

import wave
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from tropein.core.media.encode import write_picture
from tropein.core.raster.grain import fractal

Pixels = NDArray[np.float32]


def light_of(rgb: NDArray, alpha: NDArray | None = None) -> Pixels:
    """Linear light as premultiplied pixels; without an alpha of its own it covers as much as it shines."""
    rgb = np.asarray(rgb, np.float32)
    alpha = np.clip(rgb.max(2), 0, 1) if alpha is None else alpha
    rgb = np.minimum(rgb, alpha[..., None])  # straight colour must stay within 0..1 in a PNG
    return np.ascontiguousarray(np.dstack([rgb, alpha]), np.float32)


def lamp_flare(folder: Path, size: int = 640) -> list[Path]:
    """A hot core, a wide halo, a thin horizontal streak and a faint ring, in the colour of a paraffin lamp."""
    c = (size - 1) / 2
    y, x = (np.mgrid[0:size, 0:size].astype(np.float32) - c) / c
    r = np.hypot(x, y)
    core = np.exp(-((r / 0.055) ** 2)) * 3
    halo = 0.35 * np.exp(-r / 0.13) + 0.05 * np.exp(-r / 0.3)
    streak = 0.55 * np.exp(-np.abs(y) / 0.012) * np.exp(-((x / 0.5) ** 2))
    angle = np.arctan2(y, x)
    rays = 0.16 * np.abs(np.cos(angle * 4 + 0.4)) ** 24 * np.exp(-r / 0.16)
    ring = 0.02 * np.exp(-(((r - 0.55) / 0.03) ** 2))
    fade = np.clip((1 - r) / 0.35, 0, 1) ** 2
    warm, hot = np.array([1.0, 0.56, 0.2], np.float32), np.array([1.0, 0.86, 0.62], np.float32)
    light = (halo + rays + ring)[..., None] * warm + (core + streak)[..., None] * hot
    path = folder / "lamp-flare.png"
    write_picture(path, light_of(light * fade[..., None]), "png")
    return [path]


def ember_sparks(folder: Path, frames: int = 48, width: int = 640, height: int = 480, count: int = 70) -> list[Path]:
    """Glowing specks that rise, sway and die; the last frame leads into the first."""
    rng = np.random.default_rng(11)
    born = rng.random(count)
    x0, speed = rng.uniform(0.1, 0.9, count), rng.uniform(0.55, 1.0, count)
    sway, phase, size = rng.uniform(5, 26, count), rng.uniform(0, 6.28, count), rng.uniform(0.8, 2.4, count)
    paths = []
    yy, xx = np.mgrid[-14:15, -14:15].astype(np.float32)
    for frame in range(frames):
        light = np.zeros((height, width, 3), np.float32)
        for k in range(count):
            age = (frame / frames + born[k]) % 1.0
            x = x0[k] * width + sway[k] * np.sin(phase[k] + age * 9) + 40 * age
            y = height * (1.02 - age * speed[k])
            heat = np.clip(age / 0.08, 0, 1) * (1 - age) ** 0.7
            ix, iy = int(x), int(y)
            if not (15 <= ix < width - 15 and 15 <= iy < height - 15):
                continue
            d2 = (xx - (x - ix)) ** 2 + (yy - (y - iy)) ** 2
            spot = np.exp(-d2 / (2 * size[k] ** 2)) * 1.6 + 0.07 * np.exp(-d2 / 50)
            colour = np.array([1.0, 0.5 * heat + 0.12, 0.16 * heat**2 + 0.02], np.float32)
            light[iy - 14 : iy + 15, ix - 14 : ix + 15] += (spot * heat)[..., None] * colour
        path = folder / f"embers_{frame:04d}.png"
        write_picture(path, light_of(np.minimum(light, 1)), "png")
        paths.append(path)
    return paths


def drifting_mist(folder: Path, width: int = 1920, height: int = 620) -> list[Path]:
    """A wide bank of mist, thin at the top and at both ends, to be moved slowly across."""
    n = fractal(width, height, 420, seed=3, octaves=6, gain=0.52) + 0.4 * fractal(width, height, 160, seed=8, octaves=5)
    body = np.clip((n - n.mean()) / (3.2 * n.std()) + 0.45, 0, 1) ** 1.4
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    x = np.linspace(0, 1, width, dtype=np.float32)[None]
    shape = (
        np.clip(y / 0.55, 0, 1) ** 1.6
        * np.clip((1 - y) / 0.12, 0, 1)
        * np.clip(x / 0.1, 0, 1)
        * np.clip((1 - x) / 0.1, 0, 1)
    )
    alpha = (body * shape * 0.75).astype(np.float32)
    colour = np.array([0.36, 0.42, 0.5], np.float32)
    path = folder / "mist.png"
    write_picture(path, np.ascontiguousarray(np.dstack([alpha[..., None] * colour, alpha]), np.float32), "png")
    return [path]


def gull(folder: Path, frames: int = 20, width: int = 480, height: int = 400) -> list[Path]:
    """A wooden gull that beats its wings on the spot, seen from the side; the last frame leads into the first."""
    fine = 3
    rng = np.random.default_rng(14)
    grain = 0.5 + fractal(width * fine, height * fine, 60, seed=51, octaves=4) * 0.5
    paths = []
    for frame in range(frames):
        phase = 2 * np.pi * frame / frames
        rise = -10 * np.sin(phase - 0.5)
        light = np.zeros((height * fine, width * fine, 3), np.float32)
        cover = np.zeros((height * fine, width * fine), np.float32)

        def lay(points: list[tuple[float, float]], colour: tuple[float, float, float], light: NDArray = light, cover: NDArray = cover, rise: float = rise) -> None:  # fmt: skip
            at = np.rint((np.array(points) + [width * 0.47, height * 0.52 + rise]) * fine).astype(np.int32)
            mask = np.zeros(cover.shape, np.uint8)
            cv2.fillPoly(mask, [at], 255)
            there = mask > 0
            light[there] = np.array(colour, np.float32) * (0.82 + 0.3 * grain[there, None])
            cover[there] = 1

        inner = np.radians(8 + 34 * np.sin(phase))
        outer = inner + np.radians(24 * np.sin(phase - 1.1) - 8)
        for far, reach, tone in ((True, 0.82, 0.3), (False, 1.0, 0.48)):
            root, chord = (6.0 if far else -4.0, -14.0), 52.0
            # the near wing comes towards the lens, a little below, the far one goes from it
            aside = -26.0 if far else 34.0
            elbow = (root[0] + 10, root[1] - 100 * reach * np.sin(inner) + aside * np.cos(inner))
            tip = (elbow[0] - 62, elbow[1] - 128 * reach * np.sin(outer) + 1.3 * aside * np.cos(outer))
            wing = [(root[0] + chord / 2, root[1]), (elbow[0] + chord / 2.2, elbow[1]), tip, (elbow[0] - chord / 2, elbow[1] + 8), (root[0] - chord / 2, root[1] + 4)]  # fmt: skip
            if not far:
                _body(lay)
            lay(wing, (tone, tone * 1.02, tone * 1.08))
            along = [tuple(np.array(tip) + (np.array(p) - tip) * 0.32) for p in (wing[1], wing[3])]
            lay([along[0], tip, along[1]], (0.03, 0.03, 0.035))
        small = cv2.resize(np.dstack([light * cover[..., None], cover]), (width, height), interpolation=cv2.INTER_AREA)
        small[..., :3] += rng.normal(0, 0.003, (height, width, 3)) * small[..., 3:]
        path = folder / f"gull_{frame:04d}.png"
        write_picture(path, np.ascontiguousarray(np.clip(small, 0, 1), np.float32), "png")
        paths.append(path)
    return paths


def _body(lay: Callable[..., None]) -> None:
    """Of the gull: tail, body, head, beak and eye, looking to the right."""
    turn = np.linspace(0, 2 * np.pi, 40)
    lay([(-84, -6), (-128, -14), (-122, 2), (-128, 12), (-80, 8)], (0.62, 0.62, 0.6))
    lay(list(zip(92 * np.cos(turn) - 8, 25 * np.sin(turn), strict=True)), (0.78, 0.77, 0.73))
    lay(list(zip(25 * np.cos(turn) + 80, 21 * np.sin(turn) - 18, strict=True)), (0.8, 0.79, 0.75))
    lay([(100, -24), (138, -14), (134, -8), (100, -10)], (0.75, 0.36, 0.06))
    lay(list(zip(3.6 * np.cos(turn) + 90, 3.6 * np.sin(turn) - 23, strict=True)), (0.01, 0.01, 0.01))


def chimney_smoke(folder: Path, frames: int = 72, width: int = 640, height: int = 480) -> list[Path]:
    """Grey smoke that rises and spreads before an unevenly lit blue screen; the last frame leads into the first."""
    rng = np.random.default_rng(12)
    count = 44
    born, side, spin = np.arange(count) / count, rng.normal(0, 1, count), rng.uniform(-1, 1, count)
    patch, half = 256, 128
    yy, xx = (np.mgrid[0:patch, 0:patch].astype(np.float32) - half) / half
    round_off = np.clip(1 - np.hypot(xx, yy), 0, 1) ** 1.5
    puffs = []
    for seed in range(8):
        n = fractal(patch, patch, 90, seed=30 + seed, octaves=5, gain=0.6)
        billow = np.clip((n - n.mean()) / (2.2 * n.std()) + 0.55, 0, 1)
        puffs.append((round_off * billow).astype(np.float32))
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j].astype(np.float32)
    lit = (0.75 + 0.45 * np.exp(-(((x - 0.42) / 0.5) ** 2) - ((y - 0.45) / 0.6) ** 2))[..., None]
    screen = lit * np.array([0.02, 0.075, 0.5], np.float32)
    paths = []
    for frame in range(frames):
        thick, bright = np.zeros((height, width), np.float32), np.zeros((height, width), np.float32)
        for k in np.argsort(-((frame / frames + born) % 1.0)):
            age = (frame / frames + born[k]) % 1.0
            size = 34 + 150 * age**0.8
            px = width * 0.42 + 60 * age + side[k] * (8 + 60 * age) + 26 * np.sin(5 * age + 6.28 * born[k])
            py = height * (0.98 - 0.95 * age**0.85)
            turn = cv2.getRotationMatrix2D((half, half), 40 * age * spin[k] * 4, size / half)
            turn[:, 2] += (px - half, py - half)
            strength = 0.74 * min(1.0, age / 0.06) * (1 - age) ** 1.3
            x0, y0 = max(0, int(px - size) - 1), max(0, int(py - size) - 1)
            x1, y1 = min(width, int(px + size) + 2), min(height, int(py + size) + 2)
            if x0 >= x1 or y0 >= y1:
                continue
            turn[:, 2] -= (x0, y0)
            cover = cv2.warpAffine(puffs[k % 8], turn, (x1 - x0, y1 - y0)) * strength
            shade = 0.34 + 0.2 * cv2.warpAffine(-xx - 0.6 * yy, turn, (x1 - x0, y1 - y0))
            there = np.s_[y0:y1, x0:x1]
            bright[there] = bright[there] * (1 - cover) + cover * shade
            thick[there] = thick[there] * (1 - cover) + cover
        light = bright[..., None] * np.array([1.0, 0.98, 0.95], np.float32) + (1 - thick[..., None]) * screen
        light += rng.normal(0, 0.004, light.shape).astype(np.float32)
        path = folder / f"smoke_{frame:04d}.png"
        write_picture(path, light_of(np.clip(light, 0, 1), np.ones((height, width), np.float32)), "png")
        paths.append(path)
    return paths


def night_sky(folder: Path, width: int = 1600, height: int = 900) -> list[Path]:
    """A deep sky with a band of far stars across it, dust in the band, and bright ones strewn over all."""
    rng = np.random.default_rng(13)
    y, x = np.mgrid[0 : 1 : height * 1j, 0 : 1 : width * 1j].astype(np.float32)
    sky = np.array([0.006, 0.011, 0.026], np.float32) * (0.6 + 1.1 * y)[..., None]

    def even(scale: int, seed: int, octaves: int) -> Pixels:
        """Noise about 0, most of it within -1..1."""
        n = fractal(width, height, scale, seed=seed, octaves=octaves, gain=0.58)
        return ((n - n.mean()) / (2 * n.std())).astype(np.float32)

    across = (y - 0.42) + 0.5 * (x - 0.5) + 0.05 * even(500, 40, 4)
    dust = np.clip(0.5 + 1.4 * even(170, 42, 6), 0, 1) * np.exp(-((across / 0.06) ** 2))
    band = np.exp(-((across / 0.17) ** 2)) * np.clip(0.5 + 0.45 * even(240, 41, 6), 0, 1) * (1 - 0.85 * dust)
    warm_core = np.array([0.07, 0.02, -0.02], np.float32) * np.exp(-((across / 0.06) ** 2))[..., None]
    sky = sky + 0.55 * band[..., None] * (np.array([0.13, 0.15, 0.21], np.float32) + warm_core)
    for count, size, light in ((5200, 0.55, 0.25), (900, 0.8, 0.7), (90, 1.25, 2.2)):
        layer = np.zeros((height, width, 3), np.float32)
        at = (rng.integers(0, height, count), rng.integers(0, width, count))
        warm = rng.uniform(0, 1, (count, 1)).astype(np.float32)
        colour = warm * np.array([1.0, 0.8, 0.6], np.float32) + (1 - warm) * np.array([0.75, 0.87, 1.0], np.float32)
        keep = rng.uniform(0, 1, count) < 0.35 + 1.2 * band[at]
        layer[at] = colour * (light * rng.exponential(1.0, (count, 1)) * keep[:, None]).astype(np.float32)
        sky = sky + cv2.GaussianBlur(layer, (0, 0), size) * (2 * np.pi * size**2) * 0.35
    path = folder / "night-sky.png"
    write_picture(path, light_of(np.minimum(sky, 1), np.ones((height, width), np.float32)), "png")
    return [path]


def brass_dial(folder: Path, size: int = 720) -> list[Path]:
    """A ship's dial: bevelled brass ring, enamel face, ticks and a needle."""
    s = 3 * size
    c = s / 2
    face = np.zeros((s, s, 4), np.float32)
    y, x = np.mgrid[0:s, 0:s].astype(np.float32) - c + 0.5
    r, angle = np.hypot(x, y) / c, np.arctan2(y, x)
    brushed = 0.06 * fractal(s, s, 6, seed=5, octaves=3)
    ring = np.clip((r - 0.82) / 0.16, 0, 1)
    shine = 0.5 + 0.38 * np.cos(angle + 2.1) * np.cos(ring * np.pi) + 0.22 * np.cos(2 * angle - 0.7) + brushed
    brass = np.clip(shine, 0.05, 1.3)[..., None] * np.array([0.72, 0.47, 0.15], np.float32)
    enamel = (0.4 - 0.14 * r + brushed * 0.6)[..., None] * np.array([0.95, 0.9, 0.76], np.float32)
    rgb = np.where((r > 0.82)[..., None], brass, enamel)
    ink = np.zeros((s, s), np.float32)
    for k in range(72):
        a = np.radians(k * 5)
        inner, width = (0.64, 12) if k % 18 == 0 else (0.68, 7) if k % 6 == 0 else (0.73, 3)
        p, q = [(int(c + np.cos(a) * d * c), int(c + np.sin(a) * d * c)) for d in (inner, 0.77)]
        cv2.line(ink, p, q, 1.0, width, cv2.LINE_AA)
    needle = np.array([[c, c - 0.6 * c], [c + 0.05 * c, c], [c, c + 0.22 * c], [c - 0.05 * c, c]], np.int32)
    cv2.fillPoly(ink, [needle], 1.0, cv2.LINE_AA)
    cv2.circle(ink, (int(c), int(c)), int(0.075 * c), 1.0, -1, cv2.LINE_AA)
    rgb = rgb * (1 - ink[..., None]) + ink[..., None] * np.array([0.03, 0.035, 0.05], np.float32)
    alpha = np.clip((0.985 - r) * c, 0, 1)
    face[..., :3], face[..., 3] = np.clip(rgb, 0, 1) * alpha[..., None], alpha
    path = folder / "brass-dial.png"
    write_picture(path, cv2.resize(face, (size, size), interpolation=cv2.INTER_AREA), "png")
    return [path]


def painted_board(folder: Path, width: int = 1200, height: int = 430) -> list[Path]:
    """A weathered board with lettering: planks, brushed paint with chips, cream letters and a border."""
    grain_ = (
        fractal(width, height, 300, seed=8, octaves=6) + 0.7 * fractal(width * 8, height, 40, seed=9, octaves=4)[:, ::8]
    )
    wood = np.clip(0.34 + 0.5 * grain_, 0.05, 1)[..., None] * np.array([0.62, 0.40, 0.22], np.float32)
    strokes = 0.9 + 0.35 * fractal(width, height, 24, seed=10, octaves=4)
    paint = strokes[..., None] * np.array([0.20, 0.035, 0.03], np.float32)
    chips = np.clip((fractal(width, height, 90, seed=11, octaves=6, gain=0.65) - 0.30) * 14, 0, 1)
    letters = Image.new("L", (width, height), 0)
    draw = ImageDraw.Draw(letters)
    draw.rounded_rectangle((26, 26, width - 26, height - 26), 24, outline=255, width=8)
    for text, y, size in (("NIGHT PILOT", 0.42, 170), ("LANTERNS LIT AT DUSK", 0.76, 62)):
        font = ImageFont.load_default(size=size)
        draw.text((width / 2, height * y), text, font=font, fill=255, anchor="mm", stroke_width=3)
    ink = (
        np.asarray(letters, np.float32)
        / 255
        * np.clip(1.2 - 2.2 * fractal(width, height, 60, seed=12, octaves=5), 0, 1)
    )
    painted = paint * (1 - ink[..., None]) + ink[..., None] * np.array([0.62, 0.52, 0.33], np.float32)
    rgb = painted * (1 - chips[..., None]) + wood * chips[..., None]
    alpha = np.zeros((height, width), np.float32)
    alpha[3:-3, 3:-3] = 1
    path = folder / "painted-board.png"
    pixels = np.dstack([np.clip(rgb, 0, 1), np.ones_like(alpha)]) * alpha[..., None]
    write_picture(path, np.ascontiguousarray(pixels, np.float32), "png")
    return [path]


def harbour_sound(path: Path, seconds: float, rate: int = 48_000) -> None:
    """Slow water, a creaking rope, and a bell far off."""
    n = int(seconds * rate)
    rng = np.random.default_rng(4)
    t = np.arange(n) / rate
    spectrum = np.fft.rfft(rng.normal(size=n))
    f = np.fft.rfftfreq(n, 1 / rate)
    water = np.fft.irfft(spectrum / (1 + (f / 380) ** 2) * (f > 40), n)
    water *= (0.55 + 0.45 * np.sin(2 * np.pi * t / 2.3)) ** 2 / np.abs(water).max()
    creak = (
        np.sin(2 * np.pi * (170 + 40 * np.sin(2 * np.pi * t * 0.9)) * t)
        * np.clip(np.sin(2 * np.pi * t / 1.7 + 1), 0, 1) ** 18
    )
    bell = np.zeros(n)
    for at in (0.8, 2.1):
        since = np.clip(t - at, 0, None)
        ring = sum(a * np.sin(2 * np.pi * h * since) for h, a in ((523, 1), (1244, 0.5), (1655, 0.3)))
        bell += ring * np.exp(-since * 2.6) * (t >= at)
    mix = 0.5 * water + 0.05 * creak + 0.13 * bell
    fade = np.minimum(1, np.minimum(t, seconds - t) / 0.1)
    left, right = mix * fade, np.roll(mix, 300) * fade
    with wave.open(str(path), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(rate)
        out.writeframes((np.stack([left, right], 1).clip(-1, 1) * 32767).astype("<i2").tobytes())
