"""More that a channel of a log may be of: throttle, pedal, manifold pressure, satellite and wheel speed, and what is no sensor.

Revision ID: 0022
Revises: 0021
"""

from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None

_BEFORE = (
    "engine speed", "road speed", "load", "coolant temperature", "oil temperature", "air temperature", "oil pressure",
    "fuel pressure", "coolant pressure", "boost pressure", "crankcase pressure", "barometer", "battery volts", "reference volts",
    "other",
)  # fmt: skip
_SINCE = (
    "engine speed", "road speed", "wheel speed", "satellite speed", "load", "throttle", "pedal", "coolant temperature",
    "oil temperature", "air temperature", "outside temperature", "exhaust temperature", "oil pressure", "fuel pressure",
    "coolant pressure", "boost pressure", "manifold pressure", "crankcase pressure", "barometer", "battery volts",
    "reference volts", "sensor volts", "lambda", "acceleration", "injection time", "ignition angle", "fuel level", "altitude",
    "gear", "switch", "other",
)  # fmt: skip
_WAS = {"wheel speed": "road speed", "satellite speed": "road speed", "throttle": "load", "pedal": "load", "manifold pressure": "boost pressure"}
_TABLES = ("log_channel", "channel_meaning")


def upgrade() -> None:
    _say(_SINCE)


def downgrade() -> None:
    for table in _TABLES:
        for new, old in _WAS.items():
            op.execute(f"UPDATE {table} SET sense = '{old}' WHERE sense = '{new}'")
        known = ", ".join(f"'{word}'" for word in _BEFORE)
        op.execute(f"UPDATE {table} SET sense = 'other' WHERE sense NOT IN ({known})")
    _say(_BEFORE)


def _say(senses: tuple[str, ...]) -> None:
    known = ", ".join(f"'{word}'" for word in senses)
    for table in _TABLES:
        op.drop_constraint(op.f(f"ck_{table}_sense_known"), table)
        op.create_check_constraint(op.f(f"ck_{table}_sense_known"), table, f"sense IN ({known})")
