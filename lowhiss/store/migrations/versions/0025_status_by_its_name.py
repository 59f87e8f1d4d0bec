"""What a read token opens is called the status."""

from alembic import op


revision = '0025'
down_revision = '0024'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("UPDATE read_token SET `reads` = 'status' WHERE `reads` = 'standing'")
