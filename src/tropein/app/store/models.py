"""The tables, as SQLAlchemy sees them (made by the migrations)."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB}


class ShotRow(Base):
    """`document` is the one of the revision `written`; the steps since stand in the edits. `mark` is another with every change."""

    __tablename__ = "shot"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    revision: Mapped[int]
    written: Mapped[int]
    mark: Mapped[str] = mapped_column(default="")
    document: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    created: Mapped[datetime] = mapped_column(server_default=func.now())
    updated: Mapped[datetime] = mapped_column(server_default=func.now())


class EditRow(Base):
    __tablename__ = "edit"
    shot_id: Mapped[str] = mapped_column(ForeignKey("shot.id"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str]
    kind: Mapped[str]
    target: Mapped[int | None]
    state: Mapped[str]
    patch: Mapped[list[Any]]
    inverse: Mapped[list[Any]]
    client: Mapped[str]
    key: Mapped[str | None]
    created: Mapped[datetime] = mapped_column(server_default=func.now())


class ShelfRow(Base):
    __tablename__ = "shelf_item"
    id: Mapped[str] = mapped_column(primary_key=True)
    media: Mapped[str]
    name: Mapped[str]
    kind: Mapped[str]
    stock: Mapped[bool]
    tags: Mapped[list[Any]]
    facts: Mapped[dict[str, Any]]
    created: Mapped[datetime] = mapped_column(server_default=func.now())


class RunRow(Base):
    __tablename__ = "run"
    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    shot_id: Mapped[str | None] = mapped_column(ForeignKey("shot.id"))
    title: Mapped[str]
    state: Mapped[str]
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    note: Mapped[str] = mapped_column(default="")
    error: Mapped[str] = mapped_column(default="")
    params: Mapped[dict[str, Any]] = mapped_column(default=dict)
    result: Mapped[dict[str, Any]] = mapped_column(default=dict)
    attempts: Mapped[int] = mapped_column(default=0)
    created: Mapped[datetime] = mapped_column(server_default=func.now())
    started: Mapped[datetime | None]
    finished: Mapped[datetime | None]


class ChunkRow(Base):
    __tablename__ = "chunk"
    run_id: Mapped[str] = mapped_column(ForeignKey("run.id"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    first: Mapped[int]
    last: Mapped[int]
    state: Mapped[str] = mapped_column(default="waiting")
    done: Mapped[int] = mapped_column(default=0)
    attempts: Mapped[int] = mapped_column(default=0)
    machine: Mapped[str] = mapped_column(default="")  # that made it, or makes it


class SettingRow(Base):
    """A fact about the whole installation."""

    __tablename__ = "setting"
    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[Any] = mapped_column(JSONB)
    changed: Mapped[datetime] = mapped_column(server_default=func.now())
