"""How a render is cut into parts, and what is kept from part to part."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.core.builders import shot
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.renderers import forget, rendering
from tropein.app.jobs.work.render import MOST_FRAMES, parts_of


@given(st.integers(0, 500), st.integers(1, 3000))
def test_parts_hold_each_frame_once_and_grow_shorter(first: int, count: int) -> None:
    parts = list(parts_of(first, first + count - 1))
    assert [f for a, b in parts for f in range(a, b + 1)] == list(range(first, first + count))
    sizes = [b - a + 1 for a, b in parts]
    assert max(sizes) <= MOST_FRAMES and all(a >= b for a, b in zip(sizes, sizes[1:-1], strict=False))
    assert sizes[-1] <= max(8, count // 8)


def test_a_renderer_is_kept_for_the_next_part_of_its_run_and_for_no_other(context: WorkContext) -> None:
    document = shot().model_dump(mode="json")
    with rendering(context, "one", document) as first, rendering(context, "one", document) as beside:
        assert first is not beside  # two parts at once never share one
    with rendering(context, "one", document) as again:
        assert again in (first, beside)
    with rendering(context, "two", document) as other:
        assert other.run_id == "two"
    with rendering(context, "one", document) as fresh:
        assert fresh not in (first, beside)
    with pytest.raises(ZeroDivisionError), rendering(context, "one", document) as broken:
        raise ZeroDivisionError
    forget("one")
    with rendering(context, "one", document) as last:
        assert last not in (fresh, broken)
    forget("one")
