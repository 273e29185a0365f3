"""The finished demo shots, as documents. Tracks are really tracked when the demo is set up."""

from __future__ import annotations

from typing import Any

from tropein.app.jobs.context import WorkContext
from tropein.core.document import Footage, PointTrack, Shot, Track, new_id
from tropein.core.track.measure import Job, measure

SIGN_NAIL = (396.5, 128.5)  # the little boat's mast top on the sign, frame 0 of the quay plate


def _effect(kind: str, **values: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": new_id(),
        **{k: v if isinstance(v, dict) and "value" in v else {"value": v} for k, v in values.items()},
    }


def _keys(value: Any, *keys: tuple[int, Any] | tuple[int, Any, str]) -> dict[str, Any]:
    return {
        "value": value,
        "keys": [{"frame": k[0], "value": k[1], "ease": k[2] if len(k) > 2 else "smooth"} for k in keys],
    }


def _layer(name: str, footage: Footage, **more: Any) -> dict[str, Any]:
    return {"kind": "footage", "id": new_id(), "name": name, "footage": footage.id, **more}


def _veil(name: str, effects: list[dict[str, Any]]) -> dict[str, Any]:
    return {"kind": "veil", "id": new_id(), "name": name, "effects": effects}


def _stacked(shot: Shot, layers: list[dict[str, Any]], footage: list[Footage], **more: Any) -> dict[str, Any]:
    """The shot with layers laid over its plate, first nearest the lens."""
    document = shot.model_dump(mode="json")
    document["layers"].update({layer["id"]: layer for layer in layers})
    document["stack"] = [layer["id"] for layer in layers] + document["stack"]
    document["footage"].update({f.id: f.model_dump(mode="json") for f in footage})
    return {**document, **more}


def tracked_point(
    context: WorkContext, footage: Footage, name: str, at: tuple[float, float], frame: int
) -> dict[str, Any]:
    """A point track in the document's form, with its samples stored."""
    track = PointTrack(id=new_id(), name=name, footage=footage.id, reference_frame=frame, position=at)
    return tracked(context, footage, track)


def tracked(context: WorkContext, footage: Footage, track: Track) -> dict[str, Any]:
    """A track in the document's form, really tracked, with its samples stored."""
    done = measure(Job(context.library.store, footage, track, (0, footage.frames - 1))).file
    lost = sum(s.lost for s in done.frames)
    return track.model_copy(update={"samples": context.artefacts.put_track(done), "lost_frames": lost}).model_dump(
        mode="json"
    )


def lamp_on_the_sign(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """A lamp is lit before the sign: a flare rides on the painted boat, flickers, and the plate turns to evening."""
    nail = tracked_point(context, footage["Quay"], "Sign nail", SIGN_NAIL, 0)
    flicker = _keys(
        1.0, (10, 0.0, "hold"), (12, 0.75, "linear"), (13, 0.15, "linear"), (15, 0.95, "linear"), (17, 0.7), (24, 1.0),
        (31, 0.82), (38, 1.0), (46, 0.86), (52, 1.0), (60, 0.9), (71, 1.0),
    )  # fmt: skip
    flare = _layer(
        "Lamp flare", footage["Lamp flare"], blend="add", opacity=flicker, span=[10, 71],
        place={
            "position": {"value": SIGN_NAIL}, "scale": {"value": [0.62, 0.62]},
            "ride": {"track": nail["id"], "reference_frame": 0},
        },
        effects=[_effect("glow", threshold=0.25, radius=46.0, amount=0.8, tint=[1.0, 0.72, 0.42])],
    )  # fmt: skip
    evening = _veil(
        "Evening",
        [
            _effect(
                "grade", exposure=_keys(-1.1, (0, -0.75), (24, -1.15)), temperature=-1.6, saturation=0.82, contrast=1.08,
                black=0.012,
            ),
        ],
    )  # fmt: skip
    return _stacked(
        shot,
        [flare, evening],
        [footage["Lamp flare"]],
        tracks={nail["id"]: nail},
        cues=[{"frame": 12, "name": "lamp lights"}],
    )


def embers_and_mist(context: WorkContext, shot: Shot, footage: dict[str, Footage]) -> dict[str, Any]:
    """Embers rise before the pilot, mist drifts past behind a cooler, darker dusk."""
    embers = _layer(
        "Ember sparks", footage["Ember sparks"], blend="add", end="loop",
        place={"position": {"value": [300, 330]}, "scale": {"value": [1.1, 1.1]}},
        effects=[_effect("glow", threshold=0.1, radius=14.0, amount=0.9, tint=[1.0, 0.55, 0.25], scales=3.0)],
    )  # fmt: skip
    mist = _layer(
        "Drifting mist", footage["Drifting mist"], blend="screen", opacity={"value": 0.8},
        place={"position": _keys([480, 380], (0, [330, 400], "linear"), (71, [640, 388], "linear"))},
        effects=[_effect("blur", radius=7.0)],
    )  # fmt: skip
    luma = {"points": [[0, 0], [0.3, 0.22], [0.75, 0.7], [1, 0.96]]}
    blue = {"points": [[0, 0.025], [0.5, 0.54], [1, 1]]}
    dusk = _veil("Dusk", [_effect("curves", luma=luma, blue=blue), _effect("grade", temperature=-0.5, saturation=0.88)])
    return _stacked(shot, [embers, mist, dusk], [footage["Ember sparks"], footage["Drifting mist"]])
