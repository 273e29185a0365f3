"""Mattes as steps: every piece, how they join, and what is cut by them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tropein.core.animate.sample import sample
from tropein.core.compose import keys, own_keys
from tropein.core.compose.cutout_piece import covered
from tropein.core.compose.pictures import Pictures
from tropein.core.compose.step import Step, step
from tropein.core.document import (
    ChromaPiece,
    Cut,
    CutoutPiece,
    DifferencePiece,
    DistancePiece,
    FacePiece,
    Layer,
    LayerPiece,
    Matte,
    Outline,
    Piece,
    ShapePiece,
)
from tropein.core.matte import distance, foreground, solid
from tropein.core.raster import coverage as cov
from tropein.core.raster.colour import LUMA
from tropein.core.raster.coverage import Coverage, Joining
from tropein.core.raster.floor import floor_hit
from tropein.core.raster.outline import fill, flatten
from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Matrix, Move, apply
from tropein.core.track.face_mesh import PARTS
from tropein.core.track.samples import LOOP

SHUTTER_PARTS, LEAST_BLUR_PX = 7, 0.75


@dataclass(frozen=True)
class Mattes:
    """Coverage of one shot's mattes, in the frame at the plan's scale."""

    pictures: Pictures

    @property
    def window(self) -> Window:
        return self.pictures.frame_window

    def matte(self, matte: Matte, frame: float) -> Step:
        """A matte at a frame. One without pieces covers everything: it does not cut yet."""
        kept, key = self.pictures.matte_steps, (id(matte), frame)
        if key not in kept:
            kept[key] = (matte, self._matte(matte, frame))
        return kept[key][1]

    def _matte(self, matte: Matte, frame: float) -> Step:
        window = self.window
        if not matte.order:
            return step("matte-full", window, (), lambda: cov.full(window))
        steps, joinings = [], []
        for piece in matte.in_order:
            if not piece.on or (piece.span and not piece.span[0] <= frame < piece.span[1] + 1):
                continue
            made = self._piece(piece, frame) or step("nothing-covered", window, (), lambda: cov.full(window, 0.0))
            steps.append(self._edged(made, piece, frame))
            joinings.append(Joining(piece.how, sample(piece.opacity, frame), piece.invert))
        made = step("matte", (joinings, window), tuple(steps), lambda *p: cov.combine(p, joinings, window))
        holes, crumbs = (sample(v, frame) * self.pictures.scale for v in (matte.holes, matte.crumbs))
        if max(holes, crumbs) < 0.5:
            return made
        mend = (round(holes, 3), round(crumbs, 3))
        return step("mended", mend, (made,), lambda c: Coverage(solid.mended(c.plane, *mend), c.window))

    def cuts(self, cuts: dict[str, Cut], frame: float) -> Step | None:
        """What several cuts leave together; None when there are none."""
        parts = []
        for one in cuts.values():
            made = self._edged(self.matte(self.pictures.places.shot.mattes[one.matte], frame), one, frame)
            if one.side == "outside":
                made = step("outside", (), (made,), cov.inverted)
            parts.append(made)
        if len(parts) < 2:
            return parts[0] if parts else None
        return step("cuts", (), tuple(parts), lambda *p: cov.product(p))

    def seen_from(self, coverage: Step, to_frame: Matrix, picture: Step) -> Step:
        """Coverage as a layer's own picture sees it; `to_frame` takes its pixels to the frame's."""
        return step(
            "seen-from", np.round(to_frame, 9).tolist(), (coverage, picture),
            lambda c, p: cov.seen_from(c, to_frame, p.window),
        )  # fmt: skip

    def unmixed(self, layer: Layer, picture: Step, working: float, frame: float) -> Step:
        """The layer's picture without the light of what was behind it, where one of its cuts keeps what is not screen, or what was
        cut out of it."""
        piece = self._own_screen(layer)
        if isinstance(piece, CutoutPiece):
            return self._cleaned(piece, layer, picture, working, frame)
        if piece is None:
            return picture
        own, behind, keyed = own_keys.keyed(self.pictures, piece, layer, picture, working, frame)
        made = keys.unmixed(piece, own, behind, keyed, frame)
        kept = self._kept_beside(piece, layer, keyed, picture, working, frame)
        return made if kept is None else step("kept-beside-key", (), (made, picture, kept), cov.mix_where)

    def _kept_beside(
        self, piece: ChromaPiece, layer: Layer, keyed: Step, picture: Step, working: float, frame: float
    ) -> Step | None:
        """Where, of a layer's own pixels, its matte keeps what the key in it does not: shapes that keep, closed holes. There the
        picture is as it was, whatever colour it has."""
        matte = next(m for m in self.pictures.places.shot.mattes.values() if any(p is piece for p in m.pieces.values()))
        others = [p for p in matte.in_order if p is not piece and p.on and p.how == "add"]
        matrix = self.pictures.places.matrix(layer, frame)
        in_frame = self._in_frame(layer, keyed, working, frame)
        plain = piece.how == "add" and not piece.invert and (others or sample(matte.holes, frame) > 0)
        if not plain or matrix is None or in_frame is None:
            return None
        alone = self._edged(in_frame, piece, frame)
        window = self.window

        def more(whole: Coverage, key: Coverage) -> Coverage:
            share = np.clip(2 * (whole.plane - key.plane) / np.maximum(whole.plane, 1e-4), 0, 1)
            return Coverage(share.astype(np.float32), window)

        beside = step("beside-key", window, (self.matte(matte, frame), alone), more)
        return self.seen_from(beside, Move(matrix).scaled(self.pictures.scale, working).matrix, picture)

    def _cleaned(self, piece: CutoutPiece, layer: Layer, picture: Step, working: float, frame: float) -> Step:
        amount = sample(piece.clean, frame)
        made = self._own_cutout(piece, layer, frame)[1]
        if made is None or amount <= 0:
            return picture

        def make(p: Picture, alpha: Coverage) -> Picture:
            pixels = p.pixels.copy()
            pixels[..., :3] = foreground.cleaned(p.pixels[..., :3], alpha.plane, amount, working)
            return Picture(pixels, p.window)

        return step("clean-edge", (amount, working), (picture, made), make)

    def _own_screen(self, layer: Layer) -> ChromaPiece | CutoutPiece | None:
        for one in layer.cuts.values():
            for piece in self.pictures.places.shot.mattes[one.matte].in_order:
                keeps = (one.side == "inside") == ((piece.how != "subtract") != piece.invert)
                if isinstance(piece, ChromaPiece | CutoutPiece) and piece.layer == layer.id and piece.on and keeps:
                    return piece
        return None

    def _edged(self, made: Step, what: Piece | Cut, frame: float) -> Step:
        """Grown and softened; a shape has done so itself, along its outline."""
        if not isinstance(what, ShapePiece):
            by = sample(what.grow, frame) * self.pictures.scale
            if abs(by) > 1e-3:
                made = step("grow", round(by, 6), (made,), lambda c: cov.grown(c, by))
        sigma = sample(what.soften, frame) * self.pictures.scale
        if sigma < 0.05:
            return made
        return step("soften", round(sigma, 6), (made,), lambda c: cov.softened(c, sigma))

    def _piece(self, piece: Piece, frame: float) -> Step | None:
        if isinstance(piece, ShapePiece):
            return self._shape(piece, frame)
        if isinstance(piece, FacePiece):
            return self._face(piece, frame)
        if isinstance(piece, DistancePiece):
            return self._distance(piece, frame)
        layer = self.pictures.places.shot.layers[piece.layer]
        if isinstance(piece, LayerPiece):
            return self._of_layer(piece, layer, frame)
        own = self.pictures.own_picture(layer, frame)
        if own is None:
            return None
        picture, working = own
        if isinstance(piece, CutoutPiece):
            return self._cut_out(piece, layer, frame)
        if isinstance(piece, ChromaPiece):
            made = own_keys.keyed(self.pictures, piece, layer, picture, working, frame)[2]
        elif isinstance(piece, DifferencePiece):
            empty = own_keys.empty(self.pictures, piece, layer, picture, working, frame)
            empty = empty or own_keys.median(self.pictures, layer, working)
            made = keys.different(piece, picture, empty, frame)
        else:
            made = keys.ranged(piece, picture, frame)
        return self._in_frame(layer, made, working, frame)

    def _cut_out(self, piece: CutoutPiece, layer: Layer, frame: float) -> Step | None:
        own, made = self._own_cutout(piece, layer, frame)
        return None if made is None else self._in_frame(layer, made, own[1], frame)

    def _own_cutout(self, piece: CutoutPiece, layer: Layer, frame: float) -> tuple[tuple[Step, float], Step | None]:
        """A layer's own picture and its scale, and the cut-out's coverage of it."""
        own, index = self.pictures.own_picture(layer, frame), self.pictures.footage_frame(layer, frame)
        assert own is not None and index is not None
        size = self.pictures.places.shot.footage[layer.footage or ""].size
        reach = sample(piece.fine, frame) * own[1]
        made = covered(
            piece, own[0], index, size, self.pictures.cutouts, reach, self._fine_within(piece, layer, own, frame)
        )
        return own, made

    def _fine_within(self, piece: CutoutPiece, layer: Layer, own: tuple[Step, float], frame: float) -> Step | None:
        within, matrix = self.cuts(piece.fine_within, frame), self.pictures.places.matrix(layer, frame)
        if within is None or matrix is None:
            return None
        return self.seen_from(within, Move(matrix).scaled(self.pictures.scale, own[1]).matrix, own[0])

    def _in_frame(self, layer: Layer, made: Step, working: float, frame: float) -> Step | None:
        """Coverage of a layer's own pixels, brought to where the layer lies."""
        grey = step("as-picture", (), (made,), as_picture)
        placed = self.pictures.placed(layer, grey, working, frame)
        window = self.window
        return None if placed is None else step("coverage", window, (placed,), lambda p: cov.of_picture(p, window))

    def _of_layer(self, piece: LayerPiece, layer: Layer, frame: float) -> Step | None:
        made, window = self.pictures.layer(layer, frame), self.window
        if made is None:
            return None
        if piece.channel == "alpha":
            return step("coverage", window, (made,), lambda p: cov.of_picture(p, window))
        return step("luminance", window, (made,), lambda p: _luminance(p, window))

    def _face(self, piece: FacePiece, frame: float) -> Step | None:
        """Outlines through the mesh; lids that meet enclose nothing."""
        track = self.pictures.places.shot.tracks[piece.track]
        adds, takes = PARTS[piece.part]
        loops = []
        for name in (*adds, *takes):
            path = self.pictures.places.path(piece.track, LOOP + name)
            points = path.at(frame, 0.0, "bridge") if path is not None else None
            if points is None:
                return None
            seen = self.pictures.places.with_plate(track.footage, frame)
            loops.append(np.round(apply(seen, points) * self.pictures.scale, 4))
        window, count = self.window, len(adds)

        def make() -> Coverage:
            filled = [_smooth_loop(points, window) for points in loops]
            joins = [Joining("add")] * count + [Joining("subtract")] * (len(filled) - count)
            return cov.combine(filled, joins, window)

        return step("face-part", ([points.tolist() for points in loops], count, window), (), make)

    def _distance(self, piece: DistancePiece, frame: float) -> Step | None:
        places, window, scale = self.pictures.places, self.window, self.pictures.scale
        camera = places.solved(piece.track, frame)
        plate = places.with_plate(places.shot.tracks[piece.track].footage, frame)
        if camera is None or abs(np.linalg.det(plate)) < 1e-12:
            return None
        near, far, height = (sample(v, frame) for v in (piece.near, piece.far, piece.height))
        to_picture = np.linalg.inv(plate) @ np.diag([1 / scale, 1 / scale, 1.0])

        def make() -> Coverage:
            size, corner = (window.width, window.height), (window.x0, window.y0)
            _, _, away = floor_hit(
                camera.pose, camera.focal, camera.centre, height, to_picture, corner, size, camera.lens
            )
            return Coverage(distance.coverage(away, near, far), window)

        numbers = (camera.pose.tobytes(), camera.focal, camera.centre.tobytes(), camera.radial, to_picture.tobytes())
        return step("distance", (numbers, near, far, height, window), (), make)

    def _shape(self, piece: ShapePiece, frame: float) -> Step | None:
        half = self.pictures.places.shot.shutter_deg / 720
        shape = self.outline(piece, frame)
        if shape is None:
            return None
        moments = [shape]
        if piece.motion_blur and half > 0:
            ends = [self.outline(piece, frame + side * half) for side in (-1, 1)]
            far = max((float(np.abs(e[0] - shape[0]).max()) for e in ends if e is not None and e[0].shape == shape[0].shape), default=0.0)  # fmt: skip
            if far > LEAST_BLUR_PX:
                times = frame + half * (2 * (np.arange(SHUTTER_PARTS) + 0.5) / SHUTTER_PARTS - 1)
                moments = [m for t in times if (m := self.outline(piece, float(t))) is not None]
        grow = sample(piece.grow, frame) * self.pictures.scale
        if not piece.closed:
            grow += sample(piece.width, frame) / 2 * self.pictures.scale
        window, closed = self.window, piece.closed
        key = ([(v.tobytes(), w.tobytes()) for v, w in moments], grow, closed, window)
        return step(
            "shape", key, (), lambda: cov.mean([fill(v, w, window, closed=closed, grow=grow) for v, w in moments])
        )

    def outline(self, piece: ShapePiece, frame: float) -> tuple[np.ndarray, np.ndarray] | None:
        """Vertices and soft widths in pixels of the frame, where the ride takes them; None when the ride hides it."""
        outline: Outline = sample(piece.outline, frame)
        n = np.array([p.numbers() for p in outline.points])
        scale = self.pictures.scale
        vertices, widths = flatten(n[:, :2], n[:, 2:4], n[:, 4:6], n[:, 6:8], piece.closed, scale)
        moved = self.pictures.places.shape_matrix(piece, frame)
        if moved is None:
            return None
        if piece.ride is not None:
            widths = widths * _growth(moved, vertices)[:, None]
            vertices = apply(moved, vertices)
        return np.round(vertices * scale, 5), np.round(widths * scale, 5)


def as_picture(coverage: Coverage) -> Picture:
    return Picture(np.ascontiguousarray(np.repeat(coverage.plane[..., None], 4, 2)), coverage.window)


def _luminance(picture: Picture, window: Window) -> Coverage:
    return Coverage(np.clip(picture.fill(window)[..., :3] @ LUMA, 0, 1).astype(np.float32), window)


def _smooth_loop(points: np.ndarray, window: Window) -> Coverage:
    """A closed curve through the points, its tangents those of Catmull and Rom (1974)."""
    tangent = (np.roll(points, -1, 0) - np.roll(points, 1, 0)) / 6
    none = np.zeros((len(points), 2))
    vertices, widths = flatten(points, -tangent, tangent, none, True)
    return fill(vertices, widths, window)


def _growth(matrix: Matrix, points: np.ndarray) -> np.ndarray:
    """(n,) by how much lengths grow at some points under a projective matrix."""
    w = points @ matrix[2, :2] + matrix[2, 2]
    return np.sqrt(np.abs(np.linalg.det(matrix)) / np.abs(w) ** 3)
