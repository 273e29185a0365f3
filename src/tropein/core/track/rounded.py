"""How a round-ish solid moved between two frames, from the flow of points on it: shift, growth, roll, and turning in depth.

Turning makes the texture slide over a thing that stays where it is. Points are taken to lie on an ellipsoid over the box, so
that the part of their flow that comes from turning is told apart from the shift of the thing itself.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

SAMPLES, PER_SAMPLE = 50, 5
AGREE_PX = 1.5
# how little each of shift, shift, growth, roll, tilt, yaw, stretch, shear is held back
HELD = np.array([0, 0, 0.02, 0.02, 0.004, 0.004, 0.05, 0.05])
TURNING_PX = 0.25  # per frame; from there the stretch is read as part of the turning


@dataclass(frozen=True, eq=False)
class Step:
    """`shift` (2,) pixels, `growth` (log of size), `roll` radians; which points agree, and the expected error of the shift."""

    shift: NDArray[np.float64]
    growth: float
    roll: float
    agree: NDArray[np.bool_]
    sigma_px: float


def solid_step(places: NDArray[np.float64], moves: NDArray[np.float64], half: NDArray[np.float64]) -> Step | None:
    """`places` (n, 2) from the box's centre along its own axes, `moves` (n, 2) of the same, `half` (2,) the box's half sides,
    all in pixels. None: too few points, or no motion is shared by most of them."""
    n = len(places)
    if n < 8:
        return None
    size = float(half.min())
    depth = np.sqrt(np.clip(1 - ((places / half) ** 2).sum(1), 0, 1))
    x, y = places.T / size
    one, none = np.ones(n), np.zeros(n)
    rows = np.stack(
        [np.stack([one, none, x, -y, none, depth, x, y], 1), np.stack([none, one, y, x, -depth, none, -y, x], 1)], 1
    )  # (n, 2, 8), all parameters in pixels
    chosen = _most_agreed(rows, moves)
    if chosen.sum() < max(6, 0.3 * n):
        return None
    flat, moved = rows.reshape(-1, 8), moves.ravel()
    weights = chosen.astype(float)
    answer, normal, errors = np.zeros(8), np.eye(8), np.zeros(n)
    for _ in range(6):
        w = flat * np.repeat(weights, 2)[:, None]
        normal = w.T @ flat + np.diag(HELD) * max(weights.sum(), 1.0)
        answer = np.linalg.solve(normal, w.T @ moved)
        errors = np.hypot(*(moved - flat @ answer).reshape(-1, 2).T)
        limit = 4.685 * max(1.4826 * float(np.median(errors[chosen])), 0.15)
        weights = np.where(errors < limit, (1 - (errors / limit) ** 2) ** 2, 0.0)
        if weights.sum() < 4:
            return None
    rms = np.sqrt((weights * errors**2).sum() / weights.sum())
    sigma = float(rms * np.sqrt(np.linalg.inv(normal)[:2, :2].trace()))
    growth = (answer[2] - _foreshortened(answer)) / size
    return Step(
        answer[:2], float(np.log1p(np.clip(growth, -0.3, 0.3))), float(answer[3] / size), errors < AGREE_PX, sigma
    )


def _foreshortened(answer: NDArray[np.float64]) -> float:
    """What turning adds to the growth: a flat side that turns is squeezed across the axis, and keeps its length along it."""
    across = np.array([answer[5], -answer[4]])  # the direction in which turning moves the near side
    length = float(np.hypot(*across))
    if length < TURNING_PX:
        return 0.0
    e = across / length
    return float(answer[6] * (e[0] ** 2 - e[1] ** 2) + 2 * answer[7] * e[0] * e[1])


def _most_agreed(rows: NDArray[np.float64], moves: NDArray[np.float64]) -> NDArray[np.bool_]:
    """The points that agree with the best of many small samples. Fischler & Bolles, CACM 24 (6), 1981."""
    rng = np.random.default_rng(5)
    k = rows.shape[2]
    picks = rng.integers(0, len(rows), (SAMPLES, PER_SAMPLE))
    a = rows[picks].reshape(SAMPLES, -1, k)
    b = moves[picks].reshape(SAMPLES, -1, 1)
    across = a.transpose(0, 2, 1)
    answers = np.linalg.solve(across @ a + np.diag(HELD * PER_SAMPLE + 1e-3), across @ b)[..., 0]
    guessed = (rows.reshape(-1, k) @ answers.T).reshape(len(rows), 2, SAMPLES)
    errors = np.linalg.norm(moves[..., None] - guessed, axis=1)
    score = np.clip(1 - (errors / AGREE_PX) ** 2, 0, None).sum(0)
    return np.asarray(errors[:, int(np.argmax(score))] < AGREE_PX)
