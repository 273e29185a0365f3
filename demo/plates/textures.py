"""Textures painted by number: wood, brushed paint, mottled stone, cloth, a sign, a sea chart. Float32 sRGB 0..1."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray
from PIL import Image, ImageDraw, ImageFont

Picture = NDArray[np.float32]


def noise(
    h: int, w: int, down: int, across: int, rng: np.random.Generator, octaves: int = 5, gain: float = 0.55
) -> Picture:
    """Fractal value noise, about 0..1, beginning with ``down`` x ``across`` cells."""
    total, amount, weight = np.zeros((h, w), np.float32), 1.0, 0.0
    for octave in range(octaves):
        cells = rng.random((min(h - 1, down << octave) + 1, min(w - 1, across << octave) + 1)).astype(np.float32)
        total += amount * cv2.resize(cells, (w, h), interpolation=cv2.INTER_CUBIC)
        weight += amount
        amount *= gain
    return total / weight


def stretched(values: Picture) -> Picture:
    return (values - values.min()) / (np.ptp(values) + 1e-9)


def step(values: ArrayLike, low: float, high: float) -> Picture:
    t = np.clip((np.asarray(values, np.float32) - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def mix(a: ArrayLike, b: ArrayLike, t: Picture) -> Picture:
    t = t[..., None] if t.ndim == 2 else t
    return np.asarray(a, np.float32) * (1 - t) + np.asarray(b, np.float32) * t


def clipped(picture: Picture) -> Picture:
    return np.clip(picture, 0, 1).astype(np.float32)


def wood(
    h: int, w: int, seed: int, light: ArrayLike, dark: ArrayLike, knots: int = 4, scratches: int = 80, rings: int = 14
) -> tuple[Picture, Picture]:
    """Planed wood, its grain along x: colour, and height for bump."""
    rng = np.random.default_rng(seed)
    v, u = np.mgrid[0 : 1 : h * 1j, 0 : 1 : w * 1j].astype(np.float32)
    field = v + 0.55 * (1.2 * noise(h, w, 3, 2, rng, 4) + 0.25 * noise(h, w, 10, 3, rng, 3))
    for _ in range(knots):
        x, y, radius = rng.random(), rng.random(), 0.03 + 0.06 * rng.random()
        near = ((u - x) * (w / h) * 0.45) ** 2 + (v - y) ** 2
        field += 0.35 * np.exp(-near / radius**2) * rng.choice((-1, 1))
    ring = (field * rings) % 1.0
    ring = np.where(ring < 0.82, ring / 0.82, (1 - ring) / 0.18)
    fibre = stretched(noise(h, w, 180, 5, rng, 3))
    pores = cv2.GaussianBlur((noise(h, w, 300, 24, rng, 2) > 0.66).astype(np.float32), (0, 0), 0.8)
    colour = mix(light, dark, step(0.55 * ring + 0.45 * fibre, 0.25, 1.05))
    colour *= (0.86 + 0.28 * noise(h, w, 4, 3, rng, 4))[..., None] * (1 - 0.35 * pores)[..., None]
    tooled = np.zeros((h, w), np.float32)
    for _ in range(scratches):
        angle, run = rng.normal(0, 0.5), rng.uniform(0.02, 0.25) * w
        start = np.array([rng.uniform(0, w), rng.uniform(0, h)])
        end = start + run * np.array([np.cos(angle), np.sin(angle)])
        cv2.line(tooled, tuple(start.astype(int)), tuple(end.astype(int)), rng.uniform(0.2, 0.9), 1, cv2.LINE_AA)
    colour = mix(colour, colour * 0.55, tooled)
    stain = step(noise(h, w, 5, 6, rng, 4), 0.55, 0.72)
    colour = mix(colour, colour * np.array([0.72, 0.68, 0.66]), stain * 0.6)
    return clipped(colour), stretched(0.5 * fibre - 0.2 * ring - 0.5 * tooled - 0.6 * pores)


def painted(under: tuple[Picture, Picture], colour: ArrayLike, seed: int, wear: float) -> tuple[Picture, Picture]:
    """Brushed paint over ``under``, chipped so that what is beneath shows."""
    below, height = under
    h, w = height.shape
    rng = np.random.default_rng(seed)
    level = 0.62 - wear * 0.16
    left = 1 - step(noise(h, w, 10, 14, rng, 6, 0.65), level, level + 0.03)
    strokes = noise(h, w, 150, 4, rng, 3)
    coat = (
        np.asarray(colour, np.float32)
        * (0.88 + 0.24 * strokes)[..., None]
        * (0.9 + 0.2 * noise(h, w, 5, 5, rng, 4))[..., None]
    )
    rim = np.clip(cv2.GaussianBlur(left, (0, 0), 1.5) - left, 0, 1)
    picture = mix(below * 0.9, coat, left) - 0.25 * rim[..., None]
    return clipped(picture), stretched(stretched(height) * 0.25 + left * 0.5 + 0.25 * stretched(strokes) * left)


def mottled(h: int, w: int, seed: int, colours: ArrayLike, scale: int, speckle: float) -> tuple[Picture, Picture]:
    """Stone, clay or metal wandering between ``colours``."""
    rng = np.random.default_rng(seed)
    table = np.asarray(colours, np.float32)
    n = stretched(noise(h, w, scale, scale, rng, 6, 0.6))
    at = np.clip(n * (len(table) - 1), 0, len(table) - 1 - 1e-4)
    low = at.astype(int)
    colour = mix(table[low], table[low + 1], at - low)
    fine = stretched(noise(h, w, h // 4, w // 4, rng, 2))
    colour = colour * (1 - 0.6 * (fine > 1 - speckle * 4))[..., None] * (0.9 + 0.2 * fine)[..., None]
    return clipped(colour), (0.6 * n + 0.4 * fine).astype(np.float32)


def cloth(h: int, w: int, seed: int, high: ArrayLike, low: ArrayLike, threads: int) -> tuple[Picture, Picture]:
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0 : 1 : h * 1j, 0 : 1 : w * 1j].astype(np.float32)
    weave = 0.5 + 0.25 * np.sin(x * threads * 2 * np.pi) + 0.25 * np.sin(y * threads * 2 * np.pi)
    uneven = noise(h, w, 8, 8, rng, 6)
    return clipped(mix(high, low, np.clip(0.5 * (1 - weave) + 0.8 * (uneven - 0.35), 0, 1))), weave


def _font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    return ImageFont.load_default(size=size)


def _ink(image: Image.Image) -> Picture:
    return np.asarray(image, np.float32) / 255


def sign(h: int = 700, w: int = 1200, seed: int = 5) -> tuple[Picture, Picture]:
    """The quay's board: chipped paint, a border, a little boat, two anchors, hand lettering."""
    base, height = painted(
        wood(h, w, seed, (0.80, 0.64, 0.44), (0.5, 0.33, 0.18), knots=2, rings=9), (0.13, 0.27, 0.33), seed + 1, 0.22
    )
    image = Image.new("L", (w, h), 0)
    draw = ImageDraw.Draw(image)
    draw.rounded_rectangle((34, 34, w - 34, h - 34), 40, outline=255, width=9)
    draw.rounded_rectangle((54, 54, w - 54, h - 54), 30, outline=255, width=3)
    draw.text((w / 2, 175), "OLD QUAY", font=_font(170), fill=255, anchor="mm", stroke_width=5)
    draw.text((w / 2, 560), "BOATS MENDED  ·  NETS SEWN", font=_font(64), fill=255, anchor="mm", stroke_width=2)
    x, y = w / 2, 385
    draw.polygon([(x - 150, y + 40), (x + 150, y + 40), (x + 105, y + 95), (x - 110, y + 95)], fill=255)
    draw.polygon([(x + 8, y + 26), (x + 8, y - 110), (x + 110, y + 26)], fill=255)
    draw.polygon([(x - 8, y + 26), (x - 8, y - 85), (x - 90, y + 26)], fill=255)
    for anchor in (x - 330, x + 330):
        draw.ellipse((anchor - 34, y - 14, anchor + 34, y + 54), outline=255, width=12)
        draw.line((anchor, y + 54, anchor, y + 120), fill=255, width=11)
        draw.arc((anchor - 60, y + 40, anchor + 60, y + 130), 10, 170, fill=255, width=11)
    rng = np.random.default_rng(seed + 9)
    sway = [(noise(h, w, 14, 20, rng, 3) - 0.5) * 9 for _ in range(2)]
    rows, columns = np.mgrid[0:h, 0:w].astype(np.float32)
    letters = cv2.remap(_ink(image), columns + sway[0], rows + sway[1], cv2.INTER_LINEAR)
    letters *= 1 - step(noise(h, w, 16, 26, rng, 6, 0.7), 0.60, 0.615)
    cream = np.array([0.90, 0.83, 0.66]) * (0.9 + 0.2 * noise(h, w, 6, 90, rng, 3))[..., None]
    picture = mix(base, cream, letters)
    grime = step(noise(h, w, 4, 6, rng, 5), 0.5, 0.75)
    return clipped(mix(picture, picture * np.array([0.7, 0.66, 0.6]), grime * 0.55)), stretched(height + 0.25 * letters)


