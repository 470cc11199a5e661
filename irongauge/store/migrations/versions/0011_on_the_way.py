"""Readings at a place on the way of a wire: where, and how far along.

Revision ID: 0011
Revises: 0010
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_READINGS = [
    ('action_known',
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value', 'loop_ma', 'live_kilohm_v', 'live_kilohm_value', 'shield_ohm', 'shield_lifted_ohm')",
     "action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v', 'live_unplugged_v', 'live_grounded_v', 'sensor_ohm', 'turning_low_v', 'turning_high_v', 'frequency_hz', 'pulse_ms', 'live_hz', 'live_running_value', 'coil_ohm', 'leg_ohm', 'ac_loose_v', 'ac_mated_v', 'polarity', 'counted', 'ring_places', 'ring_uneven_pct', 'loop_ohm', 'thermo_v', 'wire_ohm', 'live_jumped_value', 'live_unplugged_value', 'live_lamp_positive_value', 'live_jumped_return_value', 'way_v', 'loop_ma', 'live_kilohm_v', 'live_kilohm_value', 'shield_ohm', 'shield_lifted_ohm')"),
]
_PLAIN = "action || ':' || coalesce(cavity, '') || ':' || coalesce(point::text, '')"
_WITH_PLACE = _PLAIN + " || CASE WHEN place = '' THEN '' ELSE '@' || place END"


def _slot(says: str) -> None:
    """Write the column that tells which readings are of one test point anew, with all that hangs on it."""
    op.drop_index("uq_reading_first_of_slot", table_name="reading")
    op.drop_constraint("fk_reading_supersedes_same_slot", "reading")
    op.drop_constraint(op.f("uq_reading_uid_circuit_uid_slot"), "reading")
    op.drop_column("reading", "slot")
    op.add_column("reading", sa.Column("slot", sa.String(), sa.Computed(says, persisted=True), nullable=False))
    op.create_unique_constraint(op.f("uq_reading_uid_circuit_uid_slot"), "reading", ["uid", "circuit_uid", "slot"])
    op.create_foreign_key(
        "fk_reading_supersedes_same_slot",
        "reading",
        "reading",
        ["supersedes_uid", "circuit_uid", "slot"],
        ["uid", "circuit_uid", "slot"],
    )
    op.create_index(
        "uq_reading_first_of_slot",
        "reading",
        ["circuit_uid", "slot"],
        unique=True,
        postgresql_where=sa.text("supersedes_uid IS NULL"),
    )


def _words(at: int) -> None:
    for row in _READINGS:
        op.drop_constraint(op.f(f"ck_reading_{row[0]}"), "reading")
        op.create_check_constraint(op.f(f"ck_reading_{row[0]}"), "reading", row[at])


def upgrade() -> None:
    _words(2)
    op.add_column("reading", sa.Column("place", sa.String(), server_default=sa.text("''"), nullable=False))
    op.add_column("reading", sa.Column("way_share", sa.Double(), nullable=True))
    op.create_check_constraint(op.f("ck_reading_place_length"), "reading", "char_length(place) BETWEEN 0 AND 60")
    op.create_check_constraint(op.f("ck_reading_way_has_share"), "reading", "(place = '') = (way_share IS NULL)")
    op.create_check_constraint(op.f("ck_reading_way_share_possible"), "reading", "way_share BETWEEN 0 AND 1")
    _slot(_WITH_PLACE)


def downgrade() -> None:
    """Only for a database without readings on the way; PostgreSQL refuses otherwise."""
    _slot(_PLAIN)
    op.drop_column("reading", "way_share")
    op.drop_column("reading", "place")
    _words(1)
