"""Angles of a ring's teeth that stand unequal on purpose.

Revision ID: 0034
Revises: 0033
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("capture", sa.Column("angles_deg", JSONB(), server_default=sa.text("'[]'"), nullable=False))


def downgrade() -> None:
    op.drop_column("capture", "angles_deg")
