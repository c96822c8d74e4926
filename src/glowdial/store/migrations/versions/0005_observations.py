"""Observations, blobs, closed jobs as they were told, reopenings.

Purpose: what was told of an entry has a table of its own; a value is an observation with its place,
doubt and source; an answer keeps its point and its conditions; a handed-over job keeps its report.
The rows of older jobs get their places when the file is opened. Downgrade drops what the older
tables have no room for.
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"

EMPTY = sa.text("'{}'")


def upgrade() -> None:
    op.create_table(
        "blobs",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("media_type", sa.String(80), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
    )
    op.create_table(
        "reopenings",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("told", sa.String(64), sa.ForeignKey("blobs.sha256")),
    )
    op.create_index("ix_reopenings_job", "reopenings", ["job_id"])
    op.create_table(
        "tellings",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("answer_seq", sa.Integer(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
    )
    op.create_index("ix_tellings_job", "tellings", ["job_id"])
    op.create_table(
        "observations",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("answer_id", sa.Integer(), sa.ForeignKey("answers.id"), nullable=False),
        sa.Column("field", sa.String(40), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("unit", sa.String(10), nullable=False),
        sa.Column("place", sa.String(80), nullable=False, server_default=""),
        sa.Column("kind", sa.String(20), nullable=False, server_default=""),
        sa.Column("doubt", sa.Double()),
        sa.Column("source", sa.String(20), nullable=False, server_default="hand"),
        sa.Column("blob", sa.String(64), sa.ForeignKey("blobs.sha256")),
    )
    op.execute(
        "INSERT INTO observations (id, job_id, answer_id, field, value, unit, source) "
        "SELECT r.id, r.job_id, r.answer_id, r.field, r.value, r.unit, a.source "
        "FROM readings r JOIN answers a ON a.id = r.answer_id"
    )
    op.create_index("ix_observations_job_answer", "observations", ["job_id", "answer_id"])
    op.create_index("ix_observations_job_place", "observations", ["job_id", "place"])
    op.drop_index("ix_readings_job_answer", "readings")
    op.drop_table("readings")
    # in place: a table that is made anew would take its rows' foreign keys along
    op.drop_column("answers", "source")
    for name in ("point", "conditions", "instruments"):
        op.add_column("answers", sa.Column(name, sa.JSON(), nullable=False, server_default=EMPTY))
    programme = sa.Column("programme", sa.JSON(), nullable=False, server_default=sa.text("'[]'"))
    op.add_column("answers", programme)
    op.add_column("answers", sa.Column("who", sa.String(80), nullable=False, server_default=""))
    op.add_column("jobs", sa.Column("closing", sa.JSON()))
    op.add_column("jobs", sa.Column("format", sa.Integer(), nullable=False, server_default="1"))
    if op.get_bind().dialect.name == "sqlite":
        for table in ("observations", "tellings", "reopenings"):
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
                )


def downgrade() -> None:
    if op.get_bind().dialect.name == "sqlite":
        for verb in ("update", "delete"):
            op.execute(f"DROP TRIGGER answers_no_{verb}")
    op.create_table(
        "readings",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("answer_id", sa.Integer(), sa.ForeignKey("answers.id"), nullable=False),
        sa.Column("field", sa.String(40), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("unit", sa.String(10), nullable=False),
    )
    op.execute(
        "INSERT INTO readings (id, job_id, answer_id, field, value, unit) "
        "SELECT id, job_id, answer_id, field, value, unit FROM observations"
    )
    op.create_index("ix_readings_job_answer", "readings", ["job_id", "answer_id"])
    op.add_column("answers", sa.Column("source", sa.String(20), nullable=False, server_default=""))
    for name in ("point", "conditions", "instruments", "programme", "who"):
        op.drop_column("answers", name)
    op.execute(
        "UPDATE answers SET source = coalesce((SELECT source FROM observations "
        "WHERE observations.answer_id = answers.id LIMIT 1), 'hand')"
    )
    for name in ("closing", "format"):
        op.drop_column("jobs", name)
    for table in ("observations", "tellings", "reopenings", "blobs"):
        op.drop_table(table)
