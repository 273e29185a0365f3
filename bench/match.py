"""Colour match against what was planted, and against named baselines in the same run: `./tropein python -m bench.match [light] [static] [grain] [spectra]`.

Light over time: plates in light that changes by a known rule; a follow measured on the plate is judged on colours that are not in it, by dE2000, against a
static grade and against Reinhard's transfer frame by frame. Static: grades planted between two parts of a plate. Grain: film grain of known strength and
size laid on plates, as it is and through H.264, against the median of Haar's diagonal detail (Donoho 1994); and laid again by its spectrum.
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np

from tropein.core.match.cdl import LUMA, Cdl
from tropein.core.match.fit import difference, from_clouds, from_pairs, lab, monge_kantorovich
from tropein.core.match.light import followed
from tropein.core.match.measure import brightness
from tropein.core.match.residual import grain_of
from tropein.core.match.spectrum import spectrum_of
from tropein.core.media.adhoc import borrow
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.media.record import MediaStore
from tropein.core.raster.colour import decoded, encoded
from tropein.core.raster.grain import film_grain
from tropein.core.raster.grain_like import BANDS, CORNER, grain_like, table_of, tile_like

PLATES = Path(__file__).parents[1] / "demo/plates"
FRAMES = 24
Light = Callable[[int], tuple[np.ndarray, np.ndarray, float]]
LIGHTS: dict[str, Light] = {
    "still": lambda f: (np.ones(3), np.zeros(3), 1.0),
    "dim": lambda f: (np.full(3, 2 ** (-f / FRAMES)), np.zeros(3), 1.0),
    "flicker": lambda f: (np.full(3, 2 ** (0.5 * np.sin(f * 2.1))), np.zeros(3), 1.0),
    "warm": lambda f: (np.array([1 + 0.012 * f, 1, 1 - 0.012 * f]), np.zeros(3), 1.0),
    "veil": lambda f: (np.full(3, 0.85), np.array([0.05, 0.055, 0.06]) * f / FRAMES, 1.0),
    "film": lambda f: (np.full(3, 2 ** (-0.7 * f / FRAMES)), np.zeros(3), 1 + 0.25 * f / FRAMES),
}


def plates(name: str, frames: range) -> list[np.ndarray]:
    """Frames of a plate at half size, linear."""
    with tempfile.TemporaryDirectory() as folder:
        store = MediaStore(Path(folder))
        media, _ = borrow(store, [PLATES / f"{name}.mp4"])
        pictures = ColourFrames(store, media)
        small = [cv2.resize(pictures.rgb(f), (480, 270), interpolation=cv2.INTER_AREA) for f in frames]
    return [decoded(np.ascontiguousarray(p / np.float32(255), np.float32)) for p in small]


def in_light(light: np.ndarray, how: tuple[np.ndarray, np.ndarray, float]) -> np.ndarray:
    gain, offset, power = how
    shown = encoded(np.ascontiguousarray(light * np.float32(gain) + np.float32(offset), np.float32))
    return decoded(np.ascontiguousarray(np.clip(shown, 0, None) ** np.float32(power), np.float32))


def coded(light: np.ndarray) -> np.ndarray:
    return decoded(np.ascontiguousarray(np.round(np.clip(encoded(np.ascontiguousarray(light)), 0, 1) * 255) / 255, np.float32))  # fmt: skip


def reinhard(colours: np.ndarray, before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """Display colours moved as the mean and spread in Lab of one picture become another's; back by search over what the move is near to."""
    a, b = (lab(v.reshape(-1, 3)[::7]) for v in (before, after))
    return (lab(colours) - a.mean(0)) / np.maximum(a.std(0), 1e-3) * b.std(0) + b.mean(0)


def de_of_lab(wanted: np.ndarray, moved: np.ndarray) -> float:
    """A plain distance in Lab stands for dE2000 of what has no display colour."""
    return float(np.linalg.norm(lab(wanted) - moved, axis=1).mean())


