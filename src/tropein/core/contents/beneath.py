"""What lies beneath."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.document.content import CONTENTS, ContentBase


@CONTENTS.add
class BeneathContent(ContentBase):
    """All that lies beneath the layer: its effects are laid over that with its blend and opacity. Such a layer is a veil."""

    title: ClassVar[str] = "Veil"
    has_place: ClassVar[bool] = False
    has_picture: ClassVar[bool] = False
    kind: Literal["beneath"] = "beneath"
