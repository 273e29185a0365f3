"""What of two frames is grain: planted on a picture that moves by parts of a pixel, found as strong and as large as it is."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tests.core.test_edges import facets
from tropein.core.match.measure import brightness
from tropein.core.match.residual import flat_grain, grain_of, of_still
from tropein.core.raster.grain import film_grain

SIZE = (640, 384)
WALL = 0.15 + 0.35 * np.clip(facets((SIZE[0] + 60, SIZE[1] + 60), 4.0, 0.0), 0, 1)


def grainy(amount: float, size: float, frame: int, colour: float = 0.3) -> np.ndarray:
    shift = np.array([[1, 0, -20 - 1.3 * frame], [0, 1, -20 - 0.6 * frame]])
    light = cv2.warpAffine(WALL, shift, SIZE, flags=cv2.INTER_CUBIC)
    rgba = np.dstack([light, light, light, np.ones_like(light)]).astype(np.float32)
    return brightness(film_grain(rgba, 0, 0, size, amount, colour, 0.0, 3, float(frame))[..., :3])


ALL = np.ones(SIZE[::-1], bool)


@pytest.mark.parametrize("size", [0.0, 0.5, 1.0, 1.5])
@pytest.mark.parametrize("amount", [0.015, 0.03])
def test_grain_is_found_as_strong_and_as_large_as_it_is(size: float, amount: float) -> None:
    found = grain_of(grainy(amount, size, 0), grainy(amount, size, 1), ALL)
    truth = float((grainy(amount, size, 0) - grainy(0.0, size, 0)).std())
    assert found is not None and found[0] == pytest.approx(truth, rel=0.12), found
    assert found[1] == pytest.approx(size, abs=0.2 if size else 0.4)
    little = np.zeros_like(ALL)  # of a small part, by smaller blocks
    little[100:190, 200:330] = True
    part = grain_of(grainy(amount, size, 0), grainy(amount, size, 1), little)
    assert part is not None and part[0] == pytest.approx(truth, rel=0.25)


def test_where_there_is_none_or_too_little_to_see_that_is_said() -> None:
    clean = grain_of(grainy(0.0, 0.5, 0), grainy(0.0, 0.5, 1), ALL)
    assert clean is not None and clean[0] < 0.0015
    tiny = np.zeros_like(ALL)
    tiny[10:40, 10:60] = True
    assert grain_of(grainy(0.02, 0.5, 0), grainy(0.02, 0.5, 1), tiny) is None
    white = np.ones(SIZE[::-1], np.float32)
    assert grain_of(white, white * 0.999, ALL) is None and of_still(white, ALL) is None


def test_a_still_tells_its_grain_by_itself() -> None:
    still = flat_grain(0.6, 0.3, 0.0)
    found = of_still(still, np.ones(still.shape, bool))
    assert found is not None and found[0] == pytest.approx(float(still.std()), rel=0.1) and abs(found[1] - 0.6) < 0.15
