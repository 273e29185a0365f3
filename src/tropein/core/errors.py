"""Every error a person can meet: a message in plain words and a code for machines."""

from __future__ import annotations


class TropeinError(Exception):
    """Base of all expected failures; `message` is shown to people as it stands."""

    code = "error"

    def __init__(self, message: str, **details: object) -> None:
        super().__init__(message)
        self.message = message
        self.details = details


class BadInput(TropeinError):
    """What was given cannot be used; nothing was changed."""

    code = "bad-input"


class NotFound(TropeinError):
    """What was asked for does not exist (any more)."""

    code = "not-found"


class Conflict(TropeinError):
    """Someone else changed the same thing first."""

    code = "conflict"


class MediaError(BadInput):
    """A media file that cannot be read, or not safely."""

    code = "media"


class ReaderStopped(MediaError):
    """The process that read a file ended without a word."""


class Asks(MediaError):
    """Something the user has to decide first: `details` say what (`asks`) and between which `choices`."""

    code = "asks"


class OutOfSpace(TropeinError):
    """The disk is full."""

    code = "out-of-space"


class Cancelled(TropeinError):
    """The user stopped the work."""

    code = "cancelled"
