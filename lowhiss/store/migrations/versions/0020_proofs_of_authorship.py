"""Each mark is signed by a key of the session in which it was made; the server keeps the public halves."""

import sqlalchemy as sa
from alembic import op
from lowhiss.store import types


revision = '0020'
down_revision = '0019'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('presence_key',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('presence_id', sa.Integer(), nullable=False),
    sa.Column('public', sa.String(length=130), nullable=False),
    sa.Column('made_at', types.UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['presence_id'], ['presence.id'], name=op.f('fk_presence_key_presence_id_presence')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_presence_key'))
    )
    for table in ('event', 'round_mark', 'act'):
        op.add_column(table, sa.Column('proof', sa.JSON(none_as_null=True), nullable=True))
