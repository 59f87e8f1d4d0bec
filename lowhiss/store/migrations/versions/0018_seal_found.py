"""A seal is found by its hash, as it stands on paper; a job says where its files lie."""

import sqlalchemy as sa
from alembic import op


revision = '0018'
down_revision = '0017'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index(op.f('ix_seal_sha256'), 'seal', ['sha256'])
    op.add_column('job', sa.Column('place', sa.String(length=36), nullable=True))
