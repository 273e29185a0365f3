"""The command line. Exit codes: 0 done, 2 bad arguments or bad input (one line on stderr), 1 anything else."""

from __future__ import annotations

import errno
import sys

import typer

from tropein.core.errors import TropeinError
from tropein.core.files import FULL
from tropein.core.garbage import loading

with loading():
    from tropein.cli import clips, do, match, mattes, server, shots, stabilise, tracks

# what a name on the command line may be wrong in
BAD_NAMES = (
    errno.ENAMETOOLONG, errno.EACCES, errno.EPERM, errno.ENOENT, errno.EISDIR, errno.ENOTDIR, errno.EROFS, errno.ELOOP, errno.EINVAL,
)  # fmt: skip

app = typer.Typer(no_args_is_help=True, add_completion=False, pretty_exceptions_enable=False)
track = typer.Typer(no_args_is_help=True, help="Track motion in a clip.")
shot = typer.Typer(no_args_is_help=True, help="Shots as files.")
matte = typer.Typer(no_args_is_help=True, help="Mattes from a clip.")
app.add_typer(track, name="track")
app.add_typer(matte, name="matte")
app.add_typer(shot, name="shot")
app.command("probe")(clips.probe_clip)
track.command("point")(tracks.track_point)
track.command("plane")(tracks.track_plane)
track.command("convert")(tracks.track_convert)
track.command("object")(tracks.track_object)
track.command("face")(tracks.track_face)
track.command("body")(tracks.track_body)
track.command("camera")(tracks.track_camera)
matte.callback()(lambda: None)  # a group, though it has one command so far
matte.command("key")(mattes.key)
matte.command("cutout")(mattes.cutout)
app.command("stabilise")(stabilise.stabilise)
app.command("do")(do.do)
app.command("check")(match.check)
app.command("match")(match.match)
app.command("render")(shots.render)
shot.command("export")(shots.export_shot)
shot.command("import")(shots.import_shot)
app.command("serve", hidden=True)(server.serve)
app.command("worker")(server.worker)
app.command("warm-up", hidden=True)(server.warm_up)
app.command("api-types", hidden=True)(server.api_types)


def main() -> None:
    try:
        app()
    except TropeinError as error:
        sys.stderr.write(f"{error.message}\n")
        sys.exit(2)
    except OSError as error:
        if error.errno in FULL:
            sys.stderr.write("The disk is full: nothing was written.\n")
            sys.exit(1)
        if error.errno not in BAD_NAMES:
            raise
        sys.stderr.write(f"{str(error.filename)[:200]}: {error.strerror}.\n")
        sys.exit(2)


main()
