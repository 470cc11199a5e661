"""Circuits that are left to licensed work are known by the names that people give them, and nothing is asked of them."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS
from irongauge.core.bench.assessment import conclude
from irongauge.core.bench.marks import VerdictLevel, assess
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.licensed import Licence, licence_of
from irongauge.demo.shelf import MORE_SENSORS
from tests.cards import SENSOR, empty

# As cards, harness drawings and workshop manuals have them; none is drawn from the program's own list.
RESTRAINT = """Airbag; Airbags; Air bag; Air-bag squib; AIRBAG LH; Side airbags left; Passenger airbag; Curtain squib
Curtain airbag right; Knee airbag; Driver air bag 1; Air bags, front; SRS; SRS crash sensor
Supplemental restraint; Supplementary restraint system; Belt tensioner; Belt tensioners
Seat belt tensioner left; Seatbelt pretensioner; Pre-tensioner; Pretensioners rear; Seat belt buckle
Seat belt lock; Crash sensor front; Impact sensor left; Rollover sensor; Occupant sensor
Occupant classification; Squib 3; Inflator; Pyrotechnic disconnect; Gurtstraffer; Gurtschloss links
Sicherheitsgurt; Crashsensor vorne; Prallsack; Rückhaltesystem; Zündpille; Seitenairbag; Coussin gonflable
Coussins gonflables latéraux; Sac gonflable; Ceinture de sécurité; Prétendeur gauche; Prétensionneur
Capteur de choc; Bolsa de aire; Bolsas de aire; Cinturón; Cinturones traseros; Pretensor; Sensor de impacto
Gordelspanner; Gordelslot; Botssensor; Pretensionatore; Cintura di sicurezza; Poduszka powietrzna
Napinacz pasów; DriverAirbag"""
HIGH_VOLTAGE = """High voltage; High-voltage interlock; HV interlock; HV battery temp; HVIL; Traction battery temperature
Traction motor; Traction inverter; Drive inverter 1; Hochvolt; Hochvoltbatterie; Hochspannung
Traktionsbatterie; Haute tension; Batterie de traction; Alta tensión; Batería de tracción; Alto voltaje
Hoogspanning; Alta tensione; Wysokie napięcie; 400 V battery; 800V bus"""
ANYBODYS = """Oil pressure; Boost pressure; Air pressure; Airline pressure; Air temperature; Airbox pressure
Air bag suspension; Suspension air bags; Air bag pressure axle 2; Air spring height; Drive belt tensioner
Fan belt tension; Alternator belt tensioner; Tensioner; Conveyor belt speed; Timing belt
Belt speed conveyor; PTO shaft speed; Load restraint; Curtain side lock; Battery voltage
Battery temperature; Ignition coil 1; Coolant temperature; Fuel level; Throttle; Pedal; Brake line pressure
Steering angle; Crankshaft speed; Camshaft; Wheel speed FL; Öldruck; Kühlmitteltemperatur; Luftdruck
Luftfederung; Ladedruck; Keilriemenspanner; Pression d'huile; Température d'eau; Tension batterie
Tensión batería; Tension capteur; Presión de aceite; Nivel de combustible; Sensor de presión; Olie druk
Pressione olio; Ciśnienie oleju; Winch oil pressure; Blade tilt angle; Lift height; Crash barrier light
Impact wrench air; Seat heater; Seat position; Buckle plate temp; Volts 24; 24 V supply; 12V outlet; 480 rpm
HVAC pressure; HVAC blower; Heated rear window; Passenger door"""


def listed(text):
    return [name.strip() for line in text.split("\n") for name in line.split(";")]


@pytest.mark.parametrize(
    ("name", "licence"),
    [
        *((name, Licence.RESTRAINT) for name in listed(RESTRAINT)),
        *((name, Licence.HIGH_VOLTAGE) for name in listed(HIGH_VOLTAGE)),
        *((name, None) for name in listed(ANYBODYS)),
    ],
)
def test_a_name_tells_whose_work_a_circuit_is(name, licence):
    assert licence_of(name) is licence
    assert licence_of(name.upper()) is licence


@pytest.mark.parametrize("sensor", [SENSOR, *MORE_SENSORS], ids=lambda sensor: sensor.name)
def test_nothing_is_asked_of_such_a_circuit_and_it_is_never_proved(sensor):
    case = empty(sensor)
    circuit = replace(case.circuit, name="Side airbags left")
    case = replace(case, circuit=circuit)
    for made in (assess(case), conclude(assess(case))):
        assert made.next_test is None
        assert made.verdict.level is VerdictLevel.OPEN
        assert made.verdict.headline == "Left to licensed work"
        assert "airbags and belts" in made.verdict.detail
    places = [None, *(pin.cavity for pin in circuit.pins)]
    points = [None, *range(len(circuit.stimuli))]
    assert not any(
        is_allowed(case, TestPoint(action, place, at)) for action in ACTIONS for place in places for at in points
    )
