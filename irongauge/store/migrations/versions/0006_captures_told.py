"""Of a capture: whether anything was said of a gap, and the shunt of a current sensor.

Revision ID: 0006
Revises: 0005
"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column("capture", "gap_teeth", nullable=True)
    op.execute("UPDATE capture SET gap_teeth = NULL WHERE gap_teeth = 0")  # an empty field was kept as none
    op.add_column("capture", sa.Column("shunt_ohm", sa.Double(), nullable=True))
    op.create_check_constraint(
        op.f("ck_capture_shunt_ohm_possible"), "capture", "shunt_ohm > 0 AND shunt_ohm <= 10000"
    )


def downgrade() -> None:
    op.drop_column("capture", "shunt_ohm")
    op.execute("UPDATE capture SET gap_teeth = 0 WHERE gap_teeth IS NULL")
    op.alter_column("capture", "gap_teeth", nullable=False)
