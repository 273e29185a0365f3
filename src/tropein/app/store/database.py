"""The connection to PostgreSQL and its sessions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session


def open_engine(url: str) -> Engine:
    """An engine for postgresql+psycopg; at most 20 connections."""
    return create_engine(url, pool_size=8, max_overflow=12, pool_pre_ping=True)


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
