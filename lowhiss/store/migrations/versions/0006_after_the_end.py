"""Results that are kept, who was signed in where, failed stages of units, canonical names"""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from lowhiss.core.names import name_key
from lowhiss.store.types import UtcDateTime


revision = '0006'
down_revision = '0005'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('presence',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('device_hash', sa.String(length=64), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('session_hash', sa.String(length=64), nullable=False),
    sa.Column('from_at', UtcDateTime(fsp=6), nullable=False),
    sa.Column('until_at', UtcDateTime(fsp=6), nullable=True),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_presence_person_id_person')),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_presence'))
    )
    op.create_index(op.f('ix_presence_device_hash_person_id'), 'presence', ['device_hash', 'person_id'])
    op.create_index(op.f('ix_presence_session_hash'), 'presence', ['session_hash'])
    op.create_table('unit_stage',
    sa.Column('unit_id', sa.String(length=36), nullable=False),
    sa.Column('stage', sa.String(length=30), nullable=False),
    sa.Column('failed_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('failed_run_id', sa.String(length=36), nullable=True),
    sa.Column('passed_at', UtcDateTime(fsp=6), nullable=True),
    sa.Column('passed_run_id', sa.String(length=36), nullable=True),
    sa.ForeignKeyConstraint(['failed_run_id'], ['run.id'], name=op.f('fk_unit_stage_failed_run_id_run')),
    sa.ForeignKeyConstraint(['passed_run_id'], ['run.id'], name=op.f('fk_unit_stage_passed_run_id_run')),
    sa.ForeignKeyConstraint(['unit_id'], ['unit.id'], name=op.f('fk_unit_stage_unit_id_unit')),
    sa.PrimaryKeyConstraint('unit_id', 'stage', name=op.f('pk_unit_stage'))
    )

    _name_keys()

    op.add_column('run', sa.Column('received_at', UtcDateTime(fsp=6), nullable=True))
    op.add_column('run', sa.Column('ended_at', UtcDateTime(fsp=6), nullable=True))
    op.add_column('run', sa.Column('ended_by', sa.String(length=20), nullable=True))
    op.add_column('run', sa.Column('ended_at_s', sa.Double(), nullable=True))
    op.add_column('run', sa.Column('outcome', sa.String(length=20), nullable=True))
    op.add_column('run', sa.Column('close_call', sa.Boolean(), server_default='0', nullable=False))
    op.add_column('run', sa.Column('stale', sa.Boolean(), server_default='1', nullable=False))
    op.add_column('event', sa.Column('author_id', sa.String(length=36), nullable=True))
    op.add_column('event', sa.Column('claimed', sa.String(length=80), nullable=True))
    op.add_column('event', sa.Column('after_end', sa.Boolean(), server_default='0', nullable=False))
    op.create_foreign_key(op.f('fk_event_author_id_person'), 'event', 'person', ['author_id'], ['id'])
    op.add_column('verdict', sa.Column('at_end', sa.JSON(), nullable=True))
    op.add_column('verdict', sa.Column('differs', sa.JSON(), nullable=True))
    op.add_column('verdict', sa.Column('looked', sa.JSON(), nullable=True))
    op.drop_index(op.f('ix_verdict_overall'), table_name='verdict')

    op.create_index(op.f('ix_verdict_core_version'), 'verdict', ['core_version'])

    _ended_runs()
    for columns in (['unit_id', 'started_at'], ['driver', 'started_at'], ['outcome', 'started_at'],
                    ['close_call', 'started_at'], ['ended_at', 'started_at'], ['stale']):
        op.create_index(op.f('ix_run_' + '_'.join(columns)), 'run', columns)


def _name_keys() -> None:
    """The canonical form of every name; where two people had names that look alike, the later one keeps a mark."""
    connection = op.get_bind()
    op.add_column('person', sa.Column('name_key', mysql.VARCHAR(320, collation='utf8mb4_bin'), nullable=True))
    taken: set[str] = set()
    for person_id, name in connection.execute(sa.text('SELECT id, name FROM person ORDER BY retired_at IS NOT NULL, id')):
        key = name_key(name)
        if not key or key in taken:
            key = f'{key}#{person_id[:8]}'
        taken.add(key)
        connection.execute(sa.text('UPDATE person SET name_key = :key WHERE id = :id'), {'key': key, 'id': person_id})
    op.alter_column('person', 'name_key', existing_type=mysql.VARCHAR(320, collation='utf8mb4_bin'), nullable=False)
    op.create_unique_constraint(op.f('uq_person_name_key'), 'person', ['name_key'])
    op.drop_constraint(op.f('uq_person_name'), 'person', type_='unique')


def _ended_runs() -> None:
    """Runs that had ended keep the result they had; a tractor driven alone was led with one knob, and stays so."""
    connection = op.get_bind()
    # the first end that was not taken back
    connection.execute(sa.text("""
        UPDATE run JOIN (
            SELECT event.run_id, MIN(event.seq) AS seq FROM event
            LEFT JOIN event AS back ON back.run_id = event.run_id AND back.type = 'withdrawn'
                AND JSON_VALUE(back.body, '$.event') COLLATE utf8mb4_nopad_bin = event.id
            WHERE event.type IN ('finished', 'abandoned') AND back.id IS NULL GROUP BY event.run_id
        ) AS first ON first.run_id = run.id
        JOIN event AS ending ON ending.run_id = run.id AND ending.seq = first.seq
        SET run.ended_at = ending.received_at, run.ended_by = ending.type, run.ended_at_s = ending.at_s
    """))
    # a record that was taken in whole has no end of its own
    connection.execute(sa.text(
        "UPDATE run SET ended_at = started_at, ended_by = 'finished' WHERE ended_at IS NULL AND demo = 1"
    ))
    connection.execute(sa.text("""
        UPDATE run JOIN verdict ON verdict.run_id = run.id AND verdict.rules_hash = run.rules_hash
            AND verdict.last_seq = run.last_seq
        SET run.outcome = verdict.outcome, run.close_call = verdict.close_call, run.stale = 0
    """))
    connection.execute(sa.text("""
        UPDATE verdict JOIN run ON verdict.run_id = run.id AND run.ended_at IS NOT NULL AND run.stale = 0
        SET verdict.at_end = JSON_OBJECT('outcome', verdict.outcome, 'close_call', verdict.close_call = 1,
            'stages', JSON_EXTRACT(verdict.figures, '$.stages'))
    """))
    alone = connection.execute(sa.text("SELECT id, unit FROM run WHERE JSON_VALUE(unit, '$.kind') = 'tractor'")).all()
    for run_id, unit in alone:
        facts = {**(json.loads(unit) if isinstance(unit, str) else unit), 'trailer_knob': False}
        connection.execute(
            sa.text('UPDATE run SET unit = :unit WHERE id = :id'), {'unit': json.dumps(facts), 'id': run_id}
        )
    _failed_stages()


def _failed_stages() -> None:
    """When each stage of each unit last stood failed, and last passed in a finished run."""
    connection = op.get_bind()
    latest: dict[tuple[str, str, str], tuple[object, str]] = {}
    rows = connection.execute(sa.text("""
        SELECT run.unit_id, run.id, run.started_at, run.ended_by, JSON_EXTRACT(verdict.figures, '$.stages')
        FROM run JOIN verdict ON verdict.run_id = run.id AND verdict.rules_hash = run.rules_hash
        WHERE run.purpose IN ('dispatch', 'training')
    """))
    for unit_id, run_id, started_at, ended_by, stages in rows:
        for stage, standing in json.loads(stages or '{}').items():
            counts = {'fail': 'failed', 'pass': 'passed' if ended_by == 'finished' else None}
            kind = counts.get(standing.get('outcome'))
            if kind and latest.get((unit_id, stage, kind), (started_at, ''))[0] <= started_at:
                latest[unit_id, stage, kind] = (started_at, run_id)
    for unit_id, stage in sorted({(unit_id, stage) for unit_id, stage, _ in latest}):
        failed = latest.get((unit_id, stage, 'failed'), (None, None))
        passed = latest.get((unit_id, stage, 'passed'), (None, None))
        connection.execute(
            sa.text(
                'INSERT INTO unit_stage (unit_id, stage, failed_at, failed_run_id, passed_at, passed_run_id)'
                ' VALUES (:unit, :stage, :failed_at, :failed_run, :passed_at, :passed_run)'
            ),
            {'unit': unit_id, 'stage': stage, 'failed_at': failed[0], 'failed_run': failed[1],
             'passed_at': passed[0], 'passed_run': passed[1]},
        )


def downgrade() -> None:
    op.drop_table('unit_stage')
    op.drop_table('presence')
