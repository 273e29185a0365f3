"""Coded planes become the light they were made from, wherever their chroma lies."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.conftest import write_clip
from tropein.core.matte.subsampled import restored
from tropein.core.media.clip import ClipReader
from tropein.core.media.encode import MovieWriter, Target
from tropein.core.media.probe import probe
from tropein.core.raster import colour, yuv

SIZE = (48, 64)


def scene(y: NDArray, x: NDArray) -> NDArray[np.float64]:
    """Smooth colours (..., 3), encoded, at any place in pixels."""
    return np.stack(
        [0.5 + 0.3 * np.sin(x / 5 + y / 9), 0.5 + 0.25 * np.cos(x / 7), 0.45 + 0.3 * np.sin(y / 6 - x / 11)], -1
    )


def coded(sub: tuple[int, int], siting: str, bits: int, full: bool = False, alpha: bool = False) -> yuv.Planes:
    """The scene as planes whose chroma is taken exactly where the siting says, `sub` of them down and across to one."""
    across, down = yuv.SITINGS[siting]
    rows, cols = np.mgrid[0 : SIZE[0], 0 : SIZE[1]]
    coarse = np.mgrid[0 : SIZE[0] // sub[0], 0 : SIZE[1] // sub[1]]
    at = coarse[0] * sub[0] + (sub[0] - 1) * down, coarse[1] * sub[1] + (sub[1] - 1) * across

    def parts(rgb: NDArray) -> tuple[NDArray, NDArray, NDArray]:
        luma = rgb @ [0.2126, 0.7152, 0.0722]
        return luma, (rgb[..., 2] - luma) / 1.8556, (rgb[..., 0] - luma) / 1.5748

    unit, top = 1 << (bits - 8), (1 << bits) - 1
    low, gain, chroma = (0, top, top) if full else (16 * unit, 219 * unit, 224 * unit)
    whole = np.uint8 if bits == 8 else np.uint16
    y = np.rint(low + gain * parts(scene(rows, cols))[0]).astype(whole)
    u, v = (np.rint(128 * unit + chroma * c).astype(whole) for c in parts(scene(*at))[1:])
    ramp = np.rint(np.linspace(0, top, SIZE[0] * SIZE[1]).reshape(SIZE)).astype(whole) if alpha else None
    return yuv.Planes(y, u, v, ramp, bits, full_range=full, siting=siting)


def error(planes: yuv.Planes) -> float:
    """Largest difference from the scene, in display values 0..1, the outermost two pixels left out."""
    got = colour.convert(yuv.to_linear(planes, colour.DISPLAY)[..., :3], colour.WORKING, colour.DISPLAY)
    return float(np.abs(got - scene(*np.mgrid[0 : SIZE[0], 0 : SIZE[1]]))[2:-2, 2:-2].max())


@pytest.mark.parametrize("siting", list(yuv.SITINGS))
@pytest.mark.parametrize(("sub", "bits"), [((2, 2), 8), ((2, 2), 10), ((1, 2), 10), ((1, 4), 8)])
def test_chroma_is_laid_where_it_was_taken(siting: str, sub: tuple[int, int], bits: int) -> None:
    planes = coded(sub, siting, bits)
    right = error(planes)
    assert right < (0.1 if sub[1] == 4 else 0.02)
    across, down = yuv.SITINGS[siting]
    for name, (other_across, other_down) in yuv.SITINGS.items():
        if other_across != across or (sub[0] > 1 and other_down != down):
            assert error(yuv.Planes(planes.y, planes.u, planes.v, None, bits, siting=name)) > 1.3 * right, name


@pytest.mark.parametrize(("bits", "full"), [(8, False), (8, True), (10, False), (12, True), (16, False)])
def test_whole_chroma_is_exact_to_the_code(bits: int, full: bool) -> None:
    assert error(coded((1, 1), "left", bits, full)) < max(2.2 / 2**bits, 1.5e-4)


def test_alpha_is_laid_on_in_linear_light() -> None:
    planes = coded((1, 1), "left", 12, alpha=True)
    whole = yuv.to_linear(yuv.Planes(planes.y, planes.u, planes.v, None, 12), colour.DISPLAY)
    got = yuv.to_linear(planes, colour.DISPLAY)
    a = np.linspace(0, 1, SIZE[0] * SIZE[1]).reshape(SIZE)
    assert np.abs(got[..., 3] - a).max() < 2e-4
    assert np.abs(got[..., :3] - whole[..., :3] * got[..., 3:]).max() < 1e-6


def test_primaries_of_another_space_are_turned_into_ours() -> None:
    planes = coded((1, 1), "left", 10)
    rgb = scene(*np.mgrid[0 : SIZE[0], 0 : SIZE[1]]).astype(np.float32)
    want = np.maximum(colour.convert(rgb, "ACEScct", colour.WORKING), 0)
    got = yuv.to_linear(planes, "ACEScct")[..., :3]
    assert np.abs(got - want).max() < 0.02 * want.max()


@pytest.mark.parametrize(
    ("codec", "pix_fmt", "suffix", "options", "siting"),
    [
        ("libx264", "yuv420p", "mp4", {}, "left"),
        ("libx264", "yuv420p", "mp4", {"x264-params": "chromaloc=1"}, "center"),
        ("libx264", "yuv420p", "mkv", {"x264-params": "chromaloc=2"}, "topleft"),
        ("mjpeg", "yuvj420p", "avi", {}, "center"),
        ("prores_ks", "yuv422p10le", "mov", {}, "left"),
    ],
)
def test_a_file_says_where_its_chroma_lies(
    tmp_path: Path, codec: str, pix_fmt: str, suffix: str, options: dict[str, str], siting: str
) -> None:
    grey = [np.full((48, 64, 3), 128, np.uint8)] * 3
    path = write_clip(tmp_path / f"a.{suffix}", grey, codec=codec, pix_fmt=pix_fmt, options=options)
    assert probe([path]).siting == siting


def painted(seed: int) -> list[NDArray[np.uint8]]:
    """Three grained pictures of coloured discs."""
    rng = np.random.default_rng(seed)
    picture = np.full((180, 240, 3), 90, np.uint8)
    for _ in range(40):
        colour_of = tuple(int(v) for v in rng.integers(20, 235, 3))
        at = tuple(int(v) for v in rng.integers(0, 240, 2))
        cv2.circle(picture, at, int(rng.integers(6, 30)), colour_of, -1, cv2.LINE_AA)
    soft = cv2.GaussianBlur(picture, (0, 0), 0.8)
    return [np.clip(soft + rng.normal(0, 3, soft.shape), 0, 255).astype(np.uint8) for _ in range(3)]


@pytest.mark.parametrize("seed", range(4))
def test_where_a_file_says_nothing_the_picture_is_asked(tmp_path: Path, seed: int) -> None:
    pictures = painted(seed)
    middle = write_clip(tmp_path / "middle.mp4", pictures)  # as libraries make it from RGB
    writer = MovieWriter(tmp_path / "left.mp4", Target("h264", Fraction(24), (240, 180)))
    for picture in pictures:
        writer.add(colour.from_codes(picture, colour.DISPLAY))
    writer.close()
    records = [probe([path]) for path in (middle, tmp_path / "left.mp4")]
    assert [r.siting for r in records] == ["center", "left"]
    assert any("in the middle" in note for note in records[0].notes) and not records[1].notes


def test_a_film_written_and_read_keeps_its_colours_in_place(tmp_path: Path) -> None:
    picture = colour.from_codes(painted(9)[0], colour.DISPLAY)
    writer = MovieWriter(tmp_path / "a.mp4", Target("h264", Fraction(24), (240, 180)))
    writer.add(picture)
    writer.close()
    reader = ClipReader(tmp_path / "a.mp4", probe([tmp_path / "a.mp4"]))
    got = reader.frame(0)
    reader.close()

    def tints(pixels: NDArray) -> NDArray[np.float32]:
        shown = colour.convert(np.ascontiguousarray(pixels[..., :3]), colour.WORKING, colour.DISPLAY)
        return cv2.GaussianBlur(shown[..., 0] - shown[..., 2], (0, 0), 2)[8:-8, 8:-8]

    a, b = tints(got), tints(picture)
    across = np.gradient(b, axis=1)
    shift = float((across * (a - b)).sum() / (across**2).sum())  # in pixels, to first order
    assert abs(shift) < 0.03


@pytest.mark.parametrize("siting", list(yuv.SITINGS))
@pytest.mark.parametrize("sub", [(2, 2), (1, 2)])
def test_a_key_gets_back_the_colour_that_brightness_shows(siting: str, sub: tuple[int, int]) -> None:
    """A red disc on grey: its edge is as sharp in colour as in brightness, though colour was stored at half the size."""
    h, w = 96, 128
    y, x = np.mgrid[0:h, 0:w]
    disc = np.clip(30.5 - np.hypot(x - 64.2, y - 47.7), 0, 1)[..., None]
    rgb = disc * [0.8, 0.25, 0.2] + (1 - disc) * [0.5, 0.5, 0.5]
    luma = rgb @ [0.2126, 0.7152, 0.0722]
    across, down = yuv.SITINGS[siting]

    def stored(c: NDArray) -> NDArray[np.uint16]:
        """Each sample the mean of what lies around it, as encoders take it."""
        for axis, count, at in ((0, sub[0], down), (1, sub[1], across)):
            if count == 2:
                c = np.moveaxis(c, axis, 0)
                p = np.pad(c, [(1, 2)] + [(0, 0)] * (c.ndim - 1), mode="edge")
                n = len(c)
                pairs, threes = (p[1 : n + 1] + p[2 : n + 2]) / 2, (p[:n] + 2 * p[1 : n + 1] + p[2 : n + 2]) / 4
                c = np.moveaxis(pairs[::2] if at == 0.5 else threes[int(at) :: 2], 0, axis)
        return np.rint(512 + 896 * c).astype(np.uint16)

    planes = yuv.Planes(
        np.rint(64 + 876 * luma).astype(np.uint16), stored((rgb[..., 2] - luma) / 1.8556), stored((rgb[..., 0] - luma) / 1.5748),
        None, 10, siting=siting,
    )  # fmt: skip
    plain = yuv.to_linear(planes, colour.DISPLAY)[..., :3]

    def off(light: NDArray, at: tuple[float, float] | None = None) -> float:
        sharp = light if at is None else restored(light, yuv.Cells(sub[1], sub[0], *at))
        got = colour.convert(np.ascontiguousarray(sharp), colour.WORKING, colour.DISPLAY)
        return float(np.sqrt(((got - rgb)[4:-4, 4:-4] ** 2).mean()))

    elsewhere = next(name for name, at in yuv.SITINGS.items() if at[0] != across)
    misread = yuv.to_linear(replace(planes, siting=elsewhere), colour.DISPLAY)[..., :3]
    assert off(plain, (across, down)) < 0.5 * off(plain)
    assert off(plain, (across, down)) < 0.8 * off(misread, yuv.SITINGS[elsewhere])


def test_cells_turn_with_the_picture() -> None:
    """Where a sample lies, found again in the turned picture."""
    cells = yuv.Cells(2, 1, 0.0, 0.5)
    marked = np.zeros((4, 6))
    marked[:, :: cells.across] = 1
    for quarters in range(4):
        turned, c = np.rot90(marked, quarters), cells.turned(quarters)
        want = np.zeros(turned.shape)
        rows = slice(int(c.at_down * (c.down - 1)), None, c.down)
        want[rows, int(c.at_across * (c.across - 1)) :: c.across] = 1
        assert (turned == want).all(), quarters
