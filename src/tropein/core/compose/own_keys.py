"""What keys take from a layer's own pixels: the picture they are made from, the screen behind it, the empty place."""

from __future__ import annotations

import numpy as np

from tropein.core.compose import keys
from tropein.core.compose.pictures import Pictures
from tropein.core.compose.step import Step
from tropein.core.document import ChromaPiece, DifferencePiece, Layer
from tropein.core.matte.screen import CELL_PX

SPREAD_FRAMES = 15
FULL_COLOUR_FROM = 0.6  # at about half size footage of halved chroma has all its colour


def behind(pictures: Pictures, piece: ChromaPiece, layer: Layer, frame: float) -> Step | None:
    """The screen a key sees behind a layer's own pixels (keys.Behind); None where the layer shows nothing."""
    own = pictures.own_picture(layer, frame)
    return None if own is None else keyed(pictures, piece, layer, *own, frame)[1]


def keyed(
    pictures: Pictures, piece: ChromaPiece, layer: Layer, picture: Step, working: float, frame: float
) -> tuple[Step, Step, Step]:
    """The picture a key is made from, the screen behind it, and its coverage."""
    picture = _sharpened(pictures, layer.footage or "", picture, working)
    place = empty(pictures, piece, layer, picture, working, frame)
    if place is not None:
        place = _sharpened(pictures, piece.clean_footage or layer.footage or "", place, working)
    screen = keys.behind(piece, picture, place, working, frame)
    return picture, screen, keys.keyed(piece, picture, screen, working, frame)


def empty(
    pictures: Pictures,
    piece: ChromaPiece | DifferencePiece,
    layer: Layer,
    picture: Step,
    working: float,
    frame: float,
) -> Step | None:
    """The frame that shows the place without the subject, as large as `picture`; None where none is named."""
    if piece.clean_frame is None and piece.clean_footage is None:
        return (
            _through(pictures, piece, layer, working)
            if isinstance(piece, ChromaPiece) and piece.clean_through
            else None
        )
    footage = pictures.places.shot.footage
    seen, other = footage[layer.footage or ""], footage[piece.clean_footage or layer.footage or ""]
    index = piece.clean_frame if piece.clean_frame is not None else pictures.footage_frame(layer, frame)
    shown = min(max(index or 0, 0), other.frames - 1)
    made = pictures.frame_of(other.id, shown, working * seen.size[0] / other.size[0])
    return made if other.id == seen.id else keys.as_large(made, picture)


def median(pictures: Pictures, layer: Layer, working: float) -> Step:
    return keys.median(_spread(pictures, layer, working))


def _through(pictures: Pictures, piece: ChromaPiece, layer: Layer, working: float) -> Step:
    return keys.seen_through(_spread(pictures, layer, working), piece.screen, max(2, round(CELL_PX * working)))


def _spread(pictures: Pictures, layer: Layer, working: float) -> tuple[Step, ...]:
    """Some frames of a layer's own footage, from its first to its last."""
    last = pictures.places.shot.footage[layer.footage or ""].frames - 1
    every = sorted({round(i) for i in np.linspace(0, last, SPREAD_FRAMES)})
    return tuple(pictures.frame_of(layer.footage or "", i, working) for i in every)


def _sharpened(pictures: Pictures, footage: str, picture: Step, working: float) -> Step:
    """The picture a key is made from: where the file holds little colour, its detail is put back."""
    cells = pictures.chroma_cells(footage)
    return picture if cells is None or working <= FULL_COLOUR_FROM else keys.sharpened(picture, cells)
