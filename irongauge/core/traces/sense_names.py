"""How people of several languages and their loggers call what a channel is of, and what is read from such a name.

A name that is not surely known stays `OTHER`: a hydraulic oil temperature is not the engine's, a charge pressure may be a pump's.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Mapping

from irongauge.core.measure.units import Quantity
from irongauge.core.traces.log_units import LogUnit
from irongauge.core.traces.senses import Sense

__all__ = ["is_indicator", "narrowed", "sense_of", "stem_of"]

# What was told more broadly than a name says it: a pedal and a throttle are not one thing.
_NARROWER = {
    Sense.LOAD: {Sense.THROTTLE, Sense.PEDAL},
    Sense.ROAD_SPEED: {Sense.SATELLITE_SPEED, Sense.WHEEL_SPEED},
    Sense.BOOST_PRESSURE: {Sense.MANIFOLD_PRESSURE},
    Sense.AIR_TEMPERATURE: {Sense.OUTSIDE_TEMPERATURE, Sense.EXHAUST_TEMPERATURE},
    Sense.OTHER: {
        Sense.LAMBDA, Sense.ACCELERATION, Sense.INJECTION_TIME, Sense.IGNITION_ANGLE, Sense.FUEL_LEVEL, Sense.ALTITUDE,
        Sense.GEAR, Sense.SWITCH, Sense.SENSOR_VOLTS, Sense.EXHAUST_TEMPERATURE, Sense.OUTSIDE_TEMPERATURE,
        Sense.SATELLITE_SPEED,
    },
}  # fmt: skip


# How each is called in English, German, Dutch, French, Spanish, Italian and Polish, and by engineers' abbreviations; patterns of
# words without accents, the most telling first. A pressure or a temperature has also to be one, by its unit or its name.
_NOT_ENGINE = (
    "hydraul", "getriebe", r"\bgear", "transm", "brake", "brems", "frein", "fren[oa]", "remdruk", "axle", "achs", "steer",
    "lenk", "retarder", "adblue", "urea", r"\bcab", "tyre", "tire", "reifen", "trailer", "clutch", "kuppl", "tank temp",
    "pilot",
)  # fmt: skip
_CALLED: Mapping[Sense, tuple[str, ...]] = {
    Sense.SATELLITE_SPEED: (
        "satel", r"\bgps\b", "gnss", r"\bv sat\b",
    ),
    Sense.WHEEL_SPEED: (
        "wheel", "raddreh", "radgeschw", "wiel(snelheid)?", r"\broue", r"\brueda", r"\bruota", r"\bkol[ao]\b",
        r"\bv w ?[fr][lr]\b", r"\bv w(fl|fr|rl|rr)\b",
    ),
    Sense.ENGINE_SPEED: (
        r"\brpm\b", "engine speed", "eng speed", "motordrehzahl", r"\bdrehzahl", "motortoerental", "toerental",
        "regime mot", r"\bregimen", "obroty", "giri", r"\bn eng",
    ),
    Sense.ROAD_SPEED: (
        "road speed", "vehicle speed", "ground speed", "geschwindigkeit", "snelheid", "vitesse", "velocidad", "velocita",
        "predkosc", r"\bvss\b", r"\bv veh", r"\bspeed", "velocity",
    ),
    Sense.EXHAUST_TEMPERATURE: (
        "exhaust", "abgas", "uitlaat", "echappement", "escape", "scarico", "spalin", r"\begt\b", r"\bexh\b",
    ),
    Sense.OUTSIDE_TEMPERATURE: (
        "outside", "ambient", "aussen", "buiten", "exterieur", "exterior", "zewnetrz", "estern", r"\bamb\b",
    ),
    Sense.OIL_TEMPERATURE: (
        r"\boil", r"\bol(temp|druck)", "olie", "huile", "aceite", r"\bolio\b", "olej", r"\beot\b",
    ),
    Sense.COOLANT_TEMPERATURE: (
        "coolant", "kuhlm", "kuhlw", "koelvl", "koelw", "refrigerante", "refroid", r"\beau\b", r"\bagua\b", r"\bacqua\b",
        "plynu", "chlodz", r"\bwater\b", r"\bclt\b", r"\bect\b", "engine temp", "motortemp", "wassertemp",
    ),
    Sense.AIR_TEMPERATURE: (
        r"\biat\b", r"\bact\b", r"\bmat\b", "intake", "inlet", "ansaug", "inlaat", "admission", "admision", "aspir",
        "dolot", "charge temp", r"\baire?\b", r"\baria\b", "lucht", "powietrz", "ladeluft", r"\bluft", r"\bint\b",
    ),
    Sense.CRANKCASE_PRESSURE: (
        r"crank[\s-]?case", "kurbelgeh", "carter", "korbowej", "basamento", "blow ?by", r"\bccp\b", r"\bp cc\b",
    ),
    Sense.OIL_PRESSURE: (
        r"\boil", r"\bol(druck|temp)", "olie", "huile", "aceite", r"\bolio\b", "olej", r"\beop\b",
    ),
    Sense.FUEL_PRESSURE: (
        "fuel", "kraftstoff", "brandstof", "carburant", "combustible", "carburante", "benzin", "paliw", r"\brail\b",
        r"\bfrp\b",
    ),
    Sense.COOLANT_PRESSURE: (
        "coolant", "kuhlm", "kuhlw", "koelvl", "koelw", "refrigerante", "refroid", "plynu", "chlodz", r"\bclt\b",
    ),
    Sense.BAROMETER: (
        r"\bbaro", "barometr", "atmos", "luftdruck", "luchtdruk", "ambient", "umgebung", r"\bp amb\b",
    ),
    Sense.MANIFOLD_PRESSURE: (
        r"\bmap\b", "manifold", "saugrohr", "inlaatdruk", "admission", "admision", "kolektor", "collettore",
        "intake press", "inlet press", r"\bp man\b",
    ),
    Sense.BOOST_PRESSURE: (
        "boost", "ladedruck", "laaddruk", "sural", "sobrealim", "sovralim", "turbo", "doladow", r"\bp bst\b",
    ),
    Sense.REFERENCE_VOLTS: (
        "sensor supply", "sensorversorg", "sensorvoed", r"alimenta\w+ (sensor|capteur)", "zasilanie czuj",
        r"\bref(erence|erenz)?\b", "vref", r"\b5 ?v\b", r"\bu ref\b",
    ),
    Sense.BATTERY_VOLTS: (
        r"\bbatt?", "akku", r"\baccu", "akumul", "bordnetz", "system volt", "supply volt", r"\bu ?bat", "alternator volt",
        r"vbatt?\b", r"\bvolts$",
    ),
    Sense.LAMBDA: (
        "lambda", r"\bafr\b", r"\blam\b", "air fuel", "o2 ",
    ),
    Sense.ACCELERATION: (
        r"accelerations?\b", "beschleunig", "versnelling", "aceleracion", "accelerazione", "przyspiesz", r"\bacc\b",
        r"\bg force", r"\ba [xyz]\b",
    ),
    Sense.INJECTION_TIME: (
        r"\binj", "einspritz", "inspuit", "wtrysk", "inyecc", "iniezion", r"\bti\b", "pulse ?width",
    ),
    Sense.IGNITION_ANGLE: (
        "ignition", "zundwinkel", "zundung", "ontsteking", "allumage", "encendido", "zaplon", "accensione", "advance",
        r"\bign\b", "timing",
    ),
    Sense.FUEL_LEVEL: (
        "fuel level", "tankinhalt", "tankstand", "niveau", "brandstofniveau", "poziom paliw", "livello", "nivel",
    ),
    Sense.ALTITUDE: (
        "altitud", r"\bhohe\b", "hoogte", "wysokosc", r"\balt\b", "quota", "elevation",
    ),
    Sense.THROTTLE: (
        "throttle", "drosselkl", "gasklep", "papillon", "mariposa", "farfalla", "przepustn", r"\btps\b", r"\bthr\b",
    ),
    Sense.PEDAL: (
        "pedal", "pedaal", "accelerator", r"\bapp\b", r"\bped ?\d?\b",
    ),
    Sense.LOAD: (
        r"\bload\b", "motorlast", r"\blast\b", "belasting", "charge mot", "carga", "obciaz", "carico", "torque",
        "drehmoment",
    ),
    Sense.GEAR: (
        r"\bgear( no| number| position)?$", r"\bgang\b", r"\bbieg\b", r"\bmarcha\b", r"\brapport$", "^versnelling$",
        r"\bmarcia\b", r"\bgear\b",
    ),
    Sense.SWITCH: (
        r"\bfan\b", "lufter", "ventilat", "ventilador", "wentylator", "ventola", "switch", "schalter", "relay", "status",
    ),
}  # fmt: skip
_NAMED = {sense: re.compile("|".join(patterns)) for sense, patterns in _CALLED.items()}
_ENGINE_ONLY = {
    Sense.OIL_TEMPERATURE, Sense.OIL_PRESSURE, Sense.COOLANT_TEMPERATURE, Sense.COOLANT_PRESSURE, Sense.BOOST_PRESSURE,
    Sense.MANIFOLD_PRESSURE, Sense.AIR_TEMPERATURE, Sense.FUEL_PRESSURE,
}  # fmt: skip
_ELSEWHERE = re.compile("|".join(_NOT_ENGINE))
_OTHER_SPEED = re.compile(r"turb|\bfan\b|pump|shaft|wheel|output|input|altern|\bpto\b|prop|lufter|welle|rad")
_IS_PRESSURE = re.compile(
    r"press|druck|druk|\bpresi|\bcisn|\bp\b|p$|\bmap\b|\beop\b|\bfrp\b|\bccp\b|\bbaro|boost|crank.?case|blow ?by|rail"
)
_IS_TEMPERATURE = re.compile(r"temp|\bt\b|\bect\b|\bclt\b|\biat\b|\begt\b|\beot\b|\bact\b|\bmat\b")
_IS_VOLTS = re.compile(
    r"volt|spann|tension|tensi|napi|\braw\b|signal| u$|vbat|batt|\bu\b|akk|accu|ref|supply|versorg|5 ?v"
)
_FOLDS = str.maketrans({"ł": "l", "ø": "o", "ß": "ss", "đ": "d", "æ": "ae"})
_LAMBDA_UNITS, _ACCELERATION_UNITS = {"λ", "AFR"}, {"m/s²"}


def _words(name: str) -> str:
    """A name in small letters without accents, its words parted by single blanks."""
    plain = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold().translate(_FOLDS)
    plain = "".join(c for c in unicodedata.normalize("NFKD", plain) if not unicodedata.combining(c))
    return " ".join(re.findall(r"[a-z]+|\d+", re.sub(r"[^a-z0-9]+", " ", plain)))


def sense_of(name: str, unit: LogUnit | None) -> Sense:
    """What a channel is of, guessed from its name; `OTHER` where nothing tells, or its unit says otherwise.

    >>> sense_of("Kühlmitteltemperatur", None)
    <Sense.COOLANT_TEMPERATURE: 'coolant temperature'>
    """
    words = _words(name)
    for sense, pattern in _NAMED.items():
        if pattern.search(words) and _fits(sense, unit, words):
            return sense
    is_volts = unit.quantity is Quantity.VOLTAGE if unit is not None else _is_raw(words)
    if is_volts and any(pattern.search(words) for pattern in _NAMED.values()):
        return Sense.SENSOR_VOLTS
    if unit is not None and unit.label in _ACCELERATION_UNITS:
        return Sense.ACCELERATION
    alone = unit is not None and unit.label == "rpm" and " " not in words and not _OTHER_SPEED.search(words)
    return Sense.ENGINE_SPEED if alone else Sense.OTHER


def narrowed(sense: Sense, name: str, unit: LogUnit | None) -> Sense:
    """What was told of a channel, made narrower where its name says which of several things that is."""
    guessed = sense_of(name, unit)
    return guessed if guessed in _NARROWER.get(sense, ()) else sense


def _fits(sense: Sense, unit: LogUnit | None, words: str) -> bool:
    """True where unit and words allow it to be of that."""
    if sense in _ENGINE_ONLY and _ELSEWHERE.search(words):
        return False
    own = _OWN_CHECKS.get(sense)
    if own is not None:
        return own(unit, words)
    if unit is not None:
        return unit.quantity is sense.quantity
    return _is_so_named(sense, words)


def _is_so_named(sense: Sense, words: str) -> bool:
    """True where a name without a unit says that it is of that sense's quantity."""
    quantity = sense.quantity
    if quantity is Quantity.VOLTAGE:
        excluded = re.search(r"temp|curr|strom|charge|load|soc", words) if sense is Sense.BATTERY_VOLTS else None
        return excluded is None and (sense is Sense.BATTERY_VOLTS or _IS_VOLTS.search(words) is not None)
    if _is_raw(words):
        return False
    if quantity is Quantity.PRESSURE:
        return bool(_IS_P.search(words) or (_IS_PRESSURE.search(words) and not _IS_TEMPERATURE.search(words)))
    return quantity is not Quantity.TEMPERATURE or bool(_IS_TEMPERATURE.search(words) and not _IS_P.search(words))


