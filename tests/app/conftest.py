"""A real PostgreSQL for the whole run, a fresh database from a migrated template for each test that asks."""

from __future__ import annotations

import itertools
import shutil
import uuid
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from fastapi.testclient import TestClient

from launch import postgres
from tropein.app.jobs.context import WorkContext, make
from tropein.app.server import create_app
from tropein.app.settings import Settings
from tropein.app.store.database import migrate, open_engine

_numbers = itertools.count(1)


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[postgres.Server]:
    running = postgres.start(tmp_path_factory.mktemp("pg") / uuid.uuid4().hex, fast_and_loose=True)
    postgres.ensure_database(running, "template_tropein")
    engine = open_engine(running.url("template_tropein"))
    migrate(engine)
    engine.dispose()
    yield running
    postgres.stop(running)
    shutil.rmtree(running.folder, ignore_errors=True)


@pytest.fixture
def database(server: postgres.Server) -> Iterator[str]:
    name = f"test_{next(_numbers)}"
    admin = server.url("postgres").replace("postgresql+psycopg", "postgresql")
    with psycopg.connect(admin, autocommit=True) as connection:
        connection.execute(f"create database {name} template template_tropein strategy wal_log")
        yield server.url(name)
        connection.execute(f"drop database {name} with (force)")


@pytest.fixture
def settings(database: str, tmp_path: Path) -> Settings:
    return Settings(home=tmp_path / "home", database=database, web=tmp_path, cache_bytes=128 << 20)


@pytest.fixture
def context(settings: Settings) -> Iterator[WorkContext]:
    made = make(settings)
    yield made
    made.engine.dispose()


@pytest.fixture
def client(settings: Settings) -> Iterator[TestClient]:
    with TestClient(create_app(settings), base_url="http://127.0.0.1") as client:
        yield client
