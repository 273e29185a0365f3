"""Fills an empty database with the demo, shot by shot: stock elements, plates, and finished shots, by the same calls a user makes."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from demo import stock, stock_made
from demo.lamplight import quay_by_lamplight
from demo.shots import harbour, pilot, quay, swipe, yard
from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.work.ingest import shot_on
from tropein.app.store import shelf
from tropein.app.store import shots as store
from tropein.app.store.database import transaction
from tropein.app.store.models import ShelfRow
from tropein.core.document import Footage
from tropein.core.document.upgrade import load_shot

PLATES = Path(__file__).parent / "plates"
PLATE_NAMES = ("Quay", "Pilot", "Caster", "Spinner", "Harbour", "Swipe")
LAMPLIT = "Quay by lamplight"
Say = Callable[[str], object]


Build = Callable[..., dict[str, Any]]
# name, plate, what else it shows, what makes it
SHOTS: list[tuple[str, str, list[str], Build]] = [
    ("Lamp on the sign", "Quay", ["Lamp flare"], quay.lamp_on_the_sign),
    ("Sign repainted", "Quay", ["Painted board"], quay.sign_repainted),
    ("Compass in the air", "Quay", ["Brass dial", "Painted board"], quay.compass_in_the_air),
    ("Embers and mist", "Pilot", ["Ember sparks", "Drifting mist"], pilot.embers_and_mist),
    ("Lamp eyes", "Pilot", ["Lamp flare"], pilot.lamp_eyes),
    ("Mist behind the pilot", "Pilot", ["Drifting mist"], pilot.mist_behind_the_pilot),
    ("Rope in from the blue", "Quay", ["Caster"], quay.rope_in_from_the_blue),
    ("Sea-glass eyes", "Pilot", [], pilot.sea_glass_eyes),
    ("Wheel at speed", "Spinner", ["Chimney smoke"], yard.wheel_at_speed),
    ("Harbour by night", "Harbour", ["Night sky", "Drifting mist"], harbour.harbour_by_night),
    ("Ring of charts", "Swipe", [], swipe.ring_of_charts),
    ("Breath in the dusk", "Pilot", [], pilot.breath_in_the_dusk),
    ("Instrument before the pilot", "Pilot", [], pilot.instrument_before_the_pilot),
    ("Current in the mast", "Harbour", [], harbour.current_in_the_mast),
    ("Breath on the quay", "Quay", ["Voice"], quay.breath_on_the_quay),
    ("Ghost gull", "Harbour", ["Gull"], harbour.ghost_gull),
    ("Broken signal", "Pilot", [], pilot.broken_signal),
    ("Sign in the lamplight", LAMPLIT, ["Quay", "Painted board"], quay.sign_in_the_lamplight),
]
Step = tuple[str, Callable[[], None]]


def seed(context: WorkContext, say: Say, shots: int | None = None) -> None:
    """Add what is missing of the demo, or of its first shots; a second call finds all of it and does nothing."""
    with tempfile.TemporaryDirectory() as folder:
        for words, step in steps(context, Path(folder), shots):
            say(words)
            step()


def is_there(context: WorkContext) -> bool:
    return not steps(context, Path())


def steps(context: WorkContext, folder: Path, shots: int | None = None) -> list[Step]:
    """What is missing, shot by shot: in words, and what makes it; `folder` takes what is made on the way."""
    with transaction(context.engine) as session:
        there = {row.name for row in shelf.items(session)}
        shots_there = {row.name for row in store.all_shots(session)}
    parts = {name: _element(context, name, make, tags) for name, make, tags in _elements(folder)}
    parts |= {name: _plate(context, name) for name in PLATE_NAMES}
    parts[LAMPLIT] = (
        f"making the plate {LAMPLIT}",
        lambda: _shelve(context, quay_by_lamplight(PLATES / "quay.mp4", folder), LAMPLIT, ["plate"]),
    )
    wanted: dict[str, Step] = {}
    for name, plate, shown, build in SHOTS[:shots]:
        if name not in shots_there:
            wanted |= {part: parts[part] for part in (plate, *shown)}
            wanted[f"shot {name}"] = (f"setting up the shot {name}", partial(_shot, context, name, plate, build))
    if shots is None:
        wanted |= {name: part for name, part in parts.items() if name not in wanted}
    return [step for name, step in wanted.items() if name not in there]


def _element(context: WorkContext, name: str, make: Callable[[], list[Path]], tags: list[str]) -> Step:
    return f"making the stock element {name}", lambda: _shelve(context, make(), name, tags, stock_element=True)


def _plate(context: WorkContext, name: str) -> Step:
    file = PLATES / f"{name.lower()}.mp4"
    return f"importing the plate {name}", lambda: _shelve(context, [file], name, ["plate"])


def _shot(context: WorkContext, name: str, plate: str, build: Build) -> None:
    footage = _footage(context)
    document = build(context, shot_on(footage[plate], name), footage)
    with transaction(context.engine) as session:
        store.create(session, load_shot(document))


def _elements(folder: Path) -> list[tuple[str, Callable[[], list[Path]], list[str]]]:
    def sound() -> list[Path]:
        path = folder / "harbour.wav"
        stock.harbour_sound(path, 6.0)
        return [path]

    return [
        ("Lamp flare", lambda: stock.lamp_flare(folder), ["light", "flare"]),
        ("Ember sparks", lambda: stock.ember_sparks(folder), ["fire", "particles"]),
        ("Drifting mist", lambda: stock.drifting_mist(folder), ["weather"]),
        ("Chimney smoke", lambda: stock.chimney_smoke(folder), ["smoke", "screen"]),
        ("Night sky", lambda: stock.night_sky(folder), ["sky"]),
        ("Brass dial", lambda: stock.brass_dial(folder), ["prop"]),
        ("Painted board", lambda: stock.painted_board(folder), ["prop"]),
        ("Gull", lambda: stock.gull(folder), ["animal"]),
        ("Harbour sound", sound, ["sound"]),
        *(
            (name, partial(stock_made.particles, folder, name), tags)
            for name, (_, _, tags) in stock_made.PARTICLES.items()
        ),
        ("Lens dirt", lambda: stock_made.lens_dirt(folder), ["light", "lens"]),
        ("Chart paper", lambda: stock_made.chart_paper(folder), ["texture", "paper"]),
        ("Iris texture", lambda: stock_made.iris_texture(folder), ["texture", "eye"]),
        ("Carved sign", lambda: stock_made.carved_sign(folder), ["prop", "sign"]),
        ("Wind", lambda: stock_made.write_sound(folder / "wind.wav", stock_made.wind()), ["sound"]),
        ("Voice", lambda: stock_made.write_sound(folder / "voice.wav", stock_made.voice()), ["sound", "voice"]),
        ("Murmur", lambda: stock_made.write_sound(folder / "murmur.wav", stock_made.murmur()), ["sound", "voice"]),
    ]


def _shelve(context: WorkContext, files: list[Path], name: str, tags: list[str], stock_element: bool = False) -> None:
    media, record = context.library.add([(f, f.name) for f in files])
    with transaction(context.engine) as session:
        shelf.add(session, media, name, record, tags, stock_element)


def _footage(context: WorkContext) -> dict[str, Footage]:
    with transaction(context.engine) as session:
        return {row.name: shelf.footage_of(row) for row in session.query(ShelfRow)}
