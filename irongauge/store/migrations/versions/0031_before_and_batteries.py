"""Steps set before others, circuits whose wiring is still to be made, and how many batteries a vehicle has.

Revision ID: 0031
Revises: 0030
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("work_step", sa.Column("before", JSONB(), server_default=sa.text("'[]'::jsonb"), nullable=False))
    op.add_column("circuit", sa.Column("to_wire", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.add_column("vehicle", sa.Column("batteries", sa.Integer(), nullable=True))
    op.create_check_constraint(op.f("ck_vehicle_batteries_possible"), "vehicle", "batteries BETWEEN 1 AND 8")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_vehicle_batteries_possible"), "vehicle")
    op.drop_column("vehicle", "batteries")
    op.drop_column("circuit", "to_wire")
    op.drop_column("work_step", "before")
