"""Facts about the whole installation, how often a piece of work was taken up, and edits that are known again when sent twice."""

from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.execute(
        "create table setting (name text primary key, value jsonb not null, changed timestamptz not null default now())"
    )
    op.execute("alter table run add column attempts integer not null default 0")
    op.execute("create index run_state on run (state) where state in ('waiting', 'running', 'finishing')")
    op.execute("alter table edit add column key text")
    op.execute("create unique index edit_key on edit (shot_id, key) where key is not null")
    op.execute("alter table chunk add column machine text not null default ''")