def light_over_time() -> None:
    rng = np.random.default_rng(5)
    test = rng.uniform(0.03, 0.5, (1, 200, 3)).astype(np.float32)
    test = (test @ LUMA)[..., None].astype(np.float32) * 0.6 + test * np.float32(0.4)
    sys.stdout.write("| plate | light | followed | at worst | static | Reinhard a frame | of static | of Reinhard | L* drift a frame |\n| --- | --- | --- | --- | --- | --- | --- | --- | --- |\n")  # fmt: skip
    for name in ("quay", "swipe", "pilot", "spinner"):
        clean = plates(name, range(FRAMES))
        for hand in (False, True) if name in ("quay",) else (False,):
            for light, rule in LIGHTS.items():

                def picture(f: int) -> np.ndarray:
                    seen = in_light(clean[f], rule(f))  # noqa: B023
                    if hand and f:  # noqa: B023
                        seen[:, 120:380] = in_light(np.full((270, 260, 3), [0.25, 0.14, 0.1], np.float32), rule(f))  # noqa: B023
                        seen[:, 120:380] *= np.float32(1 + 0.3 * np.sin(f))
                    return coded(seen)

                before = in_light(test, rule(0))
                first = encoded(np.ascontiguousarray(clean[0]))
                off, stood, by_reinhard, bright = [], [], [], []
                for f, change in sorted(followed(picture, range(FRAMES), 0), key=lambda p: p[0]):
                    truth = encoded(in_light(test, rule(f)))[0].astype(float)
                    made = encoded(change(before))[0].astype(float)
                    off.append(float(difference(made, truth).mean()))
                    stood.append(float(difference(encoded(before)[0].astype(float), truth).mean()))
                    now = encoded(np.ascontiguousarray(picture(f)))
                    by_reinhard.append(de_of_lab(truth, reinhard(encoded(before)[0].astype(float), first.astype(float), now.astype(float))))  # fmt: skip
                    bright.append(float((lab(made)[:, 0] - lab(truth)[:, 0]).mean()))
                drift = float(np.std(np.diff(bright)))
                o, s, r = (float(np.mean(v)) for v in (off, stood, by_reinhard))
                label = f"{name}{', half behind a hand' if hand else ''}"
                sys.stdout.write(f"| {label} | {light} | {o:.2f} | {max(off):.2f} | {s:.2f} | {r:.2f} | {o / s if s > 0.05 else 0:.2f} | {o / max(r, 1e-6):.2f} | {drift:.3f} |\n")  # fmt: skip
                sys.stdout.flush()


def cases() -> Iterator[tuple[str, np.ndarray, np.ndarray, np.ndarray, Cdl]]:
    """(name, the insert's colours, other colours of the same place in the plate's grade, six pairs' indices, the grade) forty times."""
    rng = np.random.default_rng(11)
    for name in ("quay", "pilot", "swipe", "spinner", "harbour"):
        a, b = plates(name, range(0, 40, 30))
        for k in range(8):
            grade = Cdl(
                tuple(np.exp(rng.normal(0, 0.25, 3))), tuple(rng.normal(0, 0.04, 3)), tuple(np.exp(rng.normal(0, 0.2, 3))), float(np.exp(rng.normal(0, 0.25)))
            )  # fmt: skip
            w, h = rng.integers(160, 300), rng.integers(110, 200)
            x, y = rng.integers(0, 480 - w), rng.integers(0, 270 - h)
            dx, dy = (int(v) for v in (rng.uniform(-0.25, 0.25) * w, rng.uniform(-0.25, 0.25) * h))
            x2, y2 = int(np.clip(x + dx, 0, 480 - w)), int(np.clip(y + dy, 0, 270 - h))
            own, other = (encoded(np.ascontiguousarray(v)).reshape(-1, 3).astype(float) for v in (a[y : y + h, x : x + w], b[y2 : y2 + h, x2 : x2 + w]))  # fmt: skip
            at = rng.choice(len(own), 6, replace=False)
            yield f"{name} {k}", own, np.clip(grade(other), 0, 1), at, grade


def static() -> None:
    rows = []
    for _name, own, wanted, at, grade in cases():
        truth = np.clip(grade(own), 0, 1)
        few = slice(None, None, 11)
        rng = np.random.default_rng(1)
        pairs = from_pairs(own[at], np.clip(grade(own[at]) + rng.normal(0, 0.005, (6, 3)), 0, 1))
        cloud, mk = from_clouds(own, wanted), monge_kantorovich(own[::5], wanted[::5])
        rows.append(
            (
                difference(own[few], truth[few]).mean(), difference(np.clip(pairs.grade(own[few]), 0, 1), truth[few]).mean(),
                difference(np.clip(cloud.grade(own[few]), 0, 1), truth[few]).mean(), difference(np.clip(mk(own[few]), 0, 1), truth[few]).mean(),
                de_of_lab(truth[few], reinhard(own[few], own, wanted)),
            )
        )  # fmt: skip
    found = np.array(rows)
    untouched, pairs_, clouds, mk_, re_ = found.T
    sys.stdout.write("\n| forty cases, dE2000 | untouched | six pairs | regions | Monge-Kantorovich | Reinhard |\n| --- | --- | --- | --- | --- | --- |\n")  # fmt: skip
    for word, q in (("median", 50), ("90 %", 90)):
        sys.stdout.write(
            f"| {word} | "
            + " | ".join(f"{np.percentile(v, q):.2f}" for v in (untouched, pairs_, clouds, mk_, re_))
            + " |\n"
        )
    worse = int((clouds > untouched).sum()), int((pairs_ > untouched).sum())
    sys.stdout.write(f"\nRegions: {np.median(clouds / np.minimum(mk_, re_)):.2f} of the better baseline; worse than untouched in {worse[0]} cases, by pairs in {worse[1]}.\n")  # fmt: skip


