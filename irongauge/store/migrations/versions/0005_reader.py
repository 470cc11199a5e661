"""What the live data reader shows of a channel, the type of controller behind it, and kept verdicts.

Revision ID: 0005
Revises: 0004
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

# Constraint of the readings, what it said, what it says.
_WIDER = [
    ('action_known',
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'shield_ohm', 'shield_lifted_ohm')",
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value', 'shield_ohm', 'shield_lifted_ohm')"),
    ('word_known',
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word IN ('no data') AND action IN ('live_lamp_positive_v', 'live_jumped_v', 'live_v', 'live_value', 'live_unplugged_v', 'live_grounded_v', 'live_hz', 'live_running_value', 'live_jumped_value', 'live_unplugged_value') OR word IN ('OL', 'voltage present') AND action IN ('off_ohm', 'sensor_ohm', 'coil_ohm', 'leg_ohm', 'loop_ohm', 'wire_ohm', 'shield_ohm', 'shield_lifted_ohm') OR word IN ('+', '-', 'none') AND action IN ('polarity') OR word IN ('ok', 'no signal', 'no contact') AND action IN ('counted') OR word IN ('none', 'one', 'two') AND action IN ('ring_places')",
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word IN ('no data') AND action IN ('live_lamp_positive_v', 'live_jumped_v', 'live_v', 'live_value', 'live_unplugged_v', 'live_grounded_v', 'live_hz', 'live_running_value', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value') OR word IN ('OL', 'voltage present') AND action IN ('off_ohm', 'sensor_ohm', 'coil_ohm', 'leg_ohm', 'loop_ohm', 'wire_ohm', 'shield_ohm', 'shield_lifted_ohm') OR word IN ('+', '-', 'none') AND action IN ('polarity') OR word IN ('ok', 'no signal', 'no contact') AND action IN ('counted') OR word IN ('none', 'one', 'two') AND action IN ('ring_places')"),
]
_ENDS = ('reader_least', 'reader_most', 'reader_fault_value')


def upgrade() -> None:
    for name, _, new in _WIDER:
        op.drop_constraint(op.f(f'ck_reading_{name}'), 'reading')
        op.create_check_constraint(op.f(f'ck_reading_{name}'), 'reading', new)
    op.add_column('circuit', sa.Column('controller', sa.String(), server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f('ck_circuit_controller_length'), 'circuit', 'char_length(controller) BETWEEN 0 AND 60')
    for shown in ('reader_shows_signal', 'reader_shows_value'):
        op.add_column('circuit', sa.Column(shown, sa.Boolean(), server_default=sa.text('true'), nullable=False))
    for end in _ENDS:
        op.add_column('circuit', sa.Column(end, sa.Double(), nullable=True))
        op.create_check_constraint(op.f(f'ck_circuit_{end}_finite'), 'circuit', f"{end} > '-Infinity' AND {end} < 'Infinity'")
    op.create_check_constraint(op.f('ck_circuit_reader_ends_rise'), 'circuit', 'reader_least < reader_most')
    op.create_table('verdict',
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('facts', sa.String(), nullable=False),
    sa.Column('level', sa.String(), nullable=False),
    sa.Column('headline', sa.String(), nullable=False),
    sa.Column('detail', sa.String(), nullable=False),
    sa.CheckConstraint("level IN ('proved good', 'wiring good, slope not proved', 'fault found', 'cannot tell apart', 'readings contradict', 'not proved yet')", name=op.f('ck_verdict_level_known')),
    sa.CheckConstraint('char_length(facts) = 64', name=op.f('ck_verdict_facts_whole')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_verdict_circuit_uid'), ondelete='CASCADE'),
    sa.PrimaryKeyConstraint('circuit_uid', name=op.f('pk_verdict'))
    )


def downgrade() -> None:
    """Only for a database without the newer kinds of readings; PostgreSQL refuses otherwise."""
    op.drop_table('verdict')
    op.drop_constraint(op.f('ck_circuit_reader_ends_rise'), 'circuit')
    for column in (*_ENDS, 'reader_shows_signal', 'reader_shows_value', 'controller'):
        op.drop_column('circuit', column)
    for name, old, _ in _WIDER:
        op.drop_constraint(op.f(f'ck_reading_{name}'), 'reading')
        op.create_check_constraint(op.f(f'ck_reading_{name}'), 'reading', old)
