"""Pulses: checks kept with a circuit, and captured waveforms.

Revision ID: 0004
Revises: 0003
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_BYTES = ("signal", "overview", "times", "overview_times")


def upgrade() -> None:
    op.create_table('pulse_check',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('mark', sa.String(), nullable=False),
    sa.Column('finding', sa.String(), nullable=False),
    sa.Column('sentence', sa.String(), nullable=False),
    sa.Column('given', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint("kind IN ('what it should read', 'principle and pull-up', 'captured waveform', 'air gap', 'road speed', 'fuel sensor', 'bus channel')", name=op.f('ck_pulse_check_kind_known')),
    sa.CheckConstraint("mark IN ('pass', 'fail', 'undecided', 'not measured')", name=op.f('ck_pulse_check_mark_known')),
    sa.CheckConstraint('char_length(finding) BETWEEN 1 AND 200', name=op.f('ck_pulse_check_finding_length')),
    sa.CheckConstraint('char_length(sentence) BETWEEN 0 AND 2000', name=op.f('ck_pulse_check_sentence_length')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_pulse_check_circuit_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_pulse_check_technician_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_pulse_check'))
    )
    op.create_index(op.f('ix_pulse_check_circuit_uid'), 'pulse_check', ['circuit_uid'], unique=False)
    op.create_table('capture',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=True),
    sa.Column('kept_uid', sa.Uuid(), nullable=True),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('note', sa.String(), nullable=False),
    sa.Column('samples', sa.Integer(), nullable=False),
    sa.Column('seconds', sa.Double(), nullable=False),
    sa.Column('step_s', sa.Double(), nullable=True),
    sa.Column('teeth', sa.Integer(), nullable=True),
    sa.Column('gap_teeth', sa.Integer(), nullable=False),
    sa.Column('pull_up_v', sa.Double(), nullable=True),
    sa.Column('examination', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('signal', sa.LargeBinary(), nullable=False),
    sa.Column('overview', sa.LargeBinary(), nullable=False),
    sa.Column('times', sa.LargeBinary(), nullable=False),
    sa.Column('overview_times', sa.LargeBinary(), nullable=False),
    sa.CheckConstraint('(step_s IS NULL) = (octet_length(times) = 8 * samples)', name=op.f('ck_capture_times_where_uneven')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 120', name=op.f('ck_capture_name_length')),
    sa.CheckConstraint('char_length(note) BETWEEN 0 AND 400', name=op.f('ck_capture_note_length')),
    sa.CheckConstraint('gap_teeth BETWEEN 0 AND 20', name=op.f('ck_capture_gap_teeth_possible')),
    sa.CheckConstraint('kept_uid IS NULL OR circuit_uid IS NOT NULL', name=op.f('ck_capture_kept_with_circuit')),
    sa.CheckConstraint('octet_length(signal) = 4 * samples', name=op.f('ck_capture_signal_whole')),
    sa.CheckConstraint('pull_up_v > 0 AND pull_up_v <= 32', name=op.f('ck_capture_pull_up_v_possible')),
    sa.CheckConstraint('samples BETWEEN 8 AND 5000000', name=op.f('ck_capture_samples_possible')),
    sa.CheckConstraint('seconds > 0 AND step_s > 0', name=op.f('ck_capture_times_possible')),
    sa.CheckConstraint('teeth BETWEEN 2 AND 1000', name=op.f('ck_capture_teeth_possible')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_capture_circuit_uid')),
    sa.ForeignKeyConstraint(['kept_uid'], ['pulse_check.uid'], name=op.f('fk_capture_kept_uid')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_capture_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_capture'))
    )
    op.create_index(op.f('ix_capture_circuit_uid'), 'capture', ['circuit_uid'], unique=False)
    op.create_index(op.f('ix_capture_kept_uid'), 'capture', ['kept_uid'], unique=False)
    op.create_index(op.f('ix_capture_shop_uid'), 'capture', ['shop_uid'], unique=False)
    for column in _BYTES:  # a stretch of an uncompressed column is read without the rest of it
        op.execute(f"ALTER TABLE capture ALTER COLUMN {column} SET STORAGE EXTERNAL")
    op.execute(
        "CREATE TRIGGER record_stays BEFORE UPDATE OR DELETE ON pulse_check FOR EACH ROW EXECUTE FUNCTION record_stays()"
    )
    op.execute(
        """
        CREATE FUNCTION capture_stays() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            IF TG_OP = 'DELETE' THEN
                IF OLD.kept_uid IS NOT NULL THEN
                    RAISE EXCEPTION 'a capture that is kept with a circuit is not deleted';
                END IF;
                RETURN OLD;
            END IF;
            IF NEW.signal IS DISTINCT FROM OLD.signal OR NEW.times IS DISTINCT FROM OLD.times
               OR (OLD.kept_uid IS NOT NULL AND NEW.circuit_uid IS DISTINCT FROM OLD.circuit_uid) THEN
                RAISE EXCEPTION 'what was captured is never changed';
            END IF;
            RETURN NEW;
        END $$
        """
    )
    op.execute(
        "CREATE TRIGGER capture_stays BEFORE DELETE OR UPDATE OF signal, times, circuit_uid ON capture "
        "FOR EACH ROW EXECUTE FUNCTION capture_stays()"
    )


def downgrade() -> None:
    op.drop_table("capture")
    op.drop_table("pulse_check")
    op.execute("DROP FUNCTION capture_stays()")
