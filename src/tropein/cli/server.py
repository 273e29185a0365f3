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
from typing import TYPE_CHECKING, Annotated

import typer

from tropein.core.garbage import loading

if TYPE_CHECKING:
    from tropein.app.jobs.context import WorkContext

DATABASE_WAIT_S = 60.0
Demo = Annotated[bool, typer.Option("--demo", help="Add the demo shots if they are not there.")]


def serve(demo: Demo = False) -> None:
    """Migrate, add the demo if asked, and serve until stopped."""
    with loading():
        import uvicorn

        from tropein.app.jobs.context import make
        from tropein.app.server import create_app
        from tropein.app.settings import Settings
        from tropein.app.store.database import migrate
        from tropein.app.wire import Prompt

        settings = Settings()
        app = create_app(settings)
    logging.basicConfig(level=logging.INFO)
    context = make(settings)
    _patiently(lambda: migrate(context.engine))
    if demo:
        from demo.seed import seed

        seed(context, lambda text: sys.stdout.write(f"  {text}\n") and sys.stdout.flush(), shots=1)
        _demo_later(context)
    context.engine.dispose()
    uvicorn.run(
        app, host=settings.host, port=settings.port, log_level="warning", ws_per_message_deflate=False, http=Prompt,
        timeout_graceful_shutdown=2,
    )  # fmt: skip


def _demo_later(context: WorkContext) -> None:
    """Have a worker add the rest of the demo, unless all of it is there or that is being done."""
    from demo.seed import is_there

    from tropein.app.jobs.kind import start
    from tropein.app.jobs.work.demo import SetUpDemo
    from tropein.app.store import runs
    from tropein.app.store.database import transaction

    with transaction(context.engine) as session:
        under_way = [r for r in runs.recent(session) if r.kind == "demo" and r.state in runs.LIVE]
        if not under_way and not is_there(context):
            start(session, SetUpDemo())


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


def warm_up(
    parts: Annotated[list[str] | None, typer.Argument(help="Of pixels, mattes, tracks; none: all.")] = None,
) -> None:
    """Compile kernels into the cache."""
    from tropein.core.compose.warm import PARTS, ready, warm

    for part in parts or PARTS:
        warm(part)
        ready(part).touch()


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
