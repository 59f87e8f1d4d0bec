"""The clocks of inspections are kept like those of tests; one made from its first mark until now keeps that mapping."""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql


revision = '0022'
down_revision = '0021'
branch_labels = None
depends_on = None

exact = mysql.VARCHAR(80, collation='utf8mb4_nopad_bin')


def upgrade() -> None:
    op.alter_column('round_mark', 'after_end', existing_type=sa.Boolean(), existing_nullable=False, server_default='0')
    op.create_table('round_clock',
    sa.Column('round_id', sa.String(length=36), nullable=False),
    sa.Column('device', exact, nullable=False),
    sa.Column('epoch', exact, nullable=False),
    sa.Column('offset_s', sa.Double(), nullable=False),
    sa.Column('error_s', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['round_id'], ['round.id'], name=op.f('fk_round_clock_round_id_round')),
    sa.PrimaryKeyConstraint('round_id', 'device', 'epoch', name=op.f('pk_round_clock'))
    )
    op.execute(
        "INSERT INTO round_clock (round_id, device, epoch, offset_s, error_s)"
        " SELECT m.round_id, m.device, m.epoch, m.at_s - m.mono_s, 0 FROM round_mark m JOIN"
        " (SELECT round_id, device, epoch, MIN(seq) AS seq FROM round_mark WHERE at_s > 0"
        "  GROUP BY round_id, device, epoch) f ON f.round_id = m.round_id AND f.seq = m.seq"
    )
    rows = op.get_bind().execute(sa.text("SELECT id, begun FROM round")).all()
    for round_id, begun in rows:
        began = json.loads(begun) if isinstance(begun, str) else begun
        op.get_bind().execute(
            sa.text("INSERT IGNORE INTO round_clock VALUES (:round_id, :device, :epoch, :offset_s, 0)"),
            {
                "round_id": round_id,
                "device": began["device"],
                "epoch": began["epoch"],
                "offset_s": -float(began["mono_s"]),
            },
        )
