"""Recorded logs: what was handed in, channels, what headings mean, a shop's rules, a vehicle's normals; and a queue of work.

Revision ID: 0014
Revises: 0013
"""

import procrastinate.schema
import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

_SENSES = (
    "'engine speed', 'road speed', 'load', 'coolant temperature', 'oil temperature', 'air temperature', 'oil pressure', "
    "'fuel pressure', 'coolant pressure', 'boost pressure', 'crankcase pressure', 'barometer', 'battery volts', "
    "'reference volts', 'other'"
)
_BYTES = {"log_channel": ("content", "overview"), "log_times": ("times", "overview_times"), "log_piece": ("content",)}


def upgrade() -> None:
    op.create_table(
        "health_rule",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("condition", sa.String(), nullable=False),
        sa.Column("means", sa.String(), nullable=False),
        sa.Column("follow_up", sa.String(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.CheckConstraint("char_length(condition) BETWEEN 1 AND 300", name=op.f("ck_health_rule_condition_length")),
        sa.CheckConstraint("char_length(follow_up) BETWEEN 1 AND 200", name=op.f("ck_health_rule_follow_up_length")),
        sa.CheckConstraint("char_length(means) BETWEEN 1 AND 200", name=op.f("ck_health_rule_means_length")),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 80", name=op.f("ck_health_rule_name_length")),
        sa.CheckConstraint("char_length(why) BETWEEN 0 AND 300", name=op.f("ck_health_rule_why_length")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_health_rule_shop_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_health_rule")),
        sa.UniqueConstraint("shop_uid", "name", name=op.f("uq_health_rule_shop_uid_name")),
    )
    op.create_table(
        "log",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("job_uid", sa.Uuid(), nullable=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("doing", sa.String(), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("added_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=True),
        sa.Column("is_well", sa.Boolean(), nullable=False),
        sa.Column("given", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("findings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.CheckConstraint("state IN ('waiting', 'reading', 'ready', 'refused')", name=op.f("ck_log_state_known")),
        sa.CheckConstraint("char_length(doing) BETWEEN 0 AND 300", name=op.f("ck_log_doing_length")),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 120", name=op.f("ck_log_name_length")),
        sa.CheckConstraint("char_length(note) BETWEEN 0 AND 1000", name=op.f("ck_log_note_length")),
        sa.CheckConstraint("seconds >= 0", name=op.f("ck_log_seconds_possible")),
        sa.CheckConstraint("share BETWEEN 0 AND 1", name=op.f("ck_log_share_possible")),
        sa.ForeignKeyConstraint(["job_uid"], ["job.uid"], name=op.f("fk_log_job_uid")),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_log_technician_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_log_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_log")),
    )
    op.create_index(op.f("ix_log_job_uid"), "log", ["job_uid"], unique=False)
    op.create_index("ix_log_vehicle", "log", ["vehicle_uid", "added_at"], unique=False)
    op.create_table(
        "channel_meaning",
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("heading", sa.String(), nullable=False),
        sa.Column("sense", sa.String(), nullable=False),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("base", sa.String(), nullable=True),
        sa.Column("circuit_uid", sa.Uuid(), nullable=True),
        sa.Column("hidden", sa.Boolean(), nullable=False),
        sa.CheckConstraint("base IN ('gauge', 'absolute')", name=op.f("ck_channel_meaning_base_known")),
        sa.CheckConstraint(f"sense IN ({_SENSES})", name=op.f("ck_channel_meaning_sense_known")),
        sa.CheckConstraint("char_length(heading) BETWEEN 1 AND 90", name=op.f("ck_channel_meaning_heading_length")),
        sa.CheckConstraint("char_length(unit) BETWEEN 0 AND 20", name=op.f("ck_channel_meaning_unit_length")),
        sa.ForeignKeyConstraint(["circuit_uid"], ["circuit.uid"], name=op.f("fk_channel_meaning_circuit_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_channel_meaning_vehicle_uid")),
        sa.PrimaryKeyConstraint("vehicle_uid", "heading", name=op.f("pk_channel_meaning")),
    )
    op.create_table(
        "log_channel",
        sa.Column("log_uid", sa.Uuid(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("written_unit", sa.String(), nullable=False),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("quantity", sa.String(), nullable=True),
        sa.Column("base", sa.String(), nullable=True),
        sa.Column("sense", sa.String(), nullable=False),
        sa.Column("circuit_uid", sa.Uuid(), nullable=True),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("times", sa.Integer(), nullable=False),
        sa.Column("scale", sa.Double(), nullable=False),
        sa.Column("offset", sa.Double(), nullable=False),
        sa.Column("low", sa.Double(), nullable=True),
        sa.Column("high", sa.Double(), nullable=True),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.Column("overview", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint("high > '-Infinity' AND high < 'Infinity'", name=op.f("ck_log_channel_high_finite")),
        sa.CheckConstraint("low > '-Infinity' AND low < 'Infinity'", name=op.f("ck_log_channel_low_finite")),
        sa.CheckConstraint(f"sense IN ({_SENSES})", name=op.f("ck_log_channel_sense_known")),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 90", name=op.f("ck_log_channel_name_length")),
        sa.CheckConstraint("char_length(unit) BETWEEN 0 AND 20", name=op.f("ck_log_channel_unit_length")),
        sa.CheckConstraint(
            "char_length(written_unit) BETWEEN 0 AND 20", name=op.f("ck_log_channel_written_unit_length")
        ),
        sa.CheckConstraint("octet_length(content) = 4 * rows", name=op.f("ck_log_channel_content_whole")),
        sa.ForeignKeyConstraint(["circuit_uid"], ["circuit.uid"], name=op.f("fk_log_channel_circuit_uid")),
        sa.ForeignKeyConstraint(["log_uid"], ["log.uid"], name=op.f("fk_log_channel_log_uid"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("log_uid", "place", name=op.f("pk_log_channel")),
    )
    op.create_table(
        "log_piece",
        sa.Column("log_uid", sa.Uuid(), nullable=False),
        sa.Column("part", sa.Integer(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint("part IN (0, 1)", name=op.f("ck_log_piece_part_known")),
        sa.ForeignKeyConstraint(["log_uid"], ["log.uid"], name=op.f("fk_log_piece_log_uid"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("log_uid", "part", "place", name=op.f("pk_log_piece")),
    )
    op.create_table(
        "log_times",
        sa.Column("log_uid", sa.Uuid(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("begin_s", sa.Double(), nullable=False),
        sa.Column("step_s", sa.Double(), nullable=True),
        sa.Column("times", sa.LargeBinary(), nullable=False),
        sa.Column("overview_times", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint(
            "(step_s IS NULL) = (octet_length(times) = 8 * rows)", name=op.f("ck_log_times_times_where_uneven")
        ),
        sa.CheckConstraint("rows > 0", name=op.f("ck_log_times_rows_possible")),
        sa.ForeignKeyConstraint(["log_uid"], ["log.uid"], name=op.f("fk_log_times_log_uid"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("log_uid", "place", name=op.f("pk_log_times")),
    )
    op.create_table(
        "normal_reading",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("log_uid", sa.Uuid(), nullable=True),
        sa.Column("job_uid", sa.Uuid(), nullable=True),
        sa.Column("channel", sa.String(), nullable=False),
        sa.Column("condition", sa.String(), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("unit", sa.String(), nullable=False),
        sa.Column("at_least", sa.Boolean(), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("value > '-Infinity' AND value < 'Infinity'", name=op.f("ck_normal_reading_value_finite")),
        sa.CheckConstraint("char_length(channel) BETWEEN 1 AND 90", name=op.f("ck_normal_reading_channel_length")),
        sa.CheckConstraint("char_length(condition) BETWEEN 1 AND 60", name=op.f("ck_normal_reading_condition_length")),
        sa.CheckConstraint("char_length(unit) BETWEEN 0 AND 20", name=op.f("ck_normal_reading_unit_length")),
        sa.ForeignKeyConstraint(["job_uid"], ["job.uid"], name=op.f("fk_normal_reading_job_uid")),
        sa.ForeignKeyConstraint(["log_uid"], ["log.uid"], name=op.f("fk_normal_reading_log_uid"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_normal_reading_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_normal_reading")),
    )
    op.create_index(op.f("ix_normal_reading_log_uid"), "normal_reading", ["log_uid"], unique=False)
    op.create_index("ix_normal_reading_vehicle", "normal_reading", ["vehicle_uid", "channel"], unique=False)
    for table, columns in _BYTES.items():
        for column in columns:  # a stretch of an uncompressed column is read without the rest of it
            op.execute(f"ALTER TABLE {table} ALTER COLUMN {column} SET STORAGE EXTERNAL")
    connection = op.get_bind()
    connection.exec_driver_sql("CREATE SCHEMA queue")
    connection.exec_driver_sql("SET LOCAL search_path TO queue, public")
    connection.exec_driver_sql(procrastinate.schema.SchemaManager.get_schema().replace("%", "%%"))
    connection.exec_driver_sql("SET LOCAL search_path TO DEFAULT")


def downgrade() -> None:
    op.execute("DROP SCHEMA queue CASCADE")
    for table in ("normal_reading", "log_times", "log_piece", "log_channel", "channel_meaning", "log", "health_rule"):
        op.drop_table(table)
