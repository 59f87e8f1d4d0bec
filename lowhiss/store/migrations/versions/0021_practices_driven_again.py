"""What a practice counts for is what the server found when it drove its log again."""

import sqlalchemy as sa
from alembic import op


revision = '0021'
down_revision = '0020'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('practice', sa.Column('driven_again', sa.Boolean(), nullable=True))
    op.execute("UPDATE practice SET driven_again = TRUE WHERE ended")
