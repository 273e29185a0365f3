"""Where layers lie at a frame: their own transform, rides, hanging, holding still, and motion while the shutter is open."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.camera import SPOT, Camera, at, placed, standing
from tropein.core.animate.ride import Path, followed
from tropein.core.animate.sample import sample
from tropein.core.animate.steady import filling_zoom, held
from tropein.core.compose.timing import runs_straight, shown_frames
from tropein.core.document import (
    CameraTrack,
    CarrierLayer,
    Depth,
    Footage,
    FootageLayer,
    Place,
    Ride,
    ShapePiece,
    Shot,
    VeilLayer,
)
from tropein.core.raster.lens import Bending
from tropein.core.raster.warp import (
    Matrix,
    Move,
    Quality,
    apply,
    quad_to_quad,
    rotation,
    scaling,
    speed_px,
    translation,
)

Paths = Callable[[str, str], Path | None]
BLUR_PX, DRAFT_BLUR_PX, MAX_BLUR_SAMPLES = 1.5, 6.0, 32  # motion between two samples of motion blur


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
    carried: Matrix
    middle: NDArray[np.float64]
    half_way: NDArray[np.float64]
    lift: float


@dataclass(frozen=True)
class Places:
    """Places of one shot's layers. `paths` gives a track's path by the hash of its samples and the spot that is followed."""

    shot: Shot
    paths: Paths

    def path(self, track_id: str, spot: str, layer: FootageLayer | None = None) -> Path | None:
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

    def _plate(self, footage: str) -> FootageLayer | None:
        """The plate, if it shows this footage."""
        plate = self.shot.layers.get(self.shot.plate or "")
        return plate if isinstance(plate, FootageLayer) and plate.footage == footage else None

    def within_shutter(
        self, layer: FootageLayer, frame: float, still: Move, scale: float, quality: Quality
    ) -> list[Move]:
        """The layer's moves while the shutter is open: one when it stands still, more the faster it moves."""
        half = self.shot.shutter_deg / 720
        if not layer.place.motion_blur or half <= 0:
            return [still]
        w, h = self.shot.footage[layer.footage].size
        ends = [self.matrix(layer, frame + side * half) for side in (-1, 1)]
        corners = np.array([[0, 0], [w, 0], [w, h], [0, h], [w / 2, h / 2]], float)
        flat = still.flat((w, h))
        far = sum(speed_px(flat, end, corners) for end in ends if end is not None) * scale
        every = DRAFT_BLUR_PX if quality == "draft" else BLUR_PX
        count = min(MAX_BLUR_SAMPLES, math.ceil(far / every))
        if count < 2:
            return [still]
        times = frame + half * (2 * (np.arange(count) + 0.5) / count - 1)
        return [m for t in times if (m := self.move(layer, float(t))) is not None] or [still]

    def matrix(self, layer: FootageLayer, frame: float) -> Matrix | None:
        """Footage pixels to shot pixels, ride and hanging included; None when a ride hides the layer. Where a lens bends the
        picture it is right in the corners only (see `move`)."""
        move = self.move(layer, frame)
        return None if move is None else move.flat(self.shot.footage[layer.footage].size)

    def move(self, layer: FootageLayer, frame: float) -> Move | None:
        """How footage pixels come to be shot pixels, the lens of a solved camera included; None when a ride hides the layer."""
        place, footage = layer.place, self.shot.footage[layer.footage]
        if place.depth is not None:
            return self._in_depth(place, place.depth, footage, frame)
        matrix = self._in_frame(layer, place, footage, frame)
        return None if matrix is None else Move(matrix)

    def _in_frame(self, layer: FootageLayer, place: Place, footage: Footage, frame: float) -> Matrix | None:
        carried = self.carried(place, frame)
        if carried is None:
            return None
        w, h = footage.size
        if place.corners is not None:
            corners = np.array(sample(place.corners, frame))
            return carried @ quad_to_quad(np.array([[0, 0], [w, 0], [w, h], [0, h]]), corners)
        return carried @ self._own(place, frame) @ translation(-w / 2, -h / 2) @ self._held(layer, footage, frame)

    def _in_depth(self, place: Place, depth: Depth, footage: Footage, frame: float) -> Move | None:
        seen = self.view_of(place, frame)
        if seen is None:
            return None
        camera, model, carried = seen
        unit = sample(depth.width, frame) / max(footage.size[0], 1)
        matrix = camera.seen(model, footage.size, unit)
        if matrix is None or camera.lens is None:
            return None if matrix is None else Move(carried @ matrix)
        return Move(matrix, Bending.of(camera.lens, carried))

    def view_of(self, place: Place, frame: float) -> tuple[Camera, NDArray[np.float64], Matrix] | None:
        """(camera, 4x4 model, what a ride does to the result) of a place in depth; None when a ride hides it, or the
        camera is not known."""
        depth = place.depth
        assert depth is not None
        model = placed(np.array(sample(depth.position, frame)), np.array(sample(depth.rotation, frame)))
        top, root = place, depth
        for above in self._scene_above(place):
            top, root = above.place, above.place.depth or root
            model = placed(np.array(sample(root.position, frame)), np.array(sample(root.rotation, frame))) @ model
        camera, carried = self._camera(root, frame), np.eye(3)
        if root.track is None:
            moved = self.carried(top, frame)
            if moved is None:
                return None
            carried = moved
        else:
            carried = self.with_plate(self.shot.tracks[root.track].footage, frame)
        if camera is None:
            return None
        if depth.facing == "camera":
            model = model.copy()
            model[:3, :3] = camera.turn.T @ placed(np.zeros(3), np.array(sample(depth.rotation, frame)))[:3, :3]
        return camera, model, carried

    def foot(self, layer: FootageLayer, frame: float) -> Foot | None:
        """Where a layer in a solved scene stands over its floor; None for one that lies before the still camera."""
        above = self._scene_above(layer.place)
        top = above[-1].place if above else layer.place
        seen = self.view_of(layer.place, frame)
        if seen is None or layer.place.depth is None or top.depth is None or top.depth.track is None:
            return None
        camera, model, carried = seen
        w, h = self.shot.footage[layer.footage].size
        unit = sample(layer.place.depth.width, frame) / max(w, 1)
        across, down = model[:3, 0] * unit * w / 2, model[:3, 1] * unit * h / 2
        low = model[:3, 3] + (down if down[1] > 0 else -down)  # y is down: the side that is nearer the floor
        return Foot(camera, carried, low[[0, 2]], across[[0, 2]], float(max(-low[1], 0.0)))

    def _camera(self, root: Depth, frame: float) -> Camera | None:
        return standing(self.shot.size) if root.track is None else self.solved(root.track, frame)

    def solved(self, track_id: str, frame: float) -> Camera | None:
        """The camera of a track in the user's own world, for pixels of its footage; None where it is not known."""
        track = self.shot.tracks[track_id]
        path = self.path(track_id, SPOT)
        camera = None if path is None else at(path, frame)
        world = track.world if isinstance(track, CameraTrack) else None
        return camera.within(np.array(world).reshape(4, 4)) if camera is not None and world is not None else camera

    def group_and_depth(self, place: Place, frame: float) -> tuple[str, float] | None:
        """Which scene a layer in depth belongs to, and how far it is; layers of one scene hide each other by depth."""
        if place.depth is None:
            return None
        seen = self.view_of(place, frame)
        if seen is None:
            return None
        camera, model, _ = seen
        above = self._scene_above(place)
        top = above[-1].place if above else place
        track = top.depth.track if top.depth else None
        return track or (f"before the frame, {above[-1].id}" if above else "before the frame"), camera.depth(
            model[:3, 3]
        )

    def _scene_above(self, place: Place) -> list[FootageLayer | CarrierLayer]:
        """What a place in depth hangs from that is in depth too, the nearest first."""
        found: list[FootageLayer | CarrierLayer] = []
        while place.hang is not None:
            above = self.shot.layers[place.hang.layer]
            if isinstance(above, VeilLayer) or above.place.depth is None:
                break
            found.append(above)
            place = above.place
        return found

    def _held(self, layer: FootageLayer, footage: Footage, frame: float) -> Matrix:
        """What holding a track still does to the footage's own pixels."""
        s = layer.place.steady
        if s is None or (path := self.path(s.track, s.spot, layer)) is None:
            return np.eye(3)
        parts = tuple(s.parts)
        matrix = held(path, frame, s.reference_frame, parts, s.smooth, s.strength)
        if s.edge != "zoom":
            return matrix
        zoom = filling_zoom(path, footage.size, self.shot.trim, s.reference_frame, parts, s.smooth, s.strength)
        w, h = footage.size
        return translation(w / 2, h / 2) @ scaling(zoom, zoom) @ translation(-w / 2, -h / 2) @ matrix

    def carried(self, place: Place, frame: float) -> Matrix | None:
        """What a place's ride and what it hangs from do to it, in shot pixels; None when hidden."""
        total = np.eye(3)
        if place.hang is not None:
            above = self.shot.layers[place.hang.layer]
            assert not isinstance(above, VeilLayer)
            here, there = (self._whole(above.place, f) for f in (frame, place.hang.reference_frame))
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
        return None if moved is None else total @ moved

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

    def shape_carried(self, piece: ShapePiece, frame: float) -> Matrix | None:
        """What a shape's ride does to it, in shot pixels; it is tied at the middle of its points."""
        if piece.ride is None:
            return np.eye(3)
        points = np.array([p.at for p in sample(piece.outline, frame).points])
        return self.ridden(piece.ride, points.mean(0), frame)

    def with_plate(self, footage: str, frame: float) -> Matrix:
        """Footage pixels to shot pixels for what is tracked in the plate, which itself may have been moved or held."""
        plate = self._plate(footage)
        if plate is None:
            return np.eye(3)
        matrix = self.matrix(plate, frame)
        return np.eye(3) if matrix is None else matrix

    def _whole(self, place: Place, frame: float) -> Matrix | None:
        carried = self.carried(place, frame)
        return None if carried is None else carried @ self._own(place, frame)

    def _own(self, place: Place, frame: float) -> Matrix:
        """The transform about the pivot, from pixels counted from the picture's centre. Where the pivot rides, the picture is
        turned and scaled about the place that goes along, and stays where it is otherwise."""
        position, pivot = np.array(sample(place.position, frame)), np.array(sample(place.pivot, frame))
        about = position
        if place.pivot_ride is not None:
            moved = self.ridden(place.pivot_ride, position, frame)
            about = position if moved is None else apply(moved, position[None])[0]
        return (
            translation(*about)
            @ rotation(sample(place.rotation, frame))
            @ scaling(*sample(place.scale, frame))
            @ translation(*(position - pivot - about))
        )
