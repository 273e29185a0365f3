"""Bad files by the hundred, and a clear line for each: `./tropein faults files [how many]`.

Clips of the corpus, pictures, sound, zips, tables, tracks, cameras and bundles are cut, overwritten, filled with noise and named wrongly. What is
not read as if it were whole must be refused in one clear line; nothing else may happen, and nothing be left behind.
"""

from __future__ import annotations

import io
import random
import sys
import tempfile
import time
import wave
import zipfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from tests.faults import corpus
from tests.faults.test_bundles_damaged import LIKE
from tropein.core.errors import Asks, TropeinError
from tropein.core.interchange import cameras
from tropein.core.interchange.bundle import Bundle
from tropein.core.interchange.table import read_points
from tropein.core.media.encode import write_picture
from tropein.core.media.library import Library
from tropein.core.track.file import parse_track
from tropein.core.track.forms.point import PointFile

Damage = Callable[[bytes, random.Random], bytes]


def _flipped(data: bytes, rng: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(rng.choice([1, 8, 64, 512])):
        out[rng.randrange(len(out))] ^= 1 << rng.randrange(8)
    return bytes(out)


def _overwritten(data: bytes, rng: random.Random) -> bytes:
    at, n = rng.randrange(len(data)), rng.choice([4, 40, 4000])
    return data[:at] + rng.randbytes(n) + data[at + n :]


DAMAGES: dict[str, Damage] = {
    "cut": lambda d, r: d[: r.randrange(len(d))],
    "headless": lambda d, r: d[r.randrange(1, max(2, len(d) // 3)) :],
    "flipped": _flipped,
    "overwritten": _overwritten,
    "zeroed": lambda d, r: d[: len(d) // 2] + b"\0" * (len(d) - len(d) // 2),
    "head flipped": lambda d, r: _flipped(d[:256], r) + d[256:],
    "twice": lambda d, r: d + d,
    "noise": lambda d, r: r.randbytes(min(len(d), 20_000)),
    "empty": lambda d, r: b"",
}


def samples(folder: Path) -> dict[str, bytes]:
    """Good files of every kind, by name."""
    out = {
        make(folder).name: b""
        for make in (corpus.plain, corpus.avi_with_b_frames, corpus.transport, corpus.prores, corpus.vp9, corpus.mxf)
    }
    out = {name: (folder / name).read_bytes() for name in out}
    picture = corpus.numbered(5)
    for suffix in (".png", ".jpg", ".tif", ".webp"):
        out[f"picture{suffix}"] = cv2.imencode(suffix, picture)[1].tobytes()
    write_picture(folder / "light.exr", np.ones((90, 160, 4), np.float32), "exr")
    out["light.exr"] = (folder / "light.exr").read_bytes()
    with wave.open(str(folder / "tone.wav"), "wb") as tone:
        tone.setparams((2, 2, 48000, 0, "NONE", ""))
        tone.writeframes(np.zeros(48000, np.int16).tobytes())
    out["tone.wav"] = (folder / "tone.wav").read_bytes()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for i in range(3):
            archive.writestr(f"a_{i}.png", out["picture.png"])
    out["sequence.zip"] = packed.getvalue()
    out["camera.glb"], out["camera.usda"] = cameras.written(LIKE, "glb"), cameras.written(LIKE, "usda")
    out["camera.usdc"], out["track.json"] = cameras.written(LIKE, "usdc"), LIKE.dumps()
    out["points.csv"] = b"frame,x1,y1\n" + b"".join(b"%d,%d,5\n" % (i, i) for i in range(40))
    out["shot.tropein"] = out["sequence.zip"]
    return out


def read(library: Library, path: Path, name: str) -> None:
    """As the product reads a file of this name."""
    suffix = Path(name).suffix
    if suffix in cameras.READABLE:
        cameras.read_limited(path.read_bytes(), name, LIKE)
    elif suffix == ".json":
        parse_track(path.read_bytes())
    elif suffix == ".csv":
        read_points(path.read_text(errors="replace"), PointFile(size=(9, 9), rate="24/1", reference_frame=0, frames=[]))
    elif suffix == ".tropein":
        Bundle(path).close()
    else:
        library.add([(path, name)])


def main(count: int, seed: int = 3) -> int:
    rng, said, problems = random.Random(seed), Counter[str](), []
    with tempfile.TemporaryDirectory() as text:
        folder = Path(text)
        good = samples(folder)
        library = Library(folder / "media")
        for i in range(count):
            name, damage = rng.choice(sorted(good)), rng.choice(sorted(DAMAGES))
            as_name = name if rng.random() < 0.85 else f"x{Path(rng.choice(sorted(good))).suffix}"
            path = folder / "bad"
            path.write_bytes(DAMAGES[damage](good[name], rng))
            began = time.monotonic()
            try:
                read(library, path, as_name)
                said["read"] += 1
            except Asks:
                said["asked"] += 1
            except TropeinError as error:
                said["refused in words"] += 1
                if (
                    not 8 < len(error.message) < 500
                    or "\n" in error.message
                    or "Traceback" in error.message
                    or "Errno" in error.message
                ):
                    problems.append(f"{damage} {name} as {as_name}: {error.message!r}")
            except BaseException as error:
                problems.append(f"{damage} {name} as {as_name}: {type(error).__name__}: {error}")
            if time.monotonic() - began > 90:
                problems.append(f"{damage} {name} as {as_name}: took {time.monotonic() - began:.0f} s")
            left = list((folder / "media" / "incoming").iterdir())
            if left:
                problems.append(f"{damage} {name} as {as_name} left {left}")
            sys.stdout.write(f"\r{i + 1} of {count}")
            sys.stdout.flush()
    sys.stdout.write(
        f"\r{count} bad files: {dict(said)}, {len(problems)} that did neither\n" + "\n".join(problems) + "\n"
    )
    return 1 if problems else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 300))
