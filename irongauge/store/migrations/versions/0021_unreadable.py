"""Readings that cannot be taken of a circuit, and the verdict of one that is good as far as it can be read.

Revision ID: 0021
Revises: 0020
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_BEFORE = "level IN ('proved good', 'wiring good, slope not proved', 'fault found', 'cannot tell apart', 'readings contradict', 'not proved yet')"
_SINCE = "level IN ('proved good', 'wiring good, slope not proved', 'good as far as it can be read', 'fault found', 'cannot tell apart', 'readings contradict', 'not proved yet')"


def upgrade() -> None:
    _say(_SINCE)
    empty = sa.text("'[]'")
    op.add_column("circuit", sa.Column("unreadable", postgresql.JSONB(), server_default=empty, nullable=False))


def downgrade() -> None:
    op.execute("DELETE FROM verdict WHERE level = 'good as far as it can be read'")  # concluded anew at the next look
    op.drop_column("circuit", "unreadable")
    _say(_BEFORE)


def _say(levels: str) -> None:
    op.drop_constraint(op.f("ck_verdict_level_known"), "verdict")
    op.create_check_constraint(op.f("ck_verdict_level_known"), "verdict", levels)
