"""Registers, photos and stock.

Purpose: what is found, asked, changed, parked and taken off in a job; photos; parts in stock.
Downgrade drops them with what they hold.
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "register_lines",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("register", sa.String(40), nullable=False),
        sa.Column("key", sa.String(120), nullable=False),
        sa.Column("step", sa.String(80), nullable=False),
        sa.Column("numbers", sa.JSON(), nullable=False),
        sa.Column("texts", sa.JSON(), nullable=False),
        sa.Column("removed", sa.Boolean(), nullable=False),
    )
    op.create_index("ix_register_lines_job", "register_lines", ["job_id"])
    op.create_table(
        "photos",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("image", sa.LargeBinary(), nullable=False),
        sa.Column("thumbnail", sa.LargeBinary(), nullable=False),
    )
    op.create_index("ix_photos_job", "photos", ["job_id"])
    op.create_table(
        "stock",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("rating", sa.Double(), nullable=False),
        sa.Column("safety", sa.String(10), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("note", sa.String(200), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("stock")
    op.drop_index("ix_photos_job", "photos")
    op.drop_table("photos")
    op.drop_index("ix_register_lines_job", "register_lines")
    op.drop_table("register_lines")
