"""Every family of sensors: their roles, figures, states and readings; a reading may be taken back.

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

# Table, constraint, what it said, what it says.
_WIDER = [
    ('sensor_type', 'family_known',
     "family IN ('ratiometric-3w', 'potentiometer-3w')",
     "family IN ('ratiometric-3w', 'potentiometer-3w', 'thermistor-2w', 'combo-4w', 'hall-3w', 'frequency-3w', 'controller-out', 'vr-2w', 'thermocouple', 'switch')"),
    ('sensor_type', 'quantity_known',
     "quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share')",
     "quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share', 'frequency', 'duration')"),
    ('instrument', 'quantity_known',
     "quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share')",
     "quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share', 'frequency', 'duration')"),
    ('circuit', 'family_known',
     "family IN ('ratiometric-3w', 'potentiometer-3w')",
     "family IN ('ratiometric-3w', 'potentiometer-3w', 'thermistor-2w', 'combo-4w', 'hall-3w', 'frequency-3w', 'controller-out', 'vr-2w', 'thermocouple', 'switch')"),
    ('pin', 'role_known',
     "role IN ('reference', 'return', 'signal')",
     "role IN ('reference', 'return', 'signal', 'temperature', 'plus', 'minus')"),
    ('reading', 'action_known',
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v')",
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'shield_ohm', 'shield_lifted_ohm')"),
    ('reading', 'reason_known',
     "reason IN ('mistyped', 'measured again', 'after repair')",
     "reason IN ('mistyped', 'measured again', 'after repair', 'taken back')"),
    ('reading', 'word_known',
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word = 'OL' AND action = 'off_ohm'",
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word IN ('no data') AND action IN ('live_lamp_positive_v', 'live_jumped_v', 'live_v', 'live_value', 'live_unplugged_v', 'live_grounded_v', 'live_hz', 'live_running_value', 'live_jumped_value', 'live_unplugged_value') OR word IN ('OL', 'voltage present') AND action IN ('off_ohm', 'sensor_ohm', 'coil_ohm', 'leg_ohm', 'loop_ohm', 'wire_ohm', 'shield_ohm', 'shield_lifted_ohm') OR word IN ('+', '-', 'none') AND action IN ('polarity') OR word IN ('ok', 'no signal', 'no contact') AND action IN ('counted') OR word IN ('none', 'one', 'two') AND action IN ('ring_places')"),
]
_CURVE = ("curve_kind", "quantity", "signal_low", "signal_high", "value_low", "value_high")


def upgrade() -> None:
    for table, name, _, new in _WIDER:
        op.drop_constraint(op.f(f"ck_{table}_{name}"), table)
        op.create_check_constraint(op.f(f"ck_{table}_{name}"), table, new)
    for column in _CURVE:
        op.alter_column("sensor_type", column, nullable=True)
    op.add_column("sensor_type", sa.Column("element", postgresql.JSONB(none_as_null=True), nullable=True))
    op.create_check_constraint(op.f('ck_sensor_type_curve_whole'), 'sensor_type', '(curve_kind IS NULL) = (quantity IS NULL) AND (curve_kind IS NULL) = (signal_low IS NULL) AND (curve_kind IS NULL) = (signal_high IS NULL) AND (curve_kind IS NULL) = (value_low IS NULL) AND (curve_kind IS NULL) = (value_high IS NULL)')
    op.alter_column("stimulus", "value", nullable=True)
    op.add_column("stimulus", sa.Column("temperature_degc", sa.Double(), nullable=True))
    op.create_check_constraint(op.f('ck_stimulus_temperature_degc_finite'), 'stimulus', "temperature_degc > '-Infinity' AND temperature_degc < 'Infinity'")
    op.add_column("circuit", sa.Column("temperature_pull_up_ohm", sa.Double(), nullable=True))
    op.add_column("circuit", sa.Column("temperature_pull_up_to_v", sa.Double(), nullable=True))
    for flag in ("battery_fed", "differential", "shielded"):
        op.add_column("circuit", sa.Column(flag, sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.create_check_constraint(op.f('ck_circuit_temperature_pull_up_whole'), 'circuit', '(temperature_pull_up_ohm IS NULL) = (temperature_pull_up_to_v IS NULL)')
    op.create_check_constraint(op.f('ck_circuit_temperature_pull_up_possible'), 'circuit', 'temperature_pull_up_ohm > 0 AND temperature_pull_up_to_v > 0')


def downgrade() -> None:
    """Only for a database that holds none of the newer families; PostgreSQL refuses otherwise."""
    for flag in ("battery_fed", "differential", "shielded", "temperature_pull_up_ohm", "temperature_pull_up_to_v"):
        op.drop_column("circuit", flag)
    op.drop_column("stimulus", "temperature_degc")
    op.alter_column("stimulus", "value", nullable=False)
    op.drop_constraint(op.f("ck_sensor_type_curve_whole"), "sensor_type")
    op.drop_column("sensor_type", "element")
    for column in _CURVE:
        op.alter_column("sensor_type", column, nullable=False)
    for table, name, old, _ in _WIDER:
        op.drop_constraint(op.f(f"ck_{table}_{name}"), table)
        op.create_check_constraint(op.f(f"ck_{table}_{name}"), table, old)
