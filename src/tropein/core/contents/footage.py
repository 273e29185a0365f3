"""Footage."""

from __future__ import annotations

import math
from typing import Annotated, Any, ClassVar, Literal

from tropein.core.document.base import Id
from tropein.core.document.content import CONTENTS, ContentBase, Context
from tropein.core.document.references import Ref
from tropein.core.document.shot import Shot


@CONTENTS.add
class FootageContent(ContentBase):
    """A clip, a sequence or a still from the shelf."""

    title: ClassVar[str] = "Footage"
    in_shot_time: ClassVar[bool] = False
    kind: Literal["footage"] = "footage"
    footage: Annotated[Id, Ref("footage", "shows", on_delete="drop")]

    def size(self, shot: Shot) -> tuple[int, int]:
        return shot.footage[self.footage].size

    def picture(self, context: Context) -> Any:
        return context.footage(self.footage, math.floor(context.frame))
