"""People: roles, how they come in, devices, programs, links to a sheet; and the record of every change.

Revision ID: 0016
Revises: 0015
"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

# The record is written when a transaction ends, so that writers take turns only for the moment that a commit takes. What names
# somebody who measured is refused where that is another, unless who acts may do so.
_WRITE = """
CREATE FUNCTION {function}() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE
    was jsonb;
    became jsonb;
    whole jsonb;
    who text := coalesce(nullif(current_setting('iron.who', true), ''), '{{}}');
    who_uid text := who::jsonb ->> 'uid';
    its_job text;
    last_number bigint;
    last_seal bytea;
    line_number bigint;
    line_at text := to_char(clock_timestamp() AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"');
    line_key text;
BEGIN
    IF TG_OP <> 'INSERT' THEN was := {old}; END IF;
    IF TG_OP <> 'DELETE' THEN became := {new}; END IF;
    IF was = became THEN RETURN NULL; END IF;
    whole := coalesce(became, was);
    IF TG_ARGV[1] = 'own' AND TG_OP = 'INSERT' AND (who::jsonb ? 'own_name_only')
        AND whole ->> 'technician_uid' IS NOT NULL AND whole ->> 'technician_uid' <> who_uid THEN
        RAISE EXCEPTION 'entered in the name of somebody else' USING ERRCODE = 'IG001';
    END IF;
    line_key := coalesce(whole ->> 'uid', whole ->> 'circuit_uid', whole ->> 'technician_uid', whole ->> 'vehicle_uid', '');
    its_job := CASE TG_TABLE_NAME
        WHEN 'job' THEN whole ->> 'uid'
        WHEN 'circuit' THEN whole ->> 'job_uid'
        ELSE coalesce(
            whole ->> 'job_uid',
            (SELECT job_uid::text FROM circuit WHERE uid = (whole ->> 'circuit_uid')::uuid),
            (SELECT c.job_uid::text FROM calibration k JOIN circuit c ON c.uid = k.circuit_uid
             WHERE k.uid = (whole ->> 'calibration_uid')::uuid)
        ) END;
    PERFORM pg_advisory_xact_lock(8470016);
    SELECT number, seal INTO last_number, last_seal FROM record_line ORDER BY number DESC LIMIT 1;
    line_number := coalesce(last_number, 0) + 1;
    INSERT INTO record_line (number, at, who, what, deed, key, job, was, became, seal) VALUES (
        line_number, line_at, who, TG_TABLE_NAME, TG_OP, line_key, coalesce(its_job, ''),
        coalesce(was::text, ''), coalesce(became::text, ''),
        sha256(coalesce(last_seal, decode(repeat('00', 32), 'hex')) || convert_to(concat_ws(E'\\x1f',
            line_number, line_at, who, TG_TABLE_NAME, TG_OP, line_key, coalesce(its_job, ''),
            coalesce(was::text, ''), coalesce(became::text, '')), 'UTF8'))
    );
    RETURN NULL;
END $$
"""

# Every table that is recorded: the columns that are left out (secrets, and what the server itself notes all the time), and
# whether a row names who measured.
RECORDED = {
    "account": ("password_hash,pin_hash,invited_hash", False),
    "calibration": ("", True),
    "calibration_point": ("", False),
    "channel_meaning": ("", False),
    "circuit": ("", False),
    "code_reading": ("", True),
    "conditioner_trial": ("", True),
    "connector_map": ("", True),
    "controller_entry": ("", True),
    "cross_check": ("", True),
    "device": ("token_hash,seen_at", False),
    "feed": ("", False),
    "feed_load": ("", False),
    "fitted_module": ("", False),
    "harness_node": ("", False),
    "health_rule": ("", False),
    "input_function": ("", False),
    "instrument": ("", False),
    "job": ("", False),
    "kit_line": ("", False),
    "live_recording": ("", True),
    "log": ("state,doing,share,findings,given,digest", True),
    "module_type": ("", False),
    "pin": ("", False),
    "program": ("token_hash,used_at", False),
    "pulse_check": ("given", True),
    "reading": ("slot", True),
    "sensor_type": ("", False),
    "sheet_link": ("token_hash", False),
    "shop": ("", False),
    "sign_in": ("token_hash,seen_at", False),
    "stimulus": ("", False),
    "technician": ("", False),
    "value_place": ("", False),
    "vehicle": ("", False),
    "vehicle_change": ("", True),
    "vehicle_note": ("", True),
    "wire": ("", False),
    "work_event": ("", False),
    "work_step": ("", False),
}

# Those with large contents: only these columns of them are looked at.
RECORDED_PARTS = {
    "bus_port": ("uid", "name", "interface", "channel", "bitrate", "vehicle_uid", "frames_name", "is_simulated"),
    "capture": ("uid", "circuit_uid", "kept_uid", "name", "note", "samples", "seconds", "taken_at"),
    "picture": ("uid", "vehicle_uid", "title", "media_type", "width", "height", "added_at"),
}


def _parts(row: str, columns: tuple[str, ...]) -> str:
    return "jsonb_build_object(" + ", ".join(f"'{column}', {row}.{column}" for column in columns) + ")"


def _write_triggers() -> None:
    skip = "to_jsonb({row}) - string_to_array(TG_ARGV[0], ',')"
    op.execute(_WRITE.format(function="write_record", old=skip.format(row="OLD"), new=skip.format(row="NEW")))
    functions = {table: "write_record" for table in RECORDED}
    for table, columns in RECORDED_PARTS.items():
        functions[table] = f"write_record_of_{table}"
        op.execute(_WRITE.format(function=functions[table], old=_parts("OLD", columns), new=_parts("NEW", columns)))
    for table, function in functions.items():
        left_out, names_who = RECORDED.get(table, ("", False))
        op.execute(
            f"CREATE CONSTRAINT TRIGGER record_{table} AFTER INSERT OR UPDATE OR DELETE ON {table} DEFERRABLE INITIALLY "
            f"DEFERRED FOR EACH ROW EXECUTE FUNCTION {function}('{left_out}', '{'own' if names_who else ''}')"
        )
    op.execute(
        "CREATE FUNCTION record_line_stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
        "RAISE EXCEPTION 'the record is append-only'; END $$"
    )
    op.execute(
        "CREATE TRIGGER record_line_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON record_line "
        "FOR EACH STATEMENT EXECUTE FUNCTION record_line_stays()"
    )


def upgrade() -> None:
    op.create_table(
        "guess",
        sa.Column("number", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("place", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("char_length(name) BETWEEN 0 AND 80", name=op.f("ck_guess_name_length")),
        sa.CheckConstraint("char_length(place) BETWEEN 1 AND 80", name=op.f("ck_guess_place_length")),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_guess")),
    )
    op.create_index("ix_guess_place_name", "guess", ["place", "name"], unique=False)
    op.create_table(
        "record_line",
        sa.Column("number", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("at", sa.String(), nullable=False),
        sa.Column("who", sa.String(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("deed", sa.String(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("job", sa.String(), nullable=False),
        sa.Column("was", sa.String(), nullable=False),
        sa.Column("became", sa.String(), nullable=False),
        sa.Column("seal", sa.LargeBinary(), nullable=False),
        sa.Column("who_uid", sa.Uuid(), sa.Computed("(who::jsonb ->> 'uid')::uuid", persisted=True), nullable=True),
        sa.CheckConstraint("octet_length(seal) = 32", name=op.f("ck_record_line_seal_whole")),
        sa.PrimaryKeyConstraint("number", name=op.f("pk_record_line")),
    )
    op.create_index("ix_record_line_job", "record_line", ["job"], unique=False, postgresql_where=sa.text("job <> ''"))
    op.create_index("ix_record_line_key", "record_line", ["key"], unique=False)
    op.create_index("ix_record_line_who_uid", "record_line", ["who_uid"], unique=False)
    op.create_table(
        "device",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("shop_uid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("trusted_until", sa.DateTime(timezone=True), nullable=True),
        sa.Column("address", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("char_length(address) BETWEEN 0 AND 60", name=op.f("ck_device_address_length")),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 80", name=op.f("ck_device_name_length")),
        sa.ForeignKeyConstraint(["shop_uid"], ["shop.uid"], name=op.f("fk_device_shop_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_device")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_device_token_hash")),
    )
    op.create_table(
        "account",
        sa.Column("technician_uid", sa.Uuid(), nullable=False),
        sa.Column("password_hash", sa.String(), nullable=True),
        sa.Column("pin_hash", sa.String(), nullable=True),
        sa.Column("invited_hash", sa.String(), nullable=True),
        sa.Column("invited_until", sa.DateTime(timezone=True), nullable=True),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("(invited_hash IS NULL) = (invited_until IS NULL)", name=op.f("ck_account_invited_whole")),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_account_technician_uid")),
        sa.PrimaryKeyConstraint("technician_uid", name=op.f("pk_account")),
    )
    op.create_table(
        "program",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("scope", sa.String(), nullable=False),
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ends_on", sa.Date(), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("scope IN ('look', 'measure', 'arrange')", name=op.f("ck_program_scope_known")),
        sa.CheckConstraint("char_length(name) BETWEEN 1 AND 80", name=op.f("ck_program_name_length")),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_program_technician_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_program")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_program_token_hash")),
    )
    op.create_table(
        "sign_in",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("technician_uid", sa.Uuid(), nullable=False),
        sa.Column("device_uid", sa.Uuid(), nullable=False),
        sa.Column("way", sa.String(), nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("ended_why", sa.String(), server_default=sa.text("''"), nullable=False),
        sa.CheckConstraint("ended_at IS NOT NULL OR ended_why = ''", name=op.f("ck_sign_in_ended_whole")),
        sa.CheckConstraint("way IN ('password', 'number', 'code', 'demo')", name=op.f("ck_sign_in_way_known")),
        sa.CheckConstraint("char_length(ended_why) BETWEEN 0 AND 60", name=op.f("ck_sign_in_ended_why_length")),
        sa.ForeignKeyConstraint(["device_uid"], ["device.uid"], name=op.f("fk_sign_in_device_uid")),
        sa.ForeignKeyConstraint(["technician_uid"], ["technician.uid"], name=op.f("fk_sign_in_technician_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_sign_in")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sign_in_token_hash")),
    )
    op.create_index(
        "ix_sign_in_technician_uid",
        "sign_in",
        ["technician_uid"],
        unique=False,
        postgresql_where=sa.text("ended_at IS NULL"),
    )
    op.create_table(
        "sheet_link",
        sa.Column("uid", sa.Uuid(), nullable=False),
        sa.Column("job_uid", sa.Uuid(), nullable=False),
        sa.Column("for_whom", sa.String(), nullable=False),
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("made_by_uid", sa.Uuid(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ends_on", sa.Date(), nullable=False),
        sa.Column("revoked_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("char_length(for_whom) BETWEEN 1 AND 80", name=op.f("ck_sheet_link_for_whom_length")),
        sa.ForeignKeyConstraint(["job_uid"], ["job.uid"], name=op.f("fk_sheet_link_job_uid")),
        sa.ForeignKeyConstraint(["made_by_uid"], ["technician.uid"], name=op.f("fk_sheet_link_made_by_uid")),
        sa.PrimaryKeyConstraint("uid", name=op.f("pk_sheet_link")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sheet_link_token_hash")),
    )
    op.add_column("job", sa.Column("reviewed_alone", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.add_column("shop", sa.Column("foreman_alone", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.add_column("technician", sa.Column("role", sa.String(), server_default=sa.text("'technician'"), nullable=False))
    op.add_column("technician", sa.Column("has_left", sa.Boolean(), server_default=sa.text("false"), nullable=False))
    op.create_check_constraint(
        op.f("ck_technician_role_known"), "technician", "role IN ('apprentice', 'technician', 'foreman')"
    )
    op.create_check_constraint(op.f("ck_job_alone_reviewed"), "job", "NOT reviewed_alone OR handed_over_at IS NOT NULL")
    _write_triggers()


def downgrade() -> None:
    for table in (*RECORDED, *RECORDED_PARTS):
        op.execute(f"DROP TRIGGER record_{table} ON {table}")
    for function in ("write_record", *(f"write_record_of_{table}" for table in RECORDED_PARTS)):
        op.execute(f"DROP FUNCTION {function}()")
    op.drop_constraint(op.f("ck_job_alone_reviewed"), "job")
    op.drop_constraint(op.f("ck_technician_role_known"), "technician")

    op.drop_column("technician", "has_left")
    op.drop_column("technician", "role")
    op.drop_column("shop", "foreman_alone")
    op.drop_column("job", "reviewed_alone")
    op.drop_table("sheet_link")
    op.drop_index("ix_sign_in_technician_uid", table_name="sign_in", postgresql_where=sa.text("ended_at IS NULL"))
    op.drop_table("sign_in")
    op.drop_table("program")
    op.drop_table("account")
    op.drop_table("device")
    op.drop_index("ix_record_line_who_uid", table_name="record_line")
    op.drop_index("ix_record_line_key", table_name="record_line")
    op.drop_index("ix_record_line_job", table_name="record_line", postgresql_where=sa.text("job <> ''"))
    op.drop_table("record_line")
    op.drop_index("ix_guess_place_name", table_name="guess")
    op.drop_table("guess")
    op.execute("DROP FUNCTION record_line_stays()")
