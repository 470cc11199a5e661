"""The time of day by which a job is promised, where one was told.

Revision ID: 0027
Revises: 0026
"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("job", sa.Column("promised_by", sa.Time(), nullable=True))


def downgrade() -> None:
    op.drop_column("job", "promised_by")
