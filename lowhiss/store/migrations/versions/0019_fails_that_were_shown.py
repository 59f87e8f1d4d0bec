"""A fail that was shown stays with its figures; a run from elsewhere waits until a manager decides."""

import sqlalchemy as sa
from alembic import op


revision = '0019'
down_revision = '0018'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('fail', sa.Column('attempt', sa.Integer(), server_default='1', nullable=False))
    op.add_column('fail', sa.Column('figures', sa.JSON(none_as_null=True), nullable=True))
    op.add_column('fail', sa.Column('contested', sa.JSON(none_as_null=True), nullable=True))
    op.add_column('run', sa.Column('imported', sa.JSON(none_as_null=True), nullable=True))
    op.add_column('run', sa.Column('decision', sa.JSON(none_as_null=True), nullable=True))
