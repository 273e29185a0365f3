"""The reference composite against an ffmpeg filter graph that makes the same picture.

Video plate, two stills in moving four-corner placement, a clip with alpha, a grade over all of these limited to a soft
ellipse, a flare with a glow of two scales screened on top, boiling clouds of noise added, grain. All footage is tagged as
linear and the blend functions are computed on linear values, so that the graph's plain 8-bit arithmetic means the same as
ours. The stills, the ellipse and the clouds go to ffmpeg as raw video (it has no such clouds: it need not make them, we
do). First the two pictures are compared without grain, which no two programs draw alike, then both are timed with it
(CPU of the process, wall, 24 frames, interleaved rounds).
Run: ./tropein python -m bench.reference
"""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from demo.stock import brass_dial, ember_sparks, lamp_flare
from numpy.typing import NDArray

from bench.engine import described, plate_at
from tropein.core.animate.ride import Path as RidePath
from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.render import Renderer
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.effects import run, sampled
from tropein.core.garbage import settled
from tropein.core.media.coded import Coded
from tropein.core.media.encode import MovieWriter, Target
from tropein.core.media.library import Library
from tropein.core.media.record import write_record
from tropein.core.media.source import Sources, read_still
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import translation

FRAMES, ROUNDS = 24, 5
CACHE_BYTES = 512 << 20
DRIFT = np.array([0.7, 0.3])  # pixels a frame that the two stills travel
MARGIN = 4  # transparent pixels around a still on ffmpeg's canvas, whose perspective filter smears borders
LINEAR = "Linear Rec.709 (sRGB)"
CONTRAST, PIVOT, SLOPE, OFFSET = 1.15, 0.46, 0.92, 0.01
MEAN_TOLERANCE, HIGH_TOLERANCE = 1.0, 6.0  # codes of 255: mean and 99th percentile of the absolute difference


@dataclass(frozen=True)
class Reference:
    """The same composite twice: a shot of ours and ffmpeg's arguments."""

    shot: Shot
    library: Library
    ffmpeg: Callable[[bool], list[str]]  # with or without grain

    @property
    def plain(self) -> Shot:
        """Without grain."""
        return looked_at(self.shot, Look(without="grain"))

    def paths(self, samples: str, spot: str = "") -> RidePath:
        frames = np.arange(float(FRAMES))
        return RidePath(frames, (frames[:, None] * DRIFT)[:, None], np.ones(FRAMES, bool))


def straight_codes(path: Path) -> NDArray[np.uint8]:
    """A still as 8-bit straight RGBA."""
    codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if codes.dtype == np.uint16:
        codes = np.rint(codes / 257).astype(np.uint8)
    return cv2.cvtColor(codes, cv2.COLOR_BGRA2RGBA)


def alpha_clip(pictures: list[Path], path: Path) -> Path:
    """Pictures with alpha as one ProRes 4444 movie."""
    pixels = [read_still(p, LINEAR) for p in pictures]
    h, w = pixels[0].shape[:2]
    writer = MovieWriter(path, Target("prores4444", Fraction(24), (w, h)))
    for p in pixels:
        writer.add(p)
    writer.close()
    return path


