"""The input that a place still points to, where its function was moved to another.

Revision ID: 0024
Revises: 0023
"""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("value_place", sa.Column("was_module_uid", sa.Uuid(), nullable=True))
    op.add_column("value_place", sa.Column("was_pin", sa.String(), nullable=True))


def downgrade() -> None:
    op.drop_column("value_place", "was_pin")
    op.drop_column("value_place", "was_module_uid")
