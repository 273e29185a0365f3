"""Following a thing by a box around it, while it turns, comes nearer, changes shape and is passed in front of.

Points followed on the thing say where it is and how it is turned, all taken as places on one solid body (solid.py); its
outline, by colour and motion, pulls the box gently to where the thing is, so that nothing drifts (figure.py). Once covered it is looked
for in the whole picture by what it looked like before.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.raster.warp import Matrix, apply, scaling, translation
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.figure import FROM_GRID, SIDE, Figure, carried, sampled
from tropein.core.track.frames import ColourPictures
from tropein.core.track.looks import EDGE, INNER, likeness, look_of, nearby
from tropein.core.track.solid import Solid

WORK_PX = 150.0  # the box's longer side in the picture that flow is measured on
SEARCH_PX = 22.0  # and in the one a lost thing is looked for in
FEATURES = 90
PULL_PLACE, PULL_SIZE = 0.6, 0.25  # how far the outline pulls the body's place and size
SMALLEST_PX = 6.0
SEEN = 0.6  # of the usual agreement of colours; less is covered
LOOKS_LIKE = 0.55  # correlation with a view seen before, to believe that the thing was found again
TURNED_SINCE = 0.3  # or so much, where its colours and its surroundings' are all as they should be
WITH_GROUND_PX = 0.5  # a point that goes along with the ground to this
REACH = (0.6, 0.15)  # of its size: how far a lost thing can have gone at once, and more with each frame that it is lost
STEADY = 0.35  # of its size: how far it may go between two frames of a search
LOOKS = 7  # kept of the last frames: the very last ones may be half covered already
VIEWS = 12
VIEW_EVERY = 4
COAST_FRAMES = 6
NOISE_LEVELS = 6.0  # difference of grey levels that begins to speak for thing or ground
MOTION_SAYS = 2.0  # log odds, at most, in one frame
REMEMBERED, MOST_ODDS = 0.8, 4.0  # from frame to frame, and at most
# colours that tell thing and ground apart so well need no memory of motion; how much less needs all of it
CLEAR, UNCLEAR = 0.85, 0.2
# colours around that are not the thing's, and likeness, from which on the thing is learnt from
LEARNS, LEARNS_ALIKE = 0.74, 0.62
NOTHING = np.zeros((SIDE, SIDE))
SHIFTS = [(0, 0), (0, 1), (0, -1), (1, 0), (-1, 0)]
_LK: dict[str, Any] = {"winSize": (15, 15), "maxLevel": 3, "criteria": (3, 20, 0.02)}
# logistic weights of the chance that the centre is within 5 % of the box's size: bias, share of points that agree, agreement of
# the colours inside and around, correlation with the frame before, how well colours tell thing and ground apart, frames from
# the anchor (log); fitted by bench/object_track.py --calibrate
LOGISTIC = (-2.08, 0.29, 0.55, 2.77, 0.51, 2.77, -0.97)


@dataclass(eq=False)
class _State:
    box: Box
    solid: Solid
    velocity: NDArray[np.float64]
    look: NDArray[np.float32]
    looks: list[NDArray[np.float32]]  # the last few, oldest first
    odds: NDArray[np.float64]  # (side, side) log odds, by motion so far, that a place about the box is the thing
    clear: float = 1.0
    lost: int = 0
    away: int = 0  # frames from the anchor
    hint: NDArray[np.float64] | None = None  # where the last search found it


class ObjectTracker:
    """Follows a thing from one anchor through neighbouring frames, either way."""

    def __init__(self, frames: ColourPictures, anchor: ObjectAnchor) -> None:
        w, h = frames.size
        box = anchor.box
        if not (np.isfinite(box.sides).all() and box.sides.min() >= 12):
            raise BadInput("The box is too small to follow: it must be at least 12 pixels wide and high.")
        if box.sides[0] > 1.5 * w or box.sides[1] > 1.5 * h:
            raise BadInput("The box is larger than the picture.")
        if not (0 <= box.centre[0] < w and 0 <= box.centre[1] < h):
            raise BadInput("The middle of the box lies outside the picture.")
        self.frames, self.anchor = frames, anchor
        picture = frames.rgb(anchor.frame)
        self._factor = min(1.0, WORK_PX / float(box.sides.max()))
        work = self._work(picture)
        self.figure = Figure(work, self._in_work(box))
        crop = sampled(work, self._in_work(box))
        if float(cv2.cvtColor(crop, cv2.COLOR_RGB2GRAY)[self.figure.mask > 0.5].std()) < 1.0:
            raise BadInput("There is nothing but one even colour in the box: nothing to follow.")
        self._usual = max(self.figure.agreement(self.figure.likely(crop))[0], 0.3)
        # how far off colours lay it where it is known to be; of the size half is taken off
        self._bias = self.figure.laid(self.figure.likely(crop)) * [1, 1, 0.5]
        self._views: list[NDArray[np.uint8]] = []
        self._keep_view(work, box)

    def run(self, last: int, report: Callable[[ObjectFound], None]) -> str:
        """Track from the anchor to frame `last`. Returns why it ended lost, or ""."""
        step = 1 if last >= self.anchor.frame else -1
        before = self._work(self.frames.rgb(self.anchor.frame))
        box = self.anchor.box
        look = look_of(sampled(before, self._in_work(box)))
        state = _State(box, self._solid(box), np.zeros(2), look, [look], NOTHING)
        found = None
        for frame in range(self.anchor.frame + step, last + step, step):
            now = self._work(self.frames.rgb(frame))
            found = self._next(state, before, now, frame)
            report(found)
            before = now
        return found.reason if found is not None and found.lost else ""

    def _work(self, picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
        if self._factor == 1.0:
            return picture
        return cv2.resize(picture, None, fx=self._factor, fy=self._factor, interpolation=cv2.INTER_AREA)

    def _in_work(self, box: Box) -> Matrix:
        f = self._factor
        return translation(0.5 * f - 0.5, 0.5 * f - 0.5) @ scaling(f, f) @ box.matrix()

    def _solid(self, box: Box) -> Solid:
        return Solid(self._in_work(box)[:2, 2], box.sides / 2 * self._factor, float(np.radians(box.angle_deg)))

    def _next(self, state: _State, before: NDArray[Any], now: NDArray[Any], frame: int) -> ObjectFound:
        tried: list[_Seen] = []
        state.away = abs(frame - self.anchor.frame)
        if not state.lost:
            agree, ground = self._flow(state.solid, state.box, before, now)
            moved = state.box if agree is None else Box.of_solid(state.solid, self._factor)
            odds = self._unlike(state.box, moved, ground, before, now)
            unclear = float(np.clip((CLEAR - state.clear) / UNCLEAR, 0, 1))
            odds = np.clip(unclear * REMEMBERED * state.odds + odds, -MOST_ODDS, MOST_ODDS)
            tried.append(self._settled(now, moved, state, agree, odds))
        if not tried or tried[0].doubt:
            again = self._near(state, now) or self._search(state, now)
            if again is not None and self._steady(state, again):
                tried.append(again)
        best = next((t for t in tried if not t.doubt), None)
        if best is None:
            return self._gone(state, tried, frame)
        jumped = state.lost > 0
        box = best.box
        if best.learns:
            self._usual += 0.05 * (best.inside - self._usual)
            went = self.figure.learn(best.crop, best.likely)
            box = box.moved(went * box.sides / 2, 0.0, 0.0)
        if jumped or best is not tried[0]:
            state.solid = self._solid(box)
        else:
            pose = state.solid.pose
            growth = float(np.log(box.sides[0] * self._factor / (2 * state.solid.half[0] * pose.size)))
            state.solid.shift(self._in_work(box)[:2, 2] - pose.centre, growth)
        state.velocity = np.zeros(2) if jumped else box.centre - state.box.centre
        if best.learns:
            state.clear += 0.1 * (0.5 * (best.inside + best.around) - state.clear)
        state.box, state.look, state.odds, state.lost, state.hint = box, best.look, best.odds, 0, None
        state.looks = [*state.looks[-LOOKS + 1 :], best.look]
        if best.learns and frame % VIEW_EVERY == 0:
            self._keep_view(now, best.box)
        return ObjectFound(frame, state.box, best.confidence, False)

    def _steady(self, state: _State, again: _Seen) -> bool:
        """A thing that was searched for is believed once it was found at the same place in two frames running, no farther away than
        it can have gone meanwhile."""
        far = np.linalg.norm(again.box.centre - state.box.centre) / again.box.sides.max()
        if far > REACH[0] + REACH[1] * state.lost:
            return False
        hint, state.hint = state.hint, again.box.centre
        return hint is not None and bool(np.linalg.norm(hint - again.box.centre) < STEADY * again.box.sides.max())

    def _gone(self, state: _State, tried: list[_Seen], frame: int) -> ObjectFound:
        state.lost += 1
        if state.lost <= COAST_FRAMES:
            state.box = replace(state.box, centre=state.box.centre + state.velocity)
            state.velocity = state.velocity * 0.85
        w, h = self.frames.size
        outside = not (0 <= state.box.centre[0] < w and 0 <= state.box.centre[1] < h)
        reason = "left the picture" if outside else (tried[0].doubt if tried else "") or "covered or changed"
        return ObjectFound(frame, state.box, 0.0, True, reason)

    def _flow(
        self, solid: Solid, box: Box, before: NDArray[Any], now: NDArray[Any]
    ) -> tuple[float | None, Matrix | None]:
        """Moves the body; the share of its points that agree, None where too few do; and how (3x3) what is around it moved, in
        pixels of the work picture."""
        place = self._in_work(box)
        half = box.sides / 2 * self._factor
        centre = place[:2, 2]
        reach = half.max() * 1.7 + 24
        low = np.maximum(np.floor(centre - reach), 0).astype(int)
        high = np.minimum(np.ceil(centre + reach), [now.shape[1], now.shape[0]]).astype(int)
        if (high - low < 24).any():
            return None, None
        a, b = (cv2.cvtColor(p[low[1] : high[1], low[0] : high[0]], cv2.COLOR_RGB2GRAY) for p in (before, now))
        told = self.figure.mask * np.where(self.figure.likely(sampled(before, place)) > 0.35, 1, 0)
        masks = [
            cv2.warpAffine(
                cv2.blur(np.float32(m), (3, 3)), (translation(-low[0], -low[1]) @ place @ FROM_GRID)[:2], a.shape[::-1]
            )
            for m in (told, self.figure.mask)
        ]
        if len(solid.points) < 0.8 * FEATURES:
            free = np.uint8(masks[0] > 0.6)
            apart = max(3.0, half.min() / 12)
            for x, y in np.rint(solid.points - low).astype(int):
                cv2.circle(free, (int(x), int(y)), int(apart), 0, -1)
            fresh = cv2.goodFeaturesToTrack(a, FEATURES - len(solid.points), 0.005, apart, mask=free)
            if fresh is not None:
                solid.add(fresh[:, 0] + low)
        outside = cv2.goodFeaturesToTrack(
            a, FEATURES // 2, 0.005, max(3, half.min() / 8), mask=np.uint8(masks[1] < 0.02)
        )
        own = (solid.points - low).astype(np.float32)[:, None]
        points = own if outside is None else np.concatenate([own, outside])
        if not len(points):
            return None, None
        there, ok, _ = cv2.calcOpticalFlowPyrLK(a, b, points, None, **_LK)
        back, ok2, _ = cv2.calcOpticalFlowPyrLK(b, a, there, None, **_LK)
        good = (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (np.linalg.norm(back - points, axis=2)[:, 0] < 0.7)
        mine = np.arange(len(points)) < len(own)
        ground = None
        rest = good & ~mine
        if rest.sum() >= 8:
            found, _ = cv2.estimateAffinePartial2D(
                points[rest] + np.float32(low), there[rest] + np.float32(low), ransacReprojThreshold=1.0
            )
            ground = None if found is None else np.vstack([found, [0, 0, 1]])
        if ground is not None:  # what goes along with the ground, and not with most of the thing, is no part of it
            gone = there[:, 0] - points[:, 0]
            carried_on = apply(ground, points[:, 0].astype(float) + low) - low - points[:, 0]
            with_ground = np.linalg.norm(gone - carried_on, axis=1) < WITH_GROUND_PX
            middle = np.median(gone[mine & good], 0) if (mine & good).any() else np.zeros(2)
            elsewhere = np.linalg.norm(carried_on - middle, axis=1) > 3 * WITH_GROUND_PX
            good &= ~(with_ground & elsewhere & mine)
        agree = solid.move(there[: len(own), 0].astype(float) + low, good[: len(own)])
        return None if agree is None else float(agree.mean()), ground

    def _unlike(
        self, was: Box, box: Box, ground: Matrix | None, before: NDArray[Any], now: NDArray[Any]
    ) -> NDArray[np.float64]:
        """(side, side) log odds, by motion, that what is seen around the moved box is the thing: it looks like what was in the
        box, or like what the ground carried there."""
        if ground is None:
            return NOTHING
        place = self._in_work(box)
        here = look_of(sampled(now, place))
        errors = [
            np.minimum.reduce([cv2.blur(np.abs(here - np.roll(then, s, (0, 1))), (3, 3)) for s in SHIFTS])
            for then in (
                look_of(sampled(before, self._in_work(was))),
                look_of(sampled(before, np.linalg.inv(ground) @ place)),
            )
        ]
        return np.clip((errors[1] - errors[0]) / NOISE_LEVELS, -MOTION_SAYS, MOTION_SAYS)

    def _settled(
        self, now: NDArray[Any], box: Box, state: _State, agree: float | None, odds: NDArray[Any] = NOTHING
    ) -> _Seen:
        """The box pulled to where colours and motion say the thing is, and how sure that is."""
        crop = sampled(now, self._in_work(box))
        likely = self.figure.likely(crop)
        inside, around = self.figure.agreement(likely)
        told = _joined(likely, odds)
        clear = self.figure.agreement(told)
        at = np.zeros(3)
        if agree is None or (inside > 0.85 * self._usual and clear[1] > 0.55):
            at = self.figure.laid(told) - self._bias
            pull = (
                min(1.0, 2.5 * (clear[1] - 0.5)) * np.array([PULL_PLACE, PULL_SIZE])
                if agree is not None
                else np.array([1.0, 0.5])
            )
            at[:2] *= pull[0]
            at[2] *= pull[1]
            box = box.moved(at[:2] * box.sides / 2, float(at[2]), 0.0)
            crop = sampled(now, self._in_work(box))
            likely = self.figure.likely(crop)
            inside, around = self.figure.agreement(likely)
        mine = look_of(crop)
        alike = likeness(mine, state.look, self.figure.mask)
        confidence = confidence_of(agree or 0.0, inside / self._usual, clear[1], alike, state.clear, state.away)
        doubt = ""
        if inside < SEEN * self._usual or (agree is None and alike < LOOKS_LIKE) or alike < 0.2:
            doubt = "covered or changed"
        if box.sides.min() < SMALLEST_PX:
            doubt = "too small to follow"
        odds = carried(odds, at)
        learns = _clear_enough(clear[1], alike)
        return _Seen(box, crop, _joined(likely, odds), odds, mine, inside, around, confidence, doubt, learns)

    def _near(self, state: _State, now: NDArray[Any]) -> _Seen | None:
        """The thing about where it should be by now, by its last looks."""
        grey = cv2.cvtColor(now, cv2.COLOR_RGB2GRAY)
        found = nearby(grey, state.box, self._in_work, state.looks, self.figure.mask)
        w, h = self.frames.size
        if found is None or not (0 <= found[1].centre[0] < w and 0 <= found[1].centre[1] < h):
            return None
        high, box = found
        crop = sampled(now, self._in_work(box))
        likely = self.figure.likely(crop)
        inside, around = self.figure.agreement(likely)
        if inside < SEEN * self._usual:
            return None
        sure = min(confidence_of(0.0, inside / self._usual, around, high, state.clear, state.away), 0.8 * high)
        return _Seen(box, crop, likely, NOTHING, look_of(crop), inside, around, sure, "", _clear_enough(around, high))

    def _search(self, state: _State, now: NDArray[Any]) -> _Seen | None:
        """The thing anywhere in the picture, by the views of it that were kept, and by its colours."""
        f = min(1.0, SEARCH_PX / float(state.box.sides.max() * self._factor))
        small = cv2.resize(now, None, fx=f, fy=f, interpolation=cv2.INTER_AREA)
        size = np.maximum(np.rint(state.box.sides * self._factor * f).astype(int), 6)
        found: list[tuple[float, NDArray[Any]]] = []
        for view in self._views:
            template = cv2.resize(view, (int(size[0]), int(size[1])), interpolation=cv2.INTER_AREA)
            if template.shape[0] > small.shape[0] or template.shape[1] > small.shape[1]:
                continue
            score = cv2.matchTemplate(small, template, cv2.TM_CCOEFF_NORMED)
            _, high, _, at = cv2.minMaxLoc(score)
            found.append((high, (np.array(at) + size / 2) / f / self._factor))
        found = [s for s in sorted(found, key=lambda s: -s[0])[:2] if s[0] > LOOKS_LIKE]
        chance = np.float32(self.figure.likely(small))
        near, wide = (
            cv2.blur(chance, tuple(np.rint(size * 0.8).astype(int))),
            cv2.blur(chance, tuple(np.rint(size * 2).astype(int))),
        )
        _, _, _, peak = cv2.minMaxLoc(near - 0.6 * wide)
        found.append((0.0, (np.array(peak) + 0.5) / f / self._factor))
        best: _Seen | None = None
        for _, centre in found:
            box = replace(state.box, centre=centre)
            for _ in range(4):
                seen = self._settled(now, box, state, None)
                box = seen.box
            alike = max(likeness(seen.look, look_of(v), self.figure.mask) for v in self._wide)
            sure = min(seen.confidence, 0.8 * alike)
            right = seen.inside / self._usual
            w, h = self.frames.size
            if not (0 <= seen.box.centre[0] < w and 0 <= seen.box.centre[1] < h):
                continue
            if seen.box.sides.min() < SMALLEST_PX:
                continue
            known = (right > 0.85 and alike > LOOKS_LIKE) or (
                right > 0.9 and seen.around > 0.6 and alike > TURNED_SINCE
            )
            if known and (best is None or sure > best.confidence):
                best = replace(seen, doubt="", confidence=sure, learns=seen.learns and alike > LEARNS_ALIKE)
        return best

    def _keep_view(self, work: NDArray[Any], box: Box) -> None:
        wide = sampled(work, self._in_work(box))
        self._views.append(wide[INNER, INNER])
        if len(self._views) > VIEWS:
            self._views.pop(1)  # the first, which a person chose, stays

    @property
    def _wide(self) -> list[NDArray[np.uint8]]:
        return [cv2.copyMakeBorder(v, EDGE, EDGE, EDGE, EDGE, cv2.BORDER_REPLICATE) for v in self._views]


@dataclass(frozen=True, eq=False)
class _Seen:
    box: Box
    crop: NDArray[np.uint8]
    likely: NDArray[np.float64]
    odds: NDArray[np.float64]
    look: NDArray[np.float32]
    inside: float
    around: float
    confidence: float
    doubt: str
    learns: bool  # so clear that the thing may be learnt from it


def _clear_enough(around: float, alike: float) -> bool:
    return around + 0.2 * alike > LEARNS


def confidence_of(agree: float, inside: float, around: float, alike: float, clear: float, away: int) -> float:
    """The chance that the centre lies within 5 % of the box's size, `away` frames from where it was marked."""
    z = LOGISTIC[0] + float(np.dot(LOGISTIC[1:], (agree, inside, around, alike, clear, np.log1p(away))))
    return float(1 / (1 + np.exp(-np.clip(z, -30, 30))))


def _joined(likely: NDArray[np.float64], odds: NDArray[np.float64]) -> NDArray[np.float64]:
    """A chance with more evidence, given as log odds."""
    p = np.clip(likely, 0.02, 0.98)
    return np.asarray(1 / (1 + (1 - p) / p * np.exp(-odds)))
