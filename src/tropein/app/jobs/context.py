"""What a task works with: settings, database, media, artefacts; made once a process."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from sqlalchemy import Engine

from tropein.app.settings import Settings
from tropein.app.store.database import open_engine
from tropein.core.compose.artefacts import Artefacts
from tropein.core.media.library import Library


@dataclass(frozen=True)
class WorkContext:
    settings: Settings
    engine: Engine
    library: Library
    artefacts: Artefacts


def make(settings: Settings) -> WorkContext:
    return WorkContext(settings, open_engine(settings.database), Library(settings.media), Artefacts(settings.artefacts))


@lru_cache(1)
def here() -> WorkContext:
    """The context of this process, from its environment."""
    return make(Settings())
