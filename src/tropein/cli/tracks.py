"""Commands that track something in a clip and write a track file."""

from __future__ import annotations

import gzip
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import numpy as np
import typer
from numpy.typing import NDArray

from tropein.cli.clips import Clip, Json, seen
from tropein.cli.common import bar, frame_range, say, whole_or_nothing
from tropein.core.document import Footage, Track
from tropein.core.document.body import BODY_PARTS
from tropein.core.document.track import BoxAt
from tropein.core.errors import BadInput
from tropein.core.media.adhoc import files_of
from tropein.core.media.record import MediaRecord
from tropein.core.media.source import read_still
from tropein.core.tracks.body import BodyTrack
from tropein.core.tracks.camera import CameraTrack
from tropein.core.tracks.face import FaceTrack
from tropein.core.tracks.object import ObjectTrack
from tropein.core.tracks.plane import PlaneTrack
from tropein.core.tracks.point import PointTrack

Out = Annotated[Path, typer.Option("-o", help="The track file to write (.json or .json.gz).")]
Frames = Annotated[str | None, typer.Option("--frames", help="A-B, both included.")]


def track_point(
    clip: Clip,
    at: Annotated[
        list[str], typer.Option("--at", help="X,Y in pixels of the full-size clip; several times for several.")
    ],
    frame: Annotated[int, typer.Option("--frame", help="The frame at which the points are.")],
    out: Out,
    frames: Frames = None,
    pattern: Annotated[int, typer.Option(help="Half the side of the patch, pixels.")] = 15,
    reach: Annotated[int, typer.Option(help="How far a lost point is looked for, pixels.")] = 40,
    fixed: Annotated[str, typer.Option(help="What may not differ from the reference: of light,turn,blur.")] = "",
    json: Json = False,
) -> None:
    """Follow points both ways from a frame."""
    held = {name.strip() for name in fixed.split(",") if name.strip()}
    if not held <= {"light", "turn", "blur"}:
        raise BadInput(f"--fixed takes light, turn and blur, with commas between, not {fixed!r}.")
    places = [_pair(text, "--at is written X,Y") for text in at]
    track = PointTrack.at(
        *places, id="track", name="track", footage="clip", reference_frame=frame, pattern_px=pattern,
        reach_px=reach, match_light="light" not in held, match_turn="turn" not in held, match_blur="blur" not in held,
    )  # fmt: skip
    _run(clip, track, frames, out, json)


def track_plane(
    clip: Clip,
    corners: Annotated[list[str], typer.Option("--corners", help="X,Y four times, clockwise from top left.")],
    frame: Annotated[int, typer.Option("--frame", help="The frame at which the corners are.")],
    out: Out,
    rest: Annotated[list[str] | None, typer.Argument(hidden=True)] = None,
    frames: Frames = None,
    snap: Annotated[bool, typer.Option("--snap", help="First draw the corners to the edges near its sides.")] = False,
    json: Json = False,
) -> None:
    """Follow a flat thing by its four corners both ways from a frame."""
    four = [_pair(text, "--corners is written X,Y X,Y X,Y X,Y") for text in [*corners, *(rest or [])]]
    if len(four) != 4:
        raise BadInput(f"A plane has four corners, clockwise from top left; {len(four)} were given.")
    if snap:
        four = _snapped(clip, frame, four)
    track = PlaneTrack(
        id="track", name="track", footage="clip", reference_frame=frame, corners=(four[0], four[1], four[2], four[3])
    )
    _run(clip, track, frames, out, json)


def track_object(
    clip: Clip,
    box: Annotated[str, typer.Option("--box", help="X,Y,W,H: the upper left corner, width and height.")],
    frame: Annotated[int, typer.Option("--frame", help="The frame at which the box is there.")],
    out: Out,
    frames: Frames = None,
    json: Json = False,
) -> None:
    """Follow a thing by a box around it both ways from a frame: place, size and angle."""
    try:
        x, y, w, h = (float(v) for v in box.split(","))
    except ValueError:
        raise BadInput(f"--box is written X,Y,W,H, not {box!r}.") from None
    if w < 1 or h < 1:
        raise BadInput("The box needs a width and a height.")
    at = BoxAt(centre=(x + w / 2, y + h / 2), sides=(w, h))
    _run(clip, ObjectTrack(id="track", name="track", footage="clip", reference_frame=frame, box=at), frames, out, json)


OWN = (".json", ".gz")  # track files


def track_convert(
    file: Annotated[
        Path,
        typer.Argument(
            help="A track file, a table of points (.csv), or a camera as .glb, .gltf, .usda, .usdc or .usdz."
        ),
    ],
    out: Annotated[
        Path,
        typer.Option("-o", help="What to write: .json, .json.gz, .csv; of a camera also .glb, .gltf, .usda, .usdc."),
    ],
    clip: Annotated[str | None, typer.Option("--clip", help="The clip that what is read belongs to.")] = None,
    json: Json = False,
) -> None:
    """Turn a track file into a table or a camera for other programs, or such a camera into a track file."""
    from tropein.core.interchange.form import Of, reading, writing
    from tropein.core.track.file import parse_track

    try:
        data = file.read_bytes()
    except OSError as error:
        raise BadInput(f"{file} cannot be read.") from error
    came = file.suffix.lower()
    if came in OWN:
        track = parse_track(data)
    else:
        form = reading(came)
        if clip is None:
            raise BadInput("Say with --clip to which clip it belongs: its size and rate are needed.")
        with seen(clip) as (_, _, record):
            of = Of(Path(clip).name, record.size, record.rate)
        track = form.read(data, file.name, of)
    suffix = out.suffix.lower()
    if suffix in OWN:
        written = gzip.compress(track.dumps()) if suffix == ".gz" else track.dumps()
    else:
        written = writing(suffix, track.kind).write(track, suffix)
    whole_or_nothing(out, written)
    say({"frames": len(track.frames), "written": str(out)}, json)


