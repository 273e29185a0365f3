"""Twins."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from tropein.core.document.base import Id
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.document.references import Ref
from tropein.core.document.shot import Shot


@CONTENTS.add
class TwinContent(ContentBase):
    """Another layer's finished picture, as it is at any time: with its effects and cut as it is cut, but with a place of its own."""

    title: ClassVar[str] = "Twin"
    kind: Literal["twin"] = "twin"
    layer: Annotated[
        Id, Ref("layers", "is the twin of", what="a layer with a picture", having="has_picture", on_delete="drop", sees="picture")
    ]  # fmt: skip

    def size(self, shot: Shot) -> tuple[int, int]:
        return shot.layers[self.layer].content.size(shot)

    def picture(self, context: Context) -> Any:
        return context.finished(self.layer)
