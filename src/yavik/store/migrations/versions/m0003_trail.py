"""The trail of a model: every round that was tried."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "rounds",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("item_id", sa.String(12), sa.ForeignKey("items.id", ondelete="CASCADE"), nullable=False),
        sa.Column("key", sa.String(40), nullable=False),
        sa.Column("spec", sa.JSON, nullable=False),
        sa.Column("card", sa.JSON, nullable=False),
        sa.Column("name", sa.String),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.UniqueConstraint("item_id", "key"),
    )