def chart(h: int = 800, w: int = 1000, seed: int = 3) -> tuple[Picture, Picture]:
    """A sea chart of nowhere, on old paper."""
    rng = np.random.default_rng(seed)
    picture, height = mottled(h, w, seed, [(0.93, 0.87, 0.72), (0.86, 0.78, 0.60), (0.78, 0.68, 0.48)], 4, 0.002)
    land = noise(h, w, 3, 4, rng, 6, 0.55)
    for level, width, strength in ((0.40, 1, 0.45), (0.44, 1, 0.45), (0.48, 1, 0.45), (0.52, 3, 0.9)):
        lines, _ = cv2.findContours((land > level).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        ink = np.zeros((h, w), np.uint8)
        cv2.drawContours(ink, lines, -1, 255, width, cv2.LINE_AA)
        picture = mix(picture, (0.22, 0.20, 0.24), ink / np.float32(255) * strength)
    picture = mix(picture, picture * np.array([0.86, 0.80, 0.60]), (land > 0.52).astype(np.float32) * 0.9)
    image = Image.new("L", (w, h), 0)
    draw = ImageDraw.Draw(image)
    for i in range(1, 8):
        draw.line((i * w / 8, 30, i * w / 8, h - 30), fill=90)
        draw.line((30, i * h / 8, w - 30, i * h / 8), fill=90)
    draw.rectangle((26, 26, w - 26, h - 26), outline=255, width=4)
    for _ in range(70):
        at = (rng.uniform(50, w - 50), rng.uniform(50, h - 50))
        draw.text(at, str(int(rng.integers(2, 40))), font=_font(17), fill=170)
    draw.text((w * 0.27, h * 0.85), "THE SOUNDINGS", font=_font(54), fill=255, anchor="mm")
    for k in range(16):
        angle, reach = k * np.pi / 8, 90 if k % 2 == 0 else 45
        end = (w * 0.8 + reach * np.cos(angle), h * 0.22 + reach * np.sin(angle))
        draw.line((w * 0.8, h * 0.22, *end), fill=255, width=4 if k % 4 == 0 else 2)
    return clipped(mix(picture, (0.25, 0.16, 0.14), _ink(image) * 0.85)), height


def iris(h: int = 512, w: int = 1024) -> Picture:
    """An eyeball unrolled about the line of sight: pupil at the top row, then iris, white, and the rosy back."""
    rng = np.random.default_rng(1)
    away = np.repeat(((np.arange(h, dtype=np.float32) + 0.5) / h * np.pi)[:, None], w, 1)
    fibres = noise(h, w, 3, 120, rng, 3)
    radius = away / 0.50
    colour = np.array([0.20, 0.36, 0.42]) * (0.5 + 1.1 * fibres)[..., None]
    amber = np.array([0.45, 0.36, 0.16]) * (0.6 + 0.8 * fibres)[..., None]
    colour = mix(colour, amber, np.clip(1 - np.abs(radius - 0.5) / 0.25, 0, 1))
    colour *= (1 - 0.75 * step(radius, 0.8, 1.0))[..., None]
    picture = np.where((radius < 1)[..., None], colour, np.float32([0.86, 0.83, 0.79]))
    picture = np.where((radius < 0.42)[..., None], 0.012, picture)
    picture = mix(picture, (0.8, 0.55, 0.5), np.clip((away - 0.9) / 1.2, 0, 0.6))
    return clipped(cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 1.2))


