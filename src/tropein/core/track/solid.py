"""How a solid moves, from points followed on it: where it is, how large, and how it is turned, all points seen as places on one body.

Each point has a place on the body, first guessed to lie on an ellipsoid over the box, then learnt from how it moves as the body turns
(scaled orthographic structure from motion, after Tomasi & Kanade, IJCV 9 (2), 1992, made incremental: each place is the solution of its own
running normal equations). The pose is fitted to all places at once, so that errors do not add up from frame to frame while points
last, and new points inherit the pose.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
ROUNDS = 8
AGREE_PX = 1.5
TUKEY, LEAST_SPREAD_PX = 4.685, 0.15
# how little a step of shift, shift, log size, tilt, yaw, roll is held back
HELD = np.array([1e-4, 1e-4, 0.01, 0.004, 0.004, 0.01])
# how unsure the ellipsoid's depth is, in half sides; the place of a point in the picture is to NOISE_PX
DEPTH_SD = 0.15
NOISE_PX = 1.0
BEHIND = 0.25  # of the half depth: a point that far over the rim is turned away
MISSES = 2  # frames in which a point may disagree before it is dropped
SURE_AGE = 4  # frames after which a point counts fully
LEAST, LEAST_SHARE = 6, 0.3


@dataclass(frozen=True, eq=False)
class Pose:
    """`centre` (2,) pixels, `size` (1 at the reference), `turn` (3, 3); z points away from the viewer."""

    centre: Array
    size: float
    turn: Array

    def seen(self, places: Array) -> Array:
        """Places (n, 3) on the body, in pixels of the reference, as they are seen (n, 2)."""
        return self.centre + self.size * (places @ self.turn.T)[:, :2]

    @property
    def roll(self) -> float:
        """Radians, clockwise as y points down: the part of the turn that is about the line of sight (its twist, the rest tilting that
        line the shortest way)."""
        return float(2 * np.arctan2(self.turn[1, 0] - self.turn[0, 1], 1 + np.trace(self.turn)))


class Solid:
    """The body, and the points followed on it. Everything is in pixels of one picture scale."""

    def __init__(self, centre: Array, half: Array, roll: float) -> None:
        """`half` (2,) half sides of the box at the reference, `roll` radians."""
        self.half = np.array([*half, float(half.mean())])
        c, s = np.cos(roll), np.sin(roll)
        self.pose = Pose(np.asarray(centre, float), 1.0, np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]]))
        self.forget()

    def forget(self) -> None:
        """No point is followed any more."""
        self.points = np.zeros((0, 2))
        self._places, self._guess = np.zeros((0, 3)), np.zeros((0, 3))
        self._normal, self._sums, self._prior = np.zeros((0, 3, 3)), np.zeros((0, 3)), np.zeros((0, 3, 3))
        self._age, self._missed = np.zeros(0, int), np.zeros(0, int)

    def _keep(self, kept: NDArray[np.bool_]) -> None:
        for name in ("points", "_places", "_guess", "_normal", "_sums", "_prior", "_age", "_missed"):
            setattr(self, name, getattr(self, name)[kept])

    def add(self, points: Array) -> None:
        """Points (n, 2) seen on the body, as it lies now."""
        pose, n = self.pose, len(points)
        flat = (points - pose.centre) / pose.size
        # the depth at which the line of sight meets the turned ellipsoid first, or its rim
        q = pose.turn @ np.diag(1 / self.half**2) @ pose.turn.T
        b = flat @ q[:2, 2]
        c = np.einsum("ni,ij,nj->n", flat, q[:2, :2], flat) - 1
        depth = (-b - np.sqrt(np.maximum(b * b - q[2, 2] * c, 0))) / q[2, 2]
        places = np.c_[flat, depth] @ pose.turn
        across, along = pose.size * pose.turn[:2], pose.turn[2]
        held = (pose.size * NOISE_PX / (DEPTH_SD * self.half[2])) ** 2
        self.points = np.concatenate([self.points, points])
        self._places, self._guess = np.concatenate([self._places, places]), np.concatenate([self._guess, places])
        self._normal = np.concatenate([self._normal, np.tile(across.T @ across, (n, 1, 1))])
        self._sums = np.concatenate([self._sums, (points - pose.centre) @ across])
        self._prior = np.concatenate([self._prior, np.tile(held * np.outer(along, along), (n, 1, 1))])
        self._age, self._missed = np.r_[self._age, np.zeros(n, int)], np.r_[self._missed, np.zeros(n, int)]

    def move(self, there: Array, found: NDArray[np.bool_]) -> NDArray[np.bool_] | None:
        """The body is where its points now are: `there` (n, 2), of which `found` (n,) count. Returns which agree, or None where no
        motion is shared by enough of them (the body then stays as it was)."""
        self._keep(found)
        there = there[found]
        if len(there) < LEAST:
            return None
        start = self._shifted(there - self.points)
        pose, errors, limit = self._fitted(there, start)
        agree = errors < max(AGREE_PX, 0.6 * limit)
        if agree.sum() < max(LEAST, LEAST_SHARE * len(there)):
            return None
        self.pose, self.points = pose, there
        self._learn(errors < limit)
        turned_away = (self._places @ pose.turn.T)[:, 2] > BEHIND * self.half[2]
        self._keep((self._missed < MISSES) & ~turned_away)
        return agree

    def shift(self, by: Array, growth: float) -> None:
        """The box is found to lie elsewhere about the points: moved by (2,) pixels and grown by the log of its size."""
        pose = self.pose
        self.half = self.half * np.exp(growth)
        offset = np.r_[by / pose.size, 0] @ pose.turn
        self.pose = Pose(pose.centre + by, pose.size, pose.turn)
        self._places, self._guess = self._places - offset, self._guess - offset
        self._sums = self._sums - self._normal @ offset

    def _shifted(self, moves: Array) -> Pose:
        """The pose with the shift that most points share, to begin from."""
        middle = np.median(moves, 0)
        gaps = np.linalg.norm(moves - middle, axis=1)
        near = moves[gaps <= np.median(gaps) * 1.5 + 0.5]
        return Pose(self.pose.centre + near.mean(0), self.pose.size, self.pose.turn)

    def _fitted(self, there: Array, pose: Pose) -> tuple[Pose, Array, float]:
        """Gauss-Newton with Tukey weights; errors (n,) in pixels, and from where on a point does not count."""
        trust = np.minimum(1.0, (self._age + 1) / SURE_AGE)
        reach = float(self.half[:2].mean()) * pose.size
        n = len(there)
        eye = np.tile(np.eye(2), (n, 1, 1))
        total = np.zeros(6)
        errors, limit = np.zeros(n), 0.0
        for _ in range(ROUNDS):
            turned = self._places @ pose.turn.T
            flat = pose.size * turned
            gap = there - pose.centre - flat[:, :2]
            errors = np.hypot(*gap.T)
            limit = TUKEY * max(1.4826 * float(np.median(errors)), LEAST_SPREAD_PX)
            weights = trust * np.where(errors < limit, (1 - (errors / limit) ** 2) ** 2, 0.0)
            x, y, z = flat.T
            none = np.zeros(n)
            j = np.concatenate(
                [eye, np.stack([flat[:, :2].T, np.stack([none, -z]), np.stack([z, none]), np.stack([-y, x])], 2).transpose(1, 0, 2)], 2
            )  # fmt: skip
            rows = (j * weights[:, None, None]).reshape(-1, 6)
            held = HELD * max(float(weights.sum()), 1.0) * np.array([1, 1, *[reach**2] * 4])
            step = np.linalg.solve(rows.T @ j.reshape(-1, 6) + np.diag(held), rows.T @ gap.ravel() - held * total)
            total += step
            pose = Pose(
                pose.centre + step[:2],
                pose.size * float(np.exp(np.clip(step[2], -0.2, 0.2))),
                _turned(step[3:]) @ pose.turn,
            )
            if np.abs(step[:2]).max() < 0.005 and np.abs(step[2:]).max() * reach < 0.01:
                break
        return pose, np.hypot(*(there - pose.seen(self._places)).T), limit

    def _learn(self, fits: NDArray[np.bool_]) -> None:
        pose = self.pose
        across = pose.size * pose.turn[:2]
        self._normal[fits] += across.T @ across
        self._sums[fits] += (self.points[fits] - pose.centre) @ across
        whole = self._normal[fits] + self._prior[fits]
        pulled = self._sums[fits] + (self._prior[fits] @ self._guess[fits][..., None])[..., 0]
        self._places[fits] = np.linalg.solve(whole, pulled[..., None])[..., 0]
        self._age = self._age + 1
        self._missed = np.where(fits, 0, self._missed + 1)


def _turned(by: Array) -> Array:
    """The rotation by a small vector (3,), radians (Rodrigues)."""
    angle = float(np.linalg.norm(by))
    x, y, z = by
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    if angle < 1e-9:
        return np.eye(3) + k
    return np.asarray(np.eye(3) + np.sin(angle) / angle * k + (1 - np.cos(angle)) / angle**2 * k @ k)
