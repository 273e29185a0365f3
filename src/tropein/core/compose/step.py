"""One operation of a plan, named by what goes into it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from hashlib import blake2b
from typing import TYPE_CHECKING, Any

import numpy as np
import orjson
from pydantic import BaseModel

if TYPE_CHECKING:
    from tropein.core.compose.forms import Form

EXACTLY = orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS


@dataclass(frozen=True, eq=False)
class Step:
    """`make(*results of the inputs)` gives a Picture or a Coverage; `key` names its result for ever. `form`: how it is made row by
    row instead, where it can be (see forms.py). `lasting`: other frames will ask for it too."""

    key: str
    make: Callable[..., Any]
    inputs: tuple[Step, ...] = ()
    form: Form | None = None
    lasting: bool = False

    @property
    def lasts(self) -> Step:
        """The same, for other frames too."""
        return replace(self, lasting=True)


def step(
    op: str, parameters: object, inputs: tuple[Step, ...], make: Callable[..., Any], form: Form | None = None
) -> Step:
    """A step whose key is the hash of its operation, parameters and inputs. Parameters are numbers, words, arrays, data classes and models of
    them, in tuples, lists and maps; TypeError for anything else."""
    text = orjson.dumps((op, parameters, [i.key for i in inputs]), default=_plain, option=EXACTLY)
    return Step(blake2b(text, digest_size=16).hexdigest(), make, inputs, form)


def _plain(value: object) -> object:
    if isinstance(value, bytes):
        return value.hex()
    if isinstance(value, BaseModel):
        return value.__dict__
    if isinstance(value, np.ndarray):
        return np.ascontiguousarray(value)
    if isinstance(value, np.generic):
        return value.item()
    raise TypeError(f"a step cannot be named by a {type(value).__name__}")
