"""Groups."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from tropein.core.document.base import Id
from tropein.core.document.content import CONTENTS, ContentBase, Context


@CONTENTS.add
class GroupContent(ContentBase):
    """Layers of its own, nearest the lens first. As long as the group does nothing of its own to them they mix with what lies beneath as if they
    stood in the group's stead; else they are laid into a picture of the shot's size first."""

    title: ClassVar[str] = "Group"
    kind: Literal["group"] = "group"
    stack: list[Id] = Field(default_factory=list, max_length=500)

    def picture(self, context: Context) -> Any:
        return context.stack(self.stack)