def track_face(
    clip: Clip,
    out: Out,
    frame: Annotated[int, typer.Option("--frame", help="A frame in which the face is well seen.")] = 0,
    near: Annotated[str | None, typer.Option("--near", help="X,Y on the face that is meant; else the largest.")] = None,
    frames: Frames = None,
    json: Json = False,
) -> None:
    """Follow a face: mesh, irises, eye and mouth opening, pose."""
    at = _pair(near, "--near is written X,Y") if near else None
    track = FaceTrack(id="track", name="track", footage="clip", reference_frame=frame, near=at)
    _run(clip, track, frames, out, json)


def track_body(
    clip: Clip,
    part: Annotated[str, typer.Option("--part", help='Which part: "right index fingertip", "left shoulder", "head".')],
    out: Out,
    frame: Annotated[int, typer.Option("--frame", help="A frame in which it is well seen.")] = 0,
    near: Annotated[str | None, typer.Option("--near", help="X,Y close to the one that is meant.")] = None,
    frames: Frames = None,
    json: Json = False,
) -> None:
    """Follow a part of a body or a hand, found by its name; left is the subject's left."""
    if part not in BODY_PARTS:
        raise BadInput(f"There is no part called {part!r}. There are: {', '.join(BODY_PARTS)}.")
    at = _pair(near, "--near is written X,Y") if near else None
    track = BodyTrack(id="track", name="track", footage="clip", reference_frame=frame, part=part, near=at)  # type: ignore[arg-type]
    _run(clip, track, frames, out, json)


def track_camera(
    clip: Clip,
    out: Out,
    frames: Frames = None,
    focal_px: Annotated[
        float | None, typer.Option("--focal-px", help="The focal length in pixels, where known.")
    ] = None,
    lens: Annotated[
        float | None,
        typer.Option(
            "--lens",
            min=-30,
            max=30,
            help="By how many per cent the corner is seen too far out, where known; 0: straight.",
        ),
    ] = None,
    ignore: Annotated[
        str | None, typer.Option("--ignore", help="Pictures like mask_%04d.png, white where the clip does not count.")
    ] = None,
    json: Json = False,
) -> None:
    """Solve the camera: its way, its focal length, how its lens bends straight lines, and a cloud of points."""
    first = frame_range(frames, 0, 10**6)[0] if frames else 0
    masks = files_of(ignore) if ignore else []

    def masked(frame: int) -> NDArray[np.bool_] | None:
        return read_still(masks[frame])[..., 1] > 0.5 if frame < len(masks) else None

    track = CameraTrack(
        id="track", name="track", footage="clip", reference_frame=first, focal_px=focal_px, lens=lens and lens / 100
    )
    _run(clip, track, frames, out, json, masked)


def _run(
    clip: str, track: Track, frames: str | None, out: Path, json: bool,
    ignore: Callable[[int], NDArray[np.bool_] | None] | None = None,
) -> None:  # fmt: skip
    from tropein.core.track.job import Heard, Job

    if not out.parent.is_dir():
        raise BadInput(f"There is no folder {out.parent}.")
    with seen(clip) as (store, media, record):
        first, last = frame_range(frames, 0, record.frames - 1)
        if not first <= track.reference_frame <= last:
            raise BadInput(f"--frame must lie within {first}-{last}.")
        with bar("tracking", (last - first + 1) * track.passes) as tick:
            done = 0

            def hear(_: Heard) -> None:
                nonlocal done
                done += 1
                tick(done)

            footage = footage_of(Path(clip).name, media, record)
            result = track.measure(Job(store, footage, track, (first, last), report=hear, ignore=ignore)).file
    data = result.dumps()
    whole_or_nothing(out, gzip.compress(data) if out.suffix == ".gz" else data)
    say({"frames": len(result.frames), "lost": sum(s.lost for s in result.frames), "written": str(out)}, json)


def footage_of(name: str, media: str, record: MediaRecord) -> Footage:
    """A clip that is used where it lies, as a document's footage."""
    return Footage(
        id="clip", name=name[:120], kind=record.kind, media=media, size=record.size, rate=record.rate, frames=record.frames,
        alpha=record.alpha, sound=record.sound, space=record.space,
    )  # fmt: skip


def _snapped(clip: str, frame: int, corners: list[tuple[float, float]]) -> list[tuple[float, float]]:
    from tropein.core.media.grey import GreyFrames
    from tropein.core.track.snap import snapped

    with seen(clip) as (store, media, record):
        if not 0 <= frame < record.frames:
            raise BadInput(f"--frame must lie within 0-{record.frames - 1}.")
        pictures = GreyFrames(store, media)
        try:
            return [(float(x), float(y)) for x, y in snapped(pictures.frame(frame), np.array(corners))[0]]
        finally:
            pictures.close()


def _pair(text: str, form: str) -> tuple[float, float]:
    x, _, y = text.partition(",")
    try:
        return float(x), float(y)
    except ValueError:
        raise BadInput(f"{form}, not {text!r}.") from None
