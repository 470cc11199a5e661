"""What a feed's insulation bears, how many circuits lie in its loom, and whether something that is read shares its return.

Revision ID: 0023
Revises: 0022
"""

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None

# What every feed was reckoned with before.
_COLUMNS = (("insulation_degc", sa.Float(), "70"), ("circuits_together", sa.Integer(), "1"), ("shares_return", sa.Boolean(), "true"))
_CHECKS = (
    ("insulation_possible", "insulation_degc BETWEEN 60 AND 300"),
    ("loom_possible", "circuits_together BETWEEN 1 AND 50"),
)


def upgrade() -> None:
    for name, kind, was in _COLUMNS:
        op.add_column("feed", sa.Column(name, kind, server_default=sa.text(was), nullable=False))
        op.alter_column("feed", name, server_default=None)
    for name, check in _CHECKS:
        op.create_check_constraint(op.f(f"ck_feed_{name}"), "feed", check)


def downgrade() -> None:
    for name, _ in _CHECKS:
        op.drop_constraint(op.f(f"ck_feed_{name}"), "feed")
    for name, _, _ in _COLUMNS:
        op.drop_column("feed", name)
