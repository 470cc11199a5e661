"""How a logger writes: the unit of times that a log's file did not say, and what a shop has told of such files.

Revision ID: 0035
Revises: 0034
"""

import sqlalchemy as sa
from alembic import op

revision = "0035"
down_revision = "0034"
branch_labels = None
depends_on = None

_UNITS = "('', 's', 'ms', 'µs', 'min')"


def upgrade() -> None:
    op.add_column("log", sa.Column("logger", sa.String(), server_default="", nullable=False))
    op.add_column("log", sa.Column("taken_unit", sa.String(), server_default="", nullable=False))
    op.create_check_constraint(op.f("ck_log_taken_unit_known"), "log", f"taken_unit IN {_UNITS}")
    op.create_index("ix_log_logger", "log", ["logger"])
    op.create_table(
        "logger_habit",
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("logger", sa.String(), nullable=False),
        sa.Column("time_unit", sa.String(), nullable=False),
        sa.CheckConstraint(f"time_unit IN {_UNITS}", name=op.f("ck_logger_habit_time_unit_known")),
        sa.CheckConstraint("char_length(logger) BETWEEN 1 AND 64", name=op.f("ck_logger_habit_logger_length")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_logger_habit_shop_uid_shop")),
        sa.PrimaryKeyConstraint("shop_uid", "logger", name=op.f("pk_logger_habit")),
    )
    op.execute(
        "CREATE CONSTRAINT TRIGGER record_logger_habit AFTER INSERT OR UPDATE OR DELETE ON logger_habit DEFERRABLE INITIALLY "
        "DEFERRED FOR EACH ROW EXECUTE FUNCTION write_record('', '')"
    )


def downgrade() -> None:
    op.drop_table("logger_habit")
    op.drop_index("ix_log_logger", table_name="log")
    op.drop_column("log", "taken_unit")
    op.drop_column("log", "logger")
