"""One row for each family: everything that the diagnosis knows of it. A family without a row is an error of types."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass
from typing import assert_never

from irongauge.core.diagnosis.circuit_under_test import CircuitUnderTest
from irongauge.core.diagnosis.current_loop import loop_faults, loop_required, loop_role_points, loop_samples
from irongauge.core.diagnosis.electrical import Bench
from irongauge.core.diagnosis.parameters import Generator, Parameters
from irongauge.core.diagnosis.reluctance import CoilBench, coil_faults, coil_required, coil_role_points, coil_samples
from irongauge.core.diagnosis.role_points import RolePoint
from irongauge.core.diagnosis.thermocouple import (
    JunctionBench,
    junction_faults,
    junction_required,
    junction_role_points,
    junction_samples,
)
from irongauge.core.diagnosis.wired import (
    amplified_faults,
    frequency_faults,
    frequency_required,
    frequency_role_points,
    hall_faults,
    hall_required,
    hall_role_points,
    output_faults,
    switch_faults,
    switch_role_points,
    thermistor_faults,
    wired_required,
    wired_role_points,
    wired_samples,
)
from irongauge.core.sensors.families import Family

__all__ = ["AnyBench", "FamilyRules", "rules_of"]

AnyBench = Bench | CoilBench | JunctionBench


@dataclass(frozen=True, kw_only=True)
class FamilyRules:
    """What the diagnosis knows of a family.

    `faults` that its circuits can have, `healthy` first; `samples` of good ones; `bench`, what every check would read on them;
    `role_points`, every check there is; `required`, what proves a good one, given the signals that carry volts unplugged.
    """

    faults: Callable[[CircuitUnderTest], tuple[str, ...]]
    samples: Callable[[CircuitUnderTest, int, Generator], Parameters] = wired_samples
    bench: Callable[[CircuitUnderTest, Parameters], AnyBench] = Bench
    role_points: Callable[[CircuitUnderTest], tuple[RolePoint, ...]] = wired_role_points
    required: Callable[[CircuitUnderTest, Collection[str]], tuple[RolePoint, ...]] = wired_required


_AMPLIFIED = FamilyRules(faults=amplified_faults)
_THERMISTOR = FamilyRules(faults=thermistor_faults)
_OUTPUT = FamilyRules(faults=output_faults)
_SWITCH = FamilyRules(faults=switch_faults, role_points=switch_role_points)
_HALL = FamilyRules(faults=hall_faults, role_points=hall_role_points, required=hall_required)
_FREQUENCY = FamilyRules(faults=frequency_faults, role_points=frequency_role_points, required=frequency_required)
_LOOP = FamilyRules(faults=loop_faults, samples=loop_samples, role_points=loop_role_points, required=loop_required)
_COIL = FamilyRules(
    faults=coil_faults, samples=coil_samples, bench=CoilBench, role_points=coil_role_points, required=coil_required
)
_JUNCTION = FamilyRules(
    faults=junction_faults,
    samples=junction_samples,
    bench=JunctionBench,
    role_points=junction_role_points,
    required=junction_required,
)


def rules_of(family: Family) -> FamilyRules:  # noqa: PLR0911  one row for each
    """The row of a family."""
    match family:
        case Family.RATIOMETRIC | Family.POTENTIOMETER | Family.COMBO:
            return _AMPLIFIED
        case Family.THERMISTOR:
            return _THERMISTOR
        case Family.CONTROLLER_OUT:
            return _OUTPUT
        case Family.SWITCH:
            return _SWITCH
        case Family.HALL:
            return _HALL
        case Family.FREQUENCY:
            return _FREQUENCY
        case Family.CURRENT_LOOP:
            return _LOOP
        case Family.RELUCTANCE:
            return _COIL
        case Family.THERMOCOUPLE:
            return _JUNCTION
        case _:
            assert_never(family)
