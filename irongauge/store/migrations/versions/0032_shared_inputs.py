"""Functions that may share an input, and those read by two at once.

Revision ID: 0032
Revises: 0031
"""

import sqlalchemy as sa
from alembic import op

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None

_WHOLE = (
    "(also_module_uid IS NULL) = (also_pin IS NULL) AND "
    "(also_pin IS NULL OR inputs = 2 AND pin IS NOT NULL AND (also_module_uid, also_pin) <> (module_uid, pin))"
)


def upgrade() -> None:
    op.add_column("input_function", sa.Column("shares", sa.String(), server_default=sa.text("''"), nullable=False))
    op.add_column("input_function", sa.Column("inputs", sa.Integer(), server_default=sa.text("1"), nullable=False))
    op.add_column("input_function", sa.Column("also_module_uid", sa.Uuid(), nullable=True))
    op.add_column("input_function", sa.Column("also_pin", sa.String(), nullable=True))
    op.add_column("input_function", sa.Column("also_on", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.create_foreign_key(
        op.f("fk_input_function_also_module_uid_fitted_module"),
        "input_function",
        "fitted_module",
        ["also_module_uid"],
        ["uid"],
    )
    op.create_check_constraint(op.f("ck_input_function_inputs_possible"), "input_function", "inputs BETWEEN 1 AND 2")
    op.create_check_constraint(op.f("ck_input_function_also_whole"), "input_function", _WHOLE)
    op.create_check_constraint(
        op.f("ck_input_function_shares_length"), "input_function", "char_length(shares) BETWEEN 0 AND 60"
    )


def downgrade() -> None:
    for name in ("shares_length", "also_whole", "inputs_possible"):
        op.drop_constraint(op.f(f"ck_input_function_{name}"), "input_function")
    op.drop_constraint(op.f("fk_input_function_also_module_uid_fitted_module"), "input_function")
    for column in ("also_on", "also_pin", "also_module_uid", "inputs", "shares"):
        op.drop_column("input_function", column)
