"""Running plans: the one function that preview, render, command line and benchmarks call."""

from __future__ import annotations

from tropein.core.compose.cache import Cache
from tropein.core.compose.places import Paths
from tropein.core.compose.plan import Planner, Step
from tropein.core.document import Shot
from tropein.core.media.source import Sources
from tropein.core.raster.picture import Picture
from tropein.core.raster.warp import Quality


class Renderer:
    """Pictures of shots. Holds the cache; sources say whether originals or proxies are read."""

    def __init__(self, sources: Sources, paths: Paths, cache_bytes: int) -> None:
        self.sources, self.paths = sources, paths
        self.cache: Cache[Picture] = Cache(cache_bytes)

    def planner(self, shot: Shot, scale: float = 1.0, quality: Quality = "final") -> Planner:
        return Planner(shot, self.sources, self.paths, scale, quality)

    def frame(self, shot: Shot, frame: float, scale: float = 1.0, quality: Quality = "final") -> Picture:
        """The shot's picture at a frame: linear, premultiplied, its window inside the scaled frame."""
        return self.run(self.planner(shot, scale, quality).plan(frame))

    def run(self, step: Step) -> Picture:
        """The result of a step, from the cache where it can be."""
        picture = self.cache.get(step.key)
        if picture is None:
            picture = step.make(*[self.run(i) for i in step.inputs])
            self.cache.put(step.key, picture)
        return picture
