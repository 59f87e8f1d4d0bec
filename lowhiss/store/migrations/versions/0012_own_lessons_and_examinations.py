"""A fleet's own lessons, and what an examiner decided of a candidate."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0012'
down_revision = '0011'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('own_lesson',
    sa.Column('id', mysql.VARCHAR(length=80, collation='utf8mb4_nopad_bin'), nullable=False),
    sa.Column('lesson', sa.JSON(), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.Column('made_by', sa.String(length=36), nullable=False),
    sa.Column('changed_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('void_at', UtcDateTime(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['made_by'], ['person.id'], name=op.f('fk_own_lesson_made_by_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_own_lesson'))
    )

    op.create_table('examination',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('examiner_id', sa.String(length=36), nullable=False),
    sa.Column('told_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('passed', sa.Boolean(), nullable=False),
    sa.Column('remark', sa.Text(), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_examination_run_id_run')),
    sa.ForeignKeyConstraint(['examiner_id'], ['person.id'], name=op.f('fk_examination_examiner_id_person')),
    sa.PrimaryKeyConstraint('run_id', name=op.f('pk_examination'))
    )
