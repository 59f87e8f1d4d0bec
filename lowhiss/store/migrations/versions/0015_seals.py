"""Signed sheets: the chain of seals, its public keys, and who signed; which runs are sealed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0015'
down_revision = '0014'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('seal_key',
    sa.Column('id', sa.String(length=16), nullable=False),
    sa.Column('public', sa.String(length=64), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('lost', sa.Boolean(), server_default='0', nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_seal_key'))
    )
    op.create_table('seal',
    sa.Column('place', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('run_id', sa.String(length=36), nullable=True),
    sa.Column('document', mysql.MEDIUMTEXT(collation='utf8mb4_nopad_bin'), nullable=False),
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('key_id', sa.String(length=16), nullable=False),
    sa.Column('signature', sa.String(length=128), nullable=False),
    sa.Column('sealed_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_seal_run_id_run')),
    sa.ForeignKeyConstraint(['key_id'], ['seal_key.id'], name=op.f('fk_seal_key_id_seal_key')),
    sa.PrimaryKeyConstraint('place', name=op.f('pk_seal'))
    )
    op.create_index(op.f('ix_seal_run_id'), 'seal', ['run_id'])
    op.create_table('signature',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('role', sa.String(length=20), nullable=False),
    sa.Column('part', sa.String(length=10), nullable=False),
    sa.Column('how', sa.String(length=10), nullable=False),
    sa.Column('signed_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('last_seq', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_signature_run_id_run')),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_signature_person_id_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_signature'))
    )
    op.create_index(op.f('ix_signature_run_id'), 'signature', ['run_id'])
    op.add_column('run', sa.Column('sealed', sa.Boolean(), server_default='0', nullable=False))
    op.create_index(op.f('ix_run_sealed_started_at'), 'run', ['sealed', 'started_at'])
