"""Parts of bodies: found in every frame by the pose and hand models that come with mediapipe, carried by flow in between.

A model sees every frame afresh and trembles; flow is steady and drifts. The way that agrees best with both is found by least
squares over all frames (the smoother of Rauch, Tung & Striebel, 1965, with weights found again and again after Holland & Welsch,
Robust regression using iteratively reweighted least squares, 1977), begun from what flow carries forwards and backwards.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.quiet import silenced
from tropein.core.track.close_up import close_up
from tropein.core.track.cuts import CUT, Cuts
from tropein.core.track.frames import ColourPictures
from tropein.core.track.point import Anchor, Found

_POSE = {
    "head": (0,), "ear": (7, 8), "shoulder": (11, 12), "elbow": (13, 14), "wrist": (15, 16), "hip": (23, 24), "knee": (25, 26),
    "ankle": (27, 28), "heel": (29, 30), "toes": (31, 32),
}  # fmt: skip
_HAND = {
    "thumb tip": (4,), "index fingertip": (8,), "middle fingertip": (12,), "ring fingertip": (16,), "little fingertip": (20,),
    "palm": (0, 5, 17),
}  # fmt: skip
# the next frame is looked at in a box so much larger than the thing, enlarged at least to this
CROP, CROP_PX = 1.7, 320.0
SEEN = 0.5  # a pose landmark that is less visible than this was guessed
PULL = 0.15
# of least squares over all frames: what the model's word weighs against a step of the flow, and a step nothing is known of
TO_MODEL, UNSEEN_STEP = 0.0265, 0.01
FLOW_ROUNDS, WEIGHT_ROUNDS = 2, 10
SMEAR = 0.1  # of the way between two frames: what flow is off by
STRAY_SEEN, STRAY_STEP = 0.08, 0.02  # of the thing's size: so far off, a word weighs half
FLOW_PATCH, FLOW_ERROR_PX = 5, 1.0
CARRIED_FRAMES = 8  # so long flow alone is believed where the model finds nothing
OFF_SHARE = 0.35  # of the thing's size: flow that leaves the model's place farther than this went astray
DOUBT = 0.10  # of its size: disagreement at which the confidence has fallen to a third
BELIEVED = 0.2  # below this confidence a frame counts as lost
_LK: dict[str, Any] = {"winSize": (25, 25), "maxLevel": 3, "criteria": (3, 20, 0.02)}


@dataclass(frozen=True)
class Seen:
    """A part in one frame: where, how large what it belongs to is (px), the box around that, how surely it is seen."""

    xy: NDArray[np.float64]
    size: float
    box: tuple[float, float, float, float]
    sure: float


class Bodies:
    """Finds one part, by name, in pictures. Use as a context: the models stay loaded."""

    def __init__(self, part: str) -> None:
        side, _, name = part.partition(" ")
        self.hand = name in _HAND
        self.side = side
        if self.hand:
            self._which = _HAND[name]
        else:
            pair = _POSE["head" if part == "head" else name]
            self._which = (pair[0 if side in ("left", "head") else 1],)

    def __enter__(self) -> Bodies:
        from mediapipe.python.solutions.hands import Hands
        from mediapipe.python.solutions.pose import Pose

        with silenced():
            if self.hand:
                self._model = Hands(
                    static_image_mode=True, max_num_hands=4, model_complexity=1, min_detection_confidence=0.4
                )
            else:
                self._model = Pose(static_image_mode=True, model_complexity=1)
            self._model.process(np.zeros((64, 64, 3), np.uint8))
        return self

    def __exit__(self, *problem: object) -> None:
        self._model.close()

    def within(self, picture: NDArray[np.uint8], box: tuple[float, float, float, float] | None = None) -> list[Seen]:
        """Every place the part is seen at in a picture (h, w, 3), or in a box (x0, y0, x1, y1) of it."""
        close = close_up(picture, box, CROP_PX, 16)
        if close is None:
            return []
        part, corner, size = close
        with silenced():
            result = self._model.process(part)
        return [self._seen(points * size + corner, sure) for points, sure in self._shapes(result)]

    def _shapes(self, result: object) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
        """Landmarks (n, 2) as shares of the picture and how surely each is seen (n,), of every body or hand meant."""
        if not self.hand:
            pose = getattr(result, "pose_landmarks", None)
            if pose is None:
                return []
            points = np.array([[p.x, p.y] for p in pose.landmark])
            return [(points, np.array([p.visibility for p in pose.landmark], np.float64))]
        hands = getattr(result, "multi_hand_landmarks", None) or []
        sides = getattr(result, "multi_handedness", None) or []
        shapes = []
        for landmarks, side in zip(hands, sides, strict=True):
            told = side.classification[0]
            # the model was trained on mirrored pictures: its "Left" is a right hand
            if (told.label == "Right") == (self.side == "left"):
                shapes.append((np.array([[p.x, p.y] for p in landmarks.landmark], np.float64), np.full(21, told.score)))
        return shapes

    def _seen(self, places: NDArray[np.float64], sure: NDArray[np.float64]) -> Seen:
        shown = places if self.hand else places[sure > SEEN]
        shown = shown if len(shown) > 3 else places
        low, high = shown.min(0), shown.max(0)
        return Seen(
            places[list(self._which)].mean(0), float(np.linalg.norm(high - low)), (*low, *high), float(sure[list(self._which)].min())
        )  # fmt: skip

    def meant(self, picture: NDArray[np.uint8], near: tuple[float, float] | None) -> Seen | None:
        """The part in a picture: the one nearest to a place, else the largest; what is not found in the whole is looked for in
        parts of it."""
        h, w = picture.shape[:2]
        found = [s for s in self.within(picture) if s.sure > SEEN]
        if near is not None and not any(np.linalg.norm(s.xy - near) < 0.15 * w for s in found):
            for half in (0.15 * w, 0.25 * w, 0.4 * w):
                box = (near[0] - half, near[1] - half, near[0] + half, near[1] + half)
                found += [s for s in self.within(picture, box) if s.sure > SEEN]
        if not found:
            boxes = [(x * w, y * h, (x + 0.6) * w, (y + 0.6) * h) for y in (0.0, 0.2, 0.4) for x in (0.0, 0.2, 0.4)]
            found = [s for box in boxes for s in self.within(picture, box) if s.sure > SEEN]
        if near is not None:
            return min(found, key=lambda s: float(np.linalg.norm(s.xy - near)), default=None)
        return max(found, key=lambda s: s.size, default=None)

    def again(self, picture: NDArray[np.uint8], before: Seen, missing: int) -> Seen | None:
        """The same part in the next picture, or after some in which it was not found."""
        x0, y0, x1, y1 = before.box
        half = (CROP / 2 + 0.1 * missing) * max(x1 - x0, y1 - y0, 24)
        middle = ((x0 + x1) / 2, (y0 + y1) / 2)
        found = self.within(picture, (middle[0] - half, middle[1] - half, middle[0] + half, middle[1] + half))
        if not found and missing % 4 == 0:
            found = self.within(picture)
        reach = before.size * (0.6 + 0.25 * missing)
        same = [s for s in found if np.linalg.norm(s.xy - before.xy) < reach and s.sure > SEEN]
        return min(same, key=lambda s: float(np.linalg.norm(s.xy - before.xy)), default=None)


def follow_body(
    pictures: ColourPictures, part: str, reference: int, span: tuple[int, int], near: tuple[float, float] | None = None,
    hand_set: Sequence[Anchor] = (), report: Callable[[Found], None] = lambda found: None,
) -> dict[int, Found]:  # fmt: skip
    """A part of a body through first..last: of whoever has it nearest to `near` in the reference frame, else of the largest.

    What is set by hand is passed exactly, and what it differs by fades to the next such frame. `report` hears raw results and
    may raise to stop. Raises BadInput when the part is not seen in the reference frame.
    """
    first, last = span
    if not 0 <= first <= reference <= last < len(pictures):
        raise BadInput("The reference frame must lie in the range, and the range in the clip.")
    with Bodies(part) as bodies:
        begun = bodies.meant(pictures.rgb(reference), near)
        if begun is None:
            raise BadInput(
                f"No {part} was found at frame {reference}. Go to a frame in which it is well seen and start there, or follow it "
                "as a point."
            )
        raw = {reference: begun}
        report(_heard(reference, begun))
        cuts, cut = Cuts.of_colours(pictures.rgb), set[int]()
        for frames in (range(reference + 1, last + 1), range(reference - 1, first - 1, -1)):
            at, missing = begun, 0
            for frame in frames:
                if cuts.between(frame, frame - frames.step):
                    cut.update(range(frame, frames.stop, frames.step))
                    break
                seen = bodies.again(pictures.rgb(frame), at, missing)
                missing = 0 if seen is not None else missing + 1
                if seen is not None:
                    raw[frame] = at = seen
                report(_heard(frame, seen))
    missed = f"no {part} to be seen"
    found = _fused(pictures, raw, (first, last), cut, missed)
    found |= {f: Found(f, tuple(begun.xy), 0.0, True, CUT) for f in cut}
    return put_right(found, hand_set, span)


def _heard(frame: int, seen: Seen | None) -> Found:
    xy = (0.0, 0.0) if seen is None else (float(seen.xy[0]), float(seen.xy[1]))
    return Found(frame, xy, 0.0 if seen is None else 0.9, seen is None)


def _fused(
    pictures: ColourPictures, raw: dict[int, Seen], span: tuple[int, int], cut: set[int], missed: str
) -> dict[int, Found]:
    frames = range(span[0], span[1] + 1)
    ways = [_carried(pictures, raw, order, cut) for order in (frames, frames[::-1])]
    both = {f: np.array([way[f] for way in ways if f in way]) for f in frames if any(f in way for way in ways)}
    settled = brought_together(pictures, raw, {f: places.mean(0) for f, places in both.items()})
    out: dict[int, Found] = {}
    sizes = [s.size for s in raw.values()]
    for frame in frames:
        if frame not in both:
            known = raw[min(raw, key=lambda f: abs(f - frame))]
            out[frame] = Found(frame, (float(known.xy[0]), float(known.xy[1])), 0.0, True, missed)
            continue
        xy, places = settled[frame], both[frame]
        size = raw[frame].size if frame in raw else float(np.median(sizes))
        apart = float(np.linalg.norm(places[0] - places[-1]))
        if frame in raw:
            off = max(apart, float(np.linalg.norm(xy - raw[frame].xy))) / (DOUBT * size)
            sure = raw[frame].sure * float(np.exp(-(off**2)))
        else:
            sure = 0.5 * float(np.exp(-((apart / (DOUBT * size)) ** 2))) if len(places) == 2 else 0.3
        reason = "" if sure >= 0.5 else "the model and the picture's motion disagree" if frame in raw else missed
        out[frame] = Found(frame, (float(xy[0]), float(xy[1])), sure, sure < BELIEVED, reason)
    return out


def brought_together(
    pictures: ColourPictures, raw: dict[int, Seen], places: dict[int, NDArray[np.float64]]
) -> dict[int, NDArray[np.float64]]:
    """Places (2,) that agree best with what the model saw in each frame and with how the picture moved between them: weighted
    least squares over all frames, what disagrees weighing ever less (Cauchy)."""
    frames = sorted(places)
    if len(frames) < 2:
        return places
    x = np.array([places[f] for f in frames])
    seen = np.array([raw[f].xy if f in raw else (0.0, 0.0) for f in frames])
    is_seen = np.array([f in raw for f in frames])
    size = float(np.median([s.size for s in raw.values()]))
    grey = lru_cache(2)(lambda frame: cv2.cvtColor(pictures.rgb(frame), cv2.COLOR_RGB2GRAY))
    for _ in range(FLOW_ROUNDS):
        moved, trust = np.diff(x, axis=0), np.full(len(frames) - 1, UNSEEN_STEP)
        for i, (f, g) in enumerate(pairwise(frames)):
            if g != f + 1:
                trust[i] = 0
                continue
            step = _flowed(grey(f), grey(g), x[i], moved[i])
            if step is not None:
                moved[i] = step - x[i]
                trust[i] = 1 / (1 + (SMEAR * np.linalg.norm(moved[i])) ** 2)
        for _ in range(WEIGHT_ROUNDS):
            pull = TO_MODEL * is_seen / (1 + (np.linalg.norm(x - seen, axis=1) / (STRAY_SEEN * size)) ** 2)
            hold = trust / (1 + (np.linalg.norm(np.diff(x, axis=0) - moved, axis=1) / (STRAY_STEP * size)) ** 2)
            along = np.concatenate([hold, [0]]) + np.concatenate([[0], hold])
            bands = np.stack([np.concatenate([[0], -hold]), pull + along + 1e-9])
            pushed = np.zeros_like(x)
            pushed[1:] += hold[:, None] * moved
            pushed[:-1] -= hold[:, None] * moved
            x = scipy.linalg.solveh_banded(bands, pull[:, None] * seen + pushed + 1e-9 * x)
    return dict(zip(frames, x, strict=True))


def _carried(
    pictures: ColourPictures, raw: dict[int, Seen], order: range, cut: set[int]
) -> dict[int, NDArray[np.float64]]:
    """One way through the frames: carried by flow, pulled to the model where it sees the part."""
    out: dict[int, NDArray[np.float64]] = {}
    before: NDArray[np.uint8] | None = None
    alone = 0
    for frame in order:
        now = cv2.cvtColor(pictures.rgb(frame), cv2.COLOR_RGB2GRAY)
        place = out.get(frame - order.step)
        carried = _flowed(before, now, place) if place is not None and before is not None and frame not in cut else None
        seen = raw.get(frame)
        if seen is not None:
            alone = 0
            astray = carried is None or np.linalg.norm(carried - seen.xy) > OFF_SHARE * seen.size
            out[frame] = seen.xy if carried is None or astray else carried + PULL * (seen.xy - carried)
        elif carried is not None and alone < CARRIED_FRAMES:
            alone += 1
            out[frame] = carried
        before = now
    return out


def _flowed(
    before: NDArray[np.uint8],
    now: NDArray[np.uint8],
    place: NDArray[np.float64],
    guess: NDArray[np.float64] | None = None,
) -> NDArray[np.float64] | None:
    """Where a small patch around a place (2,) went, begun from a guess of its step (2,): the median of those of its points that
    come back when flowed back."""
    grid = np.stack(np.meshgrid(np.arange(-1, 2), np.arange(-1, 2)), -1).reshape(-1, 2) * FLOW_PATCH
    p = (place - 0.5 + grid).astype(np.float32).reshape(-1, 1, 2)
    off = np.zeros(2, np.float32) if guess is None else guess.astype(np.float32)
    q, ok, _ = cv2.calcOpticalFlowPyrLK(before, now, p, p + off, flags=cv2.OPTFLOW_USE_INITIAL_FLOW, **_LK)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(now, before, q, q - off, flags=cv2.OPTFLOW_USE_INITIAL_FLOW, **_LK)
    good = (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (np.linalg.norm(back - p, axis=2)[:, 0] < FLOW_ERROR_PX)
    if good.sum() < 4:
        return None
    return place + np.median((q - p)[good, 0], 0)


def put_right(found: dict[int, Found], hand_set: Sequence[Anchor], span: tuple[int, int]) -> dict[int, Found]:
    """A path that passes through what was set by hand: the difference there fades linearly from one such frame to the next
    and is kept beyond the last; between two of them nothing is lost."""
    hand = sorted((a for a in hand_set if span[0] <= a.frame <= span[1]), key=lambda a: a.frame)
    if not hand:
        return found
    at = [a.frame for a in hand]
    off = np.array([(0.0, 0.0) if found[a.frame].lost else np.subtract(a.xy, found[a.frame].xy) for a in hand])
    out = dict(found)
    for frame, f in found.items():
        between = at[0] <= frame <= at[-1]
        if f.lost and between:
            xy = [float(np.interp(frame, at, [a.xy[k] for a in hand])) for k in (0, 1)]
            out[frame] = replace(f, xy=(xy[0], xy[1]), lost=False, confidence=0.3)
        elif not f.lost:
            shift = [float(np.interp(frame, at, off[:, k])) for k in (0, 1)]
            out[frame] = replace(f, xy=(f.xy[0] + shift[0], f.xy[1] + shift[1]))
    for a in hand:
        out[a.frame] = Found(a.frame, a.xy, 1.0, False)
    return out
