"""Curves: calibrations, cross-checks, controller entries; tables of points; a change on the Shelf keeps what was.

Revision ID: 0003
Revises: 0002
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_STAYS = ("calibration_point", "cross_check", "controller_entry")


def upgrade() -> None:
    op.create_table('calibration',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=True),
    sa.Column('sensor_type_uid', sa.Uuid(), nullable=False),
    sa.Column('channel', sa.String(), nullable=False),
    sa.Column('stage', sa.String(), nullable=False),
    sa.Column('manner', sa.String(), nullable=False),
    sa.Column('plan', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('serial', sa.String(), nullable=False),
    sa.Column('meter_uid', sa.Uuid(), nullable=True),
    sa.Column('gauge_uid', sa.Uuid(), nullable=True),
    sa.Column('reference_v', sa.Double(), nullable=True),
    sa.Column('reference_each', sa.Boolean(), nullable=False),
    sa.Column('pull_up_ohm', sa.Double(), nullable=True),
    sa.Column('pull_up_v', sa.Double(), nullable=False),
    sa.Column('stimulus_base', sa.String(), nullable=True),
    sa.Column('atmosphere_kpa', sa.Double(), nullable=False),
    sa.Column('atmosphere_measured', sa.Boolean(), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('started_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('signed_at', sa.DateTime(timezone=True), nullable=True),
    sa.Column('signed_by_uid', sa.Uuid(), nullable=True),
    sa.Column('remark', sa.String(), nullable=False),
    sa.Column('supersedes_uid', sa.Uuid(), nullable=True),
    sa.CheckConstraint("manner IN ('full', 'quick')", name=op.f('ck_calibration_manner_known')),
    sa.CheckConstraint("stage IN ('as found', 'as left')", name=op.f('ck_calibration_stage_known')),
    sa.CheckConstraint("stimulus_base IN ('gauge', 'absolute')", name=op.f('ck_calibration_stimulus_base_known')),
    sa.CheckConstraint('(signed_at IS NULL) = (signed_by_uid IS NULL)', name=op.f('ck_calibration_signed_by_someone')),
    sa.CheckConstraint('atmosphere_kpa BETWEEN 30 AND 120', name=op.f('ck_calibration_atmosphere_possible')),
    sa.CheckConstraint('char_length(remark) BETWEEN 0 AND 400', name=op.f('ck_calibration_remark_length')),
    sa.CheckConstraint('char_length(serial) BETWEEN 0 AND 80', name=op.f('ck_calibration_serial_length')),
    sa.CheckConstraint('pull_up_ohm > 0', name=op.f('ck_calibration_pull_up_ohm_possible')),
    sa.CheckConstraint('pull_up_v > 0 AND pull_up_v <= 32', name=op.f('ck_calibration_pull_up_v_possible')),
    sa.CheckConstraint('reference_v > 0 AND reference_v <= 32', name=op.f('ck_calibration_reference_v_possible')),
    sa.CheckConstraint('supersedes_uid <> uid', name=op.f('ck_calibration_not_itself')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_calibration_circuit_uid')),
    sa.ForeignKeyConstraint(['gauge_uid'], ['instrument.uid'], name=op.f('fk_calibration_gauge_uid')),
    sa.ForeignKeyConstraint(['meter_uid'], ['instrument.uid'], name=op.f('fk_calibration_meter_uid')),
    sa.ForeignKeyConstraint(['sensor_type_uid'], ['sensor_type.uid'], name=op.f('fk_calibration_sensor_type_uid')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_calibration_shop_uid')),
    sa.ForeignKeyConstraint(['signed_by_uid'], ['technician.uid'], name=op.f('fk_calibration_signed_by_uid')),
    sa.ForeignKeyConstraint(['supersedes_uid'], ['calibration.uid'], name=op.f('fk_calibration_supersedes_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_calibration_technician_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_calibration')),
    sa.UniqueConstraint('supersedes_uid', name=op.f('uq_calibration_supersedes_uid'))
    )
    op.create_index(op.f('ix_calibration_circuit_uid'), 'calibration', ['circuit_uid'], unique=False)
    op.create_index(op.f('ix_calibration_shop_uid'), 'calibration', ['shop_uid'], unique=False)
    op.create_table('controller_entry',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('figures', postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True),
    sa.Column('unit', sa.String(), nullable=False),
    sa.Column('base', sa.String(), nullable=True),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('entered_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint("base IN ('gauge', 'absolute')", name=op.f('ck_controller_entry_base_known')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_controller_entry_name_length')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_controller_entry_circuit_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_controller_entry_technician_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_controller_entry'))
    )
    op.create_index(op.f('ix_controller_entry_circuit_uid'), 'controller_entry', ['circuit_uid'], unique=False)
    op.create_table('cross_check',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('given', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('mark', sa.String(), nullable=False),
    sa.Column('finding', sa.String(), nullable=False),
    sa.Column('sentence', sa.String(), nullable=False),
    sa.Column('cause', sa.String(), nullable=False),
    sa.Column('difference', sa.Double(), nullable=True),
    sa.Column('expanded_u', sa.Double(), nullable=True),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint("kind IN ('two instruments on one hose', 'manifold against barometer at key on', 'manifold against barometer under boost', 'source against display', 'a signal that stops rising', 'a sensor on a regulator of its own')", name=op.f('ck_cross_check_kind_known')),
    sa.CheckConstraint("mark IN ('pass', 'fail', 'undecided', 'not measured')", name=op.f('ck_cross_check_mark_known')),
    sa.CheckConstraint('char_length(cause) BETWEEN 0 AND 600', name=op.f('ck_cross_check_cause_length')),
    sa.CheckConstraint('char_length(sentence) BETWEEN 0 AND 600', name=op.f('ck_cross_check_sentence_length')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_cross_check_circuit_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_cross_check_technician_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_cross_check'))
    )
    op.create_index(op.f('ix_cross_check_circuit_uid'), 'cross_check', ['circuit_uid'], unique=False)
    op.create_table('calibration_point',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('calibration_uid', sa.Uuid(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('run', sa.String(), nullable=False),
    sa.Column('stimulus', sa.Double(), nullable=False),
    sa.Column('reading', sa.Double(), nullable=False),
    sa.Column('reference_v', sa.Double(), nullable=True),
    sa.Column('stimulus_step', sa.Double(), nullable=False),
    sa.Column('typed_stimulus', sa.String(), nullable=False),
    sa.Column('typed_reading', sa.String(), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('supersedes_uid', sa.Uuid(), nullable=True),
    sa.Column('reason', sa.String(), nullable=True),
    sa.Column('left_out', sa.String(), nullable=False),
    sa.CheckConstraint("reading > '-Infinity' AND reading < 'Infinity'", name=op.f('ck_calibration_point_reading_finite')),
    sa.CheckConstraint("reason IN ('mistyped', 'measured again', 'left out of the line', 'taken into the line again')", name=op.f('ck_calibration_point_reason_known')),
    sa.CheckConstraint("run IN ('up', 'down')", name=op.f('ck_calibration_point_run_known')),
    sa.CheckConstraint("stimulus > '-Infinity' AND stimulus < 'Infinity'", name=op.f('ck_calibration_point_stimulus_finite')),
    sa.CheckConstraint('(supersedes_uid IS NULL) = (reason IS NULL)', name=op.f('ck_calibration_point_supersedes_says_why')),
    sa.CheckConstraint('char_length(left_out) BETWEEN 0 AND 200', name=op.f('ck_calibration_point_left_out_length')),
    sa.CheckConstraint('char_length(typed_reading) BETWEEN 0 AND 80', name=op.f('ck_calibration_point_typed_reading_length')),
    sa.CheckConstraint('char_length(typed_stimulus) BETWEEN 0 AND 80', name=op.f('ck_calibration_point_typed_stimulus_length')),
    sa.CheckConstraint('place BETWEEN 0 AND 999', name=op.f('ck_calibration_point_place_few')),
    sa.CheckConstraint('reference_v > 0 AND reference_v <= 32', name=op.f('ck_calibration_point_reference_v_possible')),
    sa.CheckConstraint('stimulus_step >= 0', name=op.f('ck_calibration_point_stimulus_step_possible')),
    sa.CheckConstraint('supersedes_uid <> uid', name=op.f('ck_calibration_point_not_itself')),
    sa.ForeignKeyConstraint(['calibration_uid'], ['calibration.uid'], name=op.f('fk_calibration_point_calibration_uid')),
    sa.ForeignKeyConstraint(['supersedes_uid', 'calibration_uid', 'place'], ['calibration_point.uid', 'calibration_point.calibration_uid', 'calibration_point.place'], name='fk_calibration_point_supersedes_same_place'),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_calibration_point')),
    sa.UniqueConstraint('supersedes_uid', name=op.f('uq_calibration_point_supersedes_uid')),
    sa.UniqueConstraint('uid', 'calibration_uid', 'place', name=op.f('uq_calibration_point_uid_calibration_uid_place'))
    )
    op.create_index(op.f('ix_calibration_point_calibration_uid'), 'calibration_point', ['calibration_uid'], unique=False)
    op.create_index('uq_calibration_point_first_of_place', 'calibration_point', ['calibration_uid', 'place'], unique=True, postgresql_where=sa.text('supersedes_uid IS NULL'))
    op.add_column('instrument', sa.Column('replaced_by_uid', sa.Uuid(), nullable=True))
    op.drop_constraint(op.f('uq_instrument_shop_uid_name'), 'instrument', type_='unique')
    op.create_index('uq_instrument_shop_uid_name', 'instrument', ['shop_uid', 'name'], unique=True, postgresql_where=sa.text('replaced_by_uid IS NULL'))
    op.create_foreign_key(op.f('fk_instrument_replaced_by_uid'), 'instrument', 'instrument', ['replaced_by_uid'], ['uid'], initially='DEFERRED', deferrable=True)
    op.add_column('sensor_type', sa.Column('curve_points', postgresql.JSONB(none_as_null=True, astext_type=sa.Text()), nullable=True))
    op.add_column('sensor_type', sa.Column('fault_low_v', sa.Double(), nullable=True))
    op.add_column('sensor_type', sa.Column('fault_high_v', sa.Double(), nullable=True))
    op.add_column('sensor_type', sa.Column('replaced_by_uid', sa.Uuid(), nullable=True))
    op.drop_constraint(op.f('uq_sensor_type_shop_uid_name'), 'sensor_type', type_='unique')
    op.create_index('uq_sensor_type_shop_uid_name', 'sensor_type', ['shop_uid', 'name'], unique=True, postgresql_where=sa.text('replaced_by_uid IS NULL'))
    op.create_foreign_key(op.f('fk_sensor_type_replaced_by_uid'), 'sensor_type', 'sensor_type', ['replaced_by_uid'], ['uid'], initially='DEFERRED', deferrable=True)
    for table in ("instrument", "sensor_type"):
        op.create_check_constraint(op.f(f"ck_{table}_not_by_itself"), table, "replaced_by_uid <> uid")
    op.create_check_constraint(op.f("ck_sensor_type_fault_volts_apart"), "sensor_type", "fault_low_v < fault_high_v")
    op.execute(
        """
        CREATE FUNCTION record_stays() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            RAISE EXCEPTION 'a record is never changed or deleted; add one that supersedes it';
        END $$
        """
    )
    for table in _STAYS:
        op.execute(
            f"CREATE TRIGGER record_stays BEFORE UPDATE OR DELETE ON {table} FOR EACH ROW EXECUTE FUNCTION record_stays()"
        )
    op.execute(
        """
        CREATE FUNCTION signed_calibration_stays() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            IF TG_OP = 'DELETE' OR OLD.signed_at IS NOT NULL THEN
                RAISE EXCEPTION 'a signed calibration is never changed, and none is deleted; supersede it';
            END IF;
            RETURN NEW;
        END $$
        """
    )
    op.execute(
        "CREATE TRIGGER signed_calibration_stays BEFORE UPDATE OR DELETE ON calibration "
        "FOR EACH ROW EXECUTE FUNCTION signed_calibration_stays()"
    )
    # The lock makes a point and a signature that arrive together take turns.
    op.execute(
        """
        CREATE FUNCTION calibration_is_open() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            PERFORM 1 FROM calibration WHERE uid = NEW.calibration_uid AND signed_at IS NULL FOR SHARE;
            IF NOT FOUND THEN
                RAISE EXCEPTION 'this calibration is signed; nothing is added to it';
            END IF;
            RETURN NEW;
        END $$
        """
    )
    op.execute(
        "CREATE TRIGGER calibration_is_open BEFORE INSERT ON calibration_point "
        "FOR EACH ROW EXECUTE FUNCTION calibration_is_open()"
    )


def downgrade() -> None:
    """Only for a Shelf on which nothing was replaced; PostgreSQL refuses two things of one name otherwise."""
    op.drop_constraint(op.f("ck_sensor_type_fault_volts_apart"), "sensor_type")
    for table in ("instrument", "sensor_type"):
        op.drop_constraint(op.f(f"ck_{table}_not_by_itself"), table)
    op.drop_constraint(op.f('fk_sensor_type_replaced_by_uid'), 'sensor_type', type_='foreignkey')
    op.drop_index('uq_sensor_type_shop_uid_name', table_name='sensor_type', postgresql_where=sa.text('replaced_by_uid IS NULL'))
    op.create_unique_constraint(op.f('uq_sensor_type_shop_uid_name'), 'sensor_type', ['shop_uid', 'name'])
    op.drop_column('sensor_type', 'replaced_by_uid')
    op.drop_column('sensor_type', 'fault_high_v')
    op.drop_column('sensor_type', 'fault_low_v')
    op.drop_column('sensor_type', 'curve_points')
    op.drop_constraint(op.f('fk_instrument_replaced_by_uid'), 'instrument', type_='foreignkey')
    op.drop_index('uq_instrument_shop_uid_name', table_name='instrument', postgresql_where=sa.text('replaced_by_uid IS NULL'))
    op.create_unique_constraint(op.f('uq_instrument_shop_uid_name'), 'instrument', ['shop_uid', 'name'])
    op.drop_column('instrument', 'replaced_by_uid')
    op.drop_index('uq_calibration_point_first_of_place', table_name='calibration_point', postgresql_where=sa.text('supersedes_uid IS NULL'))
    op.drop_index(op.f('ix_calibration_point_calibration_uid'), table_name='calibration_point')
    op.drop_table('calibration_point')
    op.drop_index(op.f('ix_cross_check_circuit_uid'), table_name='cross_check')
    op.drop_table('cross_check')
    op.drop_index(op.f('ix_controller_entry_circuit_uid'), table_name='controller_entry')
    op.drop_table('controller_entry')
    op.drop_index(op.f('ix_calibration_shop_uid'), table_name='calibration')
    op.drop_index(op.f('ix_calibration_circuit_uid'), table_name='calibration')
    op.drop_table('calibration')
    for function in ("record_stays", "signed_calibration_stays", "calibration_is_open"):
        op.execute(f"DROP FUNCTION {function}()")
