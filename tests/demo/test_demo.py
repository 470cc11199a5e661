"""The sample shop: the scenario that everything is shown with, believable and complete."""

from irongauge.core.bench.assessment import VerdictLevel
from irongauge.core.measure.quantities import SupersedeReason
from irongauge.core.sensors.families import Family
from irongauge.demo import load_demo
from irongauge.workflows.bench.readings import look_at_bench
from irongauge.workflows.shop.jobs import look_at_floor
from irongauge.workflows.shop.shelf import look_at_shelf
from tests.workflows.named import every_job


def test_four_machines_stand_in_different_states_with_a_dozen_circuits(demo):
    floor, every = look_at_floor(demo), every_job(demo)
    assert [v.tag for v in floor.vehicles] == ["BOARD", "D-3", "G-12", "LT-7", "P-2"]
    jobs = [job for job in every if not job.job.is_practice]
    assert sum(len(job.circuits) for job in jobs) == 18
    states = {job.job.vehicle.tag: job for job in jobs}
    assert states["P-2"].job.handed_over_at is not None
    assert states["D-3"].may_be_handed_over
    assert states["LT-7"].levels[VerdictLevel.FAULT] == 1
    assert states["LT-7"].levels[VerdictLevel.GROUP] == 1
    assert states["G-12"].levels[VerdictLevel.GROUP] == 1
    assert states["LT-7"].levels[VerdictLevel.OPEN] == 5
    families = {view.circuit.family for job in jobs for view in job.circuits}
    assert len(families) == 8
    (board,) = (job for job in every if job.job.is_practice)
    assert {view.circuit.family for view in board.circuits} == set(Family)
    assert not any(view.readings for view in board.circuits)


def test_the_faults_are_the_ones_that_the_stories_tell(demo):
    circuits = {v.circuit.name: v.circuit.uid for job in look_at_floor(demo).jobs for v in job.circuits}
    stories = {
        "Blade tilt angle": {"sensor_stuck", "signal_clamped"},
        "Winch oil pressure": {"return_resistance"},
        "Propeller shaft speed": {"sensor_high", "target_far"},
    }
    for name, faults in stories.items():
        found = look_at_bench(demo, circuits[name]).view.assessment.diagnosis
        assert found.leader.fault in faults, name
        assert {s.fault for s in found.group} <= faults, name


def test_a_mistyped_reading_and_its_correction_are_in_the_record(demo):
    readings = [r for job in look_at_floor(demo).jobs for v in job.circuits for r in v.readings]
    corrected = [r for r in readings if r.reason is SupersedeReason.MISTYPED]
    assert len(corrected) == 2
    assert len(readings) > 130


def test_the_groomer_is_tested_at_the_height_where_it_works(demo):
    groomer = next(job for job in look_at_floor(demo).jobs if job.job.vehicle.tag == "G-12")
    air = next(v.circuit for v in groomer.circuits if "absolute" in v.circuit.name)
    assert groomer.job.vehicle.height_m == 1830
    assert air.stimuli[0].value == 81.2  # kPa, the standard atmosphere at 1 830 m


def test_one_instrument_is_overdue_and_is_not_the_one_in_use(demo):
    shelf = look_at_shelf(demo)
    today = look_at_floor(demo).today
    overdue = [i for i in shelf.people.instruments if i.overdue_on(today)]
    assert [i.name for i in overdue] == ["Meter 2 (spare)"]
    used = {r.instrument_uid for job in every_job(demo) for v in job.circuits for r in v.readings}
    assert overdue[0].uid not in used


def test_loading_it_again_changes_nothing(demo):
    before = every_job(demo)
    assert not load_demo(demo)
    assert every_job(demo) == before
