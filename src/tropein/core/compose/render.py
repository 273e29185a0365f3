"""Running plans: the one function that preview, render, command line and benchmarks call."""

from __future__ import annotations

from collections import Counter
from typing import Any

from tropein.core.compose.cache import Cache
from tropein.core.compose.pictures import Cutouts, no_cutouts
from tropein.core.compose.places import Paths
from tropein.core.compose.plan import Planner
from tropein.core.compose.step import Step
from tropein.core.document import Shot
from tropein.core.document.kept import Kept
from tropein.core.media.source import Sources
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import Quality

MOST_KEPT = 6000  # steps of each sort


class Renderer:
    """Pictures of shots. Holds the cache; sources say whether originals or proxies are read."""

    def __init__(self, sources: Sources, paths: Paths, cache_bytes: int, cutouts: Cutouts = no_cutouts) -> None:
        self.sources, self.paths, self.cutouts = sources, paths, cutouts
        self.cache: Cache[Any] = Cache(cache_bytes)
        self.chains: Kept[Step] = Kept(most=MOST_KEPT)
        self.layers: Kept[Step | None] = Kept(most=MOST_KEPT)

    def planner(self, shot: Shot, scale: float = 1.0, quality: Quality = "final") -> Planner:
        return Planner(
            shot, self.sources, self.paths, scale, quality, self.cutouts, chains=self.chains, layers=self.layers
        )

    def frame(self, shot: Shot, frame: float, scale: float = 1.0, quality: Quality = "final") -> Picture:
        """The shot's picture at a frame: linear, premultiplied, its window inside the scaled frame."""
        return self.run(self.planner(shot, scale, quality).plan(frame))

    def matte(self, shot: Shot, matte_id: str, frame: float, scale: float = 1.0) -> Coverage:
        """A matte's coverage of the scaled frame."""
        return self.run(self.planner(shot, scale).matte(matte_id, frame))

    def run(self, step: Step) -> Any:
        """The result of a step, a Picture or a Coverage, from the cache where it can be. What several steps ask for is made once, however
        little the cache holds."""
        asked: Counter[str] = Counter()
        self._count(step, asked)
        return self._made(step, asked, {})

    def _count(self, step: Step, asked: Counter[str]) -> None:
        """How often each step's result will be asked for."""
        asked[step.key] += 1
        if asked[step.key] == 1 and step.key not in self.cache:
            for part in step.inputs:
                self._count(part, asked)

    def _made(self, step: Step, asked: Counter[str], held: dict[str, Any]) -> Any:
        result = held.get(step.key)
        if result is None:
            result = self.cache.get(step.key)
        if result is None:
            result = step.make(*[self._made(i, asked, held) for i in step.inputs])
            self.cache.put(step.key, result)
        asked[step.key] -= 1
        if asked[step.key] > 0:
            held[step.key] = result
        else:
            held.pop(step.key, None)
        return result
