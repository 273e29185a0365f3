"""Sound: to 48 kHz stereo WAV, and its outline for the film strip."""

from __future__ import annotations

import json
import wave
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.container import InputContainer
from numpy.typing import NDArray

from tropein.core.errors import MediaError

RATE_HZ = 48_000
PEAKS_PER_SECOND = 100
MAX_SECONDS = 6 * 3600
MOST_LATE_S = 3600.0  # a sound said to begin later than that is not believed


@dataclass(frozen=True)
class Extracted:
    """What came out of a file's sound; `damaged`: it breaks off before its end."""

    seconds: float
    damaged: bool = False


def extract(
    source: Path, wav: Path, peaks: Path, check: Callable[[], None] = lambda: None, start_s: float | None = None
) -> Extracted:
    """Decode the first sound stream to `wav` and write its loudest values per hundredth of a second to `peaks` (JSON list
    of 0..1). It begins at `start_s`, when a clip shows
    its first picture, or with its own first sample. MediaError when nothing of it can be decoded."""
    levels: list[float] = []
    rest = np.zeros(0, np.int16)
    block = RATE_HZ // PEAKS_PER_SECOND
    count, skip, damaged = 0, 0, False
    try:
        with av.open(str(source)) as container, wave.open(str(wav), "wb") as out:
            out.setnchannels(2)
            out.setsampwidth(2)
            out.setframerate(RATE_HZ)
            try:
                for frame, samples in _decoded(container):
                    check()
                    if frame is not None and start_s is not None:
                        late = 0.0 if frame.time is None else float(frame.time) - start_s
                        late = late if abs(late) < MOST_LATE_S else 0.0
                        skip = max(0, round(-late * RATE_HZ))
                        samples = np.concatenate([np.zeros(2 * max(0, round(late * RATE_HZ)), np.int16), samples])
                    kept = samples[2 * skip :]
                    skip -= (samples.size - kept.size) // 2
                    out.writeframes(kept.tobytes())
                    count += kept.size // 2
                    rest = np.concatenate([rest, kept[0::2]])
                    n = rest.size // block
                    if n:
                        heads = np.abs(rest[: n * block].astype(np.int32)).reshape(n, block).max(1)
                        levels += [round(float(v) / 32768, 3) for v in heads]
                        rest = rest[n * block :]
                    if count > MAX_SECONDS * RATE_HZ:
                        raise MediaError("The sound is longer than six hours.")
            except av.FFmpegError:
                if not count:
                    raise
                damaged = True
    except (av.FFmpegError, IndexError, ValueError) as error:
        raise MediaError(f"The sound of {source.name} cannot be decoded.") from error
    peaks.write_text(json.dumps(levels))
    return Extracted(count / RATE_HZ, damaged)


def _decoded(container: InputContainer) -> Iterator[tuple[AudioFrame | None, NDArray[np.int16]]]:
    """Samples at our rate, left and right in turn; with the first ones the decoded frame they are of."""
    resampler = av.AudioResampler("s16", "stereo", RATE_HZ)
    first = True
    for frame in container.decode(container.streams.audio[0]):
        for part in resampler.resample(frame):
            yield (frame if first else None), part.to_ndarray().reshape(-1)
            first = False
