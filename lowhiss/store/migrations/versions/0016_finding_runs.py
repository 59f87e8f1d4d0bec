"""What runs are found by beside what stands in their rows: each number and finding; and lists that people keep."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0016'
down_revision = '0015'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('run_fact',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('what', sa.String(length=60), nullable=False),
    sa.Column('value', sa.Double(), nullable=True),
    sa.Column('started_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_run_fact_run_id_run')),
    sa.PrimaryKeyConstraint('run_id', 'what', name=op.f('pk_run_fact'))
    )
    op.create_index(op.f('ix_run_fact_what_started_at_run_id_value'), 'run_fact', ['what', 'started_at', 'run_id', 'value'])
    op.create_index(op.f('ix_run_fact_what_value'), 'run_fact', ['what', 'value'])
    op.create_index(op.f('ix_run_purpose_started_at'), 'run', ['purpose', 'started_at'])
    op.create_index(op.f('ix_run_rules_hash_started_at'), 'run', ['rules_hash', 'started_at'])
    op.add_column('run', sa.Column('origin', sa.String(length=80), nullable=True))
    op.create_table('log_view',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('name', mysql.VARCHAR(length=60, collation='utf8mb4_nopad_bin'), nullable=False),
    sa.Column('query', sa.String(length=1000), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_log_view_person_id_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_log_view')),
    sa.UniqueConstraint('person_id', 'name', name=op.f('uq_log_view_person_id_name'))
    )
