"""Live feeds"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('feed_token',
    sa.Column('unit_id', sa.String(length=36), nullable=False),
    sa.Column('token_hash', sa.String(length=64), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['unit_id'], ['unit.id'], name=op.f('fk_feed_token_unit_id_unit')),
    sa.PrimaryKeyConstraint('unit_id', name=op.f('pk_feed_token')),
    sa.UniqueConstraint('token_hash', name=op.f('uq_feed_token_token_hash'))
    )
    op.create_table('trace_part',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('began_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('frames', mysql.MEDIUMTEXT(), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_trace_part_run_id_run')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_trace_part'))
    )
    op.create_index(op.f('ix_trace_part_run_id_began_at'), 'trace_part', ['run_id', 'began_at'], unique=False)


def downgrade() -> None:
    op.drop_table('trace_part')
    op.drop_table('feed_token')
