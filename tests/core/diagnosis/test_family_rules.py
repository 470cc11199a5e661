"""Every family has a row of its own, and what its row says fits together."""

import numpy as np
import pytest

from irongauge.core.bench.wiring import subject_of
from irongauge.core.diagnosis.catalogue import draw, faults_of
from irongauge.core.diagnosis.family_rules import rules_of
from irongauge.core.diagnosis.faults import FAULT_WORDS, HEALTHY
from irongauge.core.diagnosis.strategy import required, role_points_of, state_of
from irongauge.core.sensors.families import Family
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import SENSOR, empty

SUBJECTS = {str(s.family): subject_of(empty(s)) for s in (SENSOR, *MORE_SENSORS)}
SUBJECTS |= {"potentiometer-3w": SUBJECTS["ratiometric-3w"]} if "potentiometer-3w" not in SUBJECTS else {}


@pytest.mark.parametrize("family", Family)
def test_every_family_has_a_row(family):
    assert rules_of(family).faults is not None


@pytest.mark.parametrize("name", SUBJECTS)
def test_its_faults_have_words_and_samples(name):
    subject, rng = SUBJECTS[name], np.random.default_rng(3)
    faults = faults_of(subject)
    assert faults[0] == HEALTHY
    assert len(set(faults)) == len(faults)
    assert set(faults) <= set(FAULT_WORDS)
    samples = draw(subject, faults, 8, rng)
    assert {len(values) for values in samples.values()} == {8 * len(faults)}


@pytest.mark.parametrize("name", SUBJECTS)
def test_its_bench_answers_every_check_that_it_has_and_every_proof_is_one_of_them(name):
    subject = SUBJECTS[name]
    rules = rules_of(subject.family)
    bench = rules.bench(subject, draw(subject, (HEALTHY,), 4, np.random.default_rng(3)))
    checks = role_points_of(subject)
    assert len(set(checks)) == len(checks)
    for check in checks:
        assert bench.read(check), check
        assert state_of(check)
    assert set(required(subject)) <= set(checks)
