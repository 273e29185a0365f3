"""Where layers lie at a frame: their own transform, rides, hanging, holding still, and motion while the shutter is open."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any, TypeVar, cast

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.camera import SPOT, Camera, at, placed, standing
from tropein.core.animate.ride import Path, followed
from tropein.core.animate.sample import sample
from tropein.core.animate.steady import filling_zoom, held
from tropein.core.compose.timing import runs_straight, shown_frames
from tropein.core.document import (
    ContentBase,
    Depth,
    Layer,
    Place,
    Ride,
    Shot,
)
from tropein.core.document.content import RIDE
from tropein.core.document.scope import group_of
from tropein.core.raster.lens import Bending
from tropein.core.raster.warp import (
    IDENTITY,
    Matrix,
    Move,
    apply,
    product,
    quad_to_quad,
    scaling,
    translation,
)

T = TypeVar("T")
MOST_KNOWN = 8000  # things that are kept about places
Paths = Callable[[str, str], Path | None]


@lru_cache(64)
def _filled(path: Path, other: Path) -> Path:
    """Paths are kept by whoever gives them: each pair is filled once, not for every matrix."""
    return path.filled_by(other)


@lru_cache(64)
def _in_shot_time(path: Path, shown: tuple[int | None, ...]) -> Path:
    """A path of footage frames as the shot shows them, frame by frame."""
    row = {int(f): i for i, f in enumerate(path.frames)}
    rows = [(shot, row[f]) for shot, f in enumerate(shown) if f in row]
    if not rows:
        return Path(path.frames[:0], path.points[:0], path.good[:0], path.model)
    frames, which = np.array([s for s, _ in rows], np.float64), np.array([i for _, i in rows])
    return Path(frames, path.points[which], path.good[which], path.model)


@dataclass(frozen=True, eq=False)
class Foot:
    """The side of a card that is nearest the floor: its middle and half of its way (x, z), and how high it hangs, in the scene's
    units; the camera that sees it and what a ride does to the picture."""

    camera: Camera
    ride_matrix: Matrix
    middle: NDArray[np.float64]
    half_way: NDArray[np.float64]
    lift: float


@dataclass(frozen=True, eq=False)
class View:
    """How a layer's own pixels, x, y and as deep, are seen: `model` (4, 4) takes them to the scene, the camera sees that in its footage's pixels,
    `carried` (3, 3) takes those to the shot's."""

    camera: Camera
    model: NDArray[np.float64]
    carried: Matrix


