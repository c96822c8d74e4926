"""First tables.

Purpose: sheets, sets, jobs, the append-only record, registers, benches, idempotency keys.
Downgrade removes every table.
"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

APPEND_ONLY = (
    "answers",
    "readings",
    "withdrawals",
    "moves",
    "changes",
    "closures",
    "acknowledgements",
    "notes",
)


def upgrade() -> None:
    op.create_table(
        "idempotency_keys",
        sa.Column("key", sa.String(length=100), nullable=False),
        sa.Column("fingerprint", sa.String(length=64), nullable=False),
        sa.Column("response", sa.JSON(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "sets",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("maker", sa.String(length=80), nullable=False),
        sa.Column("model", sa.String(length=80), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("serial", sa.String(length=80), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "sheets",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("maker", sa.String(length=80), nullable=False),
        sa.Column("model", sa.String(length=80), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("created_at", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("maker", "model", "version"),
    )
    op.create_table(
        "jobs",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("set_id", sa.Integer(), nullable=False),
        sa.Column("sheet_id", sa.Integer(), nullable=False),
        sa.Column("sheet", sa.JSON(), nullable=False),
        sa.Column("link", sa.String(length=20), nullable=False),
        sa.Column("opened_at", sa.DateTime(), nullable=False),
        sa.Column("touched_at", sa.DateTime(), nullable=False),
        sa.Column("closed_at", sa.DateTime(), nullable=True),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("standing", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["set_id"],
            ["sets.id"],
        ),
        sa.ForeignKeyConstraint(
            ["sheet_id"],
            ["sheets.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_jobs_set_id"), "jobs", ["set_id"], unique=False)
    op.create_table(
        "acknowledgements",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("danger", sa.String(length=60), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_acknowledgements_job", "acknowledgements", ["job_id"], unique=False)
    op.create_table(
        "answers",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("ask", sa.String(length=60), nullable=False),
        sa.Column("texts", sa.JSON(), nullable=False),
        sa.Column("source", sa.String(length=20), nullable=False),
        sa.Column("line", sa.Text(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_answers_job_seq", "answers", ["job_id", "seq"], unique=True)
    op.create_table(
        "benches",
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("condition", sa.JSON(), nullable=False),
        sa.Column("state", sa.JSON(), nullable=False),
        sa.Column("held", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("job_id"),
    )
    op.create_table(
        "changes",
        sa.Column("what", sa.String(length=40), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_changes_job", "changes", ["job_id"], unique=False)
    op.create_table(
        "closures",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.Column("cost", sa.Text(), nullable=False),
        sa.Column("decided_by", sa.String(length=80), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_closures_job", "closures", ["job_id"], unique=False)
    op.create_table(
        "moves",
        sa.Column("adjuster", sa.String(length=40), nullable=False),
        sa.Column("turns", sa.Double(), nullable=False),
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_moves_job", "moves", ["job_id"], unique=False)
    op.create_table(
        "notes",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_notes_job", "notes", ["job_id"], unique=False)
    op.create_table(
        "switched_off",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("restored_seq", sa.Integer(), nullable=True),
        sa.Column("restored_at", sa.DateTime(), nullable=True),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_switched_off_job", "switched_off", ["job_id"], unique=False)
    op.create_table(
        "temporary_connections",
        sa.Column("step", sa.String(length=80), nullable=False),
        sa.Column("what", sa.String(length=200), nullable=False),
        sa.Column("place", sa.String(length=200), nullable=False),
        sa.Column("wanted_under_power", sa.Boolean(), nullable=False),
        sa.Column("removed_seq", sa.Integer(), nullable=True),
        sa.Column("removed_at", sa.DateTime(), nullable=True),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(
        "ix_temporary_connections_job", "temporary_connections", ["job_id"], unique=False
    )
    op.create_table(
        "withdrawals",
        sa.Column("answer_seq", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(), nullable=False),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_withdrawals_job", "withdrawals", ["job_id"], unique=False)
    op.create_table(
        "readings",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=False),
        sa.Column("answer_id", sa.Integer(), nullable=False),
        sa.Column("field", sa.String(length=40), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("unit", sa.String(length=10), nullable=False),
        sa.ForeignKeyConstraint(
            ["answer_id"],
            ["answers.id"],
        ),
        sa.ForeignKeyConstraint(
            ["job_id"],
            ["jobs.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_readings_job_answer", "readings", ["job_id", "answer_id"], unique=False)
    if op.get_bind().dialect.name == "sqlite":
        for table in APPEND_ONLY:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
                )


def downgrade() -> None:
    op.drop_index("ix_readings_job_answer", table_name="readings")
    op.drop_table("readings")
    op.drop_index("ix_withdrawals_job", table_name="withdrawals")
    op.drop_table("withdrawals")
    op.drop_index("ix_temporary_connections_job", table_name="temporary_connections")
    op.drop_table("temporary_connections")
    op.drop_index("ix_switched_off_job", table_name="switched_off")
    op.drop_table("switched_off")
    op.drop_index("ix_notes_job", table_name="notes")
    op.drop_table("notes")
    op.drop_index("ix_moves_job", table_name="moves")
    op.drop_table("moves")
    op.drop_index("ix_closures_job", table_name="closures")
    op.drop_table("closures")
    op.drop_index("ix_changes_job", table_name="changes")
    op.drop_table("changes")
    op.drop_table("benches")
    op.drop_index("ix_answers_job_seq", table_name="answers")
    op.drop_table("answers")
    op.drop_index("ix_acknowledgements_job", table_name="acknowledgements")
    op.drop_table("acknowledgements")
    op.drop_index(op.f("ix_jobs_set_id"), table_name="jobs")
    op.drop_table("jobs")
    op.drop_table("sheets")
    op.drop_table("sets")
    op.drop_table("idempotency_keys")
