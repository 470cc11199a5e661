"""What other rooms found that speaks against a job: a comparison, a calibration or an entry that does not fit, a feed that fails.

A circuit may be proved good on the Bench, and its gauge still show something else: it is not handed over, nor called good to the
customer, until that was looked into. Of each kind only the newest counts.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from uuid import UUID

from irongauge.core.calibration.record import result_of
from irongauge.core.measure.quantities import Mark
from irongauge.core.plan.power import judge_feed
from irongauge.core.sensors.circuits import Circuit
from irongauge.core.shop import Job
from irongauge.store.repositories import Store
from irongauge.workflows.curve.entries import entries_to_change
from irongauge.workflows.shop.kept import Kept
from irongauge.workflows.shop.view import Against, People

__all__ = ["found_against"]


def found_against(
    store: Store, people: People, job: Job, circuits: Iterable[Circuit], kept: Mapping[UUID, Kept]
) -> tuple[Against, ...]:
    """What speaks against a job, of its circuits that are there and of its vehicle's feeds; `kept` is of these circuits."""
    there = [circuit for circuit in circuits if not circuit.retired_why]
    found = [one for circuit in there for one in _of_circuit(circuit, job, kept[circuit.uid], people)]
    for feed in store.wirings.feeds(job.vehicle):
        verdict = judge_feed(feed.feed)
        wrong = [sentence for mark, sentence in verdict.checks if mark is Mark.FAIL]
        if wrong:
            found.append(Against("power", feed.feed.name, wrong[0]))
    return tuple(found)


def _of_circuit(circuit: Circuit, job: Job, kept: Kept, people: People) -> list[Against]:
    found = []
    newest = {check.verdict.kind: check for check in sorted(kept.checks, key=lambda k: k.taken_at)}
    for check in newest.values():
        if check.verdict.mark is Mark.FAIL:
            said = f"{check.verdict.finding}. {check.verdict.sentence}"
            found.append(Against(f"compared, {check.verdict.kind}", circuit.name, said, circuit.uid))
    signed = [record for record in kept.calibrations if record.signed_at is not None]
    last = {record.setup.channel: record for record in sorted(signed, key=lambda r: r.signed_at or r.started_at)}
    for record in last.values():
        meter, gauge = (people.instrument(uid) for uid in (record.setup.meter_uid, record.setup.gauge_uid))
        result = result_of(record, meter, gauge)
        if result.mark is Mark.FAIL:
            said = f"out of tolerance, {record.setup.stage}."
            found.append(Against("calibration", circuit.name, said, circuit.uid))
    wrong, _ = entries_to_change(circuit, job.vehicle.height_m, kept.entries, kept.calibrations, people)
    for entry in wrong:
        said = f"“{entry.name}” does not fit the sensor that is fitted."
        found.append(Against("entry in the controller", circuit.name, said, circuit.uid))
    return found
