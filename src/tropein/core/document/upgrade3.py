"""From version 2 of the document to version 3: one kind of layer with a content, and maps by id with their order beside them."""

from __future__ import annotations

from typing import Any

Plain = dict[str, Any]
_EDGE = {"edge_soften": "soften", "edge_width": "width", "edge_exposure": "exposure", "edge_saturation": "saturation"}
_LEFT_ALONE = {"edge_soften": 0.0, "edge_exposure": 0.0, "edge_saturation": 1.0}  # with these an edge stays as it is
_CONTENT = {"veil": "beneath", "carrier": "nothing"}


def one_layer_and_addresses(data: Plain) -> Plain:
    """Ids that are missing are made from the place in the list, so that the same document always becomes the same."""
    out = {**data, "schema_version": 3}
    for name, change in (("layers", _layer), ("mattes", _matte)):
        things = data.get(name)
        if isinstance(things, dict):
            out[name] = {key: change(thing) if isinstance(thing, dict) else thing for key, thing in things.items()}
    if isinstance(data.get("cues"), list):
        out["cues"] = {f"cue{i + 1}": {"id": f"cue{i + 1}", **cue} for i, cue in enumerate(data["cues"])}
    return out


def _layer(old: Plain) -> Plain:
    kind = old.get("kind", "footage")
    new = {k: v for k, v in old.items() if k in ("id", "name", "visible", "span", "opacity", "blend", "place")}
    if kind == "footage":
        new["content"] = {"kind": "footage", **({"footage": old["footage"]} if "footage" in old else {})}
        new["time"] = {k: old[k] for k in ("start", "end", "speed") if k in old}
    else:
        new["content"] = {"kind": _CONTENT.get(kind, kind)}
    new["cuts"] = _cuts(old.get("cut"))
    effects = [_effect(effect) for effect in old.get("effects") or []]
    new["effects"], new["chain"] = _mapped(effects)
    meets = _meets(old)
    if isinstance(new.get("place"), dict) and isinstance(new["place"].get("depth"), dict):
        depth = new["place"]["depth"]
        if _moves(depth.get("shadow"), 0.0):
            meets.append(
                {"kind": "touches", "id": "touches", "shadow": depth["shadow"], **_some(depth, {"shadow_soft": "soft"})}
            )
        kept = {k: v for k, v in depth.items() if k not in ("shadow", "shadow_soft")}
        new["place"] = {**new["place"], "depth": kept}
    new["meets"], new["meeting"] = _mapped(meets)
    return new


def _meets(old: Plain) -> list[Plain]:
    meets: list[Plain] = []
    if any(_moves(old.get(name), still) for name, still in _LEFT_ALONE.items()):
        meets.append({"kind": "edge", "id": "edge", **_some(old, _EDGE)})
    if _moves(old.get("wrap"), 0.0):
        meets.append({"kind": "wrap", "id": "wrap", **_some(old, {"wrap": "amount", "wrap_width": "width"})})
    return meets


def _moves(value: Any, still: float) -> bool:
    """Whether a value is, or ever becomes, another than the one that does nothing."""
    return isinstance(value, dict) and (bool(value.get("keys")) or value.get("value", still) != still)


def _some(old: Plain, names: dict[str, str]) -> Plain:
    return {new: old[name] for name, new in names.items() if name in old}


def _effect(old: Plain) -> Plain:
    if not isinstance(old, dict):
        return old
    new = {k: v for k, v in old.items() if k != "cut"}
    if "cut" in old:
        new["cuts"] = _cuts(old["cut"])
    if old.get("kind") == "solid":
        new["kind"] = "fill"
    return new


def _cuts(old: Any) -> Plain:
    return {f"cut{i + 1}": {"id": f"cut{i + 1}", **cut} for i, cut in enumerate(old or [])}


def _matte(old: Plain) -> Plain:
    pieces = [
        {**piece, "fine_within": _cuts(piece["fine_within"])} if "fine_within" in piece else piece
        for piece in old.get("pieces") or []
    ]
    new = {k: v for k, v in old.items() if k != "pieces"}
    new["pieces"], new["order"] = _mapped(pieces)
    return new


def _mapped(things: list[Plain]) -> tuple[Plain, list[str]]:
    order = [thing["id"] for thing in things]
    return dict(zip(order, things, strict=True)), order
