"""What a recording became: a run, or no test; when it began; and which test's own feed it is."""

import sqlalchemy as sa
from alembic import op

from lowhiss.store.types import UtcDateTime


revision = '0014'
down_revision = '0013'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('run', sa.Column('recording', sa.JSON(), nullable=True))
    op.add_column('run', sa.Column('recorded', sa.Boolean(), server_default='0', nullable=False))
    op.create_index(op.f('ix_run_recorded_started_at'), 'run', ['recorded', 'started_at'])
    op.add_column('recording', sa.Column('began_at', UtcDateTime(fsp=6), nullable=True))
    op.add_column('recording', sa.Column('sessions', sa.Integer(), server_default='1', nullable=False))
    op.add_column('recording', sa.Column('run_id', sa.String(length=36), nullable=True))
    op.create_foreign_key(op.f('fk_recording_run_id_run'), 'recording', 'run', ['run_id'], ['id'])
    op.create_table('recording_part',
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('from_s', sa.Double(), nullable=False),
    sa.Column('to_s', sa.Double(), nullable=False),
    sa.Column('run_id', sa.String(length=36), nullable=True),
    sa.Column('said_by', sa.String(length=36), nullable=False),
    sa.Column('said_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['sha256'], ['recording.sha256'], name=op.f('fk_recording_part_sha256_recording')),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_recording_part_run_id_run')),
    sa.ForeignKeyConstraint(['said_by'], ['person.id'], name=op.f('fk_recording_part_said_by_person')),
    sa.PrimaryKeyConstraint('sha256', 'from_s', name=op.f('pk_recording_part'))
    )
