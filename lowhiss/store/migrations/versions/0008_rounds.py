"""Rounds, their marks, helpers and papers; what rounds have asked of units and trailers."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None

exact = mysql.VARCHAR(80, collation='utf8mb4_nopad_bin')


def upgrade() -> None:
    op.add_column('unit', sa.Column('look', sa.JSON(), nullable=True))
    op.add_column('trailer', sa.Column('look', sa.JSON(), nullable=True))
    op.create_table('round',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('unit_id', sa.String(length=36), nullable=False),
    sa.Column('unit', sa.JSON(), nullable=False),
    sa.Column('run_id', sa.String(length=36), nullable=True),
    sa.Column('rules', sa.String(length=60), nullable=False),
    sa.Column('way', sa.String(length=60), nullable=False),
    sa.Column('mirrored', sa.Boolean(), nullable=False),
    sa.Column('purpose', sa.String(length=20), nullable=False),
    sa.Column('driver', sa.String(length=80), nullable=False),
    sa.Column('known', sa.JSON(), nullable=False),
    sa.Column('started_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('begun', sa.JSON(), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=True),
    sa.Column('device_hash', sa.String(length=64), nullable=True),
    sa.Column('last_seq', sa.Integer(), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('ended_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('ended_by', sa.String(length=20), nullable=True),
    sa.Column('figures', sa.JSON(), nullable=False),
    sa.Column('defects', sa.JSON(), nullable=False),
    sa.Column('demo', sa.Boolean(), nullable=False),
    sa.CheckConstraint('last_seq >= 0', name=op.f('ck_round_last_seq_not_negative')),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_round_person_id_person')),
    sa.ForeignKeyConstraint(['unit_id'], ['unit.id'], name=op.f('fk_round_unit_id_unit')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_round'))
    )
    op.create_index(op.f('ix_round_unit_id_started_at'), 'round', ['unit_id', 'started_at'])
    op.create_index(op.f('ix_round_ended_at_started_at'), 'round', ['ended_at', 'started_at'])
    op.create_index(op.f('ix_round_run_id'), 'round', ['run_id'])
    op.create_table('round_mark',
    sa.Column('round_id', sa.String(length=36), nullable=False),
    sa.Column('seq', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('id', exact, nullable=False),
    sa.Column('type', sa.String(length=20), nullable=False),
    sa.Column('device', exact, nullable=False),
    sa.Column('epoch', exact, nullable=False),
    sa.Column('device_seq', sa.Integer(), nullable=False),
    sa.Column('mono_s', sa.Double(), nullable=False),
    sa.Column('wall', UtcDateTime(fsp=6), nullable=False),
    sa.Column('at_s', sa.Double(), nullable=False),
    sa.Column('author', sa.String(length=80), nullable=False),
    sa.Column('author_id', sa.String(length=36), nullable=True),
    sa.Column('claimed', sa.String(length=80), nullable=True),
    sa.Column('after_end', sa.Boolean(), nullable=False),
    sa.Column('sent_by', sa.String(length=36), nullable=True),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['author_id'], ['person.id'], name=op.f('fk_round_mark_author_id_person')),
    sa.ForeignKeyConstraint(['round_id'], ['round.id'], name=op.f('fk_round_mark_round_id_round')),
    sa.ForeignKeyConstraint(['sent_by'], ['person.id'], name=op.f('fk_round_mark_sent_by_person')),
    sa.PrimaryKeyConstraint('round_id', 'seq', name=op.f('pk_round_mark')),
    sa.UniqueConstraint('round_id', 'id', name=op.f('uq_round_mark_round_id_id'))
    )
    op.create_table('round_member',
    sa.Column('round_id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('joined_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_round_member_person_id_person')),
    sa.ForeignKeyConstraint(['round_id'], ['round.id'], name=op.f('fk_round_member_round_id_round')),
    sa.PrimaryKeyConstraint('round_id', 'person_id', name=op.f('pk_round_member'))
    )
    op.create_table('round_code',
    sa.Column('round_id', sa.String(length=36), nullable=False),
    sa.Column('code_hash', sa.String(length=64), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['round_id'], ['round.id'], name=op.f('fk_round_code_round_id_round')),
    sa.PrimaryKeyConstraint('round_id', name=op.f('pk_round_code')),
    sa.UniqueConstraint('code_hash', name=op.f('uq_round_code_code_hash'))
    )
    op.create_table('paper',
    sa.Column('holder_id', sa.String(length=36), nullable=False),
    sa.Column('paper', sa.String(length=40), nullable=False),
    sa.Column('holder_kind', sa.String(length=10), nullable=False),
    sa.Column('until', sa.Date(), nullable=True),
    sa.Column('number', sa.String(length=60), nullable=False),
    sa.Column('by_name', sa.String(length=80), nullable=False),
    sa.Column('at', UtcDateTime(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('holder_id', 'paper', name=op.f('pk_paper'))
    )
    op.create_index(op.f('ix_paper_until'), 'paper', ['until'])


def downgrade() -> None:
    for table in ('paper', 'round_code', 'round_member', 'round_mark', 'round'):
        op.drop_table(table)
    op.drop_column('trailer', 'look')
    op.drop_column('unit', 'look')
