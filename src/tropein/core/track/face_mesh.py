"""The 478 points of a face mesh: which are which, and what is measured from them.

Numbers are those of the face mesh model that ships with mediapipe (Kartynnik et al., Real-time facial surface geometry from
monocular video, 2019; irises: Ablavatski et al. 2020). Left is the subject's left.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

COUNT = 478
RIGID = (
    33,
    133,
    263,
    362,
    168,
    6,
    197,
    195,
    5,
    10,
    151,
    9,
    8,
    127,
    356,
    234,
    454,
    93,
    323,
)  # brow, temples, nose bridge
OUTER_EYES = (33, 263)  # right, left
LEFT_IRIS, RIGHT_IRIS = 473, 468  # centres; the four points after each lie on its edge
LEFT_EYE = (386, 374, 362, 263)  # upper lid, lower lid, inner corner, outer corner
RIGHT_EYE = (159, 145, 133, 33)
MOUTH = (13, 14, 78, 308)  # upper lip, lower lip, corners
CHIN, FOREHEAD = 152, 10
LIVELY = (
    *range(468, 478),  # irises
    33, 7, 163, 144, 145, 153, 154, 155, 133, 173, 157, 158, 159, 160, 161, 246,  # right lids
    263, 249, 390, 373, 374, 380, 381, 382, 362, 398, 384, 385, 386, 387, 388, 466,  # left lids
    61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 185, 40, 39, 37, 0, 267, 269, 270, 409,  # outer lips
    78, 95, 88, 178, 87, 14, 317, 402, 318, 324, 308, 191, 80, 81, 82, 13, 312, 311, 310, 415,  # inner lips
)  # fmt: skip
OUTER_EYES_CM = 9.0  # a usual face's distance between the outer corners, which sets the scale of poses

SHUT_SHARE = 0.5  # of an open eye's height is what the mesh leaves open of a shut one (measured on the pilot plate: 0.28 to 0.54)
AJAR = 0.08  # what seems open less than this is shut: so much the mesh's own unrest is worth

Mesh = NDArray[np.float64]


def width_px(mesh: Mesh) -> float:
    """Distance between the outer corners of the eyes, turning away allowed for."""
    return float(np.linalg.norm(mesh[OUTER_EYES[1]] - mesh[OUTER_EYES[0]]))


def spot_points(mesh: Mesh, spot: str) -> NDArray[np.float64]:
    """Two points (2, 2) that a thing tied to a spot of the face follows: the spot, and one to the side of it by which
    turn and size are read."""
    across = mesh[OUTER_EYES[1]] - mesh[OUTER_EYES[0]]
    along = across[:2] / max(float(np.linalg.norm(across[:2])), 1e-6) * np.linalg.norm(across)
    parts: dict[str, tuple[int, ...]] = {"left iris": (LEFT_IRIS,), "right iris": (RIGHT_IRIS,), "mouth": MOUTH}
    centre = mesh[list(parts.get(spot, RIGID)), :2].mean(0)
    return np.array([centre, centre + along])


def iris(mesh: Mesh, centre: int) -> tuple[float, float, float]:
    """x, y, radius."""
    edge = np.linalg.norm(mesh[centre + 1 : centre + 5, :2] - mesh[centre, :2], axis=1)
    return float(mesh[centre, 0]), float(mesh[centre, 1]), float(edge.mean())


def opening(mesh: Mesh, four: tuple[int, int, int, int]) -> float:
    """Height over width of an eye or the mouth."""
    upper, lower, a, b = (mesh[i] for i in four)
    return float(np.linalg.norm(upper - lower) / max(float(np.linalg.norm(a - b)), 1e-6))


def openness(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Openings through a shot (n,) as 0 (shut) to 1 (as open as it usually is when open)."""
    wide = float(np.percentile(values, 75))
    shut = SHUT_SHARE * wide
    seems = np.clip((values - shut) / max(wide - shut, 1e-6), 0, 1)
    return np.where(seems < 2 * AJAR, np.maximum(2 * (seems - AJAR), 0), seems)


