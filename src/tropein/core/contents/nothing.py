"""Nothing."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.document.content import CONTENTS, ContentBase


@CONTENTS.add
class NothingContent(ContentBase):
    """Nothing: a place for other layers to hang from. Such a layer is a carrier."""

    title: ClassVar[str] = "Carrier"
    has_picture: ClassVar[bool] = False
    takes_looks: ClassVar[bool] = False
    kind: Literal["nothing"] = "nothing"