def haar(plane: np.ndarray) -> float:
    d = (plane[::2, ::2] - plane[1::2, ::2] - plane[::2, 1::2] + plane[1::2, 1::2]) / 2
    return float(1.4826 * np.median(np.abs(d - np.median(d))))


def grains() -> None:
    """What is left of planted grain (against the clean picture, through the same code) is the truth: codecs take some of it away."""
    sys.stdout.write("\n| grain | size | strength | left / planted | found / left | size found | Haar / left |\n| --- | --- | --- | --- | --- | --- | --- |\n")  # fmt: skip
    for crf in (None, 18):
        for size in (0.0, 0.5, 1.0, 1.5):
            for amount in (0.008, 0.015, 0.03):
                found, by_haar, sizes, left = [], [], [], []
                for name in ("quay", "harbour", "pilot", "spinner"):
                    clean = [cv2.GaussianBlur(p, (0, 0), 0.8) for p in plates(name, range(4))]
                    noisy = []
                    for f, p in enumerate(clean):
                        rgba = np.dstack([p, np.ones(p.shape[:2], np.float32)])
                        made = film_grain(rgba, 0, 0, size, amount, 0.4, 0.0, 3, float(f))[..., :3]
                        noisy.append(
                            np.round(np.clip(encoded(np.ascontiguousarray(made)), 0, 1) * 255).astype(np.uint8)
                        )
                    if crf is not None:
                        noisy = through_h264(noisy, crf)
                    luma = [np.ascontiguousarray((n / np.float32(255)) @ LUMA.astype(np.float32)) for n in noisy]
                    off = [a - brightness(b) for a, b in zip(luma, clean, strict=True)]
                    truth = float(np.median([o[y : y + 32, x : x + 32].std() for o in off for y in range(0, 240, 32) for x in range(0, 448, 32)]))  # fmt: skip
                    got = grain_of(luma[0], luma[1], np.ones(luma[0].shape, bool))
                    if got is None:
                        continue
                    left.append(truth / amount)
                    found.append(got[0] / truth)
                    sizes.append(got[1])
                    by_haar.append(haar(luma[0]) / truth)
                sys.stdout.write(f"| {'uncompressed' if crf is None else f'crf {crf}'} | {size} | {amount} | {np.mean(left):.2f} | {np.mean(found):.2f} | {np.mean(sizes):.2f} | {np.mean(by_haar):.2f} |\n")  # fmt: skip


def spectra() -> None:
    """Grain laid again by what was read of it, against what is left of the planted one: strength by brightness, brightness in all, bands, channels."""
    sys.stdout.write("\n| grain | size | strength | by brightness | laid again: in all | bands with > 5 % of the energy | channels | size alone: bands |\n| --- | --- | --- | --- | --- | --- | --- | --- |\n")  # fmt: skip
    for crf in (None, 18):
        for size in (0.0, 0.5, 1.0, 1.5):
            for amount in (0.008, 0.015, 0.03):
                tones, totals, bands, channels, plain = [], [], [], [], []
                for name in ("quay", "harbour", "spinner"):
                    clean = moved(plates(name, range(1))[0])
                    noisy = [with_grain(p, size, amount, 0.5, 0.6, f) for f, p in enumerate(clean)]
                    noisy = through_h264(noisy, crf) if crf is not None else noisy
                    seen = [np.ascontiguousarray(n, np.float32) / 255 for n in noisy]
                    shown = [encoded(p) for p in clean]
                    said = spectrum_of(
                        [(seen[0], seen[1]), (seen[4], seen[5])], [(seen[0], seen[4]), (seen[1], seen[5])]
                    )
                    if said is None:
                        continue
                    truth = read_off([a - b for a, b in zip(seen, shown, strict=True)], shown)
                    rgba = np.dstack([clean[0], np.ones(clean[0].shape[:2], np.float32)])
                    like = said.like(0.4)
                    tile = tile_like(tuple(like.bands), tuple(like.mix), 1.0, 5)
                    again = [encoded(grain_like(rgba, 0, 0, tile, table_of(tuple(like.tones)) * np.float32(said.at(0.4)), 5, f)[..., :3].copy()) for f in (0.0, 1.0)]  # fmt: skip
                    laid = read_off([a - shown[0] for a in again], [shown[0]] * 2)
                    strong = truth[1] > 0.05 * truth[1].sum()
                    tones.append(np.nanmedian(said.tones / truth[0]))
                    totals.append(np.nanmedian(laid[0] / truth[0]))
                    each = np.sqrt(laid[1] / truth[1])[strong]
                    bands.append((each.min(), each.max()))
                    channels.append(np.sqrt(laid[2] / truth[2]))
                    by_size = with_grain(clean[0], grain_of(*(np.float32(v @ LUMA) for v in seen[:2]), np.ones(seen[0].shape[:2], bool))[1], amount, 0.5, 0.0, 9)  # type: ignore[index]  # fmt: skip
                    other = read_off([np.float32(by_size) / 255 - shown[0]], [shown[0]])[1]
                    each = np.sqrt(other / other.sum() * truth[1].sum() / truth[1])[strong]
                    plain.append((each.min(), each.max()))
                lo, hi = np.median(bands, 0)
                a, b = np.median(plain, 0)
                sys.stdout.write(f"| {'uncompressed' if crf is None else f'crf {crf}'} | {size} | {amount} | {np.mean(tones):.2f} | {np.mean(totals):.2f} | {lo:.2f}-{hi:.2f} | {' '.join(f'{v:.2f}' for v in np.mean(channels, 0))} | {a:.2f}-{b:.2f} |\n")  # fmt: skip


