"""What mattes ask of the plan: layers' pictures."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as File
from typing import Protocol

from tropein.core.compose.places import Places
from tropein.core.compose.step import Step
from tropein.core.document import Layer, Matte
from tropein.core.matte.cutout_file import CutoutFile
from tropein.core.raster.colour import Table
from tropein.core.raster.picture import Window
from tropein.core.raster.yuv import Cells

Cutouts = Callable[[str], CutoutFile | None]


def no_cutouts(samples: str) -> CutoutFile | None:
    """For shots that hold none."""
    return None


Tables = Callable[[str], Table | None]
Fonts = Callable[[str], File | None]


def no_tables(name: str) -> Table | None:
    """For shots that hold none."""
    return None


def no_fonts(name: str) -> File | None:
    """The same."""
    return None


class Pictures(Protocol):
    """The pictures of one shot's layers at one scale."""

    @property
    def scale(self) -> float: ...
    @property
    def places(self) -> Places: ...
    @property
    def frame_window(self) -> Window: ...
    @property
    def matte_steps(self) -> dict[tuple[int, float], tuple[Matte, Step]]: ...
    def own_picture(self, layer: Layer, frame: float) -> tuple[Step, float] | None: ...
    def placed_coverage(self, layer: Layer, made: Step, working: float, frame: float) -> Step | None: ...
    def layer(self, layer: Layer, frame: float) -> Step | None: ...
    def chroma_cells(self, footage: str) -> Cells | None: ...
    def footage_frame(self, layer: Layer, frame: float) -> int | None: ...
    def frame_of(self, footage: str, index: int, working: float) -> Step: ...
    @property
    def cutouts(self) -> Cutouts: ...
