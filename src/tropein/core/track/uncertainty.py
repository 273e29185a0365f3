"""How sure a solve is of its focal length and its lens: their standard deviations from the normal equations of the bundle, points
eliminated (Triggs et al., Bundle adjustment: a modern synthesis, 2000, sections 6 and 9)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.track.optics import Optics

Array = NDArray[np.float64]
GAUGE = 7  # place, turn and size of the world are free


def standard_deviations(
    tracks: Array, poses: Array, points: Array, optics: Optics, errors: Array
) -> tuple[float, float]:
    """(of the focal length in pixels, of the radial term), if both are unknown.

    tracks (n, frames, 2), poses (frames, 3, 4), points (n, 3); errors (n, frames) in pixels, not finite where a place does not count.
    """
    t, f = np.nonzero(np.isfinite(errors))
    turns = poses[f, :, :3]
    turned = np.einsum("nij,nj->ni", turns, points[t])
    x, y, z = (turned + poses[f, :, 3]).T
    u, v = x / z, y / z
    r2 = u * u + v * v
    k, focal = optics.radial, optics.focal
    d = 1 + k * r2
    inner = focal * np.stack(
        [np.stack([d + 2 * k * u * u, 2 * k * u * v], 1), np.stack([2 * k * u * v, d + 2 * k * v * v], 1)], 1
    )
    project = np.zeros((len(t), 2, 3))
    project[:, 0, 0] = project[:, 1, 1] = 1 / z
    project[:, 0, 2], project[:, 1, 2] = -u / z, -v / z
    by_space = inner @ project
    cross = np.zeros((len(t), 3, 3))
    cross[:, 0, 1], cross[:, 0, 2], cross[:, 1, 2] = -turned[:, 2], turned[:, 1], -turned[:, 0]
    cross -= cross.transpose(0, 2, 1)
    by_pose = np.concatenate([-by_space @ cross, by_space], 2)
    by_point = by_space @ turns
    by_optics = np.stack([np.stack([d * u, d * v], 1), focal * r2[:, None] * np.stack([u, v], 1)], 2)

    frames, count = len(poses), len(points)
    cams = 2 + 6 * frames
    at = 2 + 6 * f[:, None] + np.arange(6)
    full = np.zeros((cams, cams))
    np.add.at(full, (at[:, :, None], at[:, None, :]), by_pose.transpose(0, 2, 1) @ by_pose)
    np.add.at(full, (np.arange(2)[None, :, None], at[:, None, :]), by_optics.transpose(0, 2, 1) @ by_pose)
    full[2:, :2] = full[:2, 2:].T
    full[:2, :2] = np.einsum("nai,naj->ij", by_optics, by_optics)
    own = np.zeros((count, 3, 3))
    np.add.at(own, t, by_point.transpose(0, 2, 1) @ by_point)
    own += 1e-12 * np.trace(own, axis1=1, axis2=2)[:, None, None] * np.eye(3) + 1e-300 * np.eye(3)
    between = np.zeros((cams, count, 3))
    np.add.at(between, (at[:, :, None], t[:, None, None], np.arange(3)), by_pose.transpose(0, 2, 1) @ by_point)
    np.add.at(
        between, (np.arange(2)[None, :, None], t[:, None, None], np.arange(3)), by_optics.transpose(0, 2, 1) @ by_point
    )
    solved = np.einsum("cpi,pij->cpj", between, np.linalg.inv(own)).reshape(cams, -1)
    reduced = full - solved @ between.reshape(cams, -1).T
    scale = 1 / np.sqrt(np.maximum(np.diag(full), 1e-300))
    values, vectors = np.linalg.eigh(reduced * scale[:, None] * scale)
    values, vectors = values[GAUGE:], vectors[:2, GAUGE:]
    variance = (vectors**2 / np.maximum(values, 1e-15)).sum(1) * scale[:2] ** 2
    noise = float(np.median(errors[t, f])) / 1.1774  # of one axis: the median of a Rayleigh distribution
    sd = noise * np.sqrt(variance)
    return float(sd[0]), float(sd[1])
