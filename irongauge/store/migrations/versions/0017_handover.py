"""Sheets as they were signed, remarks with which a job was sent back, backups made.

Revision ID: 0017
Revises: 0016
"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

# Of the sheet only its head is recorded.
_OF_SHEET = ("job_uid", "revision", "issued_at", "reviewer_uid", "code", "digest")


def upgrade() -> None:
    op.create_table('backup',
    sa.Column('number', sa.BigInteger(), sa.Identity(always=False), nullable=False),
    sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('name', sa.String(), nullable=False),
    sa.Column('bytes_written', sa.BigInteger(), server_default=sa.text('0'), nullable=False),
    sa.Column('problem', sa.String(), server_default=sa.text("''"), nullable=False),
    sa.CheckConstraint('char_length(name) BETWEEN 0 AND 255', name=op.f('ck_backup_name_length')),
    sa.CheckConstraint('char_length(problem) BETWEEN 0 AND 500', name=op.f('ck_backup_problem_length')),
    sa.PrimaryKeyConstraint('number', name=op.f('pk_backup'))
    )
    op.create_table('issued_sheet',
    sa.Column('job_uid', sa.Uuid(), nullable=False),
    sa.Column('revision', sa.Integer(), autoincrement=False, nullable=False),
    sa.Column('issued_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('reviewer_uid', sa.Uuid(), nullable=False),
    sa.Column('code', sa.String(), nullable=False),
    sa.Column('digest', sa.String(), nullable=False),
    sa.Column('record_number', sa.BigInteger(), nullable=False),
    sa.Column('record_seal', sa.LargeBinary(), nullable=False),
    sa.Column('pdf', sa.LargeBinary(), nullable=False),
    sa.CheckConstraint('char_length(code) BETWEEN 8 AND 20', name=op.f('ck_issued_sheet_code_length')),
    sa.CheckConstraint('char_length(digest) = 64', name=op.f('ck_issued_sheet_digest_whole')),
    sa.CheckConstraint('octet_length(record_seal) = 32', name=op.f('ck_issued_sheet_record_seal_whole')),
    sa.CheckConstraint('revision BETWEEN 1 AND 999', name=op.f('ck_issued_sheet_revision_possible')),
    sa.ForeignKeyConstraint(['job_uid'], ['job.uid'], name=op.f('fk_issued_sheet_job_uid')),
    sa.ForeignKeyConstraint(['reviewer_uid'], ['technician.uid'], name=op.f('fk_issued_sheet_reviewer_uid')),
    sa.PrimaryKeyConstraint('job_uid', 'revision', name=op.f('pk_issued_sheet')),
    sa.UniqueConstraint('code', name=op.f('uq_issued_sheet_code'))
    )
    op.create_table('job_remark',
    sa.Column('uid', sa.Uuid(), nullable=False),
    sa.Column('job_uid', sa.Uuid(), nullable=False),
    sa.Column('text', sa.String(), nullable=False),
    sa.Column('by_uid', sa.Uuid(), nullable=False),
    sa.Column('written_at', sa.DateTime(timezone=True), nullable=False),
    sa.Column('answered_at', sa.DateTime(timezone=True), nullable=True),
    sa.Column('answered_by_uid', sa.Uuid(), nullable=True),
    sa.CheckConstraint('(answered_at IS NULL) = (answered_by_uid IS NULL)', name=op.f('ck_job_remark_answered_whole')),
    sa.CheckConstraint('char_length(text) BETWEEN 1 AND 1000', name=op.f('ck_job_remark_text_length')),
    sa.ForeignKeyConstraint(['answered_by_uid'], ['technician.uid'], name=op.f('fk_job_remark_answered_by_uid')),
    sa.ForeignKeyConstraint(['by_uid'], ['technician.uid'], name=op.f('fk_job_remark_by_uid')),
    sa.ForeignKeyConstraint(['job_uid'], ['job.uid'], name=op.f('fk_job_remark_job_uid')),
    sa.PrimaryKeyConstraint('uid', name=op.f('pk_job_remark'))
    )
    op.create_index('ix_job_remark_job_uid', 'job_remark', ['job_uid'], unique=False)
    for table in ("job_remark", "backup"):
        op.execute(
            f"CREATE CONSTRAINT TRIGGER record_{table} AFTER INSERT OR UPDATE OR DELETE ON {table} DEFERRABLE INITIALLY "
            "DEFERRED FOR EACH ROW EXECUTE FUNCTION write_record('', '')"
        )
    # The function of 0016 that looks at some columns only, for this table's.
    source = op.get_bind().execute(sa.text("SELECT pg_get_functiondef('write_record_of_picture'::regproc)")).scalar_one()
    source = source.replace("write_record_of_picture", "write_record_of_issued_sheet")
    for row in ("OLD", "NEW"):
        begin = source.index("jsonb_build_object(", source.index(f"'{row == 'OLD' and 'INSERT' or 'DELETE'}' THEN"))
        end = source.index(")", begin) + 1
        parts = ", ".join(f"'{column}', {row}.{column}" for column in _OF_SHEET)
        source = f"{source[:begin]}jsonb_build_object({parts}){source[end:]}"
    op.execute(source)
    op.execute(
        "CREATE CONSTRAINT TRIGGER record_issued_sheet AFTER INSERT OR UPDATE OR DELETE ON issued_sheet DEFERRABLE INITIALLY "
        "DEFERRED FOR EACH ROW EXECUTE FUNCTION write_record_of_issued_sheet('', '')"
    )
    op.execute(
        "CREATE FUNCTION sheets_stay() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
        "RAISE EXCEPTION 'a signed sheet stays as it is'; END $$"
    )
    op.execute(
        "CREATE TRIGGER sheets_stay BEFORE UPDATE OR DELETE ON issued_sheet FOR EACH ROW EXECUTE FUNCTION sheets_stay()"
    )


def downgrade() -> None:
    for table in ("job_remark", "backup", "issued_sheet"):
        op.execute(f"DROP TRIGGER record_{table} ON {table}")
    op.drop_index('ix_job_remark_job_uid', table_name='job_remark')
    op.drop_table('job_remark')
    op.drop_table('issued_sheet')
    op.drop_table('backup')
    op.execute("DROP FUNCTION write_record_of_issued_sheet()")
    op.execute("DROP FUNCTION sheets_stay()")
