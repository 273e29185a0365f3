"""Running plans: the one function that preview, render, command line and benchmarks call."""

from __future__ import annotations

from collections import Counter, OrderedDict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.compose.artefacts import Artefacts
from tropein.core.compose.cache import Cache
from tropein.core.compose.pictures import Cutouts, Fonts, Tables, no_cutouts, no_fonts, no_tables
from tropein.core.compose.places import Paths, Places
from tropein.core.compose.plan import Planner
from tropein.core.compose.runs import Run
from tropein.core.compose.step import Step
from tropein.core.document import Shot
from tropein.core.document.kept import Kept
from tropein.core.media.source import Sources
from tropein.core.raster.colour import to_display
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Quality

MOST_KEPT = 6000  # steps of each sort
MOST_MET = 20_000
SHOTS_KEPT = 6  # whose places are kept


class Renderer:
    """Pictures of shots. Holds the cache; sources say whether originals or proxies are read. Without `by_rows` every step is made by
    itself, whole pictures one after another: what runs are compared with. `in_order`: frames are drawn once each, one after another, so that only what
    is made a second time is worth keeping."""

    def __init__(
        self,
        sources: Sources,
        paths: Paths,
        cache_bytes: int,
        cutouts: Cutouts = no_cutouts,
        by_rows: bool = True,
        tables: Tables = no_tables,
        fonts: Fonts = no_fonts,
        in_order: bool = False,
    ) -> None:
        self.sources, self.paths, self.cutouts, self.tables, self.fonts = sources, paths, cutouts, tables, fonts
        self.cache: Cache[Any] = Cache(cache_bytes)
        self.chains: Kept[Step] = Kept(most=MOST_KEPT)
        self.layers: Kept[Step | None] = Kept(most=MOST_KEPT)
        self.by_rows, self.in_order = by_rows, in_order
        self.beside: OrderedDict[str, Picture] = OrderedDict()  # what measures keep (core.match.measure)
        self._places: OrderedDict[int, Places] = OrderedDict()
        self._met: OrderedDict[str, None] = OrderedDict()

    def planner(self, shot: Shot, scale: float = 1.0, quality: Quality = "final") -> Planner:
        return Planner(
            shot,
            self.sources,
            self.paths,
            scale,
            quality,
            self.cutouts,
            tables=self.tables,
            fonts=self.fonts,
            chains=self.chains,
            layers=self.layers,
            known_places=self._places_of(shot),
        )

    def _places_of(self, shot: Shot) -> Places:
        """Places of a shot, with what is known of them from other frames."""
        known = self._places.get(id(shot))
        if known is None:
            known = self._places[id(shot)] = Places(shot, self.paths)
            if len(self._places) > SHOTS_KEPT:
                self._places.popitem(last=False)
        self._places.move_to_end(id(shot))
        return known

    def frame(self, shot: Shot, frame: float, scale: float = 1.0, quality: Quality = "final") -> Picture:
        """The shot's picture at a frame: linear, premultiplied, its window inside the scaled frame."""
        return self.run(self.planner(shot, scale, quality).plan(frame))

    def matte(self, shot: Shot, matte_id: str, frame: float, scale: float = 1.0) -> Coverage:
        """A matte's coverage of the scaled frame."""
        return self.run(self.planner(shot, scale).matte(matte_id, frame))

    def met(self, key: str) -> bool:
        """Whether a step was met before, from now on it was."""
        again = key in self._met
        self._met[key] = None
        self._met.move_to_end(key)
        if len(self._met) > MOST_MET:
            self._met.popitem(last=False)
        return again

    def run(self, step: Step) -> Any:
        """The result of a step, a Picture or a Coverage, from the cache where it can be. What several steps ask for is made once, however
        little the cache holds."""
        return _Making(self, step).result(step)

    def shown(self, step: Step, window: Window) -> NDArray[np.uint8]:
        """A step's picture over black as display bytes (h, w, 3) of a window."""
        making = _Making(self, step)
        if step.form is None or not self.by_rows or step.key in self.cache:
            picture = making.result(step)
            return to_display(picture.pixels if picture.window == window else picture.fill(window))
        return Run(making).shown(step, window)


class _Making:
    """The results of one plan as they are made (see runs.Results)."""

    def __init__(self, renderer: Renderer, step: Step) -> None:
        self.renderer, self.cache = renderer, renderer.cache
        self._asked: Counter[str] = Counter()
        self._held: dict[str, Any] = {}
        self._count(step)

    def _count(self, step: Step) -> None:
        """How often each step's result will be asked for."""
        self._asked[step.key] += 1
        form = step.form if self.renderer.by_rows else None
        if (self._asked[step.key] == 1 or (form and form.cheap)) and step.key not in self.cache:
            for part in form.asks(step) if form else step.inputs:
                self._count(part)

    def asked(self, step: Step) -> int:
        return self._asked[step.key]

    def known(self, key: str) -> Any | None:
        held = self._held.get(key)
        return self.cache.get(key) if held is None else held

    def keep(self, key: str, result: Any) -> None:
        self.cache.put(key, result)

    def again(self, key: str) -> bool:
        return self.renderer.met(key)

    def result(self, step: Step) -> Any:
        result = self.known(step.key)
        if result is None:
            if step.form is not None and self.renderer.by_rows:
                result = Run(self).picture(step)
            else:
                result = step.make(*[self.result(i) for i in step.inputs])
            if not self.renderer.in_order or step.lasting or self.again(step.key):
                self.keep(step.key, result)
        self._asked[step.key] -= 1
        if self._asked[step.key] > 0:
            self._held[step.key] = result
        else:
            self._held.pop(step.key, None)
        return result


def of_artefacts(
    sources: Sources, beside: Artefacts, cache_bytes: int, by_rows: bool = True, in_order: bool = False
) -> Renderer:
    """A renderer of shots whose tracks, cut-outs, tables and fonts lie in `beside`."""
    return Renderer(sources, beside.path, cache_bytes, beside.cutout, by_rows, beside.table, beside.font, in_order)
