"""Permanent trouble codes, and what a controller would not tell.

Revision ID: 0033
Revises: 0032
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None

_ADDED = ("permanent", "not_told")


def upgrade() -> None:
    for name in _ADDED:
        op.add_column("code_reading", sa.Column(name, JSONB(), server_default=sa.text("'[]'"), nullable=False))


def downgrade() -> None:
    for name in _ADDED:
        op.drop_column("code_reading", name)
