"""Chroma key against ffmpeg's chromakey and colorkey, on plates whose true alpha is known.

Plates: the rendered caster (hair, motion blur, uneven blue screen; its true coverage ships), and synthetic ones by seed:
a subject with fine hair, a translucent smoke, spill, grain, an uneven green screen, through H.264 4:2:0. ffmpeg's colour is
the screen's median, its similarity and blend are searched on the TRUE alpha of the plate's first frame (an advantage it
would not have); ours finds everything by itself, with the defaults of the sheet. Composite error: in the edge band, over
grey, both despilled by ours on their own alpha, in display codes. Run: ./tropein python -m bench.chroma_key
"""

from __future__ import annotations

import subprocess
import tempfile
import time
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte.chroma import Keying, coverage, unmixed
from tropein.core.matte.screen import Screen, as_lit, find, seen_empty
from tropein.core.matte.screen_through import empty_of
from tropein.core.matte.subsampled import restored
from tropein.core.media.clip import ClipReader
from tropein.core.media.probe import probe
from tropein.core.raster.colour import DISPLAY, WORKING, convert
from tropein.core.raster.yuv import SITINGS, Cells

PLATES = Path(__file__).parents[1] / "demo/plates"
FRAMES, SIZE, ROUNDS = 5, (1280, 720), 7
GREY = 0.18
Rgb = NDArray[np.float32]


@dataclass(frozen=True)
class Plate:
    """Pictures as 8-bit display codes (for ffmpeg) and as we decode them (linear, as a key gets them), true alphas, and where it
    is known the subject's own premultiplied light (linear)."""

    name: str
    codes: list[NDArray[np.uint8]]
    pictures: list[Rgb]
    alphas: list[NDArray[np.float32]]
    light: list[Rgb] | None = None
    empty: Rgb | None = None  # the screen with nothing before it

    @cached_property
    def seen_through(self) -> Screen:
        """The empty screen put together from the plate's few frames."""
        together = empty_of(self.pictures, None)
        screen = None if together is None else seen_empty(together, None)
        assert screen is not None
        return screen


def through_h264(frames: list[NDArray[np.uint8]], folder: Path) -> tuple[list[NDArray[np.uint8]], list[Rgb]]:
    path = folder / "plate.mp4"
    with av.open(str(path), "w") as film:
        stream = film.add_stream("libx264", rate=24, options={"crf": "18"})
        stream.height, stream.width = frames[0].shape[:2]
        stream.pix_fmt = "yuv420p"
        for frame in frames:
            picture = av.VideoFrame.from_ndarray(frame, format="rgb24").reformat(
                format="yuv420p", dst_colorspace="ITU709"
            )
            film.mux(stream.encode(picture))
        film.mux(stream.encode())
    return decoded(path, list(range(len(frames))))


def decoded(path: Path, wanted: list[int]) -> tuple[list[NDArray[np.uint8]], list[Rgb]]:
    """Frames of a clip as RGB codes by the library's own conversion, and as a key of ours gets them."""
    record = probe([path])
    reader, cells = ClipReader(path, record), Cells(2, 2, *SITINGS[record.siting])
    codes = [reader.coded(i).reformat(format="rgb24", src_colorspace="ITU709").to_ndarray() for i in wanted]
    pictures = [restored(np.ascontiguousarray(reader.frame(i)[..., :3]), cells) for i in wanted]
    reader.close()
    return codes, pictures


def folds(rng: np.random.Generator) -> NDArray[np.float32]:
    """(h, w, 1) what folds and seams leave of the light on a hanging cloth."""
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    left = np.ones((h, w), np.float32)
    for depth, width in [(rng.uniform(0.15, 0.45), rng.uniform(12, 40)) for _ in range(5)] + [(0.35, 2.5)] * 2:
        across = x + rng.uniform(-0.4, 0.4) * y - rng.uniform(0, w)
        left *= 1 - depth * np.exp(-((across / width) ** 2))
    return left[..., None]


