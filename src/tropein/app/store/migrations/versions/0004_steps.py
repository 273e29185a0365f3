"""A shot's document is written now and then, its steps always; a mark tells one state of a shot from every other."""

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.execute("alter table shot add column written integer")
    op.execute("update shot set written = revision")
    op.execute("alter table shot alter column written set not null")
    op.execute("alter table shot add column mark text not null default ''")
    op.execute("update shot set mark = md5(random()::text)")
