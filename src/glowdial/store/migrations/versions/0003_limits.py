"""Limits of the bench's instruments.

Purpose: what a generator or meter can do, as typed, for the advice. Downgrade drops them.
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    with op.batch_alter_table("instruments") as table:
        table.add_column(sa.Column("limits", sa.JSON(), nullable=False, server_default="{}"))


def downgrade() -> None:
    with op.batch_alter_table("instruments") as table:
        table.drop_column("limits")
