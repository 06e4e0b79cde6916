"""Every entry counts its changes, so that two who change it at once are noticed; versions know their age."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("items", sa.Column("revision", sa.Integer, nullable=False, server_default="0"))
    op.add_column("results", sa.Column("base", sa.String(40), nullable=False, server_default=""))
    op.add_column("results", sa.Column("revision", sa.String, nullable=False, server_default=""))
    op.add_column("results", sa.Column("short", sa.String))
    op.execute("UPDATE results SET short = json_extract(data, '$.short')")
    op.add_column("shown", sa.Column("before", sa.String(40)))
    op.add_column("versions", sa.Column("made", sa.DateTime, nullable=False, server_default="2026-01-01 00:00:00"))
    op.add_column("changes", sa.Column("revision", sa.Integer, nullable=False, server_default="0"))
    op.add_column("changes", sa.Column("revision_before", sa.Integer, nullable=False, server_default="0"))
