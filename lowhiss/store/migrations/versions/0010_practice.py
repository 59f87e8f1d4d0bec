"""Practices on the simulated vehicle, in tables of their own."""

import sqlalchemy as sa
from alembic import op

from lowhiss.store.types import UtcDateTime


revision = '0010'
down_revision = '0009'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('practice',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('title', sa.String(length=80), nullable=False),
    sa.Column('began_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('ticks', sa.Integer(), nullable=False),
    sa.Column('ended', sa.Boolean(), nullable=False),
    sa.Column('core', sa.String(length=64), nullable=False),
    sa.Column('outcome', sa.String(length=20), nullable=True),
    sa.Column('faulty', sa.Boolean(), nullable=True),
    sa.Column('record', sa.JSON(), nullable=False),
    sa.Column('after', sa.JSON(none_as_null=True), nullable=True),
    sa.Column('code_hash', sa.String(length=64), nullable=True),
    sa.Column('code_made_at', UtcDateTime(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_practice_person_id_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_practice')),
    sa.UniqueConstraint('code_hash', name=op.f('uq_practice_code_hash'))
    )
    op.create_index(op.f('ix_practice_person_id_began_at'), 'practice', ['person_id', 'began_at'])
    op.create_index(op.f('ix_practice_began_at'), 'practice', ['began_at'])
    op.create_table('practice_trainer',
    sa.Column('practice_id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('joined_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_practice_trainer_person_id_person')),
    sa.ForeignKeyConstraint(['practice_id'], ['practice.id'], name=op.f('fk_practice_trainer_practice_id_practice')),
    sa.PrimaryKeyConstraint('practice_id', 'person_id', name=op.f('pk_practice_trainer'))
    )