def synthetic(seed: int, folder: Path, folded: bool = False) -> Plate:
    """A head of hair that sways before a green screen lit from one side, smoke beside it."""
    rng = np.random.default_rng(seed)
    w, h = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    screen = (
        np.float32([0.03, 0.32, 0.07]) * (1 + 0.5 * np.sin((x / w + rng.random()) * 2) * np.cos(y / h * 2))[..., None]
    )
    if folded:
        screen = screen * folds(np.random.default_rng(seed + 1000))
    texture = cv2.resize(rng.random((24, 40)).astype(np.float32), SIZE, interpolation=cv2.INTER_CUBIC)[..., None]
    skin = np.float32(rng.uniform([0.3, 0.18, 0.12], [0.5, 0.32, 0.25])) * (0.7 + 0.5 * texture)
    strands = [(rng.uniform(0, np.pi), rng.uniform(60, 190), rng.normal(0, 0.6)) for _ in range(260)]
    smoke = cv2.GaussianBlur(
        cv2.resize(rng.random((9, 16)).astype(np.float32), SIZE, interpolation=cv2.INTER_CUBIC), (0, 0), 9
    )
    codes, alphas, lights = [], [], []
    for i in range(FRAMES):
        solid = np.zeros((h * 2, w * 2), np.uint8)
        cx, cy = w + 40 * i, h + 40
        cv2.ellipse(solid, (cx, cy), (280, 360), 0, 0, 360, 255, -1, cv2.LINE_AA)
        cv2.rectangle(solid, (cx - 420, cy + 330), (cx + 420, 2 * h), 255, -1)
        for angle, length, curl in strands:
            start = np.array([cx + 270 * np.cos(angle), cy - 340 * np.sin(angle)])
            t = np.linspace(0, 1, 12)[:, None]
            bend = angle + curl * t + 0.1 * np.sin(i)
            path = start + t * length * np.concatenate([np.cos(bend), -np.sin(bend)], 1)
            cv2.polylines(solid, [np.rint(path * 8).astype(np.int32)], False, 255, 2, cv2.LINE_AA, 3)
        alpha = cv2.resize(solid, SIZE, interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        alpha = cv2.GaussianBlur(alpha, (0, 0), 0.8)
        mist = np.clip((smoke - 0.45) * 2.4, 0, 0.7) * np.exp(
            -(((x - 0.22 * w) / 150) ** 2) - ((y - 0.45 * h) / 200) ** 2
        )
        both = alpha + mist * (1 - alpha)
        near = cv2.GaussianBlur(1 - alpha, (0, 0), 25)[..., None]
        light = alpha[..., None] * (skin + 0.10 * near * screen) + (mist * (1 - alpha))[..., None] * np.float32(
            [0.5, 0.5, 0.52]
        )
        picture = light + (1 - both)[..., None] * screen
        shown = convert(picture.astype(np.float32), WORKING, DISPLAY) + rng.normal(0, 0.008, picture.shape)
        codes.append((np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8))
        alphas.append(both)
        lights.append(light)
    alone = convert(screen, WORKING, DISPLAY) + rng.normal(0, 0.008, screen.shape)
    seen, pictures = through_h264([*codes, (np.clip(alone, 0, 1) * 255 + 0.5).astype(np.uint8)], folder)
    name = f"green{' with folds' * folded}, seed {seed}"
    return Plate(name, seen[:-1], pictures[:-1], alphas, lights, pictures[-1])


def caster() -> Plate:
    wanted = list(range(0, 40, 8))
    codes, pictures = decoded(PLATES / "caster.mp4", wanted)
    alphas = [
        cv2.imread(str(PLATES / f"caster.alpha_{i:04d}.png"), cv2.IMREAD_UNCHANGED) / np.float32(65535) for i in wanted
    ]
    return Plate("caster, blue", codes, pictures, alphas)


def ffmpeg_alpha(
    codes: NDArray[np.uint8], kind: str, colour: NDArray[np.float64], similarity: float, blend: float
) -> NDArray[np.float32]:
    h, w = codes.shape[:2]
    name = "0x" + "".join(f"{round(float(v)):02x}" for v in colour)
    chain = f"format={'yuv444p' if kind == 'chromakey' else 'rgba'},{kind}={name}:{similarity}:{blend},format=rgba,alphaextract"
    done = subprocess.run(
        ["ffmpeg", "-v", "error", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{w}x{h}", "-i", "-", "-vf", chain, "-f", "rawvideo", "-pix_fmt", "gray", "-"],
        input=codes.tobytes(), capture_output=True, check=True,
    )  # fmt: skip
    return np.frombuffer(done.stdout, np.uint8).reshape(h, w).astype(np.float32) / 255


def tuned(plate: Plate, kind: str) -> tuple[NDArray[np.float64], float, float]:
    """Settings that are best for the first frame's true alpha."""
    codes, truth = plate.codes[0], plate.alphas[0]
    colour = np.median(codes[truth < 0.01], axis=0)
    tried = [(float(((ffmpeg_alpha(codes, kind, colour, s, b) - truth) ** 2).mean()), s, b) for s in (0.03, 0.06, 0.1, 0.14, 0.18, 0.24, 0.3) for b in (0.0, 0.05, 0.1, 0.2, 0.3)]  # fmt: skip
    _, similarity, blend = min(tried)
    return colour, similarity, blend


def composite_error(picture: Rgb, alpha: NDArray[np.float32], truth: NDArray[np.float32], light: Rgb | None) -> float:
    """RMS in display codes within the edge band, over grey; the truth's light where it is known."""
    screen = find(picture, None, 1.0)
    assert screen is not None
    over = unmixed(picture, screen, alpha, Keying())[..., :3] * alpha[..., None] + (1 - alpha[..., None]) * GREY
    true = light if light is not None else unmixed(picture, screen, truth, Keying())[..., :3] * truth[..., None]
    wanted = true + (1 - truth[..., None]) * GREY
    edge = ((truth > 0.01) & (truth < 0.99)).astype(np.uint8)
    band = cv2.dilate(edge, np.ones((9, 9), np.uint8)).astype(bool)
    gap = (convert(over.astype(np.float32), WORKING, DISPLAY) - convert(wanted.astype(np.float32), WORKING, DISPLAY))[
        band
    ]
    return float(np.sqrt((gap**2).mean()) * 255)


def with_empty(plate: Plate, picture: Rgb) -> NDArray[np.float32]:
    assert plate.empty is not None
    screen = seen_empty(plate.empty, None)
    assert screen is not None
    return coverage(picture, as_lit(screen, picture), Keying())


def through_the_shot(plate: Plate, picture: Rgb) -> NDArray[np.float32]:
    return coverage(picture, as_lit(plate.seen_through, picture), Keying())


def cpu_ms(work) -> float:  # type: ignore[no-untyped-def]
    work()
    times = []
    for _ in range(ROUNDS):
        began = time.process_time()
        work()
        times.append((time.process_time() - began) * 1e3)
    return float(np.median(times))


def main() -> None:
    print(
        "| plate | ours: MSE x1000 | best of ffmpeg's two | ratio | with an empty frame: MSE x1000 | ratio | put together from the shot: MSE x1000 | ratio | composite in the band: ours | ffmpeg's alpha | ratio |"
    )
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    with tempfile.TemporaryDirectory() as name:
        plates = [caster(), *(synthetic(seed, Path(name)) for seed in (11, 12, 13, 21, 22, 23))]
        plates += [synthetic(seed, Path(name), folded=True) for seed in (24, 25)]
    for plate in plates:
        settings = {kind: tuned(plate, kind) for kind in ("chromakey", "colorkey")}
        rows = []
        for i in range(1, len(plate.codes)):
            codes, truth, light = plate.codes[i], plate.alphas[i], plate.light[i] if plate.light else None
            picture = plate.pictures[i]
            screen = find(picture, None, 1.0)
            assert screen is not None
            alpha = coverage(picture, screen, Keying())
            theirs = [ffmpeg_alpha(codes, kind, *settings[kind]) for kind in settings]
            errors = [float(((a - truth) ** 2).mean()) for a in theirs]
            best = theirs[int(np.argmin(errors))]
            rows.append(
                [
                    ((alpha - truth) ** 2).mean(),
                    ((with_empty(plate, picture) - truth) ** 2).mean() if plate.empty is not None else np.nan,
                    min(errors),
                    ((through_the_shot(plate, picture) - truth) ** 2).mean(),
                    composite_error(picture, alpha, truth, light),
                    composite_error(picture, best, truth, light),
                ]
            )
        mine, clean, other, through, comp, comp_other = np.mean(rows, axis=0)
        with_clean = "- | -" if np.isnan(clean) else f"{clean * 1e3:.2f} | {other / clean:.1f}x"
        print(
            f"| {plate.name} | {mine * 1e3:.2f} | {other * 1e3:.2f} | {other / mine:.1f}x | {with_clean} | {through * 1e3:.2f} | {other / through:.1f}x | {comp:.1f} | {comp_other:.1f} | {comp_other / comp:.1f}x |"
        )
    light = plates[1].pictures[1]
    screen = find(light, None, 1.0)
    assert screen is not None

    def keyed() -> None:
        picture = restored(light, Cells())
        found = find(picture, None, 1.0)
        assert found is not None
        unmixed(picture, found, coverage(picture, found, Keying()), Keying())

    half = cv2.resize(light, (640, 360), interpolation=cv2.INTER_AREA)

    def preview() -> None:
        found = find(half, None, 1.0, 4)
        assert found is not None
        unmixed(half, found, coverage(half, found, Keying(), 0.5), Keying())

    blur = cpu_ms(lambda: cv2.GaussianBlur(light, (0, 0), 10))
    print(f"\nCPU at 1280x720: final {cpu_ms(keyed) / blur:.1f}x, preview (640x360) {cpu_ms(preview) / blur:.1f}x of one Gaussian blur of sigma 10 ({blur:.0f} ms)")  # fmt: skip


if __name__ == "__main__":
    main()