@dataclass(frozen=True)
class Places:
    """Places of one shot's layers. `paths` gives a track's path by the hash of its samples and the spot that is followed. Places are those in
    the frame; with a `base`, a group, those within that group's own frame."""

    shot: Shot
    paths: Paths
    base: str | None = None

    @cached_property
    def groups(self) -> dict[str, str]:
        """The group each layer is in."""
        return group_of(self.shot)

    @cached_property
    def _known(self) -> dict[tuple[str, int | str, float], tuple[object, Any]]:
        """What was worked out already: one plan asks for the same place several times, and what is born asks for those of many frames."""
        return {}

    def _once(self, what: str, of: object, frame: float, make: Callable[[], T]) -> T:
        """Something about a model, or something named, at a frame. The model is kept, so that its number stays its own."""
        key = (what, of if isinstance(of, str) else id(of), frame)
        known = self._known.get(key)
        if known is None:
            made = make()
            if len(self._known) >= MOST_KNOWN:
                self._known.clear()
            known = self._known[key] = (of, made)
        return cast(T, known[1])

    def group_matrix(self, layer_id: str, frame: float) -> Matrix | None:
        """What the groups a layer is in do to it, up to the base; None where one of them is hidden by its ride."""
        group = self.groups.get(layer_id)
        if group is None or group == self.base:
            return IDENTITY
        return self._once("group", group, frame, lambda: self._of_group(group, frame))

    def _of_group(self, group: str, frame: float) -> Matrix | None:
        outer, own = self.group_matrix(group, frame), self._whole(self.shot.layers[group], frame)
        w, h = self.shot.size
        return None if outer is None or own is None else product(outer, own, translation(-w / 2, -h / 2))

    def path(self, track_id: str, spot: str, layer: Layer | None = None) -> Path | None:
        """A track's path in the shot's own time, its gaps filled by the track that bridges it. `layer` shows the footage it
        was made from; by default that is the plate."""
        track = self.shot.tracks[track_id]
        path = self.paths(track.samples or "", spot)
        if path is not None and track.bridge is not None and spot != SPOT and not path.good.all():
            other = self.paths(self.shot.tracks[track.bridge].samples or "", "")
            path = path if other is None else _filled(path, other)
        if path is None:
            return None
        layer = layer or self._plate(track.footage)
        if layer is None or runs_straight(self.shot, layer):
            return path
        return _in_shot_time(path, shown_frames(self.shot, layer))

    def _plate(self, footage: str) -> Layer | None:
        """The plate, if it shows this footage."""
        plate = self.shot.layers.get(self.shot.plate or "")
        return plate if plate is not None and plate.footage == footage else None

    def matrix(self, layer: Layer, frame: float) -> Matrix | None:
        """Footage pixels to shot pixels, ride and hanging included; None when a ride hides the layer. Where a lens bends the
        picture it is right in the corners only (see `move`)."""
        move = self.move(layer, frame)
        return None if move is None else move.flat(layer.content.size(self.shot))

    def move(self, layer: Layer, frame: float) -> Move | None:
        """How footage pixels come to be shot pixels, the lens of a solved camera included; None when a ride hides the layer."""
        return self._once("move", layer, frame, lambda: self._move(layer, frame))

    def _move(self, layer: Layer, frame: float) -> Move | None:
        size = layer.content.size(self.shot)
        if layer.place.depth is not None:
            if layer.content.fills_depth:  # it draws itself where it is seen
                return None if self.view_of(layer, frame) is None else Move(IDENTITY)
            return self._in_depth(layer, layer.place.depth, size, frame)
        matrix = self._in_frame(layer, size, frame)
        return None if matrix is None else Move(matrix)

    def _in_frame(self, layer: Layer, size: tuple[int, int], frame: float) -> Matrix | None:
        place, grouped, carried = layer.place, self.group_matrix(layer.id, frame), self.ride_matrix(layer, frame)
        if carried is None or grouped is None:
            return None
        w, h = size
        if place.corners is not None:
            corners = np.array(sample(place.corners, frame))
            return product(grouped, carried, quad_to_quad(np.array([[0, 0], [w, 0], [w, h], [0, h]]), corners))
        own = self._own(place, frame, (w / 2, h / 2))
        return product(grouped, carried, own, self._held(layer, size, frame))

    def _in_depth(self, layer: Layer, depth: Depth, size: tuple[int, int], frame: float) -> Move | None:
        seen = self.view_of(layer, frame)
        if seen is None:
            return None
        camera, model, carried = seen
        unit = sample(depth.width, frame) / max(size[0], 1)
        matrix = camera.seen(model, size, unit)
        if matrix is None or camera.lens is None:
            return None if matrix is None else Move(product(carried, matrix))
        return Move(matrix, Bending.of(camera.lens, carried))

    def card(self, layer: Layer, frame: float) -> Matrix | None:
        """From a layer's own pixels to the shot's, as `matrix`; of what fills the space about its place, those of the plane through it."""
        if layer.place.depth is None or not layer.content.fills_depth:
            return self.matrix(layer, frame)
        size = layer.content.size(self.shot)
        move = self._in_depth(layer, layer.place.depth, size, frame)
        return None if move is None else move.flat(size)

    def view(self, layer: Layer, frame: float) -> View | None:
        """What sees a layer in depth; None when a ride hides it, or the camera is not known."""
        return self._once("view", layer, frame, lambda: self._view(layer, frame))

    def _view(self, layer: Layer, frame: float) -> View | None:
        seen = self.view_of(layer, frame)
        if seen is None or layer.place.depth is None:
            return None
        camera, model, carried = seen
        w, h = layer.content.size(self.shot)
        unit = sample(layer.place.depth.width, frame) / max(w, 1)
        own = np.diag([unit, unit, unit, 1.0])
        own[:2, 3] = -unit * w / 2, -unit * h / 2
        return View(camera, model @ own, carried)

    def view_of(self, layer: Layer, frame: float) -> tuple[Camera, NDArray[np.float64], Matrix] | None:
        """(camera, 4x4 model, what a ride does to the result) of a place in depth; None when a ride hides it, or the
        camera is not known."""
        return self._once("seen", layer, frame, lambda: self._view_of(layer, frame))

    def _view_of(self, layer: Layer, frame: float) -> tuple[Camera, NDArray[np.float64], Matrix] | None:
        depth = layer.place.depth
        assert depth is not None
        model = self._stands(layer, depth, frame)
        top, root = layer, depth
        for above in self._scene_above(layer):
            top, root = above, above.place.depth or root
            model = self._stands(above, root, frame) @ model
        camera, carried = self._camera(root, frame), IDENTITY
        if root.track is None:
            moved = self.ride_matrix(top, frame)
            if moved is None:
                return None
            carried = moved
        else:
            carried = self.with_plate(self.shot.tracks[root.track].footage, frame)
        grouped = self.group_matrix(layer.id, frame)
        if camera is None or grouped is None:
            return None
        if depth.facing == "camera":
            model = model.copy()
            model[:3, :3] = camera.turn.T @ self._stands(layer, depth, frame)[:3, :3]
        return camera, model, product(grouped, carried)

    def _stands(self, layer: Layer, depth: Depth, frame: float) -> NDArray[np.float64]:
        """A layer's own place in its scene, or in what it hangs from, as a 4x4 model."""
        return self._once(
            "model", layer, frame, lambda: placed(sample(depth.position, frame), sample(depth.rotation, frame))
        )

    def foot(self, layer: Layer, frame: float) -> Foot | None:
        """Where a layer in a solved scene stands over its floor; None for one that lies before the still camera."""
        if layer.place.depth is None:
            return None
        above = self._scene_above(layer)
        top = above[-1].place if above else layer.place
        seen = self.view_of(layer, frame)
        if seen is None or top.depth is None or top.depth.track is None:
            return None
        camera, model, carried = seen
        w, h = layer.content.size(self.shot)
        unit = sample(layer.place.depth.width, frame) / max(w, 1)
        across, down = model[:3, 0] * unit * w / 2, model[:3, 1] * unit * h / 2
        low = model[:3, 3] + (down if down[1] > 0 else -down)  # y is down: the side that is nearer the floor
        return Foot(camera, carried, low[[0, 2]], across[[0, 2]], float(max(-low[1], 0.0)))

    def _camera(self, root: Depth, frame: float) -> Camera | None:
        return standing(self.shot.size) if root.track is None else self.solved(root.track, frame)

    def solved(self, track_id: str, frame: float) -> Camera | None:
        """The camera of a track in the user's own world, for pixels of its footage; None where it is not known."""
        return self._once("camera", track_id, frame, lambda: self._solved(track_id, frame))

    def _solved(self, track_id: str, frame: float) -> Camera | None:
        track = self.shot.tracks[track_id]
        path = self.path(track_id, SPOT)
        camera = None if path is None else at(path, frame)
        world = track.scene_world
        return camera.within(np.array(world).reshape(4, 4)) if camera is not None and world is not None else camera

    def scene_and_depth(self, layer: Layer, frame: float) -> tuple[str, float] | None:
        """Which scene a layer in depth belongs to, and how far it is; layers of one scene hide each other by depth."""
        if layer.place.depth is None:
            return None
        seen = self.view_of(layer, frame)
        if seen is None:
            return None
        camera, model, _ = seen
        above = self._scene_above(layer)
        top = above[-1].place if above else layer.place
        track = top.depth.track if top.depth else None
        return track or (f"before the frame, {above[-1].id}" if above else "before the frame"), camera.depth(
            model[:3, 3]
        )

    def _scene_above(self, layer: Layer) -> list[Layer]:
        """What a layer in depth hangs from that is in depth too, the nearest first."""
        found: list[Layer] = []
        while layer.place.hang is not None:
            layer = self.shot.layers[layer.place.hang.layer]
            if layer.place.depth is None:
                break
            found.append(layer)
        return found

    def _held(self, layer: Layer, size: tuple[int, int], frame: float) -> Matrix:
        """What holding a track still does to the footage's own pixels."""
        s = layer.place.steady
        if s is None or (path := self.path(s.track, s.spot, layer)) is None:
            return IDENTITY
        parts = tuple(s.parts)
        matrix = held(path, frame, s.reference_frame, parts, s.smooth, s.strength)
        if s.edge != "zoom":
            return matrix
        zoom = filling_zoom(path, size, self.shot.trim, s.reference_frame, parts, s.smooth, s.strength)
        w, h = size
        return translation(w / 2, h / 2) @ scaling(zoom, zoom) @ translation(-w / 2, -h / 2) @ matrix

    def ride_matrix(self, layer: Layer, frame: float) -> Matrix | None:
        """What a layer's ride and what it hangs from do to it, in its group's pixels; None when hidden."""
        return self._once("ride", layer, frame, lambda: self._ride_matrix(layer, frame))

    def _ride_matrix(self, layer: Layer, frame: float) -> Matrix | None:
        place, total = layer.place, IDENTITY
        if place.hang is not None:
            above = self.shot.layers[place.hang.layer]
            here, there = (self._hung(layer.id, above, f) for f in (frame, place.hang.reference_frame))
            if here is None:
                return None
            if there is not None and abs(np.linalg.det(there)) > 1e-9:
                total = here @ np.linalg.inv(there)
        if place.ride is None:
            return total
        about = np.array(sample(place.position, frame))
        if place.corners is not None:
            about = np.array(sample(place.corners, frame)).mean(0)
        moved = self.ridden(place.ride, about, frame)
        return None if moved is None else product(total, moved)

    def ridden(self, ride: Ride, about: NDArray[np.float64], frame: float) -> Matrix | None:
        """What a ride does to something tied at `about` (2,), in shot pixels; None when it hides it."""
        track = self.shot.tracks[ride.track]
        path = self.path(ride.track, ride.spot)
        if path is None:
            return np.eye(3)
        moved = path.moved(frame, ride.reference_frame, ride.steady, ride.gaps)
        if moved is None:
            return None
        here, there = (self.with_plate(track.footage, f) for f in (frame, ride.reference_frame))
        if abs(np.linalg.det(there)) > 1e-9:
            moved = here @ moved @ np.linalg.inv(there)
        return followed(moved, ride.parts, about)

    def point_matrix(self, content: ContentBase, name: str, frame: float) -> Matrix | None:
        """What a track does to a content's own point that rides on it, or, where the parameter is no point, to all of its pixels; None where the
        ride hides it."""
        ride: Ride | None = getattr(content, name + RIDE)
        if ride is None:
            return IDENTITY
        return self._once(f"point {name}", content, frame, lambda: self._of_point(content, name, ride, frame))

    def _of_point(self, content: ContentBase, name: str, ride: Ride, frame: float) -> Matrix | None:
        w, h = content.size(self.shot)
        about = sample(getattr(content, name), frame) if name in content.points() else (w / 2, h / 2)
        return self.ridden(ride, np.array(about), frame)

    def with_plate(self, footage: str, frame: float) -> Matrix:
        """Footage pixels to shot pixels for what is tracked in the plate, which itself may have been moved or held."""
        plate = self._plate(footage)
        if plate is None:
            return np.eye(3)
        matrix = self.matrix(plate, frame)
        return np.eye(3) if matrix is None else matrix

    def _hung(self, layer_id: str, above: Layer, frame: float) -> Matrix | None:
        """Where what a layer hangs from lies, as that layer's group sees it."""
        whole = self._whole(above, frame)
        if whole is None or self.groups.get(layer_id) == self.groups.get(above.id):
            return whole
        of_layer, of_above = (replace(self, base=None).group_matrix(i, frame) for i in (layer_id, above.id))
        if of_layer is None or of_above is None or abs(np.linalg.det(of_layer)) < 1e-12:
            return None
        return np.linalg.inv(of_layer) @ of_above @ whole

    def _whole(self, layer: Layer, frame: float) -> Matrix | None:
        return self._once("whole", layer, frame, lambda: self._of_whole(layer, frame))

    def _of_whole(self, layer: Layer, frame: float) -> Matrix | None:
        carried = self.ride_matrix(layer, frame)
        return None if carried is None else product(carried, self._own(layer.place, frame))

    def moved_by_movers(self, place: Place, frame: float) -> Matrix:
        """What movers do to a place as it is keyed, in shot pixels."""
        if not place.moving or place.corners is not None:
            return IDENTITY
        return self._own(place, frame) @ np.linalg.inv(self._own(place.as_keyed(), frame))

    def _own(self, place: Place, frame: float, middle: tuple[float, float] = (0.0, 0.0)) -> Matrix:
        """The transform about the pivot, from pixels among which `middle` is the picture's centre. Where the pivot rides, the picture is
        turned and scaled about the place that goes along, and stays where it is otherwise."""
        position, pivot = sample(place.position, frame), sample(place.pivot, frame)
        x, y = position
        if place.pivot_ride is not None:
            moved = self.ridden(place.pivot_ride, np.array(position), frame)
            x, y = position if moved is None else apply(moved, np.array([position]))[0]
        # moved back by the rest, scaled, turned, moved: written out, for this is asked of every layer in every frame
        angle, (sx, sy) = math.radians(sample(place.rotation, frame)), sample(place.scale, frame)
        dx, dy = position[0] - pivot[0] - x - middle[0], position[1] - pivot[1] - y - middle[1]
        c, s = math.cos(angle), math.sin(angle)
        return np.array(
            [
                [c * sx, -s * sy, x + c * sx * dx - s * sy * dy],
                [s * sx, c * sy, y + s * sx * dx + c * sy * dy],
                [0.0, 0.0, 1.0],
            ]
        )
