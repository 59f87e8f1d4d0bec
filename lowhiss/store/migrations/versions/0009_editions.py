"""A fleet's own rule sets and orders of work, long jobs, and units that are tested as their kind is."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None

exact = mysql.VARCHAR(60, collation='utf8mb4_nopad_bin')


def upgrade() -> None:
    op.alter_column('unit', 'rules', existing_type=sa.String(length=60), nullable=True)
    op.add_column('round', sa.Column('rules_hash', sa.String(length=64), nullable=True))
    op.create_foreign_key(op.f('fk_round_rules_hash_rule_set'), 'round', 'rule_set', ['rules_hash'], ['hash'])
    op.create_table('edition',
    sa.Column('kind', sa.String(length=10), nullable=False),
    sa.Column('name', exact, nullable=False),
    sa.Column('version', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('state', sa.String(length=10), nullable=False),
    sa.Column('written', sa.JSON(), nullable=False),
    sa.Column('whole', sa.JSON(), nullable=True),
    sa.Column('hash', sa.String(length=64), nullable=True),
    sa.Column('effective_from', UtcDateTime(fsp=6), nullable=True),
    sa.Column('drafted_by', sa.String(length=80), nullable=False),
    sa.Column('drafted_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('published_by', sa.String(length=80), nullable=True),
    sa.Column('published_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('retired_by', sa.String(length=80), nullable=True),
    sa.Column('retired_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('revision', sa.Integer(), server_default='1', nullable=False),
    sa.PrimaryKeyConstraint('kind', 'name', 'version', name=op.f('pk_edition'))
    )
    op.create_index(op.f('ix_edition_hash'), 'edition', ['hash'])
    op.create_table('job',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('kind', sa.String(length=20), nullable=False),
    sa.Column('state', sa.String(length=10), nullable=False),
    sa.Column('asked', sa.JSON(), nullable=False),
    sa.Column('asked_by', sa.String(length=80), nullable=False),
    sa.Column('asked_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('total', sa.Integer(), nullable=False),
    sa.Column('done', sa.Integer(), nullable=False),
    sa.Column('cursor', sa.JSON(), nullable=True),
    sa.Column('summary', sa.JSON(), nullable=False),
    sa.Column('worker', sa.String(length=36), nullable=True),
    sa.Column('seen_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('ended_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('why', sa.String(length=300), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_job'))
    )
    op.create_index(op.f('ix_job_state'), 'job', ['state'])
    op.create_index(op.f('ix_job_asked_at'), 'job', ['asked_at'])
    op.create_table('job_line',
    sa.Column('job_id', sa.String(length=36), nullable=False),
    sa.Column('place', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['job_id'], ['job.id'], name=op.f('fk_job_line_job_id_job'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('job_id', 'place', name=op.f('pk_job_line'))
    )


def downgrade() -> None:
    op.drop_table('job_line')
    op.drop_table('job')
    op.drop_table('edition')
    op.drop_constraint(op.f('fk_round_rules_hash_rule_set'), 'round', type_='foreignkey')
    op.drop_column('round', 'rules_hash')
    op.execute("UPDATE unit SET rules = 'us-cdl' WHERE rules IS NULL")
    op.alter_column('unit', 'rules', existing_type=sa.String(length=60), nullable=False)
