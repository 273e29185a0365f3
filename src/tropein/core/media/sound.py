"""Sound: to 48 kHz stereo WAV, and its outline for the film strip."""

from __future__ import annotations

import json
import wave
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np

from tropein.core.errors import MediaError

RATE_HZ = 48_000
PEAKS_PER_SECOND = 100
MAX_SECONDS = 6 * 3600


def extract(source: Path, wav: Path, peaks: Path, check: Callable[[], None] = lambda: None) -> float:
    """Decode the first sound stream to `wav` and write its loudest values per hundredth of a second to `peaks` (JSON list
    of 0..1). Returns seconds. A clip's sound is placed against its first picture's time."""
    levels: list[float] = []
    rest = np.zeros(0, np.int16)
    block = RATE_HZ // PEAKS_PER_SECOND
    count = 0
    try:
        with av.open(str(source)) as container, wave.open(str(wav), "wb") as out:
            out.setnchannels(2)
            out.setsampwidth(2)
            out.setframerate(RATE_HZ)
            stream = container.streams.audio[0]
            resampler = av.AudioResampler("s16", "stereo", RATE_HZ)
            for frame in container.decode(stream):
                check()
                for part in resampler.resample(frame):
                    samples = part.to_ndarray().reshape(-1)
                    out.writeframes(samples.tobytes())
                    count += samples.size // 2
                    rest = np.concatenate([rest, samples[0::2]])
                    n = rest.size // block
                    if n:
                        heads = np.abs(rest[: n * block].astype(np.int32)).reshape(n, block).max(1)
                        levels += [round(float(v) / 32768, 3) for v in heads]
                        rest = rest[n * block :]
                if count > MAX_SECONDS * RATE_HZ:
                    raise MediaError("The sound is longer than six hours.")
    except (av.FFmpegError, IndexError) as error:
        raise MediaError(f"The sound of {source.name} cannot be decoded.") from error
    peaks.write_text(json.dumps(levels))
    return count / RATE_HZ
