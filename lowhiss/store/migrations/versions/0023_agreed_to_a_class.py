"""Whoever a trainer asks into a class agrees first; those who are in one already stay in it."""

import sqlalchemy as sa
from alembic import op

from lowhiss.store.types import UtcDateTime


revision = '0023'
down_revision = '0022'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('class_member', sa.Column('agreed_at', UtcDateTime(fsp=6), nullable=True))
    op.execute("UPDATE class_member SET agreed_at = joined_at")