def build(folder: Path, width: int, height: int) -> Reference:
    """Media, the document and the filter graph at a size."""
    folder.mkdir(parents=True, exist_ok=True)
    k = width / 960
    library = Library(folder / "media")
    footage: dict[str, dict[str, Any]] = {}

    def add(name: str, path: Path) -> dict[str, Any]:
        footage[name] = described(library, name, [path]) | {"space": LINEAR}
        media = footage[name]["media"]
        write_record(replace(library.store.record(media), space=LINEAR), library.store.folder(media) / "media.json")
        return footage[name]

    plate = plate_at(folder, width, height)
    add("plate", plate)
    stills = {}
    for name, made in (("dial", brass_dial(folder)), ("flare", lamp_flare(folder))):
        codes = straight_codes(made[0])
        size = round(codes.shape[0] * (0.5 if name == "dial" else 0.6) * k)
        codes = cv2.resize(codes, (size, size), interpolation=cv2.INTER_AREA)
        stills[name] = folder / f"{name}-small.png"
        cv2.imwrite(str(stills[name]), cv2.cvtColor(codes, cv2.COLOR_RGBA2BGRA))
        add(name, stills[name])
    embers = alpha_clip(ember_sparks(folder, FRAMES, round(640 * k), round(480 * k), 200), folder / "embers.mov")
    add("embers", embers)

    def value(v: Any) -> dict[str, Any]:
        return {"value": v}

    quads = {
        "dial": np.array([[600, 80], [840, 100], [820, 330], [610, 300]]) * k,
        "dial2": np.array([[120, 190], [330, 170], [340, 420], [100, 380]]) * k,
    }
    ride = {"track": "drift", "reference_frame": 0}
    side = footage["flare"]["size"][0]
    flare_at = (round(400 * k), round(140 * k))
    ember_at = (round(160 * k), round(40 * k))
    ember_size = footage["embers"]["size"]
    layers = [
        {"kind": "veil", "id": "grain", "name": "grain", "effects": [{"kind": "grain", "id": "gn", "amount": value(0.02)}]},
        {"kind": "veil", "id": "clouds", "name": "clouds",
         "effects": [{"kind": "noise", "id": "ns", "amount": value(0.12), "size": value(120 * k)}]},
        {"kind": "footage", "id": "flare", "name": "flare", "footage": "flare", "blend": "screen",
         "place": {"position": value([flare_at[0] + side / 2, flare_at[1] + side / 2])},
         "effects": [{"kind": "glow", "id": "g", "radius": value(24 * k), "scales": value(2), "threshold": value(0)}]},
        {"kind": "veil", "id": "veil", "name": "veil", "cut": [{"matte": "ellipse"}],
         "effects": [{"kind": "grade", "id": "gr", "contrast": value(CONTRAST), "pivot": value(PIVOT),
                      "slope": value([SLOPE] * 3), "offset": value([OFFSET] * 3)}]},
        {"kind": "footage", "id": "embers", "name": "embers", "footage": "embers",
         "place": {"position": value([ember_at[0] + ember_size[0] / 2, ember_at[1] + ember_size[1] / 2])}},
        *[{"kind": "footage", "id": name, "name": name, "footage": "dial",
           "place": {"corners": quad.tolist(), "ride": ride}} for name, quad in quads.items()],
        {"kind": "footage", "id": "plate", "name": "plate", "footage": "plate",
         "place": {"position": value([width / 2, height / 2])}},
    ]  # fmt: skip
    track = {"kind": "point", "id": "drift", "name": "drift", "footage": "plate", "reference_frame": 0,
             "position": [0, 0], "samples": "0" * 32}  # fmt: skip
    shot = load_shot({
        "schema_version": 1, "name": "reference", "size": [width, height], "rate": "24/1", "frames": FRAMES,
        "trim": [0, FRAMES - 1], "footage": footage, "layers": {i["id"]: i for i in layers},
        "stack": [i["id"] for i in layers], "plate": "plate", "tracks": {"drift": track}, "blend_in": "linear",
        "mattes": {"ellipse": {"id": "ellipse", "name": "ellipse", "pieces": [soft_ellipse(width, height)]}},
    })  # fmt: skip

    inputs = ["-i", str(plate)]
    for name in ("dial", "dial", "flare"):
        codes = straight_codes(stills[name])
        raw = folder / f"{name}.raw"
        raw.write_bytes(codes.tobytes())
        size = f"{codes.shape[1]}x{codes.shape[0]}"
        inputs += ["-stream_loop", "-1", "-f", "rawvideo", "-pix_fmt", "rgba", "-s", size, "-r", "24", "-i", str(raw)]
    inputs += ["-i", str(embers)]
    mask, clouds = raw_mask(shot, folder), raw_clouds(shot, folder)
    size = f"{width}x{height}"
    inputs += ["-stream_loop", "-1", "-f", "rawvideo", "-pix_fmt", "gray", "-s", size, "-r", "24", "-i", str(mask)]
    inputs += ["-f", "rawvideo", "-pix_fmt", "gray", "-s", size, "-r", "24", "-i", str(clouds)]

    def arguments(grain: bool) -> list[str]:
        graph = filter_graph(shot, list(quads.values()), flare_at, ember_at, k, grain)
        return [*inputs, "-filter_complex", graph, "-map", "[out]"]

    return Reference(shot, library, arguments)


def soft_ellipse(width: int, height: int) -> dict[str, Any]:
    rx, ry, soft = 0.32 * width, 0.34 * height, 0.06 * width
    c = 0.5523
    ends = (((0, -ry), (rx * c, 0)), ((rx, 0), (0, ry * c)), ((0, ry), (-rx * c, 0)), ((-rx, 0), (0, -ry * c)))
    points = [
        {"at": [width / 2 + x, height / 2 + y], "before": [-hx, -hy], "after": [hx, hy], "outer": soft, "inner": soft}
        for (x, y), (hx, hy) in ends
    ]
    return {"kind": "shape", "id": "s", "name": "ellipse", "outline": {"value": {"points": points}}}


