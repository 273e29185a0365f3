"""A database and a home of their own, with the demo in them."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from demo.seed import seed
from launch import postgres
from tropein.app.jobs.context import WorkContext, make
from tropein.app.settings import Settings
from tropein.app.store.database import migrate, transaction
from tropein.app.store.settings import claim_home


@contextmanager
def demo_place(shots: int | None = None, say: Callable[[str], object] = lambda words: None) -> Iterator[WorkContext]:
    """With the demo, or its first shots; `say` hears what is being added."""
    with tempfile.TemporaryDirectory() as folder:
        server = postgres.start(Path(folder) / "pg", fast_and_loose=True)
        try:
            postgres.ensure_database(server)
            context = make(Settings(home=Path(folder) / "home", database=server.url(), cache_bytes=256 << 20))
            migrate(context.engine)
            context.settings.home.mkdir(exist_ok=True)
            with transaction(context.engine) as session:
                claim_home(session, context.settings.home)
            seed(context, say, shots)
            yield context
            context.engine.dispose()
        finally:
            postgres.stop(server)
