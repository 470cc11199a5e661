"""The head of a shop's sheets: its picture, and what they are printed on.

Revision ID: 0019
Revises: 0018
"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shop", sa.Column("paper", sa.String(), server_default=sa.text("'a4'"), nullable=False))
    op.create_check_constraint(op.f("ck_shop_paper_known"), "shop", "paper IN ('a4', 'letter')")
    op.create_table(
        "shop_logo",
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("media_type", sa.String(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint("char_length(media_type) BETWEEN 1 AND 40", name=op.f("ck_shop_logo_media_type_length")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_shop_logo_shop_uid")),
        sa.PrimaryKeyConstraint("shop_uid", name=op.f("pk_shop_logo")),
    )


def downgrade() -> None:
    op.drop_table("shop_logo")
    op.drop_constraint(op.f("ck_shop_paper_known"), "shop")
    op.drop_column("shop", "paper")
