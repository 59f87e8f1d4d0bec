"""How a run is led"""

import sqlalchemy as sa
from alembic import op



revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('run', sa.Column('setup', sa.JSON(), server_default=sa.text("'{}'"), nullable=False))


def downgrade() -> None:
    op.drop_column('run', 'setup')
