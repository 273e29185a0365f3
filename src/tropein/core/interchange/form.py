"""Forms: what other programs read and write, each one file in core/interchange, by its name, its extensions, and how it is read and written."""

from __future__ import annotations

from pathlib import Path
from typing import Any, ClassVar, Literal, NamedTuple

from tropein.core.document import Shot, Track
from tropein.core.document.kinds import Family, Kind
from tropein.core.errors import BadInput
from tropein.core.track.file import FileBase


class Of(NamedTuple):
    """Of what footage a track that is read is: its head, as a track file has it."""

    source: str
    size: tuple[int, int]
    rate: str
    reference_frame: int = 0


class FormBase(Kind):
    """What all forms share. Extensions have their dot, in small letters."""

    title: ClassVar[str] = ""
    of: ClassVar[Literal["track", "shot"]] = "track"
    writes: ClassVar[dict[str, str]] = {}  # extensions it can be written with, and what each is called
    reads: ClassVar[tuple[str, ...]] = ()
    files: ClassVar[tuple[str, ...]] = ()  # which track files can be written; none: all
    into: ClassVar[tuple[str, ...]] = ()  # which tracks it can be read into
    media_type: ClassVar[str] = "application/octet-stream"
    most_bytes: ClassVar[int] = 64 << 20

    kind: str

    def write(self, file: FileBase, extension: str, world: list[float] | None = None) -> bytes:
        """A track file in this form; `world` (4x4, row by row) turns a solved scene to the user's own. BadInput where it cannot be."""
        raise NotImplementedError

    def read(self, data: bytes, name: str, of: Of) -> FileBase:
        """A track file from one of this form, called `name`. BadInput says what is wrong with it."""
        raise NotImplementedError

    def changes(self, track: Track, file: FileBase) -> dict[str, Any]:
        """What becomes other of a track when it takes in what was read, beside its samples. BadInput where it cannot."""
        return {}

    def pack(self, shot: Shot, store: Any, artefacts: Any, out: Path) -> None:
        """A shot in this form, with what belongs to it, as a file."""
        raise NotImplementedError


FORMS: Family[FormBase] = Family("form", "tropein.core.interchange", FormBase)


def writing(extension: str, file: str) -> FormBase:
    """The form that writes such track files (by their kind) with this extension; BadInput where none does."""
    for form in FORMS:
        if form.of == "track" and extension in form.writes and (not form.files or file in form.files):
            return form(kind=form.model_fields["kind"].default)
    raise BadInput(f"Such a track cannot be written as {extension}.")


def reading(extension: str, track: str | None = None) -> FormBase:
    """The form that reads files with this extension (into tracks of a kind); BadInput where none does."""
    known: set[str] = set()
    for form in FORMS:
        if form.of == "track" and (track is None or track in form.into):
            known.update(form.reads)
            if extension in form.reads:
                return form(kind=form.model_fields["kind"].default)
    if not known:
        raise BadInput("Such a track cannot be read from a file.")
    raise BadInput(f"{extension or 'A file without an ending'} cannot be read here, but {', '.join(sorted(known))}.")
