"""The order of the work: hours, tools that there are only so many of, what was said of steps, plans that were found.

Revision ID: 0013
Revises: 0012
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_STATES = "'battery off', 'key off', 'key on', 'cranking', 'idle', 'loaded or wheels raised', 'road'"
_KINDS = (
    "'fit', 'join', 'open up', 'close up', 'update a module', 'check with the key off', 'power up', 'test', "
    "'calibrate', 'check pulses', 'change a figure', 'fetch', 'road test', 'hand over', 'other'"
)


def upgrade() -> None:
    for table, column in (("shop", "hours"), ("shop", "tools"), ("technician", "hours")):
        op.add_column(table, sa.Column(column, postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True))
    op.add_column("job", sa.Column("goes_first", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.create_table(
        "work_step",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("minutes", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(), nullable=True),
        sa.Column("heat", sa.String(), nullable=True),
        sa.Column("people", sa.Integer(), nullable=True),
        sa.Column("tools", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("after", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("behind", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'[]'::jsonb"), nullable=False),
        sa.Column("back_title", sa.String(), server_default=sa.text("''"), nullable=False),
        sa.Column("back_minutes", sa.Integer(), nullable=True),
        sa.Column("caution", sa.String(), server_default=sa.text("''"), nullable=False),
        sa.Column("not_before", sa.DateTime(timezone=True), nullable=True),
        sa.Column("pinned_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("only_uid", sa.Uuid(), nullable=True),
        sa.Column("status", sa.String(), nullable=False),
        sa.Column("status_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("status_by_uid", sa.Uuid(), nullable=True),
        sa.Column("why", sa.String(), nullable=False),
        sa.CheckConstraint("(status = 'open') = (status_at IS NULL)", name=op.f("ck_work_step_status_has_time")),
        sa.CheckConstraint("(back_title = '') = (back_minutes IS NULL)", name=op.f("ck_work_step_back_whole")),
        sa.CheckConstraint("back_minutes BETWEEN 1 AND 10000", name=op.f("ck_work_step_back_minutes_possible")),
        sa.CheckConstraint("char_length(back_title) BETWEEN 0 AND 120", name=op.f("ck_work_step_back_title_length")),
        sa.CheckConstraint("char_length(caution) BETWEEN 0 AND 200", name=op.f("ck_work_step_caution_length")),
        sa.CheckConstraint("char_length(key) BETWEEN 1 AND 200", name=op.f("ck_work_step_key_length")),
        sa.CheckConstraint("char_length(title) BETWEEN 0 AND 120", name=op.f("ck_work_step_title_length")),
        sa.CheckConstraint("char_length(why) BETWEEN 0 AND 200", name=op.f("ck_work_step_why_length")),
        sa.CheckConstraint("heat IN ('any', 'cold', 'hot')", name=op.f("ck_work_step_heat_known")),
        sa.CheckConstraint("minutes BETWEEN 1 AND 10000", name=op.f("ck_work_step_minutes_possible")),
        sa.CheckConstraint("people BETWEEN 1 AND 2", name=op.f("ck_work_step_people_possible")),
        sa.CheckConstraint(f"state IN ({_STATES})", name=op.f("ck_work_step_state_known")),
        sa.CheckConstraint(
            "status IN ('open', 'started', 'paused', 'done', 'not possible')", name=op.f("ck_work_step_status_known")
        ),
        sa.ForeignKeyConstraint(["only_uid"], ["technician.uid"], name=op.f("fk_work_step_only_uid")),
        sa.ForeignKeyConstraint(["status_by_uid"], ["technician.uid"], name=op.f("fk_work_step_status_by_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_work_step_vehicle_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_work_step")),
        sa.UniqueConstraint("vehicle_uid", "key", name=op.f("uq_work_step_vehicle_uid_key")),
    )
    op.create_table(
        "work_event",
        sa.Column("number", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("vehicle_uid", sa.Uuid(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("usual_min", sa.Integer(), nullable=False),
        sa.Column("status", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by_uid", sa.Uuid(), nullable=True),
        sa.Column("why", sa.String(), nullable=False),
        sa.CheckConstraint("char_length(key) BETWEEN 1 AND 200", name=op.f("ck_work_event_key_length")),
        sa.CheckConstraint("char_length(why) BETWEEN 0 AND 200", name=op.f("ck_work_event_why_length")),
        sa.CheckConstraint(f"kind IN ({_KINDS})", name=op.f("ck_work_event_kind_known")),
        sa.CheckConstraint(
            "status IN ('open', 'started', 'paused', 'done', 'not possible')", name=op.f("ck_work_event_status_known")
        ),
        sa.CheckConstraint("usual_min BETWEEN 1 AND 10000", name=op.f("ck_work_event_usual_possible")),
        sa.ForeignKeyConstraint(["by_uid"], ["technician.uid"], name=op.f("fk_work_event_by_uid")),
        sa.ForeignKeyConstraint(["vehicle_uid"], ["vehicle.uid"], name=op.f("fk_work_event_vehicle_uid")),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_work_event")),
    )
    op.create_index(op.f("ix_work_event_key"), "work_event", ["key"])
    op.create_table(
        "work_plan",
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("found_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("steps", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.CheckConstraint("char_length(digest) = 64", name=op.f("ck_work_plan_digest_whole")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_work_plan_shop_uid")),
        sa.PrimaryKeyConstraint("digest", name=op.f("pk_work_plan")),
    )
    op.create_index(op.f("ix_work_plan_shop_uid"), "work_plan", ["shop_uid"])


def downgrade() -> None:
    op.drop_table("work_plan")
    op.drop_table("work_event")
    op.drop_table("work_step")
    op.drop_column("job", "goes_first")
    for table, column in (("technician", "hours"), ("shop", "tools"), ("shop", "hours")):
        op.drop_column(table, column)
