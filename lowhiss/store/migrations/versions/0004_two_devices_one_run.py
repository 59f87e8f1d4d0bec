"""Two devices, one run"""

import sqlalchemy as sa
from alembic import op

from lowhiss.store.types import UtcDateTime


revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('join_code',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('code_hash', sa.String(length=64), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_join_code_run_id_run')),
    sa.PrimaryKeyConstraint('run_id', name=op.f('pk_join_code')),
    sa.UniqueConstraint('code_hash', name=op.f('uq_join_code_code_hash'))
    )
    op.create_table('member',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('part', sa.String(length=10), nullable=False),
    sa.Column('joined_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_member_person_id_person')),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_member_run_id_run')),
    sa.PrimaryKeyConstraint('run_id', 'person_id', name=op.f('pk_member'))
    )


def downgrade() -> None:
    op.drop_table('member')
    op.drop_table('join_code')
