"""The readings of a job as CSV, one row each, superseded ones too.

    job,vehicle,circuit,action,cavity,role,point,value,unit,word,typed,stimulus_value,stimulus_unit,instrument,…
    1001,LT-7,Brake line pressure,open_v,A,reference,,4.98,V,,4.98,,,Meter 4,…

UTF-8, comma, point as the decimal mark, values in fixed units, times in UTC: RFC 4180 as any sheet reads it.
"""

from __future__ import annotations

import csv
import io
import re

from irongauge.core.job_record import JobRecord
from irongauge.formats.job_json import utc

__all__ = ["COLUMNS", "inert", "write_readings"]

COLUMNS = (
    "job", "vehicle", "circuit", "action", "cavity", "role", "point", "value", "unit", "word", "typed",
    "stimulus_value", "stimulus_unit", "instrument", "stimulus_instrument", "state", "technician", "taken_at", "reason",
    "uid", "supersedes_uid",
)  # fmt: skip

_NUMBER = re.compile(r"[+-]?[\d.,]+")


def write_readings(record: JobRecord) -> str:
    """The CSV text, with a heading line."""
    people = {t.uid: t.name for t in record.technicians}
    tools = {i.uid: i.name for i in record.instruments}
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(COLUMNS)
    for circuit_record in record.circuits:
        circuit = circuit_record.circuit
        roles = {pin.cavity: pin.role for pin in circuit.pins}
        for r in circuit_record.readings:
            row = (
                record.job.number, record.job.vehicle.tag, circuit.name, r.test_point.action, r.test_point.cavity,
                roles.get(r.test_point.cavity or ""), r.test_point.point, r.value, r.unit, r.word, r.typed, r.stimulus_value,
                None if r.stimulus_value is None else circuit.sensor.unit,
                r.instrument_uid and tools[r.instrument_uid],
                r.stimulus_instrument_uid and tools[r.stimulus_instrument_uid],
                r.state, people[r.technician_uid], utc(r.taken_at), r.reason, r.uid, r.supersedes_uid,
            )  # fmt: skip
            writer.writerow(inert(cell) if isinstance(cell, str) else cell for cell in row)
    return out.getvalue()


def inert(text: str) -> str:
    """Text that a spreadsheet will not take for a formula."""
    return f"'{text}" if text[:1] in {"=", "@", "+", "-", "\t", "\r"} and not _NUMBER.fullmatch(text) else text