def dusk(h: int = 720, w: int = 1600) -> Picture:
    """The harbour at dusk behind the pilot, linear light: sky, roofs, masts, lamps and their reflection."""
    rng = np.random.default_rng(5)
    y = np.linspace(0, 1, h)
    bands = ((0.05, 0.55, 0.95), (0.09, 0.33, 0.42), (0.20, 0.34, 0.26))
    rows = np.stack([np.interp(y, [0, 0.55, 0.75], band) for band in bands], -1)
    sky = np.repeat(rows[:, None].astype(np.float32), w, 1)
    line = int(h * 0.66)
    fade = np.linspace(1, 0.25, h - line)[:, None, None]
    sky[line:] = np.array([0.03, 0.045, 0.07]) + 0.25 * sky[line - 1 :: -1][: h - line] * fade
    for _ in range(26):
        x, tall, wide = rng.integers(0, w), rng.integers(30, 150), rng.integers(40, 120)
        sky[line - tall : line, x : x + wide] = (0.025, 0.03, 0.045)
    for _ in range(22):
        x, tall = rng.integers(0, w - 4), rng.integers(80, 330)
        sky[line - tall : line + 20, x : x + 4] = (0.02, 0.02, 0.03)
    lamps = np.array([[9, 5, 1.6], [9, 7, 4], [2, 6, 6]])
    for _ in range(70):
        at = (int(rng.integers(8, w - 8)), int(rng.integers(line - 130, line + 60)))
        cv2.circle(sky, at, 3, [float(v) for v in lamps[rng.integers(3)] * rng.uniform(0.4, 1)], -1, cv2.LINE_AA)
    return sky


def save(path: Path, picture: Picture) -> Path:
    """8-bit PNG of a colour or grey picture."""
    levels = (np.clip(picture, 0, 1) * 255 + 0.5).astype(np.uint8)
    cv2.imwrite(str(path), levels[..., ::-1] if levels.ndim == 3 else levels)
    return path
