"""Keys through measured values, with no more of them than it takes."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def fewest_keys(frames: list[int], values: NDArray[np.float64], near: float) -> dict[str, Any]:
    """A plain parameter that goes through the values of some frames, (n,) or (n, parts), straight from key to key, and comes within `near` of each
    of them (Ramer 1972); without keys where they are all the same."""
    flat = values.reshape(len(values), -1)
    plain = [v[0] if values.ndim == 1 else tuple(v) for v in np.round(flat, 5).tolist()]
    if np.abs(flat - flat[0]).max() <= near:
        return {"value": plain[0]}
    keep, open_ = {0, len(frames) - 1}, [(0, len(frames) - 1)]
    x = np.array(frames, float)
    while open_:
        a, b = open_.pop()
        if b - a < 2:
            continue
        t = ((x[a + 1 : b] - x[a]) / (x[b] - x[a]))[:, None]
        off = np.abs(flat[a] + t * (flat[b] - flat[a]) - flat[a + 1 : b]).max(1)
        worst = int(off.argmax())
        if off[worst] > near:
            keep.add(a + 1 + worst)
            open_ += [(a, a + 1 + worst), (a + 1 + worst, b)]
    keys = [{"frame": frames[i], "value": plain[i], "ease": "linear"} for i in sorted(keep)]
    return {"value": plain[0], "keys": keys}
