"""Fills an empty database with the demo: stock elements, plates, and finished shots, by the same calls a user makes."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from demo import stock
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
Say = Callable[[str], object]


def seed(context: WorkContext, say: Say) -> None:
    """Add what is missing of the demo; a second call finds all of it and does nothing."""
    with transaction(context.engine) as session:
        there = {row.name for row in shelf.items(session)}
        shots_there = {row.name for row in store.all_shots(session)}
    with tempfile.TemporaryDirectory() as folder:
        for name, make, tags in _elements(Path(folder)):
            if name not in there:
                say(f"making the stock element {name}")
                _shelve(context, make(), name, tags, stock_element=True)
    for name, file in (
        ("Quay", "quay.mp4"),
        ("Pilot", "pilot.mp4"),
        ("Caster", "caster.mp4"),
        ("Spinner", "spinner.mp4"),
        ("Harbour", "harbour.mp4"),
        ("Swipe", "swipe.mp4"),
    ):
        if name not in there:
            say(f"importing the plate {name}")
            _shelve(context, [PLATES / file], name, ["plate"])
    footage = _footage(context)
    for name, plate, build in (
        ("Lamp on the sign", "Quay", quay.lamp_on_the_sign),
        ("Sign repainted", "Quay", quay.sign_repainted),
        ("Compass in the air", "Quay", quay.compass_in_the_air),
        ("Embers and mist", "Pilot", pilot.embers_and_mist),
        ("Lamp eyes", "Pilot", pilot.lamp_eyes),
        ("Mist behind the pilot", "Pilot", pilot.mist_behind_the_pilot),
        ("Rope in from the blue", "Quay", quay.rope_in_from_the_blue),
        ("Sea-glass eyes", "Pilot", pilot.sea_glass_eyes),
        ("Wheel at speed", "Spinner", yard.wheel_at_speed),
        ("Harbour by night", "Harbour", harbour.harbour_by_night),
        ("Ring of charts", "Swipe", swipe.ring_of_charts),
    ):
        if name not in shots_there:
            say(f"setting up the shot {name}")
            shot = shot_on(footage[plate], name)
            document: dict[str, Any] = build(context, shot, footage)
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
        ("Harbour sound", sound, ["sound"]),
    ]


def _shelve(context: WorkContext, files: list[Path], name: str, tags: list[str], stock_element: bool = False) -> None:
    media, record = context.library.add([(f, f.name) for f in files])
    with transaction(context.engine) as session:
        shelf.add(session, media, name, record, tags, stock_element)


def _footage(context: WorkContext) -> dict[str, Footage]:
    with transaction(context.engine) as session:
        return {row.name: shelf.footage_of(row) for row in session.query(ShelfRow)}
