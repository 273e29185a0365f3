"""Shots with their edits, the shelf, runs with their chunks, and the job queue's own tables."""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0001"
down_revision = None

TABLES = """
create table shot (
    id text primary key, name text not null, revision integer not null, document jsonb not null,
    created timestamptz not null default now(), updated timestamptz not null default now());
create table edit (
    shot_id text not null references shot on delete cascade, number integer not null, label text not null,
    kind text not null check (kind in ('edit', 'undo', 'redo')), target integer,
    state text not null check (state in ('done', 'undone', 'dropped')),
    patch jsonb not null, inverse jsonb not null, client text not null default '',
    created timestamptz not null default now(), primary key (shot_id, number));
create table shelf_item (
    id text primary key, media text not null, name text not null, kind text not null, stock boolean not null default false,
    tags jsonb not null default '[]', facts jsonb not null, created timestamptz not null default now());
create table run (
    id text primary key, kind text not null, shot_id text references shot on delete cascade, title text not null,
    state text not null check (state in ('waiting', 'running', 'finishing', 'done', 'failed', 'cancelled')),
    done integer not null default 0, total integer not null default 0, note text not null default '',
    error text not null default '', params jsonb not null default '{}', result jsonb not null default '{}',
    created timestamptz not null default now(), started timestamptz, finished timestamptz);
create table chunk (
    run_id text not null references run on delete cascade, number integer not null, first integer not null,
    last integer not null, state text not null default 'waiting' check (state in ('waiting', 'running', 'done')),
    done integer not null default 0, attempts integer not null default 0, primary key (run_id, number));
create index run_created on run (created desc);
"""


def upgrade() -> None:
    raw = op.get_bind().connection.driver_connection
    assert raw is not None  # several statements at once go only without parameters, so past SQLAlchemy
    raw.execute(TABLES)
    raw.execute(SchemaManager.get_schema())