def raw_mask(shot: Shot, folder: Path) -> Path:
    """The ellipse as one raw grey picture."""
    coverage = Renderer(None, lambda *_: None, 1).matte(shot, "ellipse", 0)  # type: ignore[arg-type]
    path = folder / "ellipse.raw"
    path.write_bytes(np.rint(coverage.plane * 255).astype(np.uint8).tobytes())
    return path


def raw_clouds(shot: Shot, folder: Path) -> Path:
    """The clouds of every frame as raw grey video."""
    w, h = shot.size
    black = Picture(np.zeros((h, w, 4), np.float32), Window(0, 0, w, h))
    black.pixels[..., 3] = 1
    path = folder / "clouds.raw"
    with path.open("wb") as file:
        for frame in range(FRAMES):
            light = run("noise", black, sampled(shot.layers["clouds"].looks[0], frame), 1.0)
            file.write(np.rint(np.clip(light.pixels[..., 0], 0, 1) * 255).astype(np.uint8).tobytes())
    return path


def filter_graph(
    shot: Shot, quads: list[NDArray], flare_at: tuple[int, int], ember_at: tuple[int, int], k: float,
    grain: bool,
) -> str:  # fmt: skip
    """What a person would write for ffmpeg to get the same picture."""
    width, height = shot.size
    side = shot.footage["dial"].size[0]
    parts = ["[0:v]scale=in_color_matrix=bt709:flags=bilinear+accurate_rnd+full_chroma_int,format=gbrp[base]"]
    under = "base"
    for i, quad in enumerate(quads):
        # on a canvas of the frame's size, the still in its corner: where must the canvas' own corners go?
        low, high = MARGIN, MARGIN + side
        still = np.float32([[low, low], [high, low], [high, high], [low, high]])
        canvas = np.float32([[0, 0], [width, 0], [0, height], [width, height]])[None]
        # the filter counts pixel centres at whole numbers
        half = translation(0.5, 0.5)
        h = np.linalg.inv(half) @ cv2.getPerspectiveTransform(still, np.float32(quad)) @ half
        corners = cv2.perspectiveTransform(canvas, h)[0]
        text = ":".join(
            f"x{j}='{x:.4f}+{DRIFT[0]}*(on-1)':y{j}='{y:.4f}+{DRIFT[1]}*(on-1)'" for j, (x, y) in enumerate(corners)
        )
        parts.append(
            f"[{i + 1}:v]format=rgba,pad={width}:{height}:{MARGIN}:{MARGIN}:color=black@0,format=gbrap,"
            f"perspective={text}:interpolation=cubic:sense=destination:eval=frame[still{i}]"
        )
        parts.append(f"[{under}][still{i}]overlay=0:0:format=gbrp:shortest=1[laid{i}]")
        under = f"laid{i}"
    encode = "if(lte(val/255,0.0031308),val/255*12.92,1.055*pow(val/255,1/2.4)-0.055)"
    graded = f"max(((({encode})-{PIVOT})*{CONTRAST}+{PIVOT})*{SLOPE}+{OFFSET},0)"
    decode = f"255*if(lte({graded},0.04045),{graded}/12.92,pow(({graded}+0.055)/1.055,2.4))"
    parts += [
        "[4:v]format=gbrap[embers]",
        f"[{under}][embers]overlay={ember_at[0]}:{ember_at[1]}:format=gbrp:shortest=1[all]",
        "[all]split=2[ungraded][tograde]",
        f"[tograde]lutrgb=r='{decode}':g='{decode}':b='{decode}'[regraded]",
        "[5:v]format=gbrp[mask]",
        "[ungraded][regraded][mask]maskedmerge[graded]",
        # the flare over black, its two blurs averaged and added to it, then screened
        f"[3:v]format=gbrap,premultiply=inplace=1,format=gbrp,pad={width}:{height}:{flare_at[0]}:{flare_at[1]}[flare]",
        "[flare]split=3[a][b][c]",
        f"[b]gblur=sigma={24 * k}:steps=3[wide]",
        f"[c]gblur=sigma={12 * k}:steps=3[tight]",
        "[wide][tight]blend=all_mode=average[glow]",
        "[a][glow]blend=all_mode=addition[lit]",
        "[graded][lit]blend=all_mode=screen:shortest=1[screened]",
        "[6:v]format=gbrp[clouds]",
        "[screened][clouds]blend=all_mode=addition:shortest=1,format=gbrp"
        + (",noise=alls=8:allf=t[out]" if grain else "[out]"),
    ]
    return ";".join(parts)


def ffmpeg(reference: Reference, grain: bool, *output: str) -> list[str]:
    return ["ffmpeg", "-v", "error", "-nostdin", "-filter_complex_threads", "2", "-threads", "2", *reference.ffmpeg(grain),
            "-frames:v", str(FRAMES), *output]  # fmt: skip


