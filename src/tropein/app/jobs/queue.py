"""The job queue on PostgreSQL. Tasks are deferred inside the transaction that makes their rows."""

from __future__ import annotations

from procrastinate import App, PsycopgConnector, RetryStrategy, SyncPsycopgConnector
from sqlalchemy.orm import Session

NAMESPACE = "tropein"
RETRY = RetryStrategy(max_attempts=4, wait=1)
WORK, SOON = "work", "soon"  # what takes its time, and what someone waits for

# Deferring needs no connection of its own: it uses the session's.
deferrer = App(connector=SyncPsycopgConnector())


def defer(session: Session, task: str, soon: bool = False, **arguments: object) -> None:
    """Queue `task`; it becomes visible to workers when the session commits. What is to be done soon does not wait for what takes its time."""
    connection = session.connection().connection.driver_connection
    how = {"queue": SOON, "priority": 1} if soon else {"queue": WORK}
    deferrer.configure_task(f"{NAMESPACE}:{task}", connection=connection, **how).defer(**arguments)  # type: ignore[arg-type]


def worker_app(database: str) -> App:
    """The application a worker runs."""
    return App(connector=PsycopgConnector(conninfo=database))
