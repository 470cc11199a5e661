"""Circuits that are left to licensed work are known by the names that people give them, and nothing is asked of them."""

from dataclasses import replace

import pytest

from irongauge.core.bench.actions import ACTIONS
from irongauge.core.bench.assessment import conclude
from irongauge.core.bench.marks import VerdictLevel, assess
from irongauge.core.bench.sequence import is_allowed
from irongauge.core.measure.quantities import TestPoint
from irongauge.core.sensors.licensed import Licence, PartOf, licence_of
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
BRAKES = """Brake line pressure; Brake pressure; Brakes; Brake fluid level; Brake pedal switch; Brake pad wear
Brake pad wear front left; Brake booster vacuum; Brake reservoir pressure; Parking brake; Parking brake switch; Handbrake
Hand brake lever; Service brake pressure; Trailer brake pressure; Air brake pressure; Foot brake; Brake temperature
Braking pressure; Front braking circuit; Brake circuit 2; BrakeLinePressure; ABS; ABS sensor; ABS wheel speed
ABS ring front; ABS pump pressure; Front ABS sensor; EBS; EBS module; ABS FL; Wheel speed ABS sensor
Bremsdruck; Bremsdruck vorne; Bremsflüssigkeit; Bremsflüssigkeitsstand; Bremspedal; Bremspedalschalter; Bremsbelag
Bremsbelagverschleiß; Bremskraftverstärker; Bremsleitung; Bremskreis 1; Feststellbremse; Handbremse; Betriebsbremse
Federspeicherbremse; Anhängerbremse; Bremse; Bremsen; ABS Sensor vorne; Pression de frein; Pression de freinage
Frein; Freins; Frein à main; Frein de parking; Liquide de frein; Pédale de frein; Plaquettes de frein; Freinage arrière
Servofrein; Presión de freno; Freno; Frenos; Freno de mano; Líquido de frenos; Pedal de freno; Presión de frenado
Pastillas de freno; Remdruk; Handrem; Parkeerrem; Rem; Remmen; Rempedaal; Remvloeistof; Remleiding; Pressione freni
Freno a mano; Ciśnienie hamulców; Hamulec; Hamulec ręczny; Płyn hamulcowy"""
STEERING = """Steering angle; Steering angle sensor; Steering torque; Power steering pressure; Power steering; Steering
Steering pump pressure; Steering column; Steering rack position; SteeringAngle; Rear axle steering; Steered axle
Lenkwinkel; Lenkwinkelsensor; Lenkung; Lenkradwinkel; Lenksäule; Lenkhilfe; Lenkhilfedruck; Servolenkung; Lenkmoment
Lenkgetriebe; Hinterachslenkung; Direction assistée; Pression direction assistée; Colonne de direction; Angle de direction
Angle volant; Angle du volant; Couple de direction; Crémaillère de direction; Dirección asistida
Presión de dirección asistida; Columna de dirección; Ángulo de dirección; Ángulo del volante; Par de dirección
Stuurbekrachtiging; Stuurhoek; Stuurhoeksensor; Stuurkolom; Stuurdruk; Sterzo; Angolo sterzo; Servosterzo
Kierownica; Kąt skrętu kierownicy; Wspomaganie kierownicy"""
ANYBODYS = """Oil pressure; Boost pressure; Air pressure; Airline pressure; Air temperature; Airbox pressure
Air bag suspension; Suspension air bags; Air bag pressure axle 2; Air spring height; Drive belt tensioner
Fan belt tension; Alternator belt tensioner; Tensioner; Conveyor belt speed; Timing belt
Belt speed conveyor; PTO shaft speed; Load restraint; Curtain side lock; Battery voltage
Battery temperature; Ignition coil 1; Coolant temperature; Fuel level; Throttle; Pedal
Crankshaft speed; Camshaft; Wheel speed FL; Öldruck; Kühlmitteltemperatur; Luftdruck
Luftfederung; Ladedruck; Keilriemenspanner; Pression d'huile; Température d'eau; Tension batterie
Tensión batería; Tension capteur; Presión de aceite; Nivel de combustible; Sensor de presión; Olie druk
Pressione olio; Ciśnienie oleju; Winch oil pressure; Blade tilt angle; Lift height; Crash barrier light
Impact wrench air; Seat heater; Seat position; Buckle plate temp; Volts 24; 24 V supply; 12V outlet; 480 rpm
HVAC pressure; HVAC blower; Heated rear window; Passenger door; Exhaust brake pressure; Engine brake; Motorbremse
Frein moteur; Winch brake; Slew brake; Brake light; Brake lamp left; Bremslicht; Retarder temperature; Manifold pressure abs
MAP abs; Boost pressure (abs); Pressure, abs; bar abs; Direction of travel; Wind direction; Sens de direction du vent
Steering wheel buttons; Steering wheel heater; Remote control; Remote sensor; Removal switch; Breaker current
Circuit breaker; Break sensor; Volume; Voltage; Absorber; Absorber position; Blenkin valve; Sturing module; Frequency
Freon pressure; Clutch pedal; Clutch pressure; Gear position; Gearbox temperature; Transmission oil pressure
Hydraulic pump pressure; Boom angle; Bucket position; Tilt cylinder; Load cell; Hook height; PTO speed; Tank level
Urea level; DEF temperature; Lambda; Oxygen sensor; Knock sensor; Rail pressure; Injector current; Glow plug
EGR valve position; Turbo speed; Charge air temperature; Intake air temperature; Air filter restriction; Oil temperature
Coolant level; Washer level; Rain sensor; Light sensor; Sun sensor; Cabin temperature; Evaporator temperature; Compressor
Fan speed; Alternator; Starter current; Battery current; Door switch; Bonnet switch; Horn; Wiper; Mirror; Window; Radio
Drehzahl; Nockenwelle; Kurbelwelle; Saugrohrdruck; Abgastemperatur; Getriebeöl; Hydraulikdruck; Füllstand; Tankgeber
Gaspedal; Kupplung; Lambdasonde; Klopfsensor; Vitesse; Régime moteur; Papillon; Niveau carburant; Embrayage
Température air; Pression turbo; Vilebrequin; Arbre à cames; Velocidad; Régimen; Mariposa; Embrague; Cigüeñal
Spray pressure; Nozzle flow; Rope tension winch; Cable drum counter; Bow thruster oil; Stern gland temperature; Bilge level
Sand box level; Track tension left; Blade lift; Tiller speed; Snow depth; Boiler level; Vacuum pump; Mast height; Ballast pump
Cooling fan clutch; Header height; Belt slip harvester; Grain tank level; Seed flow; Beacon lamp; Reversing alarm; Work lights
Ölstand; Wasserpumpe; Kraftstoffdruck; Ansaugluft; Niveau d'eau; Pompe hydraulique; Débit; Nivel de aceite; Bomba de agua
Waterpeil; Luchtdruk; Livello olio; Temperatura acqua; Poziom paliwa; Temperatura wody; Ciśnienie doładowania
Temperatura aire; Presión turbo; Toerental; Oliedruk; Koelvloeistof; Gasklep; Koppeling; Temperatura; Prędkość"""


