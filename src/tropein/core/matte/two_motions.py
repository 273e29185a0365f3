"""What of a picture moves with the subject, and what with the ground behind it.

Dense flow (DIS, Kroeger et al. 2016) is split by the subject's mask into two motions, each continued over the whole picture. What
either of them carries to where it is seen in the frame before, or in the frame after, belongs to that one; what the ground
uncovers is not seen before, but after, and what it hides the other way round (layered motion with two-way occlusion: cf. Sun,
Sudderth & Black, Layered segmentation and optical flow estimation over time, CVPR 2012).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Mask = NDArray[np.bool_]
Picture = NDArray[np.uint8]
Plane = NDArray[np.float32]
Map = tuple[Plane, Plane]

TRUST_PX = 1.0
# how far a motion is carried outwards: pixels, and by how much less the farther ones count
Spread = tuple[tuple[float, float], ...]
SPREAD: Spread = ((8.0, 1.0), (25.0, 1e-3), (100.0, 1e-6))
STUCK_PX = 0.6  # what moves with the ground to within so much
FEWEST = 20.0  # summed weight: less tells no motion
PATCH_PX = 2.0  # errors are averaged over so much
TEXTURE = 0.08  # variance of an error for each squared grey level a pixel: motion is never exact
MATCHES = 5.0  # times the variance that is expected: more does not match at all
CAUTION = 8.0  # times the variance that is expected: what one unit of odds is worth
HIDDEN = 0.1  # of the mask: where the ground was covered before


@dataclass(frozen=True, eq=False)
class Flows:
    """Dense motion between two pictures, (h, w, 2) px each: from the first to the second, and back."""

    there: Plane
    back: Plane

    @property
    def error(self) -> Plane:
        """(h, w) how far each pixel of the first is from where it began, there and back again."""
        x, y = _grid(self.there.shape[:2])
        returned = _pulled(self.back, (x + self.there[..., 0], y + self.there[..., 1]))
        return np.asarray(np.linalg.norm(self.there + returned, axis=2), np.float32)


def flows(first: Picture, second: Picture) -> Flows:
    a, b = (cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) for p in (first, second))
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    return Flows(dis.calc(a, b, None), dis.calc(b, a, None))


@dataclass(frozen=True, eq=False)
class Told:
    """warped: (h, w) 0..1 the subject's mask brought to the next picture by its own motion; odds: (h, w) by how much each pixel
    goes with the subject (> 0) or the ground (< 0), 0 where neither or both explain it."""

    warped: Plane
    odds: Plane


def told(before: Picture, now: Picture, after: Picture | None, mask: Mask, behind: Flows, ahead: Flows | None) -> Told:
    """The subject's mask (h, w) of `before` brought to `now`. behind: before to now; ahead: now to after, if there is one."""
    error = behind.error
    still = _of(behind.there, error, ~mask)
    own, ground = (
        _sources(m) for m in (_of(behind.there, error, mask & ~_stuck(behind.there, error, mask, still)), still)
    )
    warped, seen_through = (_pulled(mask.astype(np.float32), m) for m in (own, ground))
    theirs, grounds = _mismatch(now, before, own), _mismatch(now, before, ground)
    hidden = seen_through > HIDDEN
    if after is not None and ahead is not None:
        sure, error = warped > 0.5, ahead.error
        x, y = _grid(sure.shape)
        goes = [_of(ahead.there, error, side) for side in (sure, ~sure)]
        later = [_mismatch(now, after, (x + g[..., 0], y + g[..., 1])) for g in goes]
        theirs = np.minimum(theirs, later[0])
        grounds = np.where(hidden, later[1], np.minimum(grounds, later[1]))
    best = np.minimum(theirs, grounds)
    expected = max(float(np.median(best)), 1.0) + TEXTURE * _texture(now)
    odds = (grounds - theirs) / (CAUTION * expected)
    odds[best > MATCHES * expected] = 0
    if after is None:
        odds[hidden & (odds > 0)] = 0  # the ground there was hidden: not to be seen tells nothing
    return Told(warped, np.asarray(odds, np.float32))


def _stuck(flow: Plane, error: Plane, mask: Mask, ground: Plane) -> Mask:
    """(h, w) what the mask took along by mistake: it moves as the ground does, while the subject at large does not."""
    at_large = _of(flow, error, mask, SPREAD[1:])
    apart, with_ground = (np.linalg.norm(m - ground, axis=2) for m in (at_large, flow))
    return np.asarray(mask & (with_ground < STUCK_PX) & (apart > 3 * STUCK_PX))


def _of(flow: Plane, error: Plane, side: Mask, spread: Spread = SPREAD) -> Plane:
    """The motion of one side alone, over the whole picture: what does not come back, or is not well inside, does not count."""
    core = cv2.erode(side.astype(np.uint8), np.ones((5, 5), np.uint8))
    weight = np.where((core > 0) & (error < TRUST_PX), np.exp(-(error**2)), 0).astype(np.float32)
    if weight.sum() < FEWEST:
        weight = (side * np.exp(-np.minimum(error, 6.0))).astype(np.float32)
    return _continued(flow, weight, spread)


def _continued(flow: Plane, weight: Plane, spread: Spread) -> Plane:
    """Flow known with some weight, spread over the whole picture: from close by where there is any, else from farther off."""
    h, w = weight.shape
    known = np.dstack([flow * weight[..., None], weight]).astype(np.float32)
    total = np.zeros_like(known)
    for sigma, k in spread:
        n = max(1, int(sigma // 5))
        size = (max(1, w // n), max(1, h // n))
        small = known if n == 1 else cv2.resize(known, size, interpolation=cv2.INTER_AREA)
        total += k * cv2.resize(cv2.GaussianBlur(small, (0, 0), sigma / n), (w, h), interpolation=cv2.INTER_LINEAR)
    return np.asarray(total[..., :2] / (total[..., 2:] + 1e-12), np.float32)


def _sources(flow: Plane) -> Map:
    """Where each pixel of the second picture came from: x = y + flow(y), solved by fixed point."""
    x, y = _grid(flow.shape[:2])
    from_x, from_y = x - flow[..., 0], y - flow[..., 1]
    for _ in range(3):
        at = _pulled(flow, (from_x, from_y))
        from_x, from_y = x - at[..., 0], y - at[..., 1]
    return from_x, from_y


def _mismatch(now: Picture, other: Picture, where: Map) -> Plane:
    """Mean squared difference from another picture seen at given places, averaged over a small patch."""
    gap = now.astype(np.float32) - _pulled(other.astype(np.float32), where)
    return cv2.GaussianBlur((gap**2).mean(2), (0, 0), PATCH_PX)


def _texture(picture: Picture) -> Plane:
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    x, y = (cv2.Sobel(grey, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    return cv2.GaussianBlur(x * x + y * y, (0, 0), PATCH_PX)


def _pulled(plane: Plane, where: Map) -> Plane:
    return cv2.remap(plane, *where, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _grid(shape: tuple[int, ...]) -> Map:
    x, y = np.meshgrid(np.arange(shape[1], dtype=np.float32), np.arange(shape[0], dtype=np.float32))
    return x, y
