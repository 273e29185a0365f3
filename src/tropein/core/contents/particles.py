"""Particles."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.sample import sample
from tropein.core.contents.particles_born import LOOKED_AT_PX, Born, moments
from tropein.core.contents.particles_drawn import Flight, drawn
from tropein.core.contents.particles_made import Pictures, looks_over_life
from tropein.core.contents.particles_seen import Scene, aged
from tropein.core.document import (
    AnimatedColour,
    AnimatedCurve,
    AnimatedNumber,
    AnimatedVec2,
    DrawnCurve,
    Id,
    Ride,
    control,
)
from tropein.core.document.base import chosen_layer, chosen_matte, parse_rate, setting
from tropein.core.document.content import CONTENTS, ContentBase, Context, Life, starting
from tropein.core.document.references import Ref
from tropein.core.raster.coverage import Coverage
from tropein.core.raster.flight import BIRTH, counts
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import IDENTITY, Matrix

Array = NDArray[np.float64]
MOST, LONGEST_S = 200_000, 60.0  # alive at once; a life


def _points(*points: tuple[float, float]) -> DrawnCurve:
    return DrawnCurve(points=list(points))


@CONTENTS.add
class ParticlesContent(ContentBase):
    """Many small things that are born at a place and drift: breath, smoke, embers, sparks, dust, drizzle, snow."""

    title: ClassVar[str] = "Particles"
    varies: ClassVar[bool] = True
    fills_depth: ClassVar[bool] = True
    lives: ClassVar[Life | None] = Life(("growth", "fading"), ("colour", "colour_end"))
    kind: Literal["particles"] = "particles"
    source: AnimatedVec2 = control((480.0, 270.0), "Source", step=1, unit="px", widget="point", group="Birth")
    source_ride: Ride | None = None
    area: AnimatedVec2 = control(
        (24.0, 8.0),
        "Area",
        step=1,
        unit="px",
        widget="vec2",
        help="How wide and high the place is where they are born.",
        group="Birth",
    )
    within: Annotated[Id, Ref("mattes", "is born in", on_delete="clear", sees="picture")] | None = chosen_matte(
        "From a matte", "They are born in it, wherever it is then, in place of the area.", "Birth"
    )
    where: Literal["area", "edge"] = setting(
        "area", "Of it", widget="choice", options={"area": "all over it", "edge": "along its edge"}, group="Birth"
    )
    deep: AnimatedNumber = control(
        0.0, "Depth", soft=(0, 3000), hard=(0, 1e5), step=5, unit="px", help="How far apart they lie in depth: near ones are larger and pass faster.", group="Birth")  # fmt: skip
    rate: AnimatedNumber = control(
        110.0,
        "Rate",
        soft=(0, 600),
        hard=(0, 1e6),
        step=1,
        unit="/s",
        help="How many are born in a second.",
        group="Birth",
    )
    life: AnimatedNumber = control(1.9, "Life", soft=(0.1, 8), hard=(0, LONGEST_S), step=0.05, unit="s", group="Birth")
    life_varies: AnimatedNumber = control(0.4, "Lives vary", soft=(0, 1), hard=(0, 1), group="Birth")
    speed: AnimatedNumber = control(300.0, "Speed", soft=(0, 1000), hard=(0, 1e5), step=1, unit="px/s", group="Way")
    speed_varies: AnimatedNumber = control(0.35, "Speeds vary", soft=(0, 1), hard=(0, 1), group="Way")
    direction: AnimatedNumber = control(
        -20.0,
        "Direction",
        soft=(-180, 180),
        hard=(-3600, 3600),
        step=0.5,
        unit="°",
        help="0 is to the right, 90 down.",
        group="Way",
    )
    fan: AnimatedNumber = control(
        26.0,
        "Fan",
        soft=(0, 360),
        hard=(0, 360),
        step=0.5,
        unit="°",
        help="How wide they spread from it; at 360 they go everywhere.",
        group="Way",
    )
    fall: AnimatedNumber = control(
        -70.0, "Falls", soft=(-400, 1000), hard=(-1e5, 1e5), step=1, unit="px/s²", help="Below 0 it rises.", group="Way"
    )
    drag: AnimatedNumber = control(
        2.5, "Drag", soft=(0, 8), hard=(0, 100), step=0.05, help="How soon the air slows them down.", group="Way"
    )
    wind: AnimatedVec2 = control((0.0, 0.0), "Wind", step=1, unit="px/s", widget="vec2", group="Way")
    carried: AnimatedNumber = control(
        1.0, "Carried", soft=(0, 1), hard=(0, 1), help="How far what was born goes along with the track that this rides on, or with its place in depth: else it stays where it is in the frame, or the scene.", group="Way")  # fmt: skip
    carried_ride: Ride | None = None
    lands: Literal["through", "gone", "lies"] = setting(
        "through", "At the floor", widget="choice", options={"through": "falls on", "gone": "is gone", "lies": "lies there"},
        help="The floor of a solved scene, for what stands in it.", group="Way",
    )  # fmt: skip
    turbulence: AnimatedNumber = control(
        110.0, "Turbulence", soft=(0, 400), hard=(0, 1e4), step=1, unit="px/s", group="Way"
    )
    eddy: AnimatedNumber = control(130.0, "Eddies", soft=(10, 600), hard=(1, 1e5), step=1, unit="px", group="Way")
    boil: AnimatedNumber = control(0.6, "Boil", soft=(0, 3), hard=(-50, 50), group="Way")
    spin: AnimatedNumber = control(
        0.0, "Spin", soft=(0, 720), hard=(0, 1e5), step=1, unit="°/s", help="How fast they turn, at most, either way.", group="Way")  # fmt: skip
    made_of: Annotated[Id, Ref("layers", "is made of", what="a layer with a picture", having="has_picture", on_delete="clear", sees="picture")] | None = chosen_layer(
        "Made of", "Each is a small picture of another layer, in place of a disc. The colours below tint it.", "Look", "soft discs"
    )  # fmt: skip
    begins: Literal["birth", "anywhere"] = setting(
        "birth", "Its time", widget="choice", options={"birth": "from its birth on", "anywhere": "from any moment on"},
        help="Of the layer they are made of: what of its time each shows.", group="Look",
    )  # fmt: skip
    stands: Literal["turned", "upright", "along"] = setting(
        "turned", "Stands", widget="choice", options={"turned": "turned any way", "upright": "upright", "along": "along its way"},
        help="What is made of a layer.", group="Look",
    )  # fmt: skip
    radius: AnimatedNumber = control(
        42.0,
        "Size",
        soft=(0.2, 120),
        hard=(0, 1e4),
        step=0.1,
        unit="px",
        help="Radius, where the curve of size is full.",
        group="Look",
    )
    radius_varies: AnimatedNumber = control(0.4, "Sizes vary", soft=(0, 1), hard=(0, 1), group="Look")
    growth: AnimatedCurve = control(
        _points((0, 0.16), (0.3, 0.55), (1, 1)), "Size over life", widget="curve", group="Look"
    )
    opacity: AnimatedNumber = control(
        0.13, "Opacity", soft=(0, 1), hard=(0, 1), help="Of each, where its curve is full.", group="Look"
    )
    fading: AnimatedCurve = control(
        _points((0, 0), (0.05, 1), (0.4, 0.4), (1, 0)), "Opacity over life", widget="curve", group="Look"
    )
    colour: AnimatedColour = control((0.78, 0.82, 0.86), "Colour at birth", soft=(0, 1), widget="colour", group="Look")
    colour_end: AnimatedColour = control(
        (0.7, 0.75, 0.82), "Colour at the end", soft=(0, 1), widget="colour", group="Look"
    )
    light: AnimatedNumber = control(
        1.0, "Light", soft=(0, 20), hard=(0, 1000), step=0.05, help="What their colour is multiplied by.", group="Look"
    )
    covers: AnimatedNumber = control(
        1.0, "Covers", soft=(0, 1), hard=(0, 1), help="At 0 they add light and hide nothing.", group="Look"
    )
    breakup: AnimatedNumber = control(
        0.75,
        "Break-up",
        soft=(-1, 1),
        hard=(-2, 2),
        help="Above 0 each is broken into threads, below 0 into lobes; at 0 it is a soft disc.",
        group="Look",
    )
    opening: AnimatedNumber = control(
        0.5, "Opens", soft=(0, 1), hard=(0, 2), help="How far holes open in each while it lives.", group="Look"
    )
    shading: AnimatedNumber = control(
        0.0, "Shading", soft=(0, 1), hard=(0, 1), help="How far those that lie in the way of the light darken those behind them.", group="Look")  # fmt: skip
    lit_from: AnimatedNumber = control(
        -60.0, "Lit from", soft=(-180, 180), hard=(-3600, 3600), step=0.5, unit="°", help="0 is from the right, -90 from above.", group="Look")  # fmt: skip
    lit_before: AnimatedNumber = control(
        0.2, "Lit from before", soft=(-1, 1), hard=(-1, 1), help="Below 0 the light stands behind them.", group="Look")  # fmt: skip
    soft: AnimatedNumber = control(0.6, "Softness", soft=(0.1, 1), hard=(0.02, 2), group="Look")
    streak: AnimatedNumber = control(
        1.0,
        "Streaks",
        soft=(0, 4),
        hard=(0, 50),
        help="How long the shutter stays open, as a multiple of the shot's own.",
        group="Look",
    )
    flicker: AnimatedNumber = control(0.0, "Flicker", soft=(0, 1), hard=(0, 1), group="Look")
    seed: AnimatedNumber = control(1.0, "Seed", soft=(0, 100), hard=(0, 1000), step=1, group="Look")
    starts: ClassVar[dict[str, dict[str, Any]]] = {
        "Breath": {},
        "Smoke": starting(
            area=(30.0, 10.0), rate=70.0, life=3.6, speed=40.0, direction=-90.0, fan=40.0, fall=-110.0, drag=1.6, wind=(-40.0, 0.0), turbulence=85.0, eddy=150.0,
            radius=64.0, opacity=0.26, fading=_points((0, 0), (0.05, 1), (0.6, 0.45), (1, 0)), colour=(0.1, 0.1, 0.105), colour_end=(0.2, 0.2, 0.21), breakup=-0.8,
            opening=0.55, soft=0.65, shading=0.85,
        ),
        "Pale smoke": starting(
            area=(34.0, 12.0), rate=110.0, life=3.4, speed=46.0, direction=-90.0, fan=44.0, fall=-110.0, drag=1.6, wind=(-30.0, 0.0), turbulence=95.0, eddy=150.0,
            radius=66.0, opacity=0.42, fading=_points((0, 0), (0.05, 1), (0.6, 0.5), (1, 0)), colour=(0.6, 0.585, 0.57), colour_end=(0.58, 0.58, 0.58), breakup=-0.8,
            opening=0.55, soft=0.65, shading=0.9,
        ),
        "Embers": starting(
            source=(480.0, 560.0), area=(700.0, 20.0), deep=500.0, rate=60.0, life=3.2, life_varies=0.5, speed=60.0, direction=-90.0, fan=60.0, fall=-160.0, drag=1.6, turbulence=110.0, eddy=190.0,
            radius=2.0, radius_varies=0.7, growth=_points((0, 1), (1, 0.6)), opacity=1.0, fading=_points((0, 0.2), (0.04, 1), (0.5, 0.5), (1, 0)), colour=(1.0, 0.42, 0.08),
            colour_end=(0.9, 0.1, 0.015), light=9.0, covers=0.0, breakup=0.0, flicker=0.6,
        ),
        "Sparks": starting(
            area=(4.0, 4.0), rate=140.0, life=0.8, life_varies=0.6, speed=620.0, speed_varies=0.6, direction=-80.0, fan=150.0, fall=900.0, drag=0.9, turbulence=0.0,
            radius=1.3, radius_varies=0.5, growth=_points((0, 1), (1, 0.5)), opacity=1.0, fading=_points((0, 1), (0.6, 0.7), (1, 0)), colour=(1.0, 0.7, 0.32), colour_end=(1.0, 0.22, 0.04),
            light=14.0, covers=0.0, breakup=0.0, streak=1.5,
        ),
        "Dust": starting(
            area=(1100.0, 640.0), deep=900.0, rate=70.0, life=6.0, speed=8.0, fan=360.0, fall=2.0, drag=2.0, turbulence=22.0, eddy=260.0, boil=0.3,
            radius=1.7, radius_varies=0.7, growth=_points((0, 1), (1, 1)), opacity=0.5, fading=_points((0, 0), (0.2, 1), (0.8, 1), (1, 0)), colour=(1.0, 0.94, 0.84),
            colour_end=(1.0, 0.94, 0.84), light=1.2, covers=0.3, breakup=0.0, flicker=0.3,
        ),
        "Drizzle": starting(
            source=(480.0, -160.0), area=(1500.0, 60.0), deep=900.0, rate=1800.0, life=0.75, life_varies=0.1, speed=1500.0, speed_varies=0.12, direction=94.0, fan=2.0, fall=0.0,
            drag=0.0, turbulence=0.0, radius=1.25, radius_varies=0.3, growth=_points((0, 1), (1, 1)), opacity=0.6, fading=_points((0, 1), (1, 1)), colour=(0.8, 0.88, 1.0),
            colour_end=(0.8, 0.88, 1.0), light=3.0, breakup=0.0, opening=0.0,
        ),
        "Snow": starting(
            source=(480.0, -60.0), area=(1500.0, 40.0), deep=1100.0, rate=160.0, life=9.0, life_varies=0.1, speed=70.0, speed_varies=0.3, direction=90.0, fan=30.0, fall=60.0, drag=0.8,
            wind=(14.0, 0.0), turbulence=34.0, eddy=220.0, boil=0.3, radius=3.6, radius_varies=0.5, growth=_points((0, 1), (1, 1)), opacity=0.9,
            fading=_points((0, 0), (0.03, 1), (0.95, 1), (1, 0)), colour=(0.9, 0.93, 1.0), colour_end=(0.9, 0.93, 1.0), breakup=0.0, opening=0.0,
        ),
    }  # fmt: skip

    @property
    def longest(self) -> float:
        """The longest that one may live, in seconds."""
        return _most(self.life, LONGEST_S) * (1 + _most(self.life_varies, 1.0))

    def aged(self, values: dict[str, Any], ages: Any, side: int) -> Any:
        return aged(values, ages, side)

    def picture(self, context: Context) -> Any:
        now, rate = context.frame, float(parse_rate(context.shot.rate))
        values = context.values(self, now)
        if values is None:
            return None
        first, rows, expected = self._births(context, rate)
        born = counts(int(values["seed"]), first, expected, MOST)
        values |= {"shutter": context.shot.shutter_deg / 360 / rate, "size": context.shot.size}
        values.pop("carried_ride")
        scene, carry, part = None, None, context.part
        if context.in_depth:
            half = context.shot.shutter_deg / 720
            scene = self._scene(context, first, values["carried"], half)
            if scene is None:
                return None
        else:
            carry = self._carry(context, first, values["carried"])
        every, looks, inputs = self._mattes(context, first)
        shows, pictures = looks_over_life(self, context, rate)
        parameters = (
            values,
            first,
            rows,
            born,
            now,
            carry,
            None if scene is None else scene.numbers(),
            part,
            looks,
            shows and tuple(shows),
        )

        def make(window: Window, *given: Any) -> Picture:
            seen: Iterator[Coverage] = iter(given[: len(inputs)])
            places = [None if m is None else (next(seen), m) for m in looks]
            born_in = Born(int(values["seed"]), first, every, places, self.where == "edge") if self.within else None
            flight = Flight(first, rows, born, rate, now, carry, scene, part, born_in)
            made = None if shows is None else Pictures(shows, given[-1])
            return drawn(values, flight, context.scale, window, made)

        return context.made(self.kind, parameters, self.size(context.shot), make, (*inputs, *pictures))

    def _mattes(self, context: Context, first: int) -> tuple[int, list[Matrix | None], tuple[Any, ...]]:
        """(how many frames share a look at the matte, from the content's pixels to its own at each look, None where there is none, the steps of the others)."""
        if self.within is None:
            return 1, [], ()
        every, frames = moments(first, math.floor(context.frame))
        scale = min(1.0, LOOKED_AT_PX / context.shot.size[0])
        found = [context.matte(self.within, float(f), scale) for f in frames]
        return every, [m for _, m in found], tuple(s for s, m in found if m is not None)

    def _scene(self, context: Context, first: int, share: float, half: float) -> Scene | None:
        """What sees them in depth, at both ends of the shutter, and the places they were born in; None where that is not known."""
        now = context.frame
        here, views = context.view(now), [context.view(now + side * half) for side in (-1, 1)]
        if here is None:
            return None
        then = [context.view(float(frame)) for frame in range(first, math.floor(now) + 1)]
        models = np.array([here.model if view is None else view.model for view in then])
        return Scene(here, views[0] or here, views[1] or here, models + share * (here.model - models))

    def _carry(self, context: Context, first: int, share: float) -> NDArray[np.float64] | None:
        """(frames, 3, 3): what has become by now of places at each frame, by the track that they are carried by; None where nothing carries."""
        if self.carried_ride is None or share <= 0:
            return None
        here = context.carried(self, "carried", context.frame)
        out = []
        for frame in range(first, math.floor(context.frame) + 1):
            there = context.carried(self, "carried", float(frame))
            known = here is not None and there is not None and abs(np.linalg.det(there)) > 1e-9
            out.append(np.eye(3) + share * (here @ np.linalg.inv(there) - np.eye(3)) if known else np.eye(3))
        return np.array(out)

    def _births(self, context: Context, rate: float) -> tuple[int, NDArray[np.float64], NDArray[np.float64]]:
        """(the earliest frame of which any are alive, the BIRTH columns of every frame from it on, how many are expected of each)."""
        last = math.floor(context.frame)
        first = last - math.ceil(self.longest * rate)
        frames = [float(frame) for frame in range(first, last + 1)]

        def through(name: str) -> NDArray[np.float64]:
            """A value at each of the frames: (n,) or (n, 2)."""
            parameter = getattr(self, name)
            own = [context.frame] if parameter.still else frames
            values = np.array([sample(parameter, frame) for frame in own], float)
            return np.broadcast_to(values, (len(frames), *values.shape[1:]))

        found = [context.carried(self, "source", frame) for frame in frames] if self.source_ride else [IDENTITY]
        seen = np.array([m is not None for m in found])  # else its ride hides it
        moved = np.array([IDENTITY if m is None else m for m in found])
        x, y, w = np.moveaxis(moved[..., :2] @ through("source")[..., None] + moved[..., 2:], 1, 0)[..., 0]
        wide, high, across, down = *through("area").T, *through("wind").T
        named = {"x": x / w, "y": y / w, "wide": wide, "high": high, "wind_x": across, "wind_y": down}
        rows = np.stack([named[n] if n in named else through(n) for n in BIRTH], 1)
        return first, np.where(seen[:, None], rows, 0.0), np.where(seen, np.maximum(through("rate"), 0.0) / rate, 0.0)


def _most(value: AnimatedNumber, limit: float) -> float:
    """The highest it may reach."""
    return limit if value.moving else min(max((k.value for k in value.keys), default=value.value), limit)
