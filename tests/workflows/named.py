"""What the demo shop has, by name."""

from irongauge.workflows.people.accounts import first_foreman
from irongauge.workflows.shop.jobs import look_at_jobs


def foreman_of(demo):
    """Who reviews: the demo shop has one foreman."""
    return first_foreman(demo).uid


def every_job(demo):
    return look_at_jobs(demo, is_open=None, limit=100, offset=0)


def circuit_named(demo, name):
    return next(v.circuit for job in every_job(demo) for v in job.circuits if v.circuit.name == name)
