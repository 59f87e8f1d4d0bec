"""first tables"""

import sqlalchemy as sa
from alembic import op

import lowhiss.store.types


revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:

    op.create_table(
        "rule_set",
        sa.Column("hash", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("content", sa.JSON(), nullable=False),
        sa.Column("kept_at", lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("hash", name=op.f("pk_rule_set")),
    )
    op.create_table(
        "setting",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("value", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_setting")),
    )
    op.create_table(
        "unit",
        sa.Column("id", sa.String(length=36), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("resolution_psi", lowhiss.store.types.Psi(precision=9, scale=5), nullable=False),
        sa.Column("rules", sa.String(length=60), nullable=False),
        sa.Column("demo", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_unit")),
        sa.UniqueConstraint("name", name=op.f("uq_unit_name")),
    )
    op.create_table(
        "run",
        sa.Column("id", sa.String(length=36), nullable=False),
        sa.Column("unit_id", sa.String(length=36), nullable=False),
        sa.Column("unit", sa.JSON(), nullable=False),
        sa.Column("rules_hash", sa.String(length=64), nullable=False),
        sa.Column("procedure", sa.JSON(), nullable=False),
        sa.Column("purpose", sa.String(length=20), nullable=False),
        sa.Column("driver", sa.String(length=80), nullable=False),
        sa.Column("resolution_psi", lowhiss.store.types.Psi(precision=9, scale=5), nullable=False),
        sa.Column("started_at", lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
        sa.Column("begun", sa.JSON(), nullable=False),
        sa.Column("last_seq", sa.Integer(), nullable=False),
        sa.Column("demo", sa.Boolean(), nullable=False),
        sa.CheckConstraint("last_seq >= 0", name=op.f("ck_run_last_seq_not_negative")),
        sa.ForeignKeyConstraint(["rules_hash"], ["rule_set.hash"], name=op.f("fk_run_rules_hash_rule_set")),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], name=op.f("fk_run_unit_id_unit")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
    )
    op.create_index(op.f("ix_run_started_at"), "run", ["started_at"], unique=False)
    op.create_table(
        "clock",
        sa.Column("run_id", sa.String(length=36), nullable=False),
        sa.Column("device", sa.String(length=80, collation="utf8mb4_nopad_bin"), nullable=False),
        sa.Column("epoch", sa.String(length=80, collation="utf8mb4_nopad_bin"), nullable=False),
        sa.Column("offset_s", sa.Double(), nullable=False),
        sa.Column("error_s", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_clock_run_id_run")),
        sa.PrimaryKeyConstraint("run_id", "device", "epoch", name=op.f("pk_clock")),
    )
    op.create_table(
        "event",
        sa.Column("run_id", sa.String(length=36), nullable=False),
        sa.Column("seq", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("id", sa.String(length=80, collation="utf8mb4_nopad_bin"), nullable=False),
        sa.Column("type", sa.String(length=20), nullable=False),
        sa.Column("device", sa.String(length=80, collation="utf8mb4_nopad_bin"), nullable=False),
        sa.Column("epoch", sa.String(length=80, collation="utf8mb4_nopad_bin"), nullable=False),
        sa.Column("device_seq", sa.Integer(), nullable=False),
        sa.Column("mono_s", sa.Double(), nullable=False),
        sa.Column("wall", lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
        sa.Column("at_s", sa.Double(), nullable=False),
        sa.Column("author", sa.String(length=80), nullable=False),
        sa.Column("primary_psi", lowhiss.store.types.Psi(precision=9, scale=5), nullable=True),
        sa.Column("secondary_psi", lowhiss.store.types.Psi(precision=9, scale=5), nullable=True),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("received_at", lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_event_run_id_run")),
        sa.PrimaryKeyConstraint("run_id", "seq", name=op.f("pk_event")),
        sa.UniqueConstraint("run_id", "id", name=op.f("uq_event_run_id_id")),
    )
    op.create_table(
        "verdict",
        sa.Column("run_id", sa.String(length=36), nullable=False),
        sa.Column("rules_hash", sa.String(length=64), nullable=False),
        sa.Column("last_seq", sa.Integer(), nullable=False),
        sa.Column("core_version", sa.String(length=20), nullable=False),
        sa.Column("overall", sa.String(length=20), nullable=False),
        sa.Column("outcome", sa.String(length=20), nullable=False),
        sa.Column("close_call", sa.Boolean(), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.ForeignKeyConstraint(["rules_hash"], ["rule_set.hash"], name=op.f("fk_verdict_rules_hash_rule_set")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_verdict_run_id_run")),
        sa.PrimaryKeyConstraint("run_id", "rules_hash", name=op.f("pk_verdict")),
    )
    op.create_index(op.f("ix_verdict_overall"), "verdict", ["overall"], unique=False)


def downgrade() -> None:

    op.drop_index(op.f("ix_verdict_overall"), table_name="verdict")
    op.drop_table("verdict")
    op.drop_table("event")
    op.drop_table("clock")
    op.drop_index(op.f("ix_run_started_at"), table_name="run")
    op.drop_table("run")
    op.drop_table("unit")
    op.drop_table("setting")
    op.drop_table("rule_set")