class HeldStills(Sources):
    """Sources that keep stills decoded, as the raw video keeps them for ffmpeg."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self.stills: dict[str, Coded] = {}

    def read(self, media: str, index: int, level: int) -> Coded:
        if self.record(media).kind != "still":
            return super().read(media, index, level)
        if media not in self.stills:
            self.stills[media] = super().read(media, index, level)
        return self.stills[media]


def renderer(reference: Reference, cache_bytes: int = 1) -> Renderer:
    """By default one that keeps nothing between frames except decoded stills."""
    return Renderer(HeldStills(reference.library.store, final=True), reference.paths, cache_bytes)


def agreement(reference: Reference, folder: Path) -> tuple[float, float]:
    """Mean and 99th percentile of the absolute difference, in codes of 255, over three frames."""
    raw = folder / "theirs.raw"
    subprocess.run(ffmpeg(reference, False, "-f", "rawvideo", "-pix_fmt", "rgb24", "-y", str(raw)), check=True)
    w, h = reference.shot.size
    theirs = np.fromfile(raw, np.uint8).reshape(-1, h, w, 3)
    ours = renderer(reference)
    window = ours.planner(reference.shot).frame_window
    gaps = []
    for i in (0, 9, 23):
        codes = np.clip(ours.frame(reference.plain, i).fill(window)[..., :3], 0, 1) * 255
        gaps.append(np.abs(codes - theirs[i]))
        if "--pictures" in sys.argv:
            both = np.concatenate([codes, theirs[i], np.clip(gaps[-1] * 16, 0, 255)], 1)
            cv2.imwrite(f"reference-{w}-{i}.png", both[..., ::-1].astype(np.uint8))
    gap = np.concatenate([g.ravel() for g in gaps])
    return float(gap.mean()), float(np.percentile(gap, 99))


def timed(work: Callable[[], object]) -> tuple[float, float]:
    """(CPU of this process and its children, wall) in ms a frame."""

    def used() -> float:
        return sum(
            u.ru_utime + u.ru_stime for u in map(resource.getrusage, (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))
        )

    cpu, wall = used(), time.perf_counter()
    work()
    return (used() - cpu) * 1e3 / FRAMES, (time.perf_counter() - wall) * 1e3 / FRAMES


def frame_copy_ms(size: tuple[int, int]) -> float:
    source = np.ones((size[1], size[0], 4), np.float32)
    target = np.empty_like(source)
    np.copyto(target, source)
    times = []
    for _ in range(9):
        began = time.process_time()
        for _ in range(5):
            np.copyto(target, source)
        times.append((time.process_time() - began) * 200)
    return statistics.median(times)


def measure(width: int, height: int) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        reference = build(folder, width, height)
        mean, high = agreement(reference, folder)
        if mean > MEAN_TOLERANCE or high > HIGH_TOLERANCE:
            sys.exit(f"The two pictures differ: mean {mean:.2f}, 99th percentile {high:.1f} of 255.")
        engine = renderer(reference)
        window = engine.planner(reference.shot).frame_window

        def ours(engine: Renderer = engine) -> None:
            for i in range(FRAMES):
                engine.shown(engine.planner(reference.shot).plan(i), window)

        def as_rendered() -> None:
            """What does not change from frame to frame is made once, as in every render; nothing is left from before."""
            ours(renderer(reference, CACHE_BYTES))

        def theirs() -> None:
            subprocess.run(ffmpeg(reference, True, "-f", "null", "-"), check=True)

        ours()
        settled()
        mine, kept, other = [], [], []
        for _ in range(ROUNDS):
            mine.append(timed(ours))
            other.append(timed(theirs))
            kept.append(timed(as_rendered))
        copy = frame_copy_ms((width, height))
        b, wall_b = np.median(np.array(other), axis=0)
        for what, times in (("nothing kept", mine), ("static parts kept", kept)):
            a, wall_a = np.median(np.array(times), axis=0)
            print(
                f"| {width}x{height}, {what} | {mean:.2f} / {high:.1f} | {a:.0f} / {wall_a:.0f} | {b:.0f} / {wall_b:.0f} "
                f"| {b / a:.2f} | {wall_b / wall_a:.2f} | {a / copy:.0f} |"
            )


if __name__ == "__main__":
    print("| size | difference, mean / p99 of 255 | ours, ms CPU / wall | ffmpeg, ms CPU / wall | CPU ratio | wall ratio | ours in frame copies |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- |")
    for size in ((960, 540), (1920, 1080)):
        measure(*size)
