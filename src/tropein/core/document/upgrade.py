"""Old documents brought up to date, one version at a time, then validated as a whole."""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from tropein.core.document.shot import SCHEMA_VERSION, Shot
from tropein.core.document.upgrade3 import one_layer_and_addresses
from tropein.core.errors import BadInput


def _corners_keyed_and_kinds_of_tracks(data: dict[str, Any]) -> dict[str, Any]:
    layers = data.get("layers")
    for layer in layers.values() if isinstance(layers, dict) else ():
        place = layer.get("place") if isinstance(layer, dict) else None
        if isinstance(place, dict) and isinstance(place.get("corners"), list):
            place["corners"] = {"value": place["corners"]}
    tracks = data.get("tracks")
    for track in tracks.values() if isinstance(tracks, dict) else ():
        if isinstance(track, dict):
            track.setdefault("kind", "point")
    return {**data, "schema_version": 2}


def _points_by_id(data: dict[str, Any]) -> dict[str, Any]:
    """Tracks of points read their older form themselves; what a body's track was set to by hand counted points too, in vain. What carriers
    were given as looks did nothing, and goes."""
    layers = data.get("layers")
    for layer in layers.values() if isinstance(layers, dict) else ():
        content = layer.get("content") if isinstance(layer, dict) else None
        if isinstance(content, dict) and content.get("kind") == "nothing":
            for name in ("effects", "chain", "cuts", "meets", "meeting", "opacity"):
                layer.pop(name, None)
    tracks = data.get("tracks")
    for track in tracks.values() if isinstance(tracks, dict) else ():
        if isinstance(track, dict) and track.get("kind") == "body":
            for hand in track.get("hand_set") or ():
                hand.pop("point", None)
    return {**data, "schema_version": 4}


# version -> the function that takes a document of that version to the next
STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _corners_keyed_and_kinds_of_tracks,
    2: one_layer_and_addresses,
    3: _points_by_id,
}


def load_shot(data: Any) -> Shot:
    """A validated shot from parsed JSON of any known version; BadInput says what is wrong and where."""
    if not isinstance(data, dict):
        raise BadInput("This is not a shot document: an object is expected.")
    version = data.get("schema_version")
    if not isinstance(version, int) or not 1 <= version <= SCHEMA_VERSION:
        raise BadInput(f"This shot document has the version {version!r}; versions 1 to {SCHEMA_VERSION} can be read.")
    if version < SCHEMA_VERSION:
        data = copy.deepcopy(data)
    try:
        for step in range(version, SCHEMA_VERSION):
            data = STEPS[step](data)
        return Shot.model_validate(data)
    except ValidationError as error:
        raise BadInput(explain(error)) from error
    except (KeyError, TypeError, AttributeError, IndexError) as error:
        raise BadInput(f"This shot document of version {version} does not hold together: {error!r}") from error


def explain(error: ValidationError) -> str:
    """The first few problems of a failed validation as one line for a person."""
    lines = []
    for item in error.errors(include_url=False)[:3]:
        where = "/".join(str(part) for part in item["loc"])
        text = item["msg"].removeprefix("Value error, ")
        lines.append(f"{where}: {text}" if where else text)
    more = error.error_count() - len(lines)
    return "; ".join(lines) + (f" (and {more} more)" if more > 0 else "")
