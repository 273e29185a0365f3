"""What a file is: kind, size, rate, frames, colour tags, sound. Reads headers and packets, decodes one picture."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from tropein.core.errors import MediaError
from tropein.core.media import still
from tropein.core.media.clip import planes_of
from tropein.core.media.record import MediaRecord
from tropein.core.media.siting import seen_in_the_middle, siting_of

MAX_FRAMES = 200_000
MAX_SIDE = 16_384
COMMON_RATES = [Fraction(n, d) for n, d in ((24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1),
                                            (60000, 1001), (60, 1), (12, 1), (15, 1), (100, 1), (120, 1))]  # fmt: skip
_MATRIX = {1: "bt709", 4: "bt601", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020", 0: "rgb"}


def probe(paths: list[Path], rate: str = "24/1") -> MediaRecord:
    """The record of one file, or of several pictures as a sequence at `rate`. MediaError says what is wrong."""
    if not paths:
        raise MediaError("There is no file to read.")
    for path in paths:
        if not path.is_file() or path.stat().st_size == 0:
            raise MediaError(f"{path.name} is empty." if path.is_file() else f"There is no file {path.name}.")
    if len(paths) > 1 or paths[0].suffix.lower() in still.SUFFIXES:
        return _pictures(paths, rate)
    return _container(paths[0])


def natural(path: Path) -> list[object]:
    """A sort key that puts frame 2 before frame 10."""
    return [int(part) if part.isdigit() else part for part in re.split(r"(\d+)", path.name)]


def _pictures(paths: list[Path], rate: str) -> MediaRecord:
    if len({p.suffix.lower() for p in paths}) > 1 or paths[0].suffix.lower() not in still.SUFFIXES:
        raise MediaError("Several files at once must be pictures of one kind (PNG, JPEG, TIFF, WebP or EXR).")
    paths = sorted(paths, key=natural)
    values, space, _ = still.read(paths[0])
    size = (values.shape[1], values.shape[0])
    for path in paths[1:]:
        if still.measure(path) != size:
            raise MediaError(f"{path.name} is of another size than the first picture of the sequence.")
    return MediaRecord(
        kind="still" if len(paths) == 1 else "sequence", files=[p.name for p in paths], size=size, stored=size, rate=rate,
        frames=len(paths), alpha=values.shape[2] == 4, space=space, codec=paths[0].suffix.lower().lstrip("."),
        pixel_format=str(values.dtype), matrix="rgb", full_range=True,
    )  # fmt: skip


def _container(path: Path) -> MediaRecord:
    try:
        container = av.open(str(path))
    except av.FFmpegError as error:
        raise MediaError(f"{path.name} is not a clip, picture or sound that can be read (or it is cut off).") from error
    with container:
        sound = bool(container.streams.audio)
        length = float(container.duration or 0) / 1e6
        videos = [s for s in container.streams.video if not s.disposition & 0x400]  # 0x400: attached cover picture
        if not videos:
            if not sound:
                raise MediaError(f"{path.name} holds neither pictures nor sound.")
            codec = container.streams.audio[0].codec_context.name
            return MediaRecord("sound", [path.name], sound=True, sound_seconds=length, codec=codec)
        stream = videos[0]
        context = stream.codec_context
        w, h = context.width, context.height
        if w < 1 or h < 1 or max(w, h) > MAX_SIDE:
            raise MediaError(f"{path.name} says it is {w}x{h} pixels; 1 to {MAX_SIDE} a side can be opened.")
        times = _packet_times(container, stream, path)
        container.seek(0)
        try:
            first = next(container.decode(stream))
        except (av.FFmpegError, StopIteration) as error:
            raise MediaError(f"{path.name} has no picture that can be decoded.") from error
        notes: list[str] = []
        time_base = Fraction(stream.time_base or Fraction(1, 1000))
        rate, pts = _conform(times, time_base, stream, notes)
        rotation = round(float(getattr(first, "rotation", 0) or 0) / 90) * 90 % 360
        if rotation:
            notes.append(
                f"turned upright by {rotation if rotation <= 180 else rotation - 360} degrees, as the file says"
            )
        aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
        size = (w, h)
        if aspect != 1:
            size = (max(1, round(w * aspect)), h)
            notes.append(f"pixels of {aspect.numerator}:{aspect.denominator} made square")
        if rotation in (90, 270):
            size = (size[1], size[0])
        matrix = _MATRIX.get(int(first.colorspace or 2), "bt709" if h >= 720 or w >= 1280 else "bt601")
        if int(first.colorspace or 2) == 2 and not first.format.is_rgb:
            notes.append(f"no colour tag in the file: read as {matrix}")
        record = MediaRecord(
            kind="clip", files=[path.name], size=size, stored=(w, h), rate=f"{rate.numerator}/{rate.denominator}",
            frames=len(pts), alpha=_has_alpha(first.format.name), sound=sound, sound_seconds=length if sound else 0.0,
            codec=context.name, pixel_format=first.format.name, matrix=matrix, siting=siting_of(container, stream.index),
            full_range=int(first.color_range or 0) == 2, rotation=rotation,
            tags={"matrix": str(int(first.colorspace or 2)), "range": str(int(first.color_range or 0)),
                  "bits": str(max(c.bits for c in first.format.components))},
            notes=notes, pts=pts, time_base=f"{time_base.numerator}/{time_base.denominator}",
        )  # fmt: skip
        planes = planes_of(first, record)
        if record.siting == "left" and planes is not None and seen_in_the_middle(planes):
            return replace(
                record,
                siting="center",
                notes=[*notes, "its colour lies in the middle of the pixels it is shared by: read so"],
            )
        return record


def _has_alpha(name: str) -> bool:
    return name.startswith(("yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya"))


def _packet_times(container, stream, path: Path) -> list[int]:  # type: ignore[no-untyped-def]
    times = []
    try:
        for packet in container.demux(stream):
            if packet.pts is not None and packet.size:
                times.append(int(packet.pts))
                if len(times) > MAX_FRAMES:
                    raise MediaError(f"{path.name} has more than {MAX_FRAMES} frames.")
    except av.FFmpegError as error:
        if not times:
            raise MediaError(f"{path.name} is damaged.") from error
    if not times:
        raise MediaError(f"{path.name} has no frames.")
    return sorted(set(times))


def _conform(times: list[int], base: Fraction, stream, notes: list[str]) -> tuple[Fraction, list[int]]:  # type: ignore[no-untyped-def]
    """The constant rate, and for each frame at that rate the time stamp of the coded picture it shows."""
    if len(times) == 1:
        return Fraction(stream.average_rate or 24), times
    steps = np.diff(np.array(times, np.float64)) * float(base)
    measured = Fraction(stream.average_rate or 0) or Fraction(1 / float(np.median(steps))).limit_denominator(1001)
    nominal = min(COMMON_RATES, key=lambda r: abs(float(r / measured) - 1))
    rate = nominal if abs(float(nominal / measured) - 1) < 0.0009 else measured.limit_denominator(1001)
    uneven = float(np.abs(steps - 1 / float(rate)).max()) > 0.25 / float(rate) + 2 * float(base)
    if not uneven:
        return rate, times
    usual = min(COMMON_RATES, key=lambda r: abs(float(r) * float(np.median(steps)) - 1))
    rate = usual if abs(float(usual) * float(np.median(steps)) - 1) < 0.05 else rate
    start = times[0] * float(base)
    shown = np.array(times, np.float64) * float(base) - start
    count = min(MAX_FRAMES, max(1, round((shown[-1] + float(np.median(steps))) * float(rate))))
    wanted = (np.arange(count) + 0.5) / float(rate)
    which = np.clip(np.searchsorted(shown, wanted, side="right") - 1, 0, len(times) - 1)
    notes.append(f"its {len(times)} pictures come at an uneven rate: conformed to {float(rate):.3f} a second")
    return rate, [times[i] for i in which]
