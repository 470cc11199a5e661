"""Live data: buses, what they told, recordings, trouble codes; a meter's address; what a reading was read off; captures that wait.

Revision ID: 0015
Revises: 0014
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def _json() -> postgresql.JSONB:
    return postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.drop_column("channel_meaning", "hidden")
    op.add_column("log_channel", sa.Column("scale_below", sa.Double(), nullable=True))
    op.add_column("log", sa.Column("digest", sa.LargeBinary(), nullable=True))
    op.add_column("log", sa.Column("well_from_s", sa.Double(), nullable=True))
    op.add_column("log", sa.Column("well_until_s", sa.Double(), nullable=True))
    op.create_check_constraint(op.f("ck_log_well_stretch"), "log", "well_until_s > well_from_s")
    op.create_index("ix_log_digest", "log", ["digest"], unique=False)
    op.add_column("instrument", sa.Column("address", sa.String(), server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f("ck_instrument_address_length"), "instrument", "char_length(address) BETWEEN 0 AND 120")
    op.add_column("reading", sa.Column("read_off", sa.String(), server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f("ck_reading_read_off_length"), "reading", "char_length(read_off) BETWEEN 0 AND 200")
    op.create_table(
        "bus_port",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("interface", sa.String(), nullable=False),
        sa.Column("channel", sa.String(), nullable=False),
        sa.Column("bitrate", sa.Integer(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=True),
        sa.Column("frames_name", sa.String(), nullable=False),
        sa.Column("frames", sa.LargeBinary(), nullable=False),
        sa.Column("is_simulated", sa.Boolean(), nullable=False),
        sa.Column("wired", sa.Integer(), server_default=sa.text("0"), nullable=False),
        sa.Column("memory", _json(), nullable=False),
        sa.Column("acts", _json(), nullable=False),
        sa.Column("acted_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("watched", _json(), nullable=False),
        sa.Column("channels", _json(), nullable=False),
        sa.Column("heard_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("trouble", sa.String(), nullable=False),
        sa.Column("wanted_until", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 60", name=op.f("ck_bus_port_name_length")),
        sa.CheckConstraint("char_length(interface) BETWEEN 1 AND 20", name=op.f("ck_bus_port_interface_length")),
        sa.CheckConstraint("char_length(channel) BETWEEN 1 AND 60", name=op.f("ck_bus_port_channel_length")),
        sa.CheckConstraint("char_length(frames_name) BETWEEN 0 AND 120", name=op.f("ck_bus_port_frames_name_length")),
        sa.CheckConstraint("char_length(trouble) BETWEEN 0 AND 300", name=op.f("ck_bus_port_trouble_length")),
        sa.CheckConstraint("bitrate BETWEEN 10000 AND 8000000", name=op.f("ck_bus_port_bitrate_possible")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_bus_port_shop_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_bus_port_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_bus_port")),
        sa.UniqueConstraint("shop_uid", "name", name=op.f("uq_bus_port_shop_uid_name")),
    )
    op.create_index(op.f("ix_bus_port_vehicle_uid"), "bus_port", ["vehicle_uid"], unique=False)
    op.create_table(
        "live_sample",
        sa.Column("number", sa.BigInteger(), sa.Identity(always=True), nullable=False),
        sa.Column("port_uid", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("told", _json(), nullable=False),
        sa.ForeignKeyConstraint(["port_uid"], ["bus_port.uid"], name=op.f("fk_live_sample_port_uid"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_live_sample")),
    )
    op.create_index("ix_live_sample_port", "live_sample", ["port_uid", "number"], unique=False)
    op.create_table(
        "live_recording",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("port_uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=True),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("ended_at >= begun_at", name=op.f("ck_live_recording_ended_after")),
        sa.ForeignKeyConstraint(
            ["port_uid"], ["bus_port.uid"], name=op.f("fk_live_recording_port_uid"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_live_recording_technician_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_live_recording_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_live_recording")),
    )
    op.create_index(
        "uq_live_recording_open",
        "live_recording",
        ["port_uid"],
        unique=True,
        postgresql_where=sa.text("ended_at IS NULL"),
    )
    op.create_table(
        "bus_request",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("port_uid", sa.Uuid(), nullable=False),
        sa.Column("job_uid", sa.Uuid(), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=False),
        sa.Column("asked", sa.String(), nullable=False),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("trouble", sa.String(), nullable=False),
        sa.CheckConstraint("asked IN ('read codes', 'clear codes')", name=op.f("ck_bus_request_asked_known")),
        sa.CheckConstraint("char_length(trouble) BETWEEN 0 AND 300", name=op.f("ck_bus_request_trouble_length")),
        sa.ForeignKeyConstraint(["job_uid"], ["job.uid"], name=op.f("fk_bus_request_job_uid")),
        sa.ForeignKeyConstraint(["port_uid"], ["bus_port.uid"], name=op.f("fk_bus_request_port_uid"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_bus_request_technician_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_bus_request")),
    )
    op.create_index(
        "ix_bus_request_open", "bus_request", ["port_uid"], unique=False, postgresql_where=sa.text("done_at IS NULL")
    )
    op.create_table(
        "code_reading",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("job_uid", sa.Uuid(), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=True),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("stored", _json(), nullable=False),
        sa.Column("pending", _json(), nullable=False),
        sa.Column("frozen_code", sa.String(), nullable=False),
        sa.Column("frozen", _json(), nullable=False),
        sa.Column("told", _json(), nullable=False),
        sa.CheckConstraint(
            "reason IN ('read', 'before clearing', 'just after clearing')", name=op.f("ck_code_reading_reason_known")
        ),
        sa.CheckConstraint("char_length(source) BETWEEN 1 AND 120", name=op.f("ck_code_reading_source_length")),
        sa.CheckConstraint("char_length(frozen_code) BETWEEN 0 AND 5", name=op.f("ck_code_reading_frozen_code_length")),
        sa.ForeignKeyConstraint(["job_uid"], ["job.uid"], name=op.f("fk_code_reading_job_uid")),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_code_reading_technician_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_code_reading")),
    )
    op.create_table(
        "capture_waiting",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("given", _json(), nullable=False),
        sa.Column("doing", sa.String(), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("refused", sa.String(), nullable=False),
        sa.Column("added_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 120", name=op.f("ck_capture_waiting_name_length")),
        sa.CheckConstraint("char_length(doing) BETWEEN 0 AND 300", name=op.f("ck_capture_waiting_doing_length")),
        sa.CheckConstraint("char_length(refused) BETWEEN 0 AND 600", name=op.f("ck_capture_waiting_refused_length")),
        sa.CheckConstraint("share BETWEEN 0 AND 1", name=op.f("ck_capture_waiting_share_possible")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_capture_waiting_shop_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_capture_waiting")),
    )
    op.create_table(
        "capture_piece",
        sa.Column("capture_uid", sa.Uuid(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(
            ["capture_uid"], ["capture_waiting.uid"], name=op.f("fk_capture_piece_capture_uid"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("capture_uid", "place", name=op.f("pk_capture_piece")),
    )
    op.create_index("ix_code_reading_job", "code_reading", ["job_uid", "taken_at"], unique=False)


def downgrade() -> None:
    for table in ("capture_piece", "capture_waiting", "code_reading", "bus_request", "live_recording", "live_sample", "bus_port"):
        op.drop_table(table)
    op.drop_index("ix_log_digest", table_name="log")
    op.drop_constraint(op.f("ck_log_well_stretch"), "log")
    op.drop_column("log", "well_until_s")
    op.drop_column("log", "well_from_s")
    op.drop_column("log", "digest")
    op.drop_column("log_channel", "scale_below")
    op.drop_column("reading", "read_off")
    op.drop_column("instrument", "address")
    op.add_column(
        "channel_meaning", sa.Column("hidden", sa.Boolean(), server_default=sa.text("false"), nullable=False)
    )
