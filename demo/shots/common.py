"""What the demo's shots are built with: documents in short, and tracks that are really tracked."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from demo.followed import followed
from tropein.app.jobs.context import WorkContext
from tropein.core.commands import do
from tropein.core.commands.group import blank
from tropein.core.compose.render import of_artefacts
from tropein.core.document import CONTENTS, Footage, Shot, Track, new_id
from tropein.core.document.base import parse_rate
from tropein.core.document.held import Held
from tropein.core.document.upgrade import load_shot
from tropein.core.document.upgrade3 import one_layer_and_addresses
from tropein.core.match.measure import Fix, Seen, insert_of
from tropein.core.media.loudness import loudness
from tropein.core.media.source import Sources
from tropein.core.tracks.face import FaceTrack
from tropein.core.tracks.point import PointTrack


def effect(kind: str, **values: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": new_id(),
        **{k: v if isinstance(v, dict) and "value" in v else {"value": v} for k, v in values.items()},
    }


def keys(value: Any, *keys: tuple[int, Any] | tuple[int, Any, str]) -> dict[str, Any]:
    return {
        "value": value,
        "keys": [{"frame": k[0], "value": k[1], "ease": k[2] if len(k) > 2 else "smooth"} for k in keys],
    }


def spoken(
    context: WorkContext, document: dict[str, Any], at: str, sound: str, of: Footage, loud: float
) -> dict[str, Any]:
    """The document with a number keyed by the loudness of a sound, over the shot's trim."""
    shot = load_shot(document)
    first, last = shot.trim
    levels = loudness(context.library.store.folder(of.media) / "sound.wav", parse_rate(shot.rate), last - first + 1)
    given = {"at": at, "sound": sound, "first": first, "levels": levels.tolist(), "quiet": 0.0, "loud": loud}
    return do(shot, "keys-by-loudness", given)[0].model_dump(mode="json")


def layer(name: str, footage: Footage, **more: Any) -> dict[str, Any]:
    return {"kind": "footage", "id": new_id(), "name": name, "footage": footage.id, **more}


def veil(name: str, effects: list[dict[str, Any]]) -> dict[str, Any]:
    return {"kind": "veil", "id": new_id(), "name": name, "effects": effects}


def made(
    shot: Shot, name: str, kind: str, start: str, more: dict[str, Any] | None = None, /, **values: Any
) -> dict[str, Any]:
    """A layer, in full, that shows what a kind of content makes, with one of its starts; `more`: of the layer itself."""
    content = {"kind": kind, **CONTENTS.of(kind).begun(start, shot.size)}
    content |= {k: v if isinstance(v, dict | str) else {"value": v} for k, v in values.items()}
    return {**blank(shot, name, content), **(more or {})}


def above(document: dict[str, Any], layers: list[dict[str, Any]]) -> dict[str, Any]:
    """The document with layers, in full, laid nearest the lens, the first nearest."""
    document["layers"].update({layer["id"]: layer for layer in layers})
    document["stack"] = [layer["id"] for layer in layers] + document["stack"]
    return document


def stacked(shot: Shot, layers: list[dict[str, Any]], footage: list[Footage], **more: Any) -> dict[str, Any]:
    """The shot with layers laid over its plate, first nearest the lens. Layers, mattes and cues are written in short, as version 2 of the
    document had them: with lists of effects, cuts and pieces."""
    document = shot.model_dump(mode="json")
    short = {
        "layers": {layer["id"]: layer for layer in layers},
        **{k: more.pop(k) for k in ("mattes", "cues") if k in more},
    }
    full = one_layer_and_addresses(short)
    document["layers"].update(full.pop("layers"))
    more |= full
    document["stack"] = [layer["id"] for layer in layers] + document["stack"]
    document["footage"].update({f.id: f.model_dump(mode="json") for f in footage})
    return {**document, **more}


def tracked_point(
    context: WorkContext, footage: Footage, name: str, at: tuple[float, float], frame: int
) -> dict[str, Any]:
    """A point track in the document's form, with its samples stored."""
    track = PointTrack.at(at, id=new_id(), name=name, footage=footage.id, reference_frame=frame)
    return tracked(context, footage, track)


_faces: dict[tuple[str, str], dict[str, Any]] = {}


def tracked_face(context: WorkContext, footage: Footage) -> dict[str, Any]:
    """The pilot's face; shots that need it share what was once tracked."""
    place = (str(context.artefacts.root), footage.media)
    if place not in _faces:
        track = FaceTrack(id=new_id(), name="Pilot's face", footage=footage.id, reference_frame=0)
        _faces[place] = tracked(context, footage, track)
    return {**_faces[place], "id": new_id(), "footage": footage.id}


def tracked(context: WorkContext, footage: Footage, track: Track) -> dict[str, Any]:
    """A track in the document's form, with its samples stored."""
    done = followed(context, footage, track)
    lost = sum(s.lost for s in done.frames)
    return track.model_copy(update={"samples": context.artefacts.put_track(done), "lost_frames": lost}).model_dump(
        mode="json"
    )


def seen_as(context: WorkContext, document: dict[str, Any], name: str, look: Callable[[Seen], Fix | None]) -> dict[str, Any]:  # fmt: skip
    """The document after an edit that is found by looking at one of its layers, as measures and matches find theirs."""
    shot = load_shot(document)
    sources = Sources(context.library.store, final=False)
    renderer = of_artefacts(sources, context.artefacts, 128 << 20)
    layer = next(x.id for x in shot.layers.values() if x.name == name)
    try:
        fix = look(insert_of(renderer, shot, layer))
    finally:
        sources.close()
    if fix is None:
        return shot.model_dump(mode="json")
    return Held(shot.model_dump(mode="json"), shot).edit(fix.patch)[0].shot.model_dump(mode="json")
