"""Wires of licensed work, what a place takes to be measured, adapters in plugs.

Revision ID: 0029
Revises: 0028
"""

import sqlalchemy as sa
from alembic import op

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None

_SYSTEMS = ("not told", "none of these", "airbags and belts", "high voltage", "brakes", "steering")


def upgrade() -> None:
    op.add_column("wire", sa.Column("part_of", sa.String(), server_default=sa.text("'not told'"), nullable=False))
    known = ", ".join(f"'{word}'" for word in _SYSTEMS)
    op.create_check_constraint(op.f("ck_wire_part_of_known"), "wire", f"part_of IN ({known})")
    op.add_column("harness_node", sa.Column("reach_minutes", sa.Double(), nullable=True))
    op.add_column("harness_node", sa.Column("cover", sa.String(), server_default=sa.text("''"), nullable=False))
    op.add_column("harness_node", sa.Column("cover_minutes", sa.Double(), server_default=sa.text("0"), nullable=False))
    op.add_column("harness_node", sa.Column("plug", sa.String(), server_default=sa.text("''"), nullable=False))
    op.add_column("harness_node", sa.Column("side", sa.String(), server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(
        op.f("ck_harness_node_minutes_possible"),
        "harness_node",
        "reach_minutes BETWEEN 0 AND 1000 AND cover_minutes BETWEEN 0 AND 1000",
    )
    for column in ("cover", "plug", "side"):
        op.create_check_constraint(
            op.f(f"ck_harness_node_{column}_length"), "harness_node", f"char_length({column}) BETWEEN 0 AND 40"
        )


def downgrade() -> None:
    for column in ("side", "plug", "cover"):
        op.drop_constraint(op.f(f"ck_harness_node_{column}_length"), "harness_node")
    op.drop_constraint(op.f("ck_harness_node_minutes_possible"), "harness_node")
    for column in ("side", "plug", "cover_minutes", "cover", "reach_minutes"):
        op.drop_column("harness_node", column)
    op.drop_constraint(op.f("ck_wire_part_of_known"), "wire")
    op.drop_column("wire", "part_of")
