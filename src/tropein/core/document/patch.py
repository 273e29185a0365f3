"""The one way to change a document: a JSON Patch (RFC 6902), with its inverse."""

from __future__ import annotations

from typing import Any

import jsonpatch
from jsonpointer import JsonPointerException

from tropein.core.document.shot import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput

PatchOps = list[dict[str, Any]]


def apply_patch(document: dict[str, Any], ops: PatchOps) -> dict[str, Any]:
    """The patched copy of a plain document, not validated; BadInput when an operation does not fit."""
    try:
        return dict(jsonpatch.apply_patch(document, ops, in_place=False))
    except (jsonpatch.JsonPatchException, JsonPointerException, TypeError, KeyError, ValueError, IndexError) as error:
        raise BadInput(f"The change does not fit the shot: {error}") from error


def edit(document: dict[str, Any], ops: PatchOps) -> tuple[dict[str, Any], Shot, PatchOps, PatchOps]:
    """Apply an edit and validate the whole: (new plain document, shot, the patch as stored, its inverse).

    The stored patch is made from the two documents, so that defaults filled in by validation are part of it.
    """
    whole = load_shot(document).model_dump(mode="json")  # parts that are newer than the stored document are in it too
    shot = load_shot(apply_patch(whole, ops))
    after = shot.model_dump(mode="json")
    return after, shot, jsonpatch.make_patch(document, after).patch, jsonpatch.make_patch(after, document).patch
