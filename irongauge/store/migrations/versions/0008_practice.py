"""Jobs for practice, which only the simulator reads.

Revision ID: 0008
Revises: 0007
"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("job", sa.Column("is_practice", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("job", "is_practice", server_default=None)
    op.create_check_constraint(
        op.f("ck_job_practice_not_handed_over"), "job", "NOT is_practice OR handed_over_at IS NULL"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_job_practice_not_handed_over"), "job")
    op.drop_column("job", "is_practice")
