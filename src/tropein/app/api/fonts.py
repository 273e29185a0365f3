"""Fonts that people bring."""

from __future__ import annotations

from typing import Annotated

from fastapi import File, UploadFile
from pydantic import BaseModel

from tropein.app.api.deps import Work
from tropein.app.api.routing import router as plain_router
from tropein.core.errors import BadInput
from tropein.core.interchange.fonts import MOST_BYTES, read_font

router = plain_router("/api", "fonts")


class FontOut(BaseModel):
    """A stored font, and what it calls itself."""

    stored: str
    name: str


@router.post("/fonts")
def take_font(file: Annotated[UploadFile, File()], work: Work) -> FontOut:
    """A font file, kept for text that names it."""
    name = (file.filename or "the file")[:120]
    data = file.file.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        raise BadInput(f"{name} is larger than {MOST_BYTES >> 20} MB.")
    called = read_font(data, name)
    return FontOut(stored=work.artefacts.put_font(data), name=called)
