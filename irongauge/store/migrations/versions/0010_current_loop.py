"""Two-wire current sensors: their family, a curve in mA, the shunt at the input, and their readings.

Revision ID: 0010
Revises: 0009
"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_FAMILIES = (
    "ratiometric-3w", "potentiometer-3w", "thermistor-2w", "combo-4w", "hall-3w", "frequency-3w", "controller-out", "vr-2w",
    "thermocouple", "switch",
)  # fmt: skip
_QUANTITIES = (
    "voltage", "resistance", "pressure", "temperature", "length", "angle", "share", "frequency", "duration",
)  # fmt: skip
# Table, column, the words it could hold and those that come.
_WIDER = (
    ("sensor_type", "family", _FAMILIES, ("current-loop-2w",)),
    ("circuit", "family", _FAMILIES, ("current-loop-2w",)),
    ("sensor_type", "curve_kind", ("ratio", "volts"), ("current",)),
    ("sensor_type", "quantity", _QUANTITIES, ("current",)),
    ("instrument", "quantity", _QUANTITIES, ("current",)),
)
_READINGS = [
    ('action_known',
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value', 'shield_ohm', 'shield_lifted_ohm')",
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value', 'loop_ma', 'live_kilohm_v', 'live_kilohm_value', 'shield_ohm', 'shield_lifted_ohm')"),
    ('word_known',
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word IN ('no data') AND action IN ('live_lamp_positive_v', 'live_jumped_v', 'live_v', 'live_value', 'live_unplugged_v', 'live_grounded_v', 'live_hz', 'live_running_value', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value') OR word IN ('OL', 'voltage present') AND action IN ('off_ohm', 'sensor_ohm', 'coil_ohm', 'leg_ohm', 'loop_ohm', 'wire_ohm', 'shield_ohm', 'shield_lifted_ohm') OR word IN ('+', '-', 'none') AND action IN ('polarity') OR word IN ('ok', 'no signal', 'no contact') AND action IN ('counted') OR word IN ('none', 'one', 'two') AND action IN ('ring_places')",
     "word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word IN ('no data') AND action IN ('live_lamp_positive_v', 'live_jumped_v', 'live_v', 'live_value', 'live_unplugged_v', 'live_grounded_v', 'live_hz', 'live_running_value', 'live_jumped_value', 'live_unplugged_value', 'live_kilohm_v', 'live_kilohm_value', 'live_lamp_positive_value', 'live_jumped_return_value') OR word IN ('OL', 'voltage present') AND action IN ('off_ohm', 'sensor_ohm', 'coil_ohm', 'leg_ohm', 'loop_ohm', 'wire_ohm', 'shield_ohm', 'shield_lifted_ohm') OR word IN ('+', '-', 'none') AND action IN ('polarity') OR word IN ('ok', 'no signal', 'no contact') AND action IN ('counted') OR word IN ('none', 'one', 'two') AND action IN ('ring_places')"),
]


def _known(table: str, column: str, words: tuple[str, ...]) -> None:
    name = op.f(f"ck_{table}_{column}_known")
    op.drop_constraint(name, table)
    op.create_check_constraint(name, table, f"{column} IN ({', '.join(repr(word) for word in words)})")


def _replaced(name: str, condition: str) -> None:
    op.drop_constraint(op.f(f"ck_reading_{name}"), "reading")
    op.create_check_constraint(op.f(f"ck_reading_{name}"), "reading", condition)


def upgrade() -> None:
    for table, column, before, more in _WIDER:
        _known(table, column, (*before, *more))
    for name, _, new in _READINGS:
        _replaced(name, new)
    for table in ("circuit", "calibration"):
        op.add_column(table, sa.Column("shunt_ohm", sa.Double(), nullable=True))
    possible = "shunt_ohm > 0 AND shunt_ohm < 'Infinity'"
    op.create_check_constraint(op.f("ck_circuit_shunt_possible"), "circuit", possible)
    op.create_check_constraint(op.f("ck_calibration_shunt_ohm_possible"), "calibration", possible)
    op.create_check_constraint(
        op.f("ck_circuit_loop_has_shunt"), "circuit", "(family = 'current-loop-2w') = (shunt_ohm IS NOT NULL)"
    )


def downgrade() -> None:
    """Only for a database that holds no current loop; PostgreSQL refuses otherwise."""
    op.drop_constraint(op.f("ck_circuit_loop_has_shunt"), "circuit")
    for table in ("circuit", "calibration"):
        op.drop_column(table, "shunt_ohm")
    for name, before, _ in _READINGS:
        _replaced(name, before)
    for table, column, before, _ in reversed(_WIDER):
        _known(table, column, before)
