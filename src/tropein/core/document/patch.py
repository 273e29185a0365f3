"""The one way to change a document: a JSON Patch (RFC 6902), with its inverse."""

from __future__ import annotations

import copy
from typing import Any

import jsonpatch
from jsonpointer import JsonPointerException, resolve_pointer

from tropein.core.errors import BadInput

PatchOps = list[dict[str, Any]]
MOST_OPS = 5000
MOST_COPIED = 200_000  # values and 16ths of a kilobyte of text that the copies of one patch may bring
DoesNotFit = (
    jsonpatch.JsonPatchException, JsonPointerException, TypeError, KeyError, ValueError, IndexError, AttributeError, RecursionError,
)  # fmt: skip


def apply_patch(document: dict[str, Any], ops: PatchOps) -> dict[str, Any]:
    """The patched copy of a plain document, not validated; BadInput when an operation does not fit, or when there are too many,
    or their copies multiply what is there."""
    return apply_in_place(copy.deepcopy(document), ops)


def apply_in_place(document: dict[str, Any], ops: PatchOps) -> dict[str, Any]:
    """`apply_patch` on a document that is the caller's own; what the operations bring stays theirs."""
    if len(ops) > MOST_OPS:
        raise BadInput(f"A change may have up to {MOST_OPS} operations.")
    result: Any = document
    copied = 0
    try:
        for op in ops:
            if op.get("op") == "copy":
                copied += weight(resolve_pointer(result, op["from"]), MOST_COPIED)
                if copied > MOST_COPIED:
                    raise BadInput("The change copies more than a change may.")
            if isinstance(op.get("value"), dict | list):
                op = {**op, "value": copy.deepcopy(op["value"])}
            result = jsonpatch.JsonPatch([op]).apply(result, in_place=True)
        return dict(result)
    except DoesNotFit as error:
        raise BadInput(f"The change does not fit the shot: {error}") from error


def weight(value: Any, enough: int) -> int:
    """How many values a plain document holds, long text counting for more; counting ends once there are `enough`."""
    total, left = 0, [value]
    while left and total <= enough:
        item = left.pop()
        total += 1
        if isinstance(item, str):
            total += len(item) // 64
        elif isinstance(item, list):
            left.extend(item)
        elif isinstance(item, dict):
            left.extend(item.values())
    return total
