"""Footage: an imported picture, clip, sequence or sound, by the hash of its stored file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from tropein.core.document.base import ContentHash, Id, Model, Name, Rate, Size
from tropein.core.document.references import Stored

FootageKind = Literal["clip", "sequence", "still", "sound"]


class Footage(Model):
    """One thing on the shelf that this shot uses.

    `media` names the stored media by content; `frames` and `rate` are those after conforming to a constant rate.
    """

    id: Id
    name: Name
    kind: FootageKind
    media: Annotated[ContentHash, Stored("media")]
    size: Size = (0, 0)
    rate: Rate = "24/1"
    frames: Annotated[int, Field(ge=0, le=1_000_000)] = 1
    alpha: bool = False
    sound: bool = False
    space: Annotated[str, Field(max_length=80)] = "sRGB - Texture"
