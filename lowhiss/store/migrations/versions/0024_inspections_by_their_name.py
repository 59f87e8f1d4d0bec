"""Tables and columns of inspections are called what everything else calls them."""

import sqlalchemy as sa
from alembic import op


revision = '0024'
down_revision = '0023'
branch_labels = None
depends_on = None

TABLES = ('round', 'round_mark', 'round_clock', 'round_member', 'round_code')


def renamed(name: str) -> str:
    return name.replace('round', 'inspection')


def upgrade() -> None:
    bind = op.get_bind()
    among = f"IN ({', '.join(repr(name) for name in TABLES)})"
    keys = bind.execute(sa.text(
        "SELECT table_name, constraint_name, column_name, referenced_table_name, referenced_column_name"
        f" FROM information_schema.key_column_usage WHERE table_schema = DATABASE() AND table_name {among}"
        " AND referenced_table_name IS NOT NULL"
    )).all()
    checks = bind.execute(sa.text(
        "SELECT table_name, constraint_name, check_clause FROM information_schema.check_constraints"
        f" WHERE constraint_schema = DATABASE() AND table_name {among} AND constraint_name LIKE 'ck\\_round%'"
    )).all()
    for table, name, *_ in keys:
        op.execute(f"ALTER TABLE `{table}` DROP FOREIGN KEY `{name}`")
    for table, name, _ in checks:
        op.execute(f"ALTER TABLE `{table}` DROP CONSTRAINT `{name}`")
    op.execute("RENAME TABLE " + ", ".join(f"`{name}` TO `{renamed(name)}`" for name in TABLES))
    for name in TABLES[1:]:
        op.execute(f"ALTER TABLE `{renamed(name)}` RENAME COLUMN round_id TO inspection_id")
    indexes = bind.execute(sa.text(
        "SELECT DISTINCT table_name, index_name FROM information_schema.statistics WHERE table_schema = DATABASE()"
        " AND table_name LIKE 'inspection%' AND index_name LIKE '%round%'"
    )).all()
    for table, name in indexes:
        op.execute(f"ALTER TABLE `{table}` RENAME INDEX `{name}` TO `{renamed(name)}`")
    for table, name, clause in checks:
        op.execute(f"ALTER TABLE `{renamed(table)}` ADD CONSTRAINT `{renamed(name)}` CHECK ({clause})")
    for table, name, column, of, key in keys:
        op.create_foreign_key(renamed(name), renamed(table), renamed(of), [renamed(column)], [key])
