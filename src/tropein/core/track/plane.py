"""Following a flat thing by its four corners: many small reference patches, one homography, nothing carried along.

A grid of patches is cut from the reference frame once. In each frame several guesses of the plane's motion compete (flow of
its own features, the picture's dominant motion, standing still); the one under which most patches look like the
reference wins, so that something passing in front cannot take the plane with it. From there every patch is fitted by
translation, robustly, and MAGSAC++ (Barath et al. 2020) finds the homography that most agree on. A plane that is lost is
looked for again in the whole picture by SIFT features (Lowe 2004).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.raster.warp import apply
from tropein.core.track.align import align_many, correlations, warped_many
from tropein.core.track.frames import Frames
from tropein.core.track.homography import least_squares, placed, sane
from tropein.core.track.motion import Motion, MotionBetween
from tropein.core.track.patches import BLUR_FROM_PX, SHUTTER, SMOOTH_SIGMA_PX, jacobian, smeared

Corners = NDArray[np.float64]

HALF = 12  # a patch is 25 pixels wide
GRID_PX = 20
MAX_PATCHES = 160
MIN_PATCHES = 8
WEAKEST = 0.15  # share of patches with the least texture that are left out
MIN_GRADIENT = 0.6  # grey levels per pixel, the weaker direction
MAX_MOVE_PX = 8.0
SIGMA_LOST_PX = 0.5  # expected error of a corner beyond which the answer is not believed
SEARCH_EVERY = 2  # a lost plane is looked for in every second frame
# logistic weights of the chance that the mean corner error is below 1 px: bias, log of the expected corner error, share of
# the visible patches that agree, mean correlation of those;
# set by hand on the seeds of bench/plane_track.py --calibrate, whose table says how well they hold
LOGISTIC = (-2.0, -2.2, 2.0, 3.0)
ACCEPT = 0.6


@dataclass(frozen=True, eq=False)
class PlaneAnchor:
    """A frame in which the corners are known: (4, 2) full-size pixels, clockwise from top left, centres at + 0.5."""

    frame: int
    corners: Corners


@dataclass(frozen=True, eq=False)
class PlaneFound:
    """The plane in one frame: (4, 2) corners in full-size pixels, centres at + 0.5."""

    frame: int
    corners: Corners
    confidence: float
    lost: bool
    reason: str = ""


def check_corners(corners: Corners) -> None:
    """BadInput unless the four corners make a convex outline of some size, clockwise or not."""
    if corners.shape != (4, 2) or not np.isfinite(corners).all():
        raise BadInput("A plane needs four corners.")
    sides = np.roll(corners, -1, 0) - corners
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    if not ((turns > 0).all() or (turns < 0).all()):
        raise BadInput("The four corners cross over or lie in a line: set them in order around the plane.")
    if cv2.contourArea(corners.astype(np.float32)) < 30 * 30:
        raise BadInput("The plane is too small to follow: its outline must hold at least 900 pixels.")


@dataclass(eq=False)
class _State:
    h: NDArray[np.float64]  # anchor frame to present frame, centres at whole numbers
    inliers: NDArray[np.bool_]
    lost: int = 0


class PlaneTracker:
    """Follows a plane from one anchor through neighbouring frames, either way."""

    def __init__(self, frames: Frames, anchor: PlaneAnchor, motion: MotionBetween | None = None) -> None:
        check_corners(anchor.corners)
        self.frames, self.anchor = frames, anchor
        self.motion = motion or MotionBetween()
        self._picture = _smooth(frames.frame(anchor.frame))
        self._corners = anchor.corners - 0.5
        self.centres = self._grid()
        self._smear_reference = self._smear_at(anchor.frame)
        self._patches: dict[tuple[int, int], NDArray[np.float64]] = {}
        self._features: tuple[NDArray[Any], NDArray[Any]] | None = None

    def run(self, last: int, report: Callable[[PlaneFound], None]) -> str:
        """Track from the anchor to frame `last`. Returns why it ended lost, or ""."""
        step = 1 if last >= self.anchor.frame else -1
        state = _State(np.eye(3), np.ones(len(self.centres), bool))
        before, found = self.anchor.frame, None
        for frame in range(self.anchor.frame + step, last + step, step):
            found = self._next(state, before, frame)
            report(found)
            before = frame
        return found.reason if found is not None and found.lost else ""

    def _grid(self) -> NDArray[np.float64]:
        """Patch centres (n, 2) inside the outline, spread evenly, the weakest left out."""
        low, high = self._corners.min(0), self._corners.max(0)
        area = cv2.contourArea(self._corners.astype(np.float32))
        step = max(GRID_PX if area > 200 * 120 else GRID_PX / 2, float(np.sqrt(area / MAX_PATCHES)))
        x, y = np.meshgrid(np.arange(low[0] + step / 2, high[0], step), np.arange(low[1] + step / 2, high[1], step))
        centres = np.c_[x.ravel(), y.ravel()]
        outline = self._corners.astype(np.float32).reshape(-1, 1, 2)
        inside = [cv2.pointPolygonTest(outline, (float(c[0]), float(c[1])), True) > 0.4 * HALF for c in centres]
        h, w = self._picture.shape
        centres = centres[np.array(inside, bool)]
        centres = centres[((centres > 2) & (centres < [w - 3, h - 3])).all(1)]
        if not len(centres):
            raise BadInput("The plane lies outside the picture.")
        patches = warped_many(self._picture, placed(np.eye(3), centres), HALF, 1)
        gy, gx = np.gradient(patches, axis=(1, 2))
        xx, yy, xy = (gx * gx).mean((1, 2)), (gy * gy).mean((1, 2)), (gx * gy).mean((1, 2))
        weaker = (xx + yy - np.sqrt((xx - yy) ** 2 + 4 * xy * xy)) / 2
        keep = weaker > max(MIN_GRADIENT**2, float(np.quantile(weaker, WEAKEST)))
        if keep.sum() < MIN_PATCHES:
            raise BadInput(
                "There is too little texture inside the four corners to follow a plane: take in more of the surface, or "
                "a frame in which it is sharper."
            )
        return centres[keep]

    def _smear_at(self, frame: int) -> NDArray[np.float64]:
        """The motion blur of the anchor's frame in pixels, from the flow to its neighbours."""
        moves = []
        here = self.frames.frame(frame)
        for other in (frame - 1, frame + 1):
            if 0 <= other < len(self.frames):
                h = self._own_flow(np.eye(3), here, self.frames.frame(other), np.ones(len(self.centres), bool))
                if h is not None:
                    moves.append((apply(h, self.centres) - self.centres).mean(0) * (other - frame))
        return np.mean(moves, 0) * SHUTTER if moves else np.zeros(2)

    def _references(self, smear: NDArray[np.float64]) -> NDArray[np.float64]:
        """The patches of the reference frame, blurred as the present frame is."""
        if np.hypot(*smear) < BLUR_FROM_PX:
            smear = np.zeros(2)
        key = (round(smear[0]), round(smear[1]))
        if key not in self._patches:
            low = np.maximum(self.centres.min(0) - 60, 0).astype(int)
            high = (self.centres.max(0) + 62).astype(int)
            crop = smeared(np.ascontiguousarray(self._picture[low[1] : high[1], low[0] : high[0]]), smear)
            self._patches[key] = warped_many(crop, placed(np.eye(3), self.centres - low), HALF, 1)
            if len(self._patches) > 24:
                self._patches.pop(next(iter(self._patches)))
        return self._patches[key]

    def _own_flow(
        self, h: NDArray[Any], before: NDArray[Any], after: NDArray[Any], inliers: NDArray[np.bool_]
    ) -> NDArray[Any] | None:
        """The plane's homography after one more frame, by flow of its own patches that are not covered."""
        points = apply(h, self.centres[inliers]).astype(np.float32).reshape(-1, 1, 2)
        if len(points) < 6:
            return None
        how: dict[str, Any] = {"winSize": (21, 21), "maxLevel": 3, "criteria": (3, 20, 0.02)}
        moved, ok, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, **how)
        back, ok2, _ = cv2.calcOpticalFlowPyrLK(after, before, moved, None, **how)
        good = (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (np.linalg.norm(back - points, axis=2)[:, 0] < 0.8)
        if good.sum() < 6:
            return None
        step, _ = cv2.findHomography(points[good], moved[good], cv2.USAC_MAGSAC, 1.5)
        return step @ h if step is not None else None

    def _next(self, state: _State, before: int, frame: int) -> PlaneFound:
        a, b = self.frames.frame(before), self.frames.frame(frame)
        motion = self.motion(before, frame, a, b)
        image = _smooth(b)
        guesses = self._guesses(state, motion, a, b, frame)
        best: _Fitted | None = None
        if guesses:
            scored = [(self._looks_right(image, g, state), g) for g in guesses]
            scored.sort(key=lambda s: -s[0])
            for score, guess in scored[:2]:
                if best is not None and (score < 0.25 or best.agreeing > 0.7):
                    break
                fitted = self._fit(image, guess, state.h)
                if fitted is not None and (best is None or fitted.count > best.count):
                    best = fitted
        if best is None or best.reason:
            state.lost += 1
            state.h = guesses[0] if guesses and sane(guesses[0], self._corners) else state.h
            reason = self._why(state.h, b.shape, best)
            return self._found(frame, state.h, 0.0 if best is None else min(best.confidence, 0.3), True, reason)
        state.h, state.inliers, state.lost = best.h, best.inliers, 0
        return self._found(frame, best.h, best.confidence, False, "")

    def _guesses(
        self, state: _State, motion: Motion, a: NDArray[Any], b: NDArray[Any], frame: int
    ) -> list[NDArray[Any]]:
        found = []
        if not state.lost:
            own = self._own_flow(state.h, a, b, state.inliers)
            if own is not None:
                found.append(own)
        if motion.dominant is not None:
            found.append(motion.dominant @ state.h)
        if state.lost % SEARCH_EVERY == 1 or (not found and state.lost):
            again = self._search(b)
            if again is not None:
                found.append(again)
        if not state.lost:
            found.append(state.h)
        return [g / g[2, 2] for g in found if sane(g, self._corners)]

    def _looks_right(self, image: NDArray[Any], h: NDArray[Any], state: _State) -> float:
        """Share of a sample of patches that look like the reference where this guess puts them."""
        every = max(1, len(self.centres) // 40)
        centres = self.centres[::every]
        inside = _inside(apply(h, centres), image.shape, HALF)
        if inside.sum() < 4:
            return 0.0
        smear = (apply(h, self.centres).mean(0) - apply(state.h, self.centres).mean(0)) * SHUTTER
        refs = self._references(_to_reference(h, self.centres.mean(0), smear))[::every][inside]
        return float((correlations(image, refs, placed(h, centres[inside]), HALF, 1) > 0.6).mean())

    def _fit(self, image: NDArray[Any], guess: NDArray[Any], was: NDArray[Any]) -> _Fitted | None:
        h, fitted = guess, None
        for iterations in (12, 6):
            fitted = self._refine(image, h, was, iterations)
            if fitted is None:
                return None
            h = fitted.h
        return fitted

    def _refine(self, image: NDArray[Any], h: NDArray[Any], was: NDArray[Any], iterations: int) -> _Fitted | None:
        """Every visible patch fitted near where `h` puts it, then the homography most of them agree on."""
        places = apply(h, self.centres)
        inside = _inside(places, image.shape, 2)
        if inside.sum() < MIN_PATCHES:
            return None
        smear = (places.mean(0) - apply(was, self.centres).mean(0)) * SHUTTER
        refs = self._references(_to_reference(h, self.centres.mean(0), smear))[inside]
        turned = jacobian(h, self.centres.mean(0)) @ self._smear_reference
        blurred = smeared(image, turned) if np.hypot(*turned) >= BLUR_FROM_PX else image
        matrices, quality = align_many(blurred, refs, placed(h, self.centres[inside]), HALF, 1, iterations)
        moved = np.linalg.norm(matrices[:, :, 2] - places[inside], axis=1)
        correlation, share, sigma = quality.T
        good = (correlation > 0.75) & (share > 0.6) & (moved < MAX_MOVE_PX) & (sigma < 0.5) & np.isfinite(moved)
        if good.sum() < MIN_PATCHES:
            return None
        source, target = self.centres[inside][good], matrices[good, :, 2]
        better, kept = cv2.findHomography(source, target, cv2.USAC_MAGSAC, 0.8)
        if better is None or not sane(better, self._corners):
            return None
        kept = kept[:, 0] == 1
        if kept.sum() < MIN_PATCHES:
            return None
        better, rms, spread = least_squares(source[kept], target[kept], sigma[good][kept], better)
        inliers = np.zeros(len(self.centres), bool)
        inliers[np.flatnonzero(inside)[good][kept]] = True
        corner_px = rms * spread(self._corners)
        agreeing = float(kept.sum() / inside.sum())
        mean = float(correlation[good][kept].mean())
        confidence = confidence_of(corner_px, agreeing, mean)
        reason = ""
        if corner_px > SIGMA_LOST_PX or kept.mean() < 0.6 or agreeing < 0.2 or confidence < ACCEPT:
            reason = "covered or changed" if agreeing < 0.4 else "too blurred or too little to hold on to"
        return _Fitted(better, inliers, int(kept.sum()), agreeing, confidence, reason)

    def _search(self, picture: NDArray[Any]) -> NDArray[Any] | None:
        """The plane anywhere in the picture, by features of the reference."""
        sift = cv2.SIFT_create(1500)  # type: ignore[attr-defined]
        if self._features is None:
            outline = np.zeros(self._picture.shape, np.uint8)
            cv2.fillPoly(outline, [np.rint(self._corners).astype(np.int32)], 255)
            reference = self.frames.frame(self.anchor.frame)
            points, descriptors = sift.detectAndCompute(reference, outline)
            self._features = np.array([p.pt for p in points]), descriptors
        points, descriptors = self._features
        if descriptors is None or len(points) < 8:
            return None
        there, theirs = sift.detectAndCompute(picture, None)
        if theirs is None or len(there) < 8:
            return None
        pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(descriptors, theirs, 2)
        good = [m[0] for m in pairs if len(m) == 2 and m[0].distance < 0.75 * m[1].distance]
        if len(good) < 8:
            return None
        a = np.array([points[m.queryIdx] for m in good])
        b = np.array([there[m.trainIdx].pt for m in good])
        h, kept = cv2.findHomography(a, b, cv2.USAC_MAGSAC, 2.0)
        return h if h is not None and kept.sum() >= 8 and sane(h, self._corners) else None

    def _why(self, h: NDArray[Any], shape: tuple[int, ...], best: _Fitted | None) -> str:
        if _inside(apply(h, self.centres), shape, 2).mean() < 0.6:
            return "left the picture"
        return best.reason if best and best.reason else "covered or changed"

    def _found(self, frame: int, h: NDArray[Any], confidence: float, lost: bool, reason: str) -> PlaneFound:
        return PlaneFound(frame, apply(h, self._corners) + 0.5, confidence, lost, reason)


@dataclass(frozen=True, eq=False)
class _Fitted:
    h: NDArray[np.float64]
    inliers: NDArray[np.bool_]
    count: int
    agreeing: float
    confidence: float
    reason: str


def confidence_of(corner_px: float, agreeing: float, correlation: float) -> float:
    """The chance that the mean corner error is below 1 px."""
    features = (float(np.log(max(corner_px, 1e-3))), agreeing, correlation)
    z = LOGISTIC[0] + sum(k * v for k, v in zip(LOGISTIC[1:], features, strict=True))
    return float(1 / (1 + np.exp(-np.clip(z, -30, 30))))


def _smooth(picture: NDArray[Any]) -> NDArray[np.float32]:
    return cv2.GaussianBlur(picture.astype(np.float32), (0, 0), SMOOTH_SIGMA_PX)


def _inside(places: NDArray[Any], shape: tuple[int, ...], margin: float) -> NDArray[np.bool_]:
    h, w = shape[:2]
    return (places > margin).all(1) & (places[:, 0] < w - 1 - margin) & (places[:, 1] < h - 1 - margin)


def _to_reference(h: NDArray[Any], centre: NDArray[Any], smear: NDArray[Any]) -> NDArray[Any]:
    """A smear of the present frame as it would look in the reference frame."""
    return np.linalg.pinv(jacobian(h, centre)) @ smear
