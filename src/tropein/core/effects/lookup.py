"""Lookup table."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import ConfigDict

from tropein.core.document import ContentHash, EffectBase, Model
from tropein.core.document.base import Name, chosen_table
from tropein.core.document.effect import Asking
from tropein.core.document.references import Stored
from tropein.core.effects.registry import Values, effect
from tropein.core.raster.lookup import looked_up_in
from tropein.core.raster.picture import Picture
from tropein.core.raster.straight import Colours, on_display


def _apply(picture: Picture, values: Values, scale: float) -> Picture:
    table = values["given"][0] if "given" in values else None
    if table is None or not table.size or picture.window.empty:
        return picture

    def change(v: Colours) -> Colours:
        flat = np.ascontiguousarray(v, np.float32)
        return looked_up_in(flat, table) if flat.ndim == 3 else looked_up_in(flat[None], table)[0]

    return on_display(picture, change)


class TableOfColours(Model):
    """A stored table, and what its file was called."""

    stored: Annotated[ContentHash, Stored("table")]
    name: Name


@effect(_apply)
class Lookup(EffectBase):
    """A look as a table of colours, from a .cube file, laid on what the display shows. Mix is its strength."""

    use: ClassVar[str] = "Colour"
    model_config = ConfigDict(title="Lookup table")
    kind: Literal["lookup"] = "lookup"
    table: TableOfColours | None = chosen_table("Table", "A .cube file: one table of colours, or one curve a channel.")

    def asks(self, asking: Asking) -> tuple[Any, ...]:
        return (asking.table(self.table.stored if self.table else None),)
