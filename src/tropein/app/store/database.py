"""The connection to PostgreSQL and its sessions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from tropein.app.store.address import address, more_arguments


def is_gone(error: BaseException) -> bool:
    """Whether an error says that the database cannot be reached at the moment."""
    if isinstance(error, PoolTimeout):
        return True
    if not isinstance(error, DBAPIError):
        return False
    state = getattr(error.orig, "sqlstate", None)
    lost = state is None or state.startswith(("08", "57P"))  # connection exceptions, shutdown
    return error.connection_invalidated or (isinstance(error, OperationalError | InterfaceError) and lost)


def is_full(error: BaseException) -> bool:
    """Whether the database's disk is full."""
    return isinstance(error, DBAPIError) and getattr(error.orig, "sqlstate", None) == "53100"


def open_engine(url: str) -> Engine:
    """An engine for PostgreSQL; at most 20 connections, for each of which is waited 10 s."""
    known = address(url)
    return create_engine(
        known, pool_size=8, max_overflow=12, pool_pre_ping=True, pool_timeout=10, connect_args=more_arguments(known)
    )


def migrate(engine: Engine) -> None:
    """Bring the database's schema up to date."""
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


@contextmanager
def transaction(engine: Engine) -> Iterator[Session]:
    """A session that commits at the end and rolls back on an error."""
    with Session(engine) as session, session.begin():
        yield session