def listed(text):
    return [name.strip() for line in text.split("\n") for name in line.split(";")]


@pytest.mark.parametrize(
    ("name", "licence"),
    [
        *((name, Licence.RESTRAINT) for name in listed(RESTRAINT)),
        *((name, Licence.HIGH_VOLTAGE) for name in listed(HIGH_VOLTAGE)),
        *((name, Licence.BRAKES) for name in listed(BRAKES)),
        *((name, Licence.STEERING) for name in listed(STEERING)),
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


@pytest.mark.parametrize(
    ("name", "part_of", "licence"),
    [
        ("Brake line pressure", PartOf.NOTHING, None),  # a gauge's own sensor
        ("Steering angle", PartOf.NOTHING, None),
        ("Airbag", PartOf.NOTHING, Licence.RESTRAINT),  # nobody can say that
        ("HV interlock", PartOf.NOTHING, Licence.HIGH_VOLTAGE),
        ("Pressure 3", PartOf.BRAKES, Licence.BRAKES),
        ("Connector X7", PartOf.RESTRAINT, Licence.RESTRAINT),
        ("Brake line pressure", PartOf.HIGH_VOLTAGE, Licence.HIGH_VOLTAGE),
    ],
)
def test_what_its_card_says_wins_but_for_airbags_and_high_voltage(name, part_of, licence):
    assert licence_of(name, part_of) is licence


def test_every_system_can_be_told():
    assert {PartOf(licence.value) for licence in Licence} == set(PartOf) - {PartOf.NOT_TOLD, PartOf.NOTHING}
