"""Alembic's entry: run by `irongauge.store.migrate` with a connection, never from a configuration file."""

from alembic import context

from irongauge.store import (  # noqa: F401  their tables belong to the same metadata
    curve_models,
    handover_models,
    people_models,
    plan_models,
    pulse_models,
    trace_models,
    work_models,
)
from irongauge.store.models import Base

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
