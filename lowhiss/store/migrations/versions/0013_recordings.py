"""Recordings that were looked at: their samples by the hash of the file, never the file."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0013'
down_revision = '0012'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('recording',
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('format', sa.String(length=10), nullable=False),
    sa.Column('columns', sa.JSON(), nullable=False),
    sa.Column('samples', mysql.MEDIUMBLOB(), nullable=False),
    sa.Column('sent_by', sa.String(length=36), nullable=False),
    sa.Column('sent_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['sent_by'], ['person.id'], name=op.f('fk_recording_sent_by_person')),
    sa.PrimaryKeyConstraint('sha256', name=op.f('pk_recording'))
    )
    op.create_index(op.f('ix_recording_sent_at'), 'recording', ['sent_at'])
