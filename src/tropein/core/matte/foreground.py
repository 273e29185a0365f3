"""The subject's own colour in its soft edge, without the old background.

Source: Forte, Approximate Fast Foreground Colour Estimation, IEEE ICIP 2021: both colours are guessed from what lies around,
weighed by coverage, and the subject's is corrected so that the picture is met.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

RADII_PX = (45, 4)


def cleaned(rgb: NDArray[np.float32], alpha: NDArray[np.float32], amount: float, scale: float) -> NDArray[np.float32]:
    """(h, w, 3) linear light; `alpha` (h, w) 0..1; `scale` of the picture against full size. Where it covers wholly or not at all
    nothing changes."""
    soft = (alpha > 0) & (alpha < 1)
    if amount <= 0 or not soft.any():
        return rgb
    subject, ground = rgb, rgb
    a = alpha[..., None]
    for radius in RADII_PX:
        side = 2 * max(1, round(radius * scale)) + 1
        guess = []
        for colour, weight in ((subject, alpha), (ground, 1 - alpha)):
            share = cv2.blur(weight, (side, side))[..., None]
            guess.append(cv2.blur(colour * weight[..., None], (side, side)) / (share + 1e-5))
        subject, ground = guess
        subject = subject + a * (rgb - a * subject - (1 - a) * ground)
    own = np.maximum(subject, 0)
    return np.where(soft[..., None], rgb + amount * (own - rgb), rgb).astype(np.float32)
