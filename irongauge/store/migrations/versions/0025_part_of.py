"""What a circuit is part of, where that is left to licensed work; until it is told, its name tells.

Revision ID: 0025
Revises: 0024
"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

_SYSTEMS = ("not told", "none of these", "airbags and belts", "high voltage", "brakes", "steering")


def upgrade() -> None:
    op.add_column("circuit", sa.Column("part_of", sa.String(), server_default=sa.text("'not told'"), nullable=False))
    known = ", ".join(f"'{word}'" for word in _SYSTEMS)
    op.create_check_constraint(op.f("ck_circuit_part_of_known"), "circuit", f"part_of IN ({known})")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_circuit_part_of_known"), "circuit")
    op.drop_column("circuit", "part_of")
