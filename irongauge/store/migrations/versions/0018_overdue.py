"""Why an instrument was used whose calibration was due.

Revision ID: 0018
Revises: 0017
"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("reading", sa.Column("overdue_why", sa.String(), server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(
        op.f("ck_reading_overdue_why_length"), "reading", "char_length(overdue_why) BETWEEN 0 AND 200"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_reading_overdue_why_length"), "reading")
    op.drop_column("reading", "overdue_why")
