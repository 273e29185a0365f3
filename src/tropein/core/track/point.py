"""Following one feature: predicted by flow, placed by robust alignment to reference patches.

Bare frame-to-frame flow drifts, and its own forward-backward check does not see it. Here flow only says where to look; the
answer is a fit to the patch the user pointed at (or put right by hand), or to a later look of it that fitted well, and it
must also agree with how the picture around moves. What cannot be confirmed is lost, and says why.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.media.grey import GreyPicture
from tropein.core.track.align import Fit, align, warped
from tropein.core.track.frames import Frames
from tropein.core.track.motion import Motion, MotionBetween
from tropein.core.track.patches import Matching, Reference, cropped, flow_at, jacobian, smeared
from tropein.core.track.shutter import ShutterGuess

BIG = 1.8  # the large patch is this many times the small one
GIVE_UP_FRAMES = 36
PROBATION_FRAMES = 3
MIN_TEXTURE = 4.0  # smallest mean squared gradient (grey levels per pixel), in the weaker direction, worth following

# Logistic weights of the chance that the error is below 1 px, fitted by bench/point_track.py --calibrate:
# bias, correlation (small, large), share (small, large), disagreement, distance to the prediction, expected error
LOGISTIC = (-1.99, 0.28, 5.96, -0.08, 1.59, 0.01, -0.84, -2.61)
ACCEPT = 0.5
# correlations (small, large) and share at which what was lost is known again wherever in reach it turns up
CERTAIN = (0.96, 0.93, 0.78)
WEAK_PX = 0.10  # a patch whose place is less certain than this is not known again
RENEW = (0.93, 0.94, 0.96)  # fit below which a later look is taken, and above which one may, or should, be that look
RENEW_FRAMES = 3
NARROW = (0.94, 0.7, 1.0)  # correlation, share, distance to the prediction at which the small patch alone is enough
OWN_PX = 1.5  # what moves so much beyond the picture, every frame, moves on its own


@dataclass(frozen=True, eq=False)
class Found:
    """The point in one frame. `xy` is in full-size pixels, centres at + 0.5."""

    frame: int
    xy: tuple[float, float]
    confidence: float
    lost: bool
    reason: str = ""


@dataclass(frozen=True, eq=False)
class Anchor:
    """A frame at which the place is known for certain: the reference, or one set by hand."""

    frame: int
    xy: tuple[float, float]


@dataclass(frozen=True, eq=False)
class _Fresh:
    """How the point looked in a frame in which it was known well, and how the reference patch lay there."""

    frame: int
    xy: NDArray[np.float64]
    shape: NDArray[np.float64]
    velocity: NDArray[np.float64]


@dataclass(eq=False)
class _State:
    xy: NDArray[np.float64]  # centres at whole numbers
    shape: NDArray[np.float64]  # 2x2: reference patch to picture
    velocity: NDArray[np.float64]
    own: NDArray[np.float64]  # pixels a frame it moves beyond what most of the picture does
    lost: int = 0
    probation: int = 0
    fresh: _Fresh | None = None  # a later look of the point that could serve as a reference
    doubted: list[Found] = field(default_factory=list)  # found again but not yet sure; believed once it is


class PointTracker:
    """Follows a point from an anchor through neighbouring frames, in either direction."""

    def __init__(self, frames: Frames, anchor: Anchor, how: Matching = Matching(), motion: MotionBetween | None = None,
                 shutter: ShutterGuess | None = None) -> None:  # fmt: skip
        self.frames, self.anchor, self.how, self.half, self.reach = frames, anchor, how, how.half, how.reach
        self.motion, self.shutter = motion or MotionBetween(), shutter or ShutterGuess()
        w, h = frames.size
        x, y = anchor.xy
        if not (0 <= x < w and 0 <= y < h):
            raise BadInput("The point lies outside the picture.")
        self._start = np.array([x - 0.5, y - 0.5])
        self._first = self.reference = self._reference()

    @property
    def _open(self) -> float:
        """The share of a frame's motion that its blur shows."""
        return self.shutter.share if self.how.blur else 0.0

    def _looks(self, frame: int, xy: NDArray[np.float64], velocity: NDArray[np.float64]) -> Reference:
        crop, offset = cropped(self.frames.frame(frame), xy, int(self.half * BIG) + 24)
        return Reference(crop, xy - offset, velocity, self.half)

    def _reference(self) -> Reference:
        picture = self.frames.frame(self.anchor.frame)
        reference = self._looks(self.anchor.frame, self._start, np.zeros(2))
        patch = reference.patch(self.half, 1, np.zeros(2))
        gy, gx = np.gradient(patch)
        tensor = np.array([[np.mean(gx * gx), np.mean(gx * gy)], [np.mean(gx * gy), np.mean(gy * gy)]])
        if np.linalg.eigvalsh(tensor)[0] < MIN_TEXTURE * 0.1:
            raise BadInput(
                "There is nothing to hold on to at this point: the picture is flat or has only one edge there. "
                "Choose a corner, a spot or some texture."
            )
        reference.velocity = self._velocity_at(picture)
        reference.cache.clear()
        return reference

    def _velocity_at(self, picture: GreyPicture) -> NDArray[np.float64]:
        f, flows = self.anchor.frame, []
        for other in (f - 1, f + 1):
            if 0 <= other < len(self.frames):
                moved = flow_at(picture, self.frames.frame(other), self._start)
                if moved is not None:
                    flows.append((moved - self._start) * (other - f))
        return np.mean(flows, 0) if flows else np.zeros(2)

    def run(self, last: int, report: Callable[[Found], None]) -> str:
        """Track from the anchor to frame `last` (excluded is the anchor itself). Returns why it stopped early, or ""."""
        step = 1 if last >= self.anchor.frame else -1
        self.reference = self._first
        state = _State(self._start.copy(), np.eye(2), np.zeros(2), np.zeros(2))
        before = self.anchor.frame
        for frame in range(self.anchor.frame + step, last + step, step):
            a, b = self.frames.frame(before), self.frames.frame(frame)
            found = self._next(state, frame, self.motion(before, frame, a, b), a, b)
            report(found)
            if not found.lost:
                for earlier in state.doubted:
                    report(replace(earlier, lost=False, reason=""))
                state.doubted.clear()
            if state.lost > GIVE_UP_FRAMES:
                return found.reason
            before = frame
        return ""

    def _next(self, state: _State, frame: int, motion: Motion, a: GreyPicture, b: GreyPicture) -> Found:
        h, w = b.shape
        guesses, turn, unseen = self._guesses(state, motion, a, b)
        big = int(self.half * BIG)
        inside = [g for g in guesses if -2 <= g[0] < w + 2 and -2 <= g[1] < h + 2]
        if not inside:
            return self._lose(state, frame, unseen, turn, "left the picture")
        shape = turn @ state.shape
        radius = int(big * max(1.0, np.abs(shape).sum(1).max()) + 26)
        centre = inside[0]
        spread = max(float(np.linalg.norm(g - centre)) for g in inside)
        crop, offset = cropped(b, centre, radius + int(min(spread, 60)) + (self.reach if state.lost else 0))
        velocity = inside[0] - state.xy
        smear = velocity * self._open
        inverse = np.linalg.pinv(shape)
        plain, crop = crop, smeared(crop, shape @ self.reference.velocity * self._open)
        ref_small = self.reference.patch(self.half, 1, inverse @ smear)
        ref_big = self.reference.patch(big, 2, inverse @ smear)
        starts = [g - offset for g in inside]
        if state.lost:
            starts += self._search(crop, ref_small, shape, starts[0], state.lost)
        best: tuple[float, Fit, Fit] | None = None
        for start in starts:
            m = np.c_[shape, start]
            small, large = self._aligned(crop, ref_small, ref_big, m)
            score = small.correlation + large.correlation
            if best is None or score > best[0]:
                best = (score, small, large)
            if score > 1.9:
                break
        assert best is not None
        _, small, large = best
        place = self._combine(small, large) + offset
        apart = float(np.linalg.norm(small.matrix[:, 2] - large.matrix[:, 2]))
        away = min(float(np.linalg.norm(place - g)) for g in inside)
        gate = 2.0 + 0.1 * float(np.linalg.norm(inside[0] - state.xy))
        if state.lost:
            gate = min(14.0, 2.5 + 0.6 * state.lost**0.7) + 2
            if (
                small.correlation > CERTAIN[0]
                and large.correlation > CERTAIN[1]
                and min(small.share, large.share) > CERTAIN[2]
            ):
                gate, away = float(self.reach + 2), min(away, 2.0)  # unlike anything else within reach (see _search)
        features = (small.correlation, large.correlation, small.share, large.share, apart, away, small.sigma_px)
        confidence = confidence_of(features)
        if not (-0.5 <= place[0] < w and -0.5 <= place[1] < h):
            return self._lose(state, frame, unseen, turn, "left the picture", features)
        strict = 0.08 if state.lost else 0.0
        # around a thing narrower than the large patch that patch sees what does not go along: then the small one decides
        narrow = not state.lost and small.correlation > NARROW[0] and small.share > NARROW[1] and away < NARROW[2]
        good = (
            small.correlation > 0.80 + strict
            and (narrow or (large.correlation > 0.74 + strict and apart < 0.8))
            and small.share > 0.5
            and (not state.lost or small.sigma_px < WEAK_PX)
            and away < gate
            and confidence > ACCEPT
        )
        if not good:
            reason = (
                "covered or changed"
                if small.correlation < 0.8 or small.share < 0.5
                else "moved unlike its surroundings"
            )
            if small.sigma_px > 0.4 and np.hypot(*smear) > self.half:
                reason = "too blurred"
            return self._lose(state, frame, unseen, turn, reason, features)
        self._moved(state, motion, place)
        if self.how.blur and not state.lost:
            self.shutter.see(plain, self.reference, small.matrix, velocity, self.half)
        self._renew(state, frame, place, small, large, velocity)
        state.velocity = place - state.xy
        state.xy, state.shape = place, large.matrix[:, :2].copy()
        if state.lost:
            state.probation += 1
            if state.probation < PROBATION_FRAMES:
                state.doubted.append(Found(frame, (float(place[0]) + 0.5, float(place[1]) + 0.5), confidence, True))
                return self._found(frame, place, min(confidence, 0.3), True, "found again, not yet sure", features)
            state.lost = state.probation = 0
        return self._found(frame, place, confidence, False, "", features)

    def _aligned(
        self, crop: NDArray[Any], ref_small: NDArray[Any], ref_big: NDArray[Any], m: NDArray[Any]
    ) -> tuple[Fit, Fit]:
        """The small and the large patch fitted from `m` (2x3) on: by shift, then, where it may, turned and grown too."""
        big, shape, light = int(self.half * BIG), m[:, :2], self.how.light
        large = align(crop, ref_big, m, big, 2, False, 10, light=light)
        if self.how.turn:
            turned = align(crop, ref_big, large.matrix, big, 2, True, 15, light=light)
            large = turned if _sane(turned.matrix, shape) else large
        small = align(crop, ref_small, large.matrix.copy(), self.half, 1, False, 8, light=light)
        if self.how.turn:
            full = align(crop, ref_small, small.matrix, self.half, 1, True, 12, light=light)
            small = full if _sane(full.matrix, shape) and full.correlation >= small.correlation else small
        return small, large

    def _found(self, frame: int, place: NDArray[Any], confidence: float, lost: bool, reason: str,
               features: tuple[float, ...] | None) -> Found:  # fmt: skip
        self.features = features
        return Found(frame, (float(place[0]) + 0.5, float(place[1]) + 0.5), confidence, lost, reason)

    def _lose(self, state: _State, frame: int, guess: NDArray[Any], turn: NDArray[Any], reason: str,
              features: tuple[float, ...] | None = None) -> Found:  # fmt: skip
        state.lost += 1
        state.probation = 0
        state.doubted.clear()
        state.velocity = guess - state.xy
        state.xy, state.shape = guess.copy(), turn @ state.shape
        confidence = min(0.3, confidence_of(features)) if features else 0.0
        return self._found(frame, guess, confidence, True, reason, features)

    def _renew(
        self, state: _State, frame: int, place: NDArray[Any], small: Fit, large: Fit, velocity: NDArray[np.float64]
    ) -> None:
        """What changes little by little (light, a turn, blur) is known by how it looked a while ago: once the reference fits
        badly, the last look it fitted well takes its place. What covers the point comes quicker than that."""
        shape = large.matrix[:, :2].copy()
        fits = min(small.correlation, large.correlation)
        if (
            state.fresh is not None
            and fits < RENEW[0]
            and not state.lost
            and abs(frame - state.fresh.frame) >= RENEW_FRAMES
        ):
            self.reference = self._looks(state.fresh.frame, state.fresh.xy, state.fresh.velocity)
            large.matrix[:, :2] = shape @ np.linalg.pinv(state.fresh.shape)
            state.fresh = None
        elif (
            fits > RENEW[1 if state.fresh is None else 2]
            and not state.lost
            and min(small.share, large.share) > CERTAIN[2]
        ):
            state.fresh = _Fresh(frame, place.copy(), shape, velocity.copy())

    @staticmethod
    def _moved(state: _State, motion: Motion, place: NDArray[Any]) -> None:
        """Learn how the point moves beyond the picture's own motion; what was lost for a while says nothing of that."""
        carried = motion.carried(state.xy)
        if carried is not None and not state.lost:
            beyond = place - carried
            state.own = beyond if np.linalg.norm(beyond - state.own) > OWN_PX else 0.5 * (state.own + beyond)

    def _guesses(
        self, state: _State, motion: Motion, a: GreyPicture, b: GreyPicture
    ) -> tuple[list[Any], NDArray[Any], NDArray[Any]]:
        """Where the point may be, best first, how the patch may have turned and grown, and where it goes if it is not seen:
        flow is no guide there, it goes along with whatever covers the point."""
        turn = np.eye(2)
        guesses: list[NDArray[Any]] = []
        carried = motion.carried(state.xy)
        if not state.lost:
            moved = flow_at(a, b, state.xy)
            if moved is not None:
                guesses.append(moved)
            local = motion.around(state.xy)
            if local is not None:
                guesses.append(local[:, :2] @ state.xy + local[:, 2])
                turn = local[:, :2] if self.how.turn else turn
        unseen = state.xy + state.velocity
        if carried is not None:
            unseen = carried
            if np.linalg.norm(state.own) > OWN_PX:
                unseen = carried + state.own
                guesses.append(unseen)
            guesses.append(carried)
            if state.lost:
                assert motion.dominant is not None
                turn = jacobian(motion.dominant, state.xy) if self.how.turn else turn
        if not guesses:
            guesses.append(unseen)
        distinct = [guesses[0]]
        for g in guesses[1:]:
            if min(float(np.linalg.norm(g - d)) for d in distinct) > 1.5:
                distinct.append(g)
        return distinct, turn, unseen

    def _search(
        self, crop: NDArray[np.float32], ref: NDArray[Any], shape: NDArray[Any], centre: NDArray[Any], lost: int
    ) -> list[NDArray[Any]]:
        """Peaks of correlation of the reference near where the picture's motion would have carried the point."""
        gate = int(min(self.reach, 6 + 1.5 * lost))
        n = int(self.half * 0.8)
        template = np.float32(warped(ref.astype(np.float32), _centred(np.linalg.pinv(shape), ref.shape[0]), n, 1))
        x, y = int(round(centre[0])), int(round(centre[1]))
        x0, y0 = x - gate - n, y - gate - n
        area = crop[max(0, y0) : y + gate + n + 1, max(0, x0) : x + gate + n + 1]
        if min(area.shape) <= 2 * n + 2:
            return []
        score = cv2.matchTemplate(area, template, cv2.TM_CCOEFF_NORMED)
        _, peak, _, at = cv2.minMaxLoc(score)
        if peak < 0.6:
            return []
        cv2.circle(score, at, 5, -1.0, -1)
        _, second, _, _ = cv2.minMaxLoc(score)
        if second > peak - 0.06:
            return []  # two places look alike: neither can be believed
        return [np.array([at[0] + n + max(0, x0), at[1] + n + max(0, y0)], np.float64)]

    @staticmethod
    def _combine(small: Fit, large: Fit) -> NDArray[np.float64]:
        """Both patches weighted by their expected error; the large one only when it agrees."""
        a, b = small.matrix[:, 2], large.matrix[:, 2]
        if np.linalg.norm(a - b) > 0.8 or large.correlation < 0.7:
            return a
        wa, wb = 1 / (small.sigma_px**2 + 0.02**2), 1 / (large.sigma_px**2 + 0.02**2)
        return (a * wa + b * wb) / (wa + wb)


def confidence_of(features: tuple[float, ...]) -> float:
    """The chance that the error is below 1 px."""
    z = LOGISTIC[0] + sum(k * min(v, 20.0) for k, v in zip(LOGISTIC[1:], features, strict=True))
    return float(1 / (1 + np.exp(-np.clip(z, -30, 30))))


def _centred(m: NDArray[Any], n: int) -> NDArray[Any]:
    return np.c_[m, [(n - 1) / 2, (n - 1) / 2]]


def _sane(m: NDArray[Any], was: NDArray[Any]) -> bool:
    """An affine change between neighbouring frames stays small; otherwise it is fitting noise."""
    return bool(np.isfinite(m).all() and np.abs(m[:, :2] @ np.linalg.pinv(was) - np.eye(2)).max() < 0.35)