_IN_SHAFTS = re.compile(r"turb|\bfan\b|pump|shaft|altern|\bpto\b")
_NO_WAY = re.compile(r"altitud|height|\bturb|\bfan\b|pump|shaft|engine|motor")
_NO_GEAR = re.compile(r"oil|temp|press|box|ratio")


def _is_of_engine(unit: LogUnit | None, words: str) -> bool:
    return (unit is None or unit.label == "rpm") and not _IN_SHAFTS.search(words)


def _is_of_way(unit: LogUnit | None, words: str) -> bool:
    return (unit is None or unit.label == "km/h") and not _NO_WAY.search(words)


def _is_mixture(unit: LogUnit | None, _words: str) -> bool:
    return unit is None or unit.label in _LAMBDA_UNITS


def _is_acceleration(unit: LogUnit | None, words: str) -> bool:
    return unit.label in _ACCELERATION_UNITS if unit is not None else words != "versnelling"  # a gear alone


def _is_state(unit: LogUnit | None, words: str) -> bool:
    return unit is None and not _NO_GEAR.search(words)


_OWN_CHECKS: Mapping[Sense, Callable[[LogUnit | None, str], bool]] = {
    Sense.ENGINE_SPEED: _is_of_engine,
    Sense.ROAD_SPEED: _is_of_way,
    Sense.WHEEL_SPEED: _is_of_way,
    Sense.SATELLITE_SPEED: _is_of_way,
    Sense.LAMBDA: _is_mixture,
    Sense.ACCELERATION: _is_acceleration,
    Sense.GEAR: _is_state,
    Sense.SWITCH: _is_state,
}


_IS_P = re.compile(r"\bp\b|press|druck|druk")
_RAW = re.compile(r"volt|spannung|spanning|tensi|napi|\braw\b| u$")


def _is_raw(words: str) -> bool:
    """True where the name says that it is a sensor's volts."""
    return _RAW.search(words) is not None


_INDICATOR = re.compile(
    r"\bdash|display|gauge|cluster|anzeige|instrument|combin|cuadro|cruscotto|wskaznik|\bic$|\bic\b|dashboard"
    r"|box 2|gerat 2|modul 2|boitier 2|unita 2"
)
_COUNTS = re.compile(r"\b(\d+|[ab]|left|right|links|rechts)\b")


def is_indicator(name: str) -> bool:
    """True where a channel is what a dash or a second box shows of a value: damped, rounded, and late by nature."""
    return _INDICATOR.search(_words(name)) is not None


def stem_of(name: str) -> str:
    """A name without what tells the second track of a thing from its first: `Throttle 2` and `Throttle B` are both `throttle`."""
    return " ".join(_COUNTS.sub(" ", _INDICATOR.sub(" ", _words(name))).split())
