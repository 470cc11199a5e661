"""Codes by which a foreman makes a device a tablet of the shop.

Revision ID: 0026
Revises: 0025
"""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "tablet_code",
        sa.Column("code_hash", sa.String(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("made_by_uid", sa.Uuid(), nullable=False),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_tablet_code_shop_uid_shop")),
        sa.ForeignKeyConstraint(["made_by_uid"], ["technician.uid"], name=op.f("fk_tablet_code_made_by_uid_technician")),
        sa.PrimaryKeyConstraint("code_hash", name=op.f("pk_tablet_code")),
    )


def downgrade() -> None:
    op.drop_table("tablet_code")
