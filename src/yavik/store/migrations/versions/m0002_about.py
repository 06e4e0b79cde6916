"""What is known of whole tables; who changed what; named moments."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("versions", sa.Column("about", sa.JSON, nullable=False, server_default="{}"))
    op.add_column("changes", sa.Column("who", sa.String, nullable=False, server_default=""))
    op.add_column("changes", sa.Column("moment", sa.String))
