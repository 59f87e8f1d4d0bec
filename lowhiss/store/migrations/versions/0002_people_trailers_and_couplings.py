"""people, trailers and couplings"""

import json
import uuid

import sqlalchemy as sa
from alembic import op

import lowhiss.store.types


revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('change',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('subject', sa.String(length=20), nullable=False),
    sa.Column('subject_id', sa.String(length=36), nullable=False),
    sa.Column('at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
    sa.Column('by_name', sa.String(length=80), nullable=False),
    sa.Column('what', sa.JSON(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_change'))
    )
    op.create_index(op.f('ix_change_subject_id_at'), 'change', ['subject_id', 'at'], unique=False)
    op.create_table('failure',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('what', sa.String(length=64), nullable=False),
    sa.Column('at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_failure'))
    )
    op.create_index(op.f('ix_failure_what_at'), 'failure', ['what', 'at'], unique=False)
    op.create_table('person',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('name', sa.String(length=80), nullable=False),
    sa.Column('role', sa.String(length=20), nullable=False),
    sa.Column('language', sa.String(length=5), nullable=False),
    sa.Column('pressure_unit', sa.String(length=5), nullable=False),
    sa.Column('password_hash', sa.String(length=200), nullable=True),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.Column('retired_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=True),
    sa.Column('demo', sa.Boolean(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_person')),
    sa.UniqueConstraint('name', name=op.f('uq_person_name'))
    )
    op.create_table('trailer',
    sa.Column('id', sa.String(length=36), nullable=False),
    sa.Column('name', sa.String(length=60), nullable=False),
    sa.Column('facts', sa.JSON(), nullable=False),
    sa.Column('version', sa.Integer(), server_default='1', nullable=False),
    sa.Column('retired_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=True),
    sa.Column('demo', sa.Boolean(), nullable=False),
    sa.PrimaryKeyConstraint('id', name=op.f('pk_trailer')),
    sa.UniqueConstraint('name', name=op.f('uq_trailer_name'))
    )
    op.create_table('code',
    sa.Column('code_hash', sa.String(length=64), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=True),
    sa.Column('made_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_code_person_id_person')),
    sa.PrimaryKeyConstraint('code_hash', name=op.f('pk_code'))
    )
    op.create_table('coupling',
    sa.Column('unit_id', sa.String(length=36), nullable=False),
    sa.Column('position', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('trailer_id', sa.String(length=36), nullable=False),
    sa.ForeignKeyConstraint(['trailer_id'], ['trailer.id'], name=op.f('fk_coupling_trailer_id_trailer')),
    sa.ForeignKeyConstraint(['unit_id'], ['unit.id'], name=op.f('fk_coupling_unit_id_unit')),
    sa.PrimaryKeyConstraint('unit_id', 'position', name=op.f('pk_coupling')),
    sa.UniqueConstraint('trailer_id', name=op.f('uq_coupling_trailer_id'))
    )
    op.create_table('pin',
    sa.Column('device_hash', sa.String(length=64), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('pin_hash', sa.String(length=200), nullable=False),
    sa.Column('tries_left', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_pin_person_id_person')),
    sa.PrimaryKeyConstraint('device_hash', 'person_id', name=op.f('pk_pin'))
    )
    op.create_table('session',
    sa.Column('token_hash', sa.String(length=64), nullable=False),
    sa.Column('person_id', sa.String(length=36), nullable=False),
    sa.Column('began_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
    sa.Column('used_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], name=op.f('fk_session_person_id_person')),
    sa.PrimaryKeyConstraint('token_hash', name=op.f('pk_session'))
    )
    op.add_column('event', sa.Column('sent_by', sa.String(length=36), nullable=True))
    op.create_foreign_key(op.f('fk_event_sent_by_person'), 'event', 'person', ['sent_by'], ['id'])
    op.add_column('run', sa.Column('person_id', sa.String(length=36), nullable=True))
    op.add_column('run', sa.Column('device_hash', sa.String(length=64), nullable=True))
    op.create_foreign_key(op.f('fk_run_person_id_person'), 'run', 'person', ['person_id'], ['id'])
    op.add_column('unit', sa.Column('procedure', sa.String(length=60), nullable=True))
    op.add_column('unit', sa.Column('version', sa.Integer(), server_default='1', nullable=False))
    op.add_column('unit', sa.Column('retired_at', lowhiss.store.types.UtcDateTime(fsp=6), nullable=True))
    _part_units_from_their_trailers()


def _part_units_from_their_trailers() -> None:
    """Until now a unit was kept as it was assembled; now it is a power unit, with trailers coupled to it."""
    connection = op.get_bind()
    for row in connection.execute(sa.text("SELECT id, facts, demo FROM unit")).mappings().all():
        facts = json.loads(row["facts"])
        trailers = facts.pop("trailers", None) or []
        facts.pop("reservoir_ratio", None)
        if facts["kind"] in ("tractor_semitrailer", "multi_trailer"):
            facts["kind"] = "tractor"
        connection.execute(
            sa.text("UPDATE unit SET facts = :facts WHERE id = :id"), {"facts": json.dumps(facts), "id": row["id"]}
        )
        for position, name in enumerate(trailers, start=1):
            known = connection.scalar(sa.text("SELECT id FROM trailer WHERE name = :name"), {"name": name})
            if known is not None:
                continue  # it stood behind two units; it stays behind the first
            trailer = {"id": str(uuid.uuid5(uuid.UUID(row["id"]), name)), "name": name, "demo": row["demo"]}
            connection.execute(
                sa.text("INSERT INTO trailer (id, name, facts, demo) VALUES (:id, :name, :facts, :demo)"),
                {**trailer, "facts": json.dumps({"name": name})},
            )
            connection.execute(
                sa.text("INSERT INTO coupling (unit_id, position, trailer_id) VALUES (:unit, :position, :trailer)"),
                {"unit": row["id"], "position": position, "trailer": trailer["id"]},
            )


def downgrade() -> None:
    op.drop_column('unit', 'retired_at')
    op.drop_column('unit', 'version')
    op.drop_column('unit', 'procedure')
    op.drop_constraint(op.f('fk_run_person_id_person'), 'run', type_='foreignkey')
    op.drop_column('run', 'device_hash')
    op.drop_column('run', 'person_id')
    op.drop_constraint(op.f('fk_event_sent_by_person'), 'event', type_='foreignkey')
    op.drop_column('event', 'sent_by')
    op.drop_table('session')
    op.drop_table('pin')
    op.drop_table('coupling')
    op.drop_table('code')
    op.drop_table('trailer')
    op.drop_table('person')
    op.drop_index(op.f('ix_failure_what_at'), table_name='failure')
    op.drop_table('failure')
    op.drop_index(op.f('ix_change_subject_id_at'), table_name='change')
    op.drop_table('change')
