"""The job queue on PostgreSQL. Tasks are deferred inside the transaction that makes their rows."""

from __future__ import annotations

from procrastinate import App, PsycopgConnector, RetryStrategy, SyncPsycopgConnector
from sqlalchemy.orm import Session

NAMESPACE = "tropein"
RETRY = RetryStrategy(max_attempts=4, wait=1)

# Deferring needs no connection of its own: it uses the session's.
deferrer = App(connector=SyncPsycopgConnector())


def defer(session: Session, task: str, **arguments: object) -> None:
    """Queue `task`; it becomes visible to workers when the session commits."""
    connection = session.connection().connection.driver_connection
    deferrer.configure_task(f"{NAMESPACE}:{task}", queue="work", connection=connection).defer(**arguments)  # type: ignore[arg-type]


def worker_app(database: str) -> App:
    """The application a worker runs."""
    return App(connector=PsycopgConnector(conninfo=database))
