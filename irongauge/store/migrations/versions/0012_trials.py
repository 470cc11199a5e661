"""What was tried of a conditioner, the shop's own way to join wires, and sensors on another module's reference.

Revision ID: 0012
Revises: 0011
"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("shop", sa.Column("joint_school", sa.String(), nullable=True))
    op.create_check_constraint(
        op.f("ck_shop_joint_school_known"), "shop", "joint_school IN ('solder, under an adhesive sleeve', 'crimp')"
    )
    op.add_column("input_function", sa.Column("fed_by_uid", sa.Uuid(), nullable=True))
    op.create_foreign_key(
        op.f("fk_input_function_fed_by_uid"), "input_function", "fitted_module", ["fed_by_uid"], ["uid"]
    )
    op.create_table(
        "conditioner_trial",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("at", sa.String(), nullable=False),
        sa.Column("form", sa.String(), nullable=False),
        sa.Column("worked", sa.Boolean(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=False),
        sa.Column("tried_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("char_length(at) BETWEEN 1 AND 80", name=op.f("ck_conditioner_trial_at_length")),
        sa.CheckConstraint("char_length(note) BETWEEN 0 AND 200", name=op.f("ck_conditioner_trial_note_length")),
        sa.CheckConstraint(
            "form IN ('level in volts', 'sine', 'square wave', 'resistance', 'thermocouple millivolts', 'message on a bus')",
            name=op.f("ck_conditioner_trial_form_known"),
        ),
        sa.ForeignKeyConstraint(
            ["technician_uid"], ["technician.uid"], name=op.f("fk_conditioner_trial_technician_uid")
        ),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_conditioner_trial_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_conditioner_trial")),
    )
    op.create_index(op.f("ix_conditioner_trial_vehicle_uid"), "conditioner_trial", ["vehicle_uid"])


def downgrade() -> None:
    op.drop_table("conditioner_trial")
    op.drop_constraint(op.f("fk_input_function_fed_by_uid"), "input_function")
    op.drop_column("input_function", "fed_by_uid")
    op.drop_column("shop", "joint_school")