def axes(mesh: Mesh) -> NDArray[np.float64]:
    """(3, 3) columns: the face's x (to its left), y (up), z (out of the face), in picture axes (x right, y down, z away)."""
    x = mesh[OUTER_EYES[1]] - mesh[OUTER_EYES[0]]
    x = x / np.linalg.norm(x)
    up = mesh[FOREHEAD] - mesh[CHIN]
    y = up - x * (up @ x)
    y = y / np.linalg.norm(y)
    return np.stack([x, y, np.cross(x, y)], 1)


LEFT_LIDS = (263, 249, 390, 373, 374, 380, 381, 382, 362, 398, 384, 385, 386, 387, 388, 466)
RIGHT_LIDS = (33, 7, 163, 144, 145, 153, 154, 155, 133, 173, 157, 158, 159, 160, 161, 246)
OUTER_LIPS = (61, 146, 91, 181, 84, 17, 314, 405, 321, 375, 291, 409, 270, 269, 267, 0, 37, 39, 40, 185)
INNER_LIPS = (78, 95, 88, 178, 87, 14, 317, 402, 318, 324, 308, 415, 310, 311, 312, 13, 82, 81, 80, 191)
LEFT_BROW = (276, 283, 282, 295, 285, 336, 296, 334, 293, 300)
RIGHT_BROW = (46, 53, 52, 65, 55, 107, 66, 105, 63, 70)
OVAL = (
    10, 338, 297, 332, 284, 251, 389, 356, 454, 323, 361, 288, 397, 365, 379, 378, 400, 377, 152, 148, 176, 149, 150, 136,
    172, 58, 132, 93, 234, 127, 162, 21, 54, 103, 67, 109,
)  # fmt: skip
IRIS_POINTS = 24

# part -> outlines to fill, and to take away again
PARTS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "left eye": (("left lids",), ()),
    "right eye": (("right lids",), ()),
    "eyes": (("left lids", "right lids"), ()),
    "left iris": (("left iris",), ()),
    "right iris": (("right iris",), ()),
    "irises": (("left iris", "right iris"), ()),
    "lips": (("outer lips",), ("inner lips",)),
    "mouth opening": (("inner lips",), ()),
    "left brow": (("left brow",), ()),
    "right brow": (("right brow",), ()),
    "oval": (("oval",), ()),
    "skin": (("oval",), ("left lids", "right lids", "outer lips", "left brow", "right brow")),
}
_LOOPS = {
    "left lids": LEFT_LIDS, "right lids": RIGHT_LIDS, "outer lips": OUTER_LIPS, "inner lips": INNER_LIPS,
    "left brow": LEFT_BROW, "right brow": RIGHT_BROW, "oval": OVAL,
}  # fmt: skip


def loop(mesh: Mesh, name: str, eye_open: float = 1.0) -> NDArray[np.float64]:
    """(k, 2) an outline on the face, in order round it. `eye_open` 0..1 closes lids that the mesh never wholly closes."""
    if name.endswith("lids"):
        lids = mesh[list(_LOOPS[name]), :2]
        n = len(lids)
        middle = (lids + lids[-np.arange(n) % n]) / 2  # each point and the one across from it
        opened = eye_open / (SHUT_SHARE + (1 - SHUT_SHARE) * eye_open) if eye_open > 0 else 0.0
        return middle + (lids - middle) * opened
    if name in ("left iris", "right iris"):
        x, y, r = iris(mesh, LEFT_IRIS if name == "left iris" else RIGHT_IRIS)
        angle = np.linspace(0, 2 * np.pi, IRIS_POINTS, endpoint=False)
        return np.stack([x + r * np.cos(angle), y + r * np.sin(angle)], 1)
    return mesh[list(_LOOPS[name]), :2]
