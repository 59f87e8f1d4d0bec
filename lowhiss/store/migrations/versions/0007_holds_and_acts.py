"""Holds, acts, defects; which trailers took part in a run. What stands is folded anew after the tables are there."""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.store.types import UtcDateTime


revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None

exact = mysql.VARCHAR(80, collation='utf8mb4_nopad_bin')


def upgrade() -> None:
    op.create_table('run_trailer',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('trailer_id', sa.String(length=36), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_run_trailer_run_id_run')),
    sa.ForeignKeyConstraint(['trailer_id'], ['trailer.id'], name=op.f('fk_run_trailer_trailer_id_trailer')),
    sa.PrimaryKeyConstraint('run_id', 'trailer_id', name=op.f('pk_run_trailer'))
    )
    op.create_index(op.f('ix_run_trailer_trailer_id'), 'run_trailer', ['trailer_id'])
    op.create_table('fail',
    sa.Column('run_id', sa.String(length=36), nullable=False),
    sa.Column('stage', sa.String(length=30), nullable=False),
    sa.Column('unit_id', sa.String(length=36), nullable=False),
    sa.ForeignKeyConstraint(['run_id'], ['run.id'], name=op.f('fk_fail_run_id_run')),
    sa.ForeignKeyConstraint(['unit_id'], ['unit.id'], name=op.f('fk_fail_unit_id_unit')),
    sa.PrimaryKeyConstraint('run_id', 'stage', name=op.f('pk_fail'))
    )
    op.create_index(op.f('ix_fail_unit_id'), 'fail', ['unit_id'])
    op.create_table('part_test',
    sa.Column('part_id', sa.String(length=36), nullable=False),
    sa.Column('tested_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('passed_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('passed_run_id', sa.String(length=36), nullable=True),
    sa.ForeignKeyConstraint(['passed_run_id'], ['run.id'], name=op.f('fk_part_test_passed_run_id_run')),
    sa.PrimaryKeyConstraint('part_id', name=op.f('pk_part_test'))
    )
    op.create_table('act',
    sa.Column('id', exact, nullable=False),
    sa.Column('type', sa.String(length=20), nullable=False),
    sa.Column('part_kind', sa.String(length=10), nullable=False),
    sa.Column('part_id', sa.String(length=36), nullable=False),
    sa.Column('at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.Column('author', sa.String(length=80), nullable=False),
    sa.Column('author_id', sa.String(length=36), nullable=True),
    sa.Column('claimed', sa.String(length=80), nullable=True),
    sa.Column('sent_by', sa.String(length=36), nullable=True),
    sa.Column('device', exact, nullable=False),
    sa.Column('wall', UtcDateTime(fsp=6), nullable=False),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['author_id'], ['person.id'], name=op.f('fk_act_author_id_person')),
    sa.ForeignKeyConstraint(['sent_by'], ['person.id'], name=op.f('fk_act_sent_by_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_act'))
    )
    op.create_index(op.f('ix_act_part_id_at'), 'act', ['part_id', 'at'])
    op.create_table('hold',
    sa.Column('id', exact, nullable=False),
    sa.Column('owner_kind', sa.String(length=10), nullable=False),
    sa.Column('owner_id', sa.String(length=36), nullable=False),
    sa.Column('stage', sa.String(length=30), nullable=True),
    sa.Column('opened_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('lifted_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_hold'))
    )
    op.create_index(op.f('ix_hold_owner_id'), 'hold', ['owner_id'])
    op.create_index(op.f('ix_hold_lifted_at_opened_at'), 'hold', ['lifted_at', 'opened_at'])
    op.create_table('hold_part',
    sa.Column('hold_id', exact, nullable=False),
    sa.Column('part_id', sa.String(length=36), nullable=False),
    sa.Column('part_kind', sa.String(length=10), nullable=False),
    sa.Column('held', sa.Boolean(), nullable=False),
    sa.ForeignKeyConstraint(['hold_id'], ['hold.id'], name=op.f('fk_hold_part_hold_id_hold'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('hold_id', 'part_id', name=op.f('pk_hold_part'))
    )
    op.create_index(op.f('ix_hold_part_part_id_held'), 'hold_part', ['part_id', 'held'])
    op.create_table('open_defect',
    sa.Column('part_id', sa.String(length=36), nullable=False),
    sa.Column('part_kind', sa.String(length=10), nullable=False),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('part_id', name=op.f('pk_open_defect'))
    )
    op.create_table('read_token',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('token_hash', sa.String(length=64), nullable=False),
    sa.Column('reads', sa.String(length=20), nullable=False),
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('made_by', sa.String(length=80), nullable=False),
    sa.Column('made_at', UtcDateTime(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_read_token')),
    sa.UniqueConstraint('token_hash', name=op.f('uq_read_token_token_hash'))
    )
    op.create_table('photo_file',
    sa.Column('hash', sa.String(length=64), nullable=False),
    sa.Column('jpeg', mysql.MEDIUMBLOB(), nullable=False),
    sa.PrimaryKeyConstraint('hash', name=op.f('pk_photo_file'))
    )
    op.create_table('photo',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('act_id', exact, nullable=False),
    sa.Column('hash', sa.String(length=64), nullable=False),
    sa.Column('sent_by', sa.String(length=36), nullable=True),
    sa.Column('received_at', UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['act_id'], ['act.id'], name=op.f('fk_photo_act_id_act')),
    sa.ForeignKeyConstraint(['hash'], ['photo_file.hash'], name=op.f('fk_photo_hash_photo_file')),
    sa.ForeignKeyConstraint(['sent_by'], ['person.id'], name=op.f('fk_photo_sent_by_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_photo'))
    )
    op.create_index(op.f('ix_photo_act_id'), 'photo', ['act_id'])
    op.add_column('unit', sa.Column('due', sa.JSON(), nullable=True))
    _what_was()
    op.drop_table('unit_stage')


def _what_was() -> None:
    """What took part, failed and passed so far. Holds are folded from it when the application starts."""
    connection = op.get_bind()
    trailers = {name: trailer_id for name, trailer_id in connection.execute(sa.text('SELECT name, id FROM trailer'))}
    rows = connection.execute(sa.text("SELECT id, JSON_EXTRACT(unit, '$.trailers') FROM run"))
    pulled = [
        {'run_id': run_id, 'trailer_id': trailers[name]}
        for run_id, names in rows
        for name in dict.fromkeys(json.loads(names or '[]'))
        if name in trailers
    ]
    for first in range(0, len(pulled), 5000):
        connection.execute(
            sa.text('INSERT INTO run_trailer (run_id, trailer_id) VALUES (:run_id, :trailer_id)'),
            pulled[first:first + 5000],
        )
    connection.execute(sa.text("""
        INSERT INTO fail (run_id, stage, unit_id)
        SELECT failed_run_id, stage, unit_id FROM unit_stage WHERE failed_run_id IS NOT NULL
    """))
    counts = """run.purpose IN ('dispatch', 'training') AND run.ended_by = 'finished'
        AND (run.received_at IS NULL OR run.started_at >= run.received_at - INTERVAL 14 DAY)"""
    ended = "run.started_at + INTERVAL ROUND(COALESCE(run.ended_at_s, 0)) SECOND"
    parts = """(SELECT id AS run_id, unit_id AS part_id FROM run
        UNION ALL SELECT run_id, trailer_id FROM run_trailer) AS part"""
    connection.execute(sa.text(f"""
        INSERT INTO part_test (part_id, tested_at, passed_at)
        SELECT part.part_id, MAX({ended}), MAX(IF(run.outcome = 'pass', {ended}, NULL))
        FROM run JOIN {parts} ON part.run_id = run.id WHERE {counts} GROUP BY part.part_id
    """))
    connection.execute(sa.text("""
        INSERT INTO setting (name, value)
        SELECT 'holds_since', DATE_FORMAT(UTC_TIMESTAMP(), '%Y-%m-%dT%H:%i:%s+00:00') FROM run LIMIT 1
    """))


def downgrade() -> None:
    op.drop_column('unit', 'due')
    for table in ('photo', 'photo_file', 'read_token', 'open_defect', 'hold_part', 'hold', 'act', 'part_test', 'fail', 'run_trailer'):
        op.drop_table(table)
