"""Of a sensor type: the temperatures that it bears, and the pressure that leaves it unharmed.

Revision ID: 0007
Revises: 0006
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

_COLUMNS = ("bears_low_degc", "bears_high_degc", "overpressure_kpa")


def upgrade() -> None:
    for name in _COLUMNS:
        op.add_column("sensor_type", sa.Column(name, sa.Double(), nullable=True))
        op.create_check_constraint(
            op.f(f"ck_sensor_type_{name}_finite"), "sensor_type", f"{name} > '-Infinity' AND {name} < 'Infinity'"
        )
    op.create_check_constraint(
        op.f("ck_sensor_type_temperatures_apart"), "sensor_type", "bears_low_degc < bears_high_degc"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_sensor_type_temperatures_apart"), "sensor_type")
    for name in reversed(_COLUMNS):
        op.drop_column("sensor_type", name)
