"""Learning: what progress hangs on, classes, assignments, notes, answers to cards."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0011'
down_revision = '0010'
branch_labels = None
depends_on = None

_ID = sa.String(length=36)


def _to(column: str, table: str, there: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f'{there}.id'], name=op.f(f'fk_{table}_{column}_{there}'))


def upgrade() -> None:
    op.add_column('practice', sa.Column('summary', sa.JSON(none_as_null=True), nullable=True))
    op.create_table('learning_class',
    sa.Column('id', _ID, nullable=False),
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('trainer_id', _ID, nullable=False),
    sa.Column('licence', sa.JSON(), nullable=False),
    sa.Column('exam_on', sa.Date(), nullable=True),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    _to('trainer_id', 'learning_class', 'person'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_learning_class'))
    )
    op.create_index(op.f('ix_learning_class_trainer_id'), 'learning_class', ['trainer_id'])
    op.create_table('class_member',
    sa.Column('class_id', _ID, nullable=False),
    sa.Column('person_id', _ID, nullable=False),
    sa.Column('joined_at', UtcDateTime(fsp=6), nullable=False),
    _to('class_id', 'class_member', 'learning_class'),
    _to('person_id', 'class_member', 'person'),
    sa.PrimaryKeyConstraint('class_id', 'person_id', name=op.f('pk_class_member'))
    )
    op.create_index(op.f('ix_class_member_person_id'), 'class_member', ['person_id'])
    op.create_table('assignment',
    sa.Column('id', _ID, nullable=False),
    sa.Column('class_id', _ID, nullable=False),
    sa.Column('person_id', _ID, nullable=True),
    sa.Column('lesson', sa.String(length=40), nullable=False),
    sa.Column('due_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('made_by', _ID, nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('void_at', UtcDateTime(fsp=6), nullable=True),
    _to('class_id', 'assignment', 'learning_class'),
    _to('person_id', 'assignment', 'person'),
    _to('made_by', 'assignment', 'person'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_assignment'))
    )
    op.create_index(op.f('ix_assignment_class_id'), 'assignment', ['class_id'])
    op.create_table('trainer_note',
    sa.Column('id', _ID, nullable=False),
    sa.Column('person_id', _ID, nullable=False),
    sa.Column('practice_id', _ID, nullable=True),
    sa.Column('by_id', _ID, nullable=False),
    sa.Column('at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('kind', sa.String(length=20), nullable=False),
    sa.Column('about', sa.String(length=60), nullable=False),
    sa.Column('text', sa.Text(), nullable=False),
    sa.Column('private', sa.Boolean(), nullable=False),
    _to('person_id', 'trainer_note', 'person'),
    _to('practice_id', 'trainer_note', 'practice'),
    _to('by_id', 'trainer_note', 'person'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_trainer_note'))
    )
    op.create_index(op.f('ix_trainer_note_person_id_at'), 'trainer_note', ['person_id', 'at'])
    op.create_table('card_review',
    sa.Column('id', mysql.VARCHAR(length=80, collation='utf8mb4_nopad_bin'), nullable=False),
    sa.Column('person_id', _ID, nullable=False),
    sa.Column('card', sa.String(length=160), nullable=False),
    sa.Column('rating', sa.Integer(), nullable=False),
    sa.Column('level', sa.Integer(), nullable=False),
    sa.Column('way', sa.String(length=12), nullable=False),
    sa.Column('findings', sa.JSON(), nullable=False),
    sa.Column('at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('took_ms', sa.Integer(), nullable=False),
    sa.Column('device', sa.String(length=80), nullable=False),
    sa.Column('seq', sa.Integer(), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    _to('person_id', 'card_review', 'person'),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_card_review'))
    )
    op.create_index(op.f('ix_card_review_person_id_at'), 'card_review', ['person_id', 'at'])
