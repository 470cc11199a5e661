"""Which engine was fitted to which vehicle when.

Revision ID: 0036
Revises: 0035
"""

import sqlalchemy as sa
from alembic import op

revision = "0036"
down_revision = "0035"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "engine_fitting",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("engine", sa.String(), nullable=False),
        sa.Column("fitted_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("char_length(engine) BETWEEN 1 AND 60", name=op.f("ck_engine_fitting_engine_length")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_engine_fitting_vehicle_uid_vehicle")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_engine_fitting")),
    )
    op.create_index(op.f("ix_engine_fitting_vehicle_uid"), "engine_fitting", ["vehicle_uid"])
    op.execute(
        "CREATE CONSTRAINT TRIGGER record_engine_fitting AFTER INSERT OR UPDATE OR DELETE ON engine_fitting DEFERRABLE INITIALLY "
        "DEFERRED FOR EACH ROW EXECUTE FUNCTION write_record('', '')"
    )


def downgrade() -> None:
    op.drop_table("engine_fitting")
