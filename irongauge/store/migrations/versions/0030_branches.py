"""A load's own branch of a feed, and a return of its own.

Revision ID: 0030
Revises: 0029
"""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("feed_load", sa.Column("branch_m", sa.Double(), server_default=sa.text("0"), nullable=False))
    op.add_column("feed_load", sa.Column("branch_mm2", sa.Double(), nullable=True))
    op.add_column("feed_load", sa.Column("own_return", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.create_check_constraint(
        op.f("ck_feed_load_branch_possible"),
        "feed_load",
        "branch_m BETWEEN 0 AND 1000 AND branch_mm2 > 0 AND branch_mm2 <= 500",
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_feed_load_branch_possible"), "feed_load")
    for column in ("own_return", "branch_mm2", "branch_m"):
        op.drop_column("feed_load", column)
