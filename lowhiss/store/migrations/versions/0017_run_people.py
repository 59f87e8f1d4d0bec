"""Who had a part in which run, so that runs are found by anybody of them and not by their driver alone."""

import sqlalchemy as sa
from alembic import op

from lowhiss.core.names import name_key
from lowhiss.store.types import UtcDateTime


revision = '0017'
down_revision = '0016'
branch_labels = None
depends_on = None

_KEEP = 'INSERT IGNORE INTO run_person (run_id, name_key, started_at)'
_SAID = ('driver', "JSON_VALUE(setup, '$.watcher')")
_KNOWN = (
    'SELECT r.id, p.name_key, r.started_at FROM run r JOIN person p ON p.id = r.person_id',
    'SELECT r.id, p.name_key, r.started_at FROM member m JOIN run r ON r.id = m.run_id JOIN person p ON p.id = m.person_id',
    'SELECT r.id, p.name_key, r.started_at FROM signature s JOIN run r ON r.id = s.run_id JOIN person p ON p.id = s.person_id',
)


def upgrade() -> None:
    op.create_table('run_person',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('name_key', sa.String(length=320, collation='utf8mb4_bin'), nullable=False),
    sa.Column('started_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_run_person_run_id_run')),
    sa.PrimaryKeyConstraint('run_id', 'name_key', name=op.f('pk_run_person'))
    )
    op.create_index(op.f('ix_run_person_name_key_started_at_run_id'), 'run_person', ['name_key', 'started_at', 'run_id'])
    connection = op.get_bind()
    # names as they were written, letter by letter: two that only the database takes for one are two people
    connection.execute(sa.text(
        'CREATE TEMPORARY TABLE run_name (name VARCHAR(320) COLLATE utf8mb4_nopad_bin PRIMARY KEY, '
        'name_key VARCHAR(320) COLLATE utf8mb4_bin)'
    ))
    for said in _SAID:
        exactly = f'CONVERT({said} USING utf8mb4) COLLATE utf8mb4_nopad_bin'
        connection.execute(sa.text(f'INSERT IGNORE INTO run_name (name) SELECT DISTINCT {exactly} FROM run WHERE {said} IS NOT NULL'))
    for name in connection.execute(sa.text('SELECT name FROM run_name')).scalars().all():
        connection.execute(
            sa.text('UPDATE run_name SET name_key = :key WHERE name = :name'), {'name': name, 'key': name_key(name)}
        )
    for said in _SAID:
        exactly = f'CONVERT({said} USING utf8mb4) COLLATE utf8mb4_nopad_bin'
        connection.execute(sa.text(
            f"{_KEEP} SELECT r.id, n.name_key, r.started_at FROM run r JOIN run_name n ON n.name = {exactly} WHERE n.name_key <> ''"
        ))
    connection.execute(sa.text('DROP TEMPORARY TABLE run_name'))
    for rows in _KNOWN:
        connection.execute(sa.text(f'{_KEEP} {rows}'))
