"""First tables

Revision ID: 0001
Revises: 
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0001'
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('shop',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('height_m', sa.Double(), nullable=False),
    sa.Column('timezone', sa.String(), nullable=False),
    sa.Column('units', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('limits', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('made_at', sa.DateTime(timezone=True), server_default=sa.text('now()'), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_shop_name_length')),
    sa.CheckConstraint('height_m BETWEEN -500 AND 9000', name=op.f('ck_shop_height_m_possible')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_shop'))
    )
    op.create_table('instrument',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('serial', sa.String(), nullable=False),
    sa.Column('reading_pct', sa.Double(), nullable=True),
    sa.Column('digits', sa.Double(), nullable=True),
    sa.Column('counts', sa.Integer(), nullable=True),
    sa.Column('quantity', sa.String(), nullable=True),
    sa.Column('full_scale', sa.Double(), nullable=True),
    sa.Column('full_scale_pct', sa.Double(), nullable=True),
    sa.Column('due', sa.Date(), nullable=True),
    sa.CheckConstraint("(kind = 'gauge') = (full_scale IS NOT NULL AND full_scale_pct IS NOT NULL AND quantity IS NOT NULL)", name=op.f('ck_instrument_gauge_spec')),
    sa.CheckConstraint("(kind = 'meter') = (reading_pct IS NOT NULL AND digits IS NOT NULL AND counts IS NOT NULL)", name=op.f('ck_instrument_meter_spec')),
    sa.CheckConstraint("kind IN ('meter', 'lamp', 'gauge')", name=op.f('ck_instrument_kind_known')),
    sa.CheckConstraint("quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share')", name=op.f('ck_instrument_quantity_known')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_instrument_name_length')),
    sa.CheckConstraint('char_length(serial) BETWEEN 0 AND 80', name=op.f('ck_instrument_serial_length')),
    sa.CheckConstraint('full_scale > 0 AND full_scale_pct >= 0', name=op.f('ck_instrument_gauge_possible')),
    sa.CheckConstraint('reading_pct >= 0 AND digits >= 0 AND counts >= 1000', name=op.f('ck_instrument_meter_possible')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_instrument_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_instrument')),
    sa.UniqueConstraint('shop_uid', 'name', name=op.f('uq_instrument_shop_uid_name'))
    )
    op.create_table('sensor_type',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('maker', sa.String(), nullable=False),
    sa.Column('family', sa.String(), nullable=False),
    sa.Column('supply_v', sa.Double(), nullable=False),
    sa.Column('curve_kind', sa.String(), nullable=False),
    sa.Column('quantity', sa.String(), nullable=False),
    sa.Column('pressure_base', sa.String(), nullable=True),
    sa.Column('signal_low', sa.Double(), nullable=False),
    sa.Column('signal_high', sa.Double(), nullable=False),
    sa.Column('value_low', sa.Double(), nullable=False),
    sa.Column('value_high', sa.Double(), nullable=False),
    sa.Column('tolerance_pct_span', sa.Double(), nullable=False),
    sa.Column('source', sa.String(), nullable=False),
    sa.CheckConstraint("(quantity = 'pressure') = (pressure_base IS NOT NULL)", name=op.f('ck_sensor_type_pressure_has_base')),
    sa.CheckConstraint("curve_kind IN ('ratio', 'volts')", name=op.f('ck_sensor_type_curve_kind_known')),
    sa.CheckConstraint("family IN ('ratiometric-3w', 'potentiometer-3w')", name=op.f('ck_sensor_type_family_known')),
    sa.CheckConstraint("pressure_base IN ('gauge', 'absolute')", name=op.f('ck_sensor_type_pressure_base_known')),
    sa.CheckConstraint("quantity IN ('voltage', 'resistance', 'pressure', 'temperature', 'length', 'angle', 'share')", name=op.f('ck_sensor_type_quantity_known')),
    sa.CheckConstraint("signal_high > '-Infinity' AND signal_high < 'Infinity'", name=op.f('ck_sensor_type_signal_high_finite')),
    sa.CheckConstraint("signal_low > '-Infinity' AND signal_low < 'Infinity'", name=op.f('ck_sensor_type_signal_low_finite')),
    sa.CheckConstraint("value_high > '-Infinity' AND value_high < 'Infinity'", name=op.f('ck_sensor_type_value_high_finite')),
    sa.CheckConstraint("value_low > '-Infinity' AND value_low < 'Infinity'", name=op.f('ck_sensor_type_value_low_finite')),
    sa.CheckConstraint('char_length(maker) BETWEEN 0 AND 80', name=op.f('ck_sensor_type_maker_length')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_sensor_type_name_length')),
    sa.CheckConstraint('char_length(source) BETWEEN 0 AND 200', name=op.f('ck_sensor_type_source_length')),
    sa.CheckConstraint('signal_low <> signal_high AND value_low < value_high', name=op.f('ck_sensor_type_curve_not_flat')),
    sa.CheckConstraint('supply_v > 0 AND supply_v <= 32', name=op.f('ck_sensor_type_supply_v_possible')),
    sa.CheckConstraint('tolerance_pct_span > 0 AND tolerance_pct_span <= 50', name=op.f('ck_sensor_type_tolerance_possible')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_sensor_type_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_sensor_type')),
    sa.UniqueConstraint('shop_uid', 'name', name=op.f('uq_sensor_type_shop_uid_name'))
    )
    op.create_table('technician',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_technician_name_length')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_technician_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_technician')),
    sa.UniqueConstraint('shop_uid', 'name', name=op.f('uq_technician_shop_uid_name'))
    )
    op.create_table('vehicle',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('tag', sa.String(), nullable=False),
    sa.Column('description', sa.String(), nullable=False),
    sa.Column('system_v', sa.Double(), nullable=False),
    sa.Column('height_m', sa.Double(), nullable=False),
    sa.CheckConstraint('char_length(description) BETWEEN 0 AND 120', name=op.f('ck_vehicle_description_length')),
    sa.CheckConstraint('char_length(tag) BETWEEN 1 AND 20', name=op.f('ck_vehicle_tag_length')),
    sa.CheckConstraint('height_m BETWEEN -500 AND 9000', name=op.f('ck_vehicle_height_m_possible')),
    sa.CheckConstraint('system_v IN (12, 24)', name=op.f('ck_vehicle_system_v_known')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_vehicle_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_vehicle')),
    sa.UniqueConstraint('shop_uid', 'tag', name=op.f('uq_vehicle_shop_uid_tag'))
    )
    op.create_table('job',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('number', sa.Integer(), sa.Identity(always=False, start=1001), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('title', sa.String(), nullable=False),
    sa.Column('received_on', sa.Date(), nullable=False),
    sa.Column('promised_on', sa.Date(), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('handed_over_at', sa.DateTime(timezone=True), nullable=True),
    sa.Column('reviewed_by_uid', sa.Uuid(), nullable=True),
    sa.CheckConstraint('(handed_over_at IS NULL) = (reviewed_by_uid IS NULL)', name=op.f('ck_job_hand_over_reviewed')),
    sa.CheckConstraint('char_length(title) BETWEEN 1 AND 120', name=op.f('ck_job_title_length')),
    sa.CheckConstraint('promised_on >= received_on', name=op.f('ck_job_promised_after_received')),
    sa.ForeignKeyConstraint(['reviewed_by_uid'], ['technician.uid'], name=op.f('fk_job_reviewed_by_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_job_technician_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_job_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_job')),
    sa.UniqueConstraint('number', name=op.f('uq_job_number'))
    )
    op.create_index(op.f('ix_job_vehicle_uid'), 'job', ['vehicle_uid'], unique=False)
    op.create_table('circuit',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('job_uid', sa.Uuid(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('family', sa.String(), nullable=False),
    sa.Column('reference_v', sa.Double(), nullable=False),
    sa.Column('pull_up_ohm', sa.Double(), nullable=True),
    sa.Column('pull_up_to_v', sa.Double(), nullable=True),
    sa.Column('sensor_type_uid', sa.Uuid(), nullable=False),
    sa.Column('live_channel', sa.String(), nullable=False),
    sa.Column('live_full_scale_v', sa.Double(), nullable=False),
    sa.Column('sharers', sa.String(), nullable=False),
    sa.CheckConstraint("family IN ('ratiometric-3w', 'potentiometer-3w')", name=op.f('ck_circuit_family_known')),
    sa.CheckConstraint('(pull_up_ohm IS NULL) = (pull_up_to_v IS NULL)', name=op.f('ck_circuit_pull_up_whole')),
    sa.CheckConstraint('char_length(live_channel) BETWEEN 0 AND 40', name=op.f('ck_circuit_live_channel_length')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_circuit_name_length')),
    sa.CheckConstraint('char_length(sharers) BETWEEN 0 AND 200', name=op.f('ck_circuit_sharers_length')),
    sa.CheckConstraint('live_full_scale_v > 0 AND live_full_scale_v <= 32', name=op.f('ck_circuit_full_scale_possible')),
    sa.CheckConstraint('pull_up_ohm > 0 AND pull_up_to_v > 0', name=op.f('ck_circuit_pull_up_possible')),
    sa.CheckConstraint('reference_v > 0 AND reference_v <= 32', name=op.f('ck_circuit_reference_v_possible')),
    sa.ForeignKeyConstraint(['job_uid'], ['job.uid'], name=op.f('fk_circuit_job_uid')),
    sa.ForeignKeyConstraint(['sensor_type_uid'], ['sensor_type.uid'], name=op.f('fk_circuit_sensor_type_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_circuit')),
    sa.UniqueConstraint('job_uid', 'name', name=op.f('uq_circuit_job_uid_name')),
    sa.UniqueConstraint('job_uid', 'place', name=op.f('uq_circuit_job_uid_place'))
    )
    op.create_table('pin',
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('cavity', sa.String(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('wire_colour', sa.String(), nullable=False),
    sa.Column('role', sa.String(), nullable=True),
    sa.CheckConstraint("role IN ('reference', 'return', 'signal')", name=op.f('ck_pin_role_known')),
    sa.CheckConstraint('char_length(cavity) BETWEEN 1 AND 4', name=op.f('ck_pin_cavity_length')),
    sa.CheckConstraint('char_length(wire_colour) BETWEEN 0 AND 24', name=op.f('ck_pin_wire_colour_length')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_pin_circuit_uid')),
    sa.PrimaryKeyConstraint('circuit_uid', 'cavity', name=op.f('pk_pin')),
    sa.UniqueConstraint('circuit_uid', 'place', name=op.f('uq_pin_circuit_uid_place')),
    sa.UniqueConstraint('circuit_uid', 'role', name=op.f('uq_pin_circuit_uid_role'))
    )
    op.create_table('stimulus',
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('point', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('label', sa.String(), nullable=False),
    sa.Column('value', sa.Double(), nullable=False),
    sa.CheckConstraint("value > '-Infinity' AND value < 'Infinity'", name=op.f('ck_stimulus_value_finite')),
    sa.CheckConstraint('char_length(label) BETWEEN 1 AND 40', name=op.f('ck_stimulus_label_length')),
    sa.CheckConstraint('point BETWEEN 0 AND 9', name=op.f('ck_stimulus_point_few')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_stimulus_circuit_uid')),
    sa.PrimaryKeyConstraint('circuit_uid', 'point', name=op.f('pk_stimulus'))
    )
    op.create_table('reading',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=False),
    sa.Column('action', sa.String(), nullable=False),
    sa.Column('cavity', sa.String(), nullable=True),
    sa.Column('point', sa.Integer(), nullable=True),
    sa.Column('slot', sa.String(), sa.Computed("action || ':' || coalesce(cavity, '') || ':' || coalesce(point::text, '')", persisted=True), nullable=False),
    sa.Column('value', sa.Double(), nullable=True),
    sa.Column('word', sa.String(), nullable=True),
    sa.Column('unit', sa.String(), nullable=True),
    sa.Column('state', sa.String(), nullable=False),
    sa.Column('typed', sa.String(), nullable=False),
    sa.Column('stimulus_value', sa.Double(), nullable=True),
    sa.Column('instrument_uid', sa.Uuid(), nullable=True),
    sa.Column('stimulus_instrument_uid', sa.Uuid(), nullable=True),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('taken_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('supersedes_uid', sa.Uuid(), nullable=True),
    sa.Column('reason', sa.String(), nullable=True),
    sa.CheckConstraint("action IN ('battery_v', 'battery_lamp', 'open_v', 'lamp_negative', 'lamp_negative_v', 'lamp_positive', 'live_lamp_positive_v', 'live_jumped_v', 'mated_v', 'live_v', 'live_value', 'off_ohm', 'sharers_off_v')", name=op.f('ck_reading_action_known')),
    sa.CheckConstraint("reason IN ('mistyped', 'measured again', 'after repair')", name=op.f('ck_reading_reason_known')),
    sa.CheckConstraint("state IN ('battery off', 'key off', 'key on, engine off', 'idle')", name=op.f('ck_reading_state_known')),
    sa.CheckConstraint("stimulus_value > '-Infinity' AND stimulus_value < 'Infinity'", name=op.f('ck_reading_stimulus_value_finite')),
    sa.CheckConstraint("value > '-Infinity' AND value < 'Infinity'", name=op.f('ck_reading_value_finite')),
    sa.CheckConstraint("word IS NULL OR word IN ('dark', 'dim', 'bright') AND action IN ('battery_lamp', 'lamp_negative', 'lamp_positive') OR word = 'OL' AND action = 'off_ohm'", name=op.f('ck_reading_word_known')),
    sa.CheckConstraint('(supersedes_uid IS NULL) = (reason IS NULL)', name=op.f('ck_reading_supersedes_says_why')),
    sa.CheckConstraint('(value IS NULL) <> (word IS NULL)', name=op.f('ck_reading_value_or_word')),
    sa.CheckConstraint('(value IS NULL) = (unit IS NULL)', name=op.f('ck_reading_value_has_unit')),
    sa.CheckConstraint('char_length(typed) BETWEEN 0 AND 300', name=op.f('ck_reading_typed_length')),
    sa.CheckConstraint('supersedes_uid <> uid', name=op.f('ck_reading_not_itself')),
    sa.ForeignKeyConstraint(['circuit_uid', 'cavity'], ['pin.circuit_uid', 'pin.cavity'], name='fk_reading_pin'),
    sa.ForeignKeyConstraint(['circuit_uid', 'point'], ['stimulus.circuit_uid', 'stimulus.point'], name='fk_reading_stimulus'),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_reading_circuit_uid')),
    sa.ForeignKeyConstraint(['instrument_uid'], ['instrument.uid'], name=op.f('fk_reading_instrument_uid')),
    sa.ForeignKeyConstraint(['stimulus_instrument_uid'], ['instrument.uid'], name=op.f('fk_reading_stimulus_instrument_uid')),
    sa.ForeignKeyConstraint(['supersedes_uid', 'circuit_uid', 'slot'], ['reading.uid', 'reading.circuit_uid', 'reading.slot'], name='fk_reading_supersedes_same_slot'),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_reading_technician_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_reading')),
    sa.UniqueConstraint('supersedes_uid', name=op.f('uq_reading_supersedes_uid')),
    sa.UniqueConstraint('uid', 'circuit_uid', 'slot', name=op.f('uq_reading_uid_circuit_uid_slot'))
    )
    op.create_index('ix_reading_circuit_uid_taken_at', 'reading', ['circuit_uid', 'taken_at'], unique=False)
    op.create_index('uq_reading_first_of_slot', 'reading', ['circuit_uid', 'slot'], unique=True, postgresql_where=sa.text('supersedes_uid IS NULL'))
    op.execute(
        """
        CREATE FUNCTION readings_stay() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN
            RAISE EXCEPTION 'a reading is never changed or deleted; add one that supersedes it';
        END $$
        """
    )
    op.execute(
        "CREATE TRIGGER readings_stay BEFORE UPDATE OR DELETE ON reading FOR EACH ROW EXECUTE FUNCTION readings_stay()"
    )


def downgrade() -> None:
    op.drop_index('uq_reading_first_of_slot', table_name='reading', postgresql_where=sa.text('supersedes_uid IS NULL'))
    op.drop_index('ix_reading_circuit_uid_taken_at', table_name='reading')
    op.drop_table('reading')
    op.drop_table('stimulus')
    op.drop_table('pin')
    op.drop_table('circuit')
    op.drop_index(op.f('ix_job_vehicle_uid'), table_name='job')
    op.drop_table('job')
    op.drop_table('vehicle')
    op.drop_table('technician')
    op.drop_table('sensor_type')
    op.drop_table('instrument')
    op.drop_table('shop')
    op.execute("DROP FUNCTION readings_stay()")
