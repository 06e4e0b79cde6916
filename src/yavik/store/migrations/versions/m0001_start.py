"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def _id() -> sa.Column[str]:
    return sa.Column("id", sa.String(12), primary_key=True)


def _study() -> sa.Column[str]:
    return sa.Column("study_id", sa.String(12), sa.ForeignKey("studies.id", ondelete="CASCADE"), nullable=False)


def upgrade() -> None:
    op.create_table(
        "studies",
        _id(),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("touched", sa.DateTime, nullable=False),
        sa.Column("deleted", sa.DateTime),
        sa.Column("demo", sa.Boolean, nullable=False),
    )
    op.create_table(
        "items",
        _id(),
        _study(),
        sa.Column("type", sa.String(10), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("position", sa.Float, nullable=False),
        sa.Column("body", sa.JSON, nullable=False),
        sa.Column("deleted", sa.Boolean, nullable=False),
    )
    op.create_index("ix_items_study_id", "items", ["study_id"])
    op.create_table(
        "changes",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        _study(),
        sa.Column("item_id", sa.String(12), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("before", sa.JSON, nullable=False),
        sa.Column("after", sa.JSON, nullable=False),
        sa.Column("undone", sa.Boolean, nullable=False),
    )
    op.create_index("changes_by_study", "changes", ["study_id", "id"])
    op.create_table(
        "uploads",
        _id(),
        _study(),
        sa.Column("filename", sa.String, nullable=False),
        sa.Column("sha", sa.String(64), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("complete", sa.Boolean, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_table(
        "pieces",
        sa.Column("upload_id", sa.String(12), sa.ForeignKey("uploads.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "column_data",
        sa.Column("hash", sa.String(40), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "versions",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("columns", sa.JSON, nullable=False),
        sa.Column("rows_hash", sa.String(40), nullable=False),
        sa.Column("n_rows", sa.Integer, nullable=False),
        sa.Column("effect", sa.JSON, nullable=False),
    )
    op.create_table(
        "results",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("data", sa.JSON, nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
    )
    op.create_table(
        "shown",
        sa.Column("item_id", sa.String(12), sa.ForeignKey("items.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(40), nullable=False),
    )
    op.create_table(
        "profiles", sa.Column("key", sa.String(64), primary_key=True), sa.Column("data", sa.JSON, nullable=False)
    )