def moved(still: np.ndarray) -> list[np.ndarray]:
    """Six frames of 960x540 in which a picture goes by fractions of a pixel and grows: with no grain of its own that would change."""
    still = cv2.resize(cv2.GaussianBlur(still, (0, 0), 0.6), (960, 540), interpolation=cv2.INTER_CUBIC).clip(0)
    ways = [np.float32([[1 + 0.002 * f, 0, 1.37 * f], [0, 1 + 0.002 * f, -0.61 * f]]) for f in range(6)]
    return [cv2.warpAffine(still, way, (960, 540), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT).clip(0) for way in ways]  # fmt: skip


def with_grain(light: np.ndarray, size: float, amount: float, colour: float, tones: float, frame: float) -> np.ndarray:
    """Display codes of a picture with grain."""
    rgba = np.dstack([light, np.ones(light.shape[:2], np.float32)])
    made = film_grain(rgba, 0, 0, size, amount, colour, tones, 3, float(frame))[..., :3]
    return np.asarray(np.round(np.clip(encoded(np.ascontiguousarray(made)), 0, 1) * 255), np.uint8)


def read_off(off: list[np.ndarray], shown: list[np.ndarray]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of grain alone: deviation of brightness in eight parts of brightness, power of brightness in bands, and of red, green and blue; of typical blocks."""
    side, tone, blocks = 32, [], []
    for o, s in zip(off, shown, strict=True):
        h, w = (n // side * side for n in o.shape[:2])
        blocks.append(o[:h, :w].reshape(h // side, side, w // side, side, 3).swapaxes(1, 2).reshape(-1, side, side, 3))
        tone.append((s[:h, :w] @ LUMA).reshape(h // side, side, w // side, side).mean((1, 3)).ravel())
    cut, bright = np.concatenate(blocks), np.concatenate(tone)
    luma = cut @ LUMA.astype(np.float64)
    part = np.clip((bright * 8).astype(int), 0, 7)
    by_tone = np.array([np.median(luma[part == i].std((1, 2))) if (part == i).sum() > 8 else np.nan for i in range(8)])
    window = np.hanning(side + 1)[:-1]
    power = np.median(np.abs(np.fft.fft2((luma - luma.mean((1, 2), keepdims=True)) * np.outer(window, window))) ** 2, 0)
    f = np.fft.fftfreq(side)
    place = (np.hypot(f[:, None], f[None]) / CORNER * BANDS).astype(int).clip(0, BANDS - 1).ravel()
    return by_tone, np.bincount(place, power.ravel(), BANDS), np.median(cut.var((1, 2)), 0)


def through_h264(frames: list[np.ndarray], crf: int) -> list[np.ndarray]:
    with tempfile.TemporaryDirectory() as folder:
        path = str(Path(folder) / "a.mp4")
        with av.open(path, "w") as out:
            stream: Any = out.add_stream("libx264", rate=24)
            stream.height, stream.width = frames[0].shape[:2]
            stream.pix_fmt, stream.options = "yuv444p", {"crf": str(crf)}
            for f in frames:
                out.mux(stream.encode(av.VideoFrame.from_ndarray(f, format="rgb24")))
            out.mux(stream.encode(None))
        with av.open(path) as back:
            return [f.to_ndarray(format="rgb24") for f in back.decode(video=0)]


def main() -> None:
    wanted = sys.argv[1:]
    for name, part in (("light", light_over_time), ("static", static), ("grain", grains), ("spectra", spectra)):
        if not wanted or name in wanted:
            part()


if __name__ == "__main__":
    main()
