"""The vehicle and its plan: modules, inputs, harness, power, kit, notes, pictures, history.

Revision ID: 0009
Revises: 0008
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table('module_type',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('shop_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('maker', sa.String(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('shows', sa.String(), nullable=False),
    sa.Column('pins', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.CheckConstraint("kind IN ('controller', 'display', 'logger', 'expansion module')", name=op.f('ck_module_type_kind_known')),
    sa.CheckConstraint("shows IN ('engineering value', 'raw volts only', 'nothing')", name=op.f('ck_module_type_shows_known')),
    sa.CheckConstraint('char_length(maker) BETWEEN 0 AND 60', name=op.f('ck_module_type_maker_length')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_module_type_name_length')),
    sa.ForeignKeyConstraint(['shop_uid'], ['shop.uid'], name=op.f('fk_module_type_shop_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_module_type')),
    sa.UniqueConstraint('shop_uid', 'name', name=op.f('uq_module_type_shop_uid_name'))
    )
    op.create_table('connector_map',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('ours', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('theirs', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('kept_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 60', name=op.f('ck_connector_map_name_length')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_connector_map_technician_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_connector_map_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_connector_map'))
    )
    op.create_index(op.f('ix_connector_map_vehicle_uid'), 'connector_map', ['vehicle_uid'], unique=False)
    op.create_table('feed',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('fuse_a', sa.Double(), nullable=False),
    sa.Column('supply_m', sa.Double(), nullable=False),
    sa.Column('return_m', sa.Double(), nullable=False),
    sa.Column('area_mm2', sa.Double(), nullable=False),
    sa.Column('around_degc', sa.Double(), nullable=False),
    sa.Column('rated_a', sa.Double(), nullable=True),
    sa.Column('terminal_a', sa.Double(), nullable=True),
    sa.Column('keyed', sa.Boolean(), nullable=False),
    sa.CheckConstraint("around_degc > '-Infinity' AND around_degc < 'Infinity'", name=op.f('ck_feed_around_degc_finite')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 60', name=op.f('ck_feed_name_length')),
    sa.CheckConstraint('fuse_a > 0 AND fuse_a <= 500', name=op.f('ck_feed_fuse_possible')),
    sa.CheckConstraint('rated_a > 0 AND terminal_a > 0', name=op.f('ck_feed_ratings_possible')),
    sa.CheckConstraint('supply_m > 0 AND return_m > 0 AND area_mm2 > 0', name=op.f('ck_feed_run_possible')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_feed_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_feed')),
    sa.UniqueConstraint('vehicle_uid', 'name', name=op.f('uq_feed_vehicle_uid_name'))
    )
    op.create_index(op.f('ix_feed_vehicle_uid'), 'feed', ['vehicle_uid'], unique=False)
    op.create_table('fitted_module',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('type_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 60', name=op.f('ck_fitted_module_name_length')),
    sa.ForeignKeyConstraint(['type_uid'], ['module_type.uid'], name=op.f('fk_fitted_module_type_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_fitted_module_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_fitted_module')),
    sa.UniqueConstraint('vehicle_uid', 'name', name=op.f('uq_fitted_module_vehicle_uid_name'))
    )
    op.create_index(op.f('ix_fitted_module_vehicle_uid'), 'fitted_module', ['vehicle_uid'], unique=False)
    op.create_table('harness_node',
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('rows', sa.Integer(), nullable=False),
    sa.Column('columns', sa.Integer(), nullable=False),
    sa.Column('note', sa.String(), nullable=False),
    sa.CheckConstraint("kind IN ('sensor', 'connector', 'adapter', 'splice', 'grommet', 'module', 'ground', 'feed')", name=op.f('ck_harness_node_kind_known')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 40', name=op.f('ck_harness_node_name_length')),
    sa.CheckConstraint('char_length(note) BETWEEN 0 AND 200', name=op.f('ck_harness_node_note_length')),
    sa.CheckConstraint('rows BETWEEN 1 AND 20 AND columns BETWEEN 1 AND 100', name=op.f('ck_harness_node_cavities_possible')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_harness_node_vehicle_uid')),
    sa.PrimaryKeyConstraint('vehicle_uid', 'name', name=op.f('pk_harness_node'))
    )
    op.create_table('picture',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('title', sa.String(), nullable=False),
    sa.Column('media_type', sa.String(), nullable=False),
    sa.Column('width', sa.Integer(), nullable=False),
    sa.Column('height', sa.Integer(), nullable=False),
    sa.Column('added_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('content', sa.LargeBinary(), nullable=False),
    sa.CheckConstraint("media_type IN ('image/jpeg', 'image/png')", name=op.f('ck_picture_media_type_known')),
    sa.CheckConstraint('char_length(title) BETWEEN 0 AND 120', name=op.f('ck_picture_title_length')),
    sa.CheckConstraint('octet_length(content) <= 10485760', name=op.f('ck_picture_content_size')),
    sa.CheckConstraint('width > 0 AND height > 0', name=op.f('ck_picture_size_possible')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_picture_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_picture'))
    )
    op.create_index(op.f('ix_picture_vehicle_uid'), 'picture', ['vehicle_uid'], unique=False)
    op.create_table('vehicle_note',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('text', sa.String(), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=False),
    sa.Column('written_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint('char_length(text) BETWEEN 1 AND 2000', name=op.f('ck_vehicle_note_text_length')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_vehicle_note_technician_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_vehicle_note_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_vehicle_note'))
    )
    op.create_index(op.f('ix_vehicle_note_vehicle_uid'), 'vehicle_note', ['vehicle_uid'], unique=False)
    op.create_table('wire',
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('start_node', sa.String(), nullable=False),
    sa.Column('start_cavity', sa.String(), nullable=False),
    sa.Column('end_node', sa.String(), nullable=False),
    sa.Column('end_cavity', sa.String(), nullable=False),
    sa.Column('colour', sa.String(), nullable=False),
    sa.Column('area_mm2', sa.Double(), nullable=False),
    sa.Column('length_m', sa.Double(), nullable=False),
    sa.Column('shield', sa.String(), nullable=False),
    sa.CheckConstraint('area_mm2 > 0 AND area_mm2 <= 500', name=op.f('ck_wire_area_possible')),
    sa.CheckConstraint('char_length(colour) BETWEEN 0 AND 24', name=op.f('ck_wire_colour_length')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 40', name=op.f('ck_wire_name_length')),
    sa.CheckConstraint('char_length(shield) BETWEEN 0 AND 40', name=op.f('ck_wire_shield_length')),
    sa.CheckConstraint('length_m > 0 AND length_m <= 1000', name=op.f('ck_wire_length_possible')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_wire_vehicle_uid')),
    sa.PrimaryKeyConstraint('vehicle_uid', 'name', name=op.f('pk_wire'))
    )
    op.create_table('feed_load',
    sa.Column('feed_uid', sa.Uuid(), nullable=False),
    sa.Column('place', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('steady_a', sa.Double(), nullable=False),
    sa.Column('peak_a', sa.Double(), nullable=True),
    sa.Column('duty', sa.Double(), nullable=False),
    sa.Column('keyed', sa.Boolean(), nullable=False),
    sa.Column('sleep_ma', sa.Double(), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 60', name=op.f('ck_feed_load_name_length')),
    sa.CheckConstraint('duty BETWEEN 0 AND 1', name=op.f('ck_feed_load_duty_share')),
    sa.CheckConstraint('peak_a >= steady_a AND peak_a <= 5000', name=op.f('ck_feed_load_peak_possible')),
    sa.CheckConstraint('steady_a >= 0 AND steady_a <= 500 AND sleep_ma >= 0', name=op.f('ck_feed_load_currents_possible')),
    sa.ForeignKeyConstraint(['feed_uid'], ['feed.uid'], name=op.f('fk_feed_load_feed_uid')),
    sa.PrimaryKeyConstraint('feed_uid', 'place', name=op.f('pk_feed_load'))
    )
    op.create_table('kit_line',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('job_uid', sa.Uuid(), nullable=False),
    sa.Column('place', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('text', sa.String(), nullable=False),
    sa.Column('price', sa.Double(), nullable=True),
    sa.Column('done_by_uid', sa.Uuid(), nullable=True),
    sa.Column('done_at', sa.DateTime(timezone=True), nullable=True),
    sa.CheckConstraint("kind IN ('part', 'module update', 'sealant and torque', 'spare to hand over', 'tool')", name=op.f('ck_kit_line_kind_known')),
    sa.CheckConstraint('(done_at IS NULL) = (done_by_uid IS NULL)', name=op.f('ck_kit_line_done_by_someone')),
    sa.CheckConstraint('char_length(text) BETWEEN 1 AND 200', name=op.f('ck_kit_line_text_length')),
    sa.CheckConstraint('price >= 0 AND price <= 1e6', name=op.f('ck_kit_line_price_possible')),
    sa.ForeignKeyConstraint(['done_by_uid'], ['technician.uid'], name=op.f('fk_kit_line_done_by_uid')),
    sa.ForeignKeyConstraint(['job_uid'], ['job.uid'], name=op.f('fk_kit_line_job_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_kit_line')),
    sa.UniqueConstraint('job_uid', 'place', name=op.f('uq_kit_line_job_uid_place'))
    )
    op.create_table('vehicle_change',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('job_uid', sa.Uuid(), nullable=True),
    sa.Column('what', sa.String(), nullable=False),
    sa.Column('old', sa.String(), nullable=False),
    sa.Column('new', sa.String(), nullable=False),
    sa.Column('why', sa.String(), nullable=False),
    sa.Column('technician_uid', sa.Uuid(), nullable=True),
    sa.Column('changed_at', sa.DateTime(timezone=True), nullable=False),
    sa.CheckConstraint('char_length(new) BETWEEN 0 AND 200', name=op.f('ck_vehicle_change_new_length')),
    sa.CheckConstraint('char_length(old) BETWEEN 0 AND 200', name=op.f('ck_vehicle_change_old_length')),
    sa.CheckConstraint('char_length(what) BETWEEN 1 AND 60', name=op.f('ck_vehicle_change_what_length')),
    sa.CheckConstraint('char_length(why) BETWEEN 0 AND 200', name=op.f('ck_vehicle_change_why_length')),
    sa.ForeignKeyConstraint(['job_uid'], ['job.uid'], name=op.f('fk_vehicle_change_job_uid')),
    sa.ForeignKeyConstraint(['technician_uid'], ['technician.uid'], name=op.f('fk_vehicle_change_technician_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_vehicle_change_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_vehicle_change'))
    )
    op.create_index(op.f('ix_vehicle_change_vehicle_uid'), 'vehicle_change', ['vehicle_uid'], unique=False)
    op.create_table('input_function',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('vehicle_uid', sa.Uuid(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('kinds', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
    sa.Column('pull_up', sa.String(), nullable=False),
    sa.Column('most_v', sa.Double(), nullable=False),
    sa.Column('own_pull_up_ohm', sa.Double(), nullable=True),
    sa.Column('module_uid', sa.Uuid(), nullable=True),
    sa.Column('pin', sa.String(), nullable=True),
    sa.Column('pull_up_on', sa.Boolean(), nullable=False),
    sa.Column('in_use', sa.Boolean(), nullable=False),
    sa.Column('movable', sa.Boolean(), nullable=False),
    sa.Column('reserved', sa.Boolean(), nullable=False),
    sa.Column('circuit_uid', sa.Uuid(), nullable=True),
    sa.Column('current_ma', sa.Double(), nullable=True),
    sa.Column('on_reference', sa.Boolean(), nullable=False),
    sa.CheckConstraint("pull_up IN ('needs a pull-up', 'without pull-up', 'either')", name=op.f('ck_input_function_pull_up_known')),
    sa.CheckConstraint('(module_uid IS NULL) = (pin IS NULL)', name=op.f('ck_input_function_at_whole')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_input_function_name_length')),
    sa.CheckConstraint('current_ma >= 0 AND current_ma <= 10000', name=op.f('ck_input_function_current_ma_possible')),
    sa.CheckConstraint('most_v > 0 AND most_v <= 100', name=op.f('ck_input_function_most_v_possible')),
    sa.CheckConstraint('own_pull_up_ohm > 0 AND own_pull_up_ohm <= 1e7', name=op.f('ck_input_function_own_pull_up_ohm_possible')),
    sa.ForeignKeyConstraint(['circuit_uid'], ['circuit.uid'], name=op.f('fk_input_function_circuit_uid')),
    sa.ForeignKeyConstraint(['module_uid'], ['fitted_module.uid'], name=op.f('fk_input_function_module_uid')),
    sa.ForeignKeyConstraint(['vehicle_uid'], ['vehicle.uid'], name=op.f('fk_input_function_vehicle_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_input_function')),
    sa.UniqueConstraint('vehicle_uid', 'name', name=op.f('uq_input_function_vehicle_uid_name'))
    )
    op.create_index(op.f('ix_input_function_vehicle_uid'), 'input_function', ['vehicle_uid'], unique=False)
    op.create_table('value_place',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('function_uid', sa.Uuid(), nullable=False),
    sa.Column('kind', sa.String(), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('done_by_uid', sa.Uuid(), nullable=True),
    sa.Column('done_at', sa.DateTime(timezone=True), nullable=True),
    sa.CheckConstraint("kind IN ('table', 'output’s condition', 'gauge', 'log channel', 'warning', 'curve’s figures')", name=op.f('ck_value_place_kind_known')),
    sa.CheckConstraint('(done_at IS NULL) = (done_by_uid IS NULL)', name=op.f('ck_value_place_done_by_someone')),
    sa.CheckConstraint('char_length(name) BETWEEN 1 AND 80', name=op.f('ck_value_place_name_length')),
    sa.ForeignKeyConstraint(['done_by_uid'], ['technician.uid'], name=op.f('fk_value_place_done_by_uid')),
    sa.ForeignKeyConstraint(['function_uid'], ['input_function.uid'], name=op.f('fk_value_place_function_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_value_place'))
    )
    op.create_index(op.f('ix_value_place_function_uid'), 'value_place', ['function_uid'], unique=False)
    op.add_column('circuit', sa.Column('retired_why', sa.String(), nullable=False, server_default=''))
    op.alter_column('circuit', 'retired_why', server_default=None)
    op.create_check_constraint(op.f('ck_circuit_retired_why_length'), 'circuit', 'char_length(retired_why) BETWEEN 0 AND 200')


def downgrade() -> None:
    op.drop_constraint(op.f('ck_circuit_retired_why_length'), 'circuit')
    op.drop_column('circuit', 'retired_why')
    op.drop_index(op.f('ix_value_place_function_uid'), table_name='value_place')
    op.drop_table('value_place')
    op.drop_index(op.f('ix_input_function_vehicle_uid'), table_name='input_function')
    op.drop_table('input_function')
    op.drop_index(op.f('ix_vehicle_change_vehicle_uid'), table_name='vehicle_change')
    op.drop_table('vehicle_change')
    op.drop_table('kit_line')
    op.drop_table('feed_load')
    op.drop_table('wire')
    op.drop_index(op.f('ix_vehicle_note_vehicle_uid'), table_name='vehicle_note')
    op.drop_table('vehicle_note')
    op.drop_index(op.f('ix_picture_vehicle_uid'), table_name='picture')
    op.drop_table('picture')
    op.drop_table('harness_node')
    op.drop_index(op.f('ix_fitted_module_vehicle_uid'), table_name='fitted_module')
    op.drop_table('fitted_module')
    op.drop_index(op.f('ix_feed_vehicle_uid'), table_name='feed')
    op.drop_table('feed')
    op.drop_index(op.f('ix_connector_map_vehicle_uid'), table_name='connector_map')
    op.drop_table('connector_map')
    op.drop_table('module_type')
