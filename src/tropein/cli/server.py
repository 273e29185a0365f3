"""Commands the launcher uses: the server, a worker, compiling kernels, the page's API types."""

from __future__ import annotations

import asyncio
import json
import logging
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

DATABASE_WAIT_S = 60.0
Demo = Annotated[bool, typer.Option("--demo", help="Add the demo shots if they are not there.")]


def serve(demo: Demo = False) -> None:
    """Migrate, add the demo if asked, and serve until stopped."""
    import uvicorn

    from tropein.app.jobs.context import make
    from tropein.app.server import create_app
    from tropein.app.settings import Settings
    from tropein.app.store.database import migrate
    from tropein.app.wire import Prompt

    logging.basicConfig(level=logging.INFO)
    settings = Settings()
    app = create_app(settings)
    context = make(settings)
    _patiently(lambda: migrate(context.engine))
    if demo:
        from demo.seed import seed

        seed(context, lambda text: sys.stdout.write(f"  {text}\n") and sys.stdout.flush())
    context.engine.dispose()
    uvicorn.run(
        app, host=settings.host, port=settings.port, log_level="warning", ws_per_message_deflate=False, http=Prompt,
        timeout_graceful_shutdown=2,
    )  # fmt: skip


def _patiently(step: Callable[[], None]) -> None:
    """Do something with the database, waiting while it is still starting."""
    from tropein.app.store.database import is_gone

    end = time.monotonic() + DATABASE_WAIT_S
    while True:
        try:
            step()
            return
        except Exception as error:
            if not is_gone(error) or time.monotonic() > end:
                raise
            time.sleep(0.5)


def worker(
    slots: Annotated[int, typer.Option(help="How many pieces of work at once.")] = 2,
    patient: Annotated[bool, typer.Option("--patient", hidden=True)] = False,
) -> None:
    """Take work from the queue until stopped."""
    from tropein.app.jobs.worker import run

    logging.basicConfig(level=logging.WARNING)
    asyncio.run(run(slots, patient))


def warm_up() -> None:
    """Compile every kernel into the cache."""
    from tropein.core.compose.warm import warm

    warm()


def api_types(check: Annotated[bool, typer.Option("--check")] = False) -> None:
    """Write the page's API types from the server's own schema; with --check, fail when they differ."""
    from tropein.app.server import create_app

    web = Path(__file__).resolve().parents[3] / "web"
    schema = web / "openapi.json"
    schema.write_text(json.dumps(create_app().openapi(), indent=1))
    target = web / "src" / "api" / "schema.d.ts"
    before = target.read_text() if target.exists() else ""
    made = subprocess.run(
        [str(web / "node_modules/.bin/openapi-typescript"), str(schema)], capture_output=True, text=True, check=True
    ).stdout
    if check and made != before:
        sys.stderr.write(
            "web/src/api/schema.d.ts is not what the server says; run ./tropein python -m tropein.cli api-types\n"
        )
        raise typer.Exit(1)
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(made)
