"""The demo is made by the same calls a user makes, and its shots open ready to play."""

from __future__ import annotations

import numpy as np
from demo.seed import seed

from tropein.app.jobs.context import WorkContext
from tropein.app.store import shelf, shots
from tropein.app.store.database import transaction
from tropein.core.compose.render import Renderer
from tropein.core.compose.view import variant
from tropein.core.document.upgrade import load_shot
from tropein.core.media.source import Sources


def test_the_demo_is_complete_and_made_once(context: WorkContext) -> None:
    said: list[str] = []
    seed(context, said.append)
    with transaction(context.engine) as session:
        found = {row.name: load_shot(row.document) for row in shots.all_shots(session)}
        names = {row.name for row in shelf.items(session)}
    assert set(found) == {"Lamp on the sign", "Embers and mist"}
    assert {
        "Quay",
        "Pilot",
        "Caster",
        "Lamp flare",
        "Ember sparks",
        "Drifting mist",
        "Brass dial",
        "Harbour sound",
    } == names
    lamp = found["Lamp on the sign"]
    nail = next(iter(lamp.tracks.values()))
    assert nail.samples and nail.lost_frames == 0
    renderer = Renderer(Sources(context.library.store, final=False), context.artefacts.path, 256 << 20)
    track = context.artefacts.track(nail.samples)
    for frame in (14, 45, 70):
        lit = renderer.frame(lamp, frame, 0.5).pixels[..., 0]
        dark = renderer.frame(variant(lamp, f"without:{lamp.stack[0]}"), frame, 0.5).pixels[..., 0]
        y, x = np.unravel_index(np.argmax(lit - dark), lit.shape)
        expected = np.array(track.frames[frame].points[0]) / 2
        assert np.hypot(x + 0.5 - expected[0], y + 0.5 - expected[1]) < 6, (frame, x, y, expected)
    count = len(said)
    seed(context, said.append)
    assert len(said) == count
