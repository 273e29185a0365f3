"""Addresses in a plain document: `layers/ab3/effects/q7/radius`."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import StringConstraints

from tropein.core.commands.common import Plain
from tropein.core.errors import NotFound

Address = Annotated[str, StringConstraints(pattern=r"^/?(layers|mattes|tracks|spots)(/[A-Za-z0-9_-]{1,60}){1,10}$")]


def parts_of(address: str) -> list[str]:
    return address.strip("/").split("/")


def holder_of(document: Plain, address: str) -> tuple[Plain, str]:
    """(the object that holds what is addressed, its name there). NotFound where there is nothing of that name."""
    here: Any = document
    *way, name = parts_of(address)
    for part in way:
        here = here.get(part) if isinstance(here, dict) else None
    if not isinstance(here, dict) or name not in here:
        raise NotFound(f"The shot has nothing at {address.strip('/')}.")
    return here, name
