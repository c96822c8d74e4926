"""Alarms.

Purpose: an alarm is a state of the job: raised, switched off, settled. Downgrade drops them.
"""

import sqlalchemy as sa
from alembic import op

from glowdial.store.append_only import lock_statements

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "alarms",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("event", sa.String(20), nullable=False),
        sa.Column("step", sa.String(80), nullable=False),
        sa.Column("what", sa.String(40), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("done", sa.Text(), nullable=False),
    )
    op.create_index("ix_alarms_job", "alarms", ["job_id"])
    if op.get_bind().dialect.name == "sqlite":
        for statement in lock_statements("alarms"):
            op.execute(statement)


def downgrade() -> None:
    op.drop_index("ix_alarms_job", "alarms")
    op.drop_table("alarms")
