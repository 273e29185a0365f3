"""The demo is made by the same calls a user makes, and its shots open ready to play."""

from __future__ import annotations

import json

import cv2
import numpy as np
from demo.seed import PLATES, seed
from demo.stock_made import PARTICLES

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import start
from tropein.app.jobs.work.demo import SetUpDemo
from tropein.app.store import runs, shelf, shots
from tropein.app.store.database import transaction
from tropein.core.compose.look import Look, looked_at
from tropein.core.compose.render import Renderer
from tropein.core.media.source import Sources
from tropein.core.raster.picture import Window


def test_the_demo_is_complete_and_made_once(context: WorkContext) -> None:
    said: list[str] = []
    seed(context, said.append, shots=1)  # before the page is served
    assert said == [
        "importing the plate Quay",
        "making the stock element Lamp flare",
        "setting up the shot Lamp on the sign",
    ]
    with transaction(context.engine) as session:
        run = start(session, SetUpDemo()).id
        assert [row.name for row in shots.all_shots(session)] == ["Lamp on the sign"]
    done = SetUpDemo().run(context, run)  # and by a worker
    with transaction(context.engine) as session:
        assert done.store(session).note.startswith("46 things") and runs.get(session, run).total == 46
    with transaction(context.engine) as session:
        found = {row.name: shots.shot_of(session, row.id) for row in shots.all_shots(session)}
        names = {row.name for row in shelf.items(session)}
    assert set(found) == {
        "Lamp on the sign", "Sign repainted", "Compass in the air", "Embers and mist", "Lamp eyes", "Rope in from the blue",
        "Sea-glass eyes", "Mist behind the pilot", "Wheel at speed", "Harbour by night", "Ring of charts",
        "Breath in the dusk", "Instrument before the pilot", "Current in the mast", "Breath on the quay", "Ghost gull", "Broken signal", "Sign in the lamplight",
    }  # fmt: skip
    assert {
        "Quay",
        "Quay by lamplight",
        "Pilot",
        "Caster",
        "Spinner",
        "Harbour",
        "Swipe",
        "Chimney smoke",
        "Night sky",
        "Lamp flare",
        "Ember sparks",
        "Drifting mist",
        "Brass dial",
        "Painted board",
        "Harbour sound",
        "Gull",
        *PARTICLES,
        "Lens dirt",
        "Chart paper",
        "Iris texture",
        "Carved sign",
        "Wind",
        "Voice",
        "Murmur",
    } == names
    lamp = found["Lamp on the sign"]
    nail = next(iter(lamp.tracks.values()))
    assert nail.samples and nail.lost_frames == 0
    renderer = Renderer(Sources(context.library.store, final=False), context.artefacts.path, 256 << 20)
    track = context.artefacts.track(nail.samples)
    for frame in (14, 45, 70):
        lit = renderer.frame(lamp, frame, 0.5).pixels[..., 0]
        dark = renderer.frame(looked_at(lamp, Look(without=lamp.stack[0])), frame, 0.5).pixels[..., 0]
        y, x = np.unravel_index(np.argmax(lit - dark), lit.shape)
        expected = np.array(track.frames[frame].points[0]) / 2
        assert np.hypot(x + 0.5 - expected[0], y + 0.5 - expected[1]) < 6, (frame, x, y, expected)
    plate = json.loads((PLATES / "quay.truth.json").read_text())["frames"]
    plane = context.artefacts.track(next(iter(found["Sign repainted"].tracks.values())).samples or "")
    gaps = [np.array(s.corners) - plate[s.frame]["sign_corners_px_tl_tr_br_bl"] for s in plane.frames]
    assert np.linalg.norm(gaps, axis=2).mean() < 0.15  # the sign, with a mast passing in front of it
    camera = context.artefacts.track(next(iter(found["Compass in the air"].tracks.values())).samples or "")
    assert camera.solve.kind == "free" and camera.solve.reprojection_px < 0.5
    hubs = [f["hub_px"] for f in json.loads((PLATES / "spinner.truth.json").read_text())["frames"]]
    boss = context.artefacts.track(next(iter(found["Wheel at speed"].tracks.values())).samples or "")
    assert np.mean([np.hypot(*np.subtract(s.box[:2], hubs[s.frame])) for s in boss.frames]) < 8
    harbour = found["Harbour by night"]
    sky = renderer.matte(harbour, next(iter(harbour.mattes)), 0).plane > 0.5
    true_sky = cv2.imread(str(PLATES / "harbour.sky_0000.png"), cv2.IMREAD_UNCHANGED) > 32768
    assert (sky & true_sky).sum() / (sky | true_sky).sum() > 0.9
    tip = next(iter(found["Ring of charts"].tracks.values()))
    assert tip.kind == "body" and tip.samples and tip.hand_set
    eyes = found["Lamp eyes"]
    lit = [renderer.frame(eyes, f, 0.5).pixels[..., 0].max() for f in (10, 22)]
    assert lit[0] > 1.5 * lit[1]  # out while the eyes are shut
    keyed = found["Rope in from the blue"]
    alone = renderer.frame(looked_at(keyed, Look(of="layer", layer=keyed.stack[0])), 8, 1.0).fill(
        Window(0, 0, *keyed.size)
    )
    assert alone[20, 20, 3] < 0.01 and alone[300, 650, 3] > 0.99  # screen, face
    glass = found["Sea-glass eyes"]
    matte = next(m.id for m in glass.mattes.values() if m.name == "Irises between the lids")
    seen = [renderer.matte(glass, matte, f, 0.5).plane.sum() for f in (10, 22)]
    assert seen[0] > 60 and seen[1] < 0.2 * seen[0]  # a blink hides what lies on the eye
    misty = found["Mist behind the pilot"]
    cut_out = next(iter(misty.mattes))
    with_cutouts = Renderer(
        Sources(context.library.store, final=False), context.artefacts.path, 64 << 20, context.artefacts.cutout
    )
    poses = json.loads((PLATES / "pilot.truth.json").read_text())["frames"]
    for frame in (0, 36, 71):
        cover = with_cutouts.matte(misty, cut_out, frame, 0.5).plane
        x, y = (int(v / 2) for v in np.mean(poses[frame]["iris_px_viewer_left_right"], 0))
        assert cover[y, x] > 0.99 and cover[20, 20] < 0.01 and 0.2 < cover.mean() < 0.5, frame
    count = len(said)
    seed(context, said.append)
    assert len(said) == count
