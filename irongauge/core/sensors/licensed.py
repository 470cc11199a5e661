"""Circuits that are left to those who are licensed for them: of airbags and belts, high voltage, brakes and steering.

What a circuit is part of stands on its card. Where nobody said it, its name tells, in the languages of the trade, singular and
plural; where a name could be something else, such as the air bags of a suspension, it has to say so. A gauge's own sensor in a
brake line is no part of the brakes, which a person can say; that an airbag is none, nobody can. A wrong refusal costs a question;
a lamp on a squib can kill.
"""

from __future__ import annotations

import re
import unicodedata
from enum import StrEnum
from functools import lru_cache

__all__ = ["Licence", "PartOf", "licence_of"]


class Licence(StrEnum):
    """Whose work a circuit is."""

    RESTRAINT = "airbags and belts"
    HIGH_VOLTAGE = "high voltage"
    BRAKES = "brakes"
    STEERING = "steering"

    @property
    def can_be_denied(self) -> bool:
        """True where a name alone does not settle it: a person may say that a circuit is no part of it."""
        return self in {Licence.BRAKES, Licence.STEERING}


class PartOf(StrEnum):
    """What a circuit's card says that it is part of."""

    NOT_TOLD = "not told"
    NOTHING = "none of these"
    RESTRAINT = "airbags and belts"
    HIGH_VOLTAGE = "high voltage"
    BRAKES = "brakes"
    STEERING = "steering"


# Words without accents, in English, German, French, Spanish, Dutch, Italian and Polish.
_RESTRAINT = (
    r"\w*air ?bags?",
    r"srs",
    r"squibs?",
    r"restraints?",
    r"pretension\w*",
    r"pre tension\w*",
    r"(seat ?)?belt (buckle|tension|lock|retract)\w*",
    r"seat ?belts?",
    r"(crash|impact|rollover|roll over|occupan\w+) (sensor|switch|detect|classif|mat)\w*",
    r"inflators?",
    r"pyro\w*",
    r"curtain (bag|air|inflat)\w*",
    r"knee bag\w*",
    r"prallsa\w+",
    r"luftsa\w+",
    r"ruckhalte\w*",
    r"gurt\w*",
    r"sicherheitsgurt\w*",
    r"crashsensor\w*",
    r"zundpille\w*",
    r"(coussins?|sacs?) gonflables?",
    r"ceintures?",
    r"pretendeurs?",
    r"tendeurs? de ceinture",
    r"capteurs? (de choc|d impact)",
    r"bolsas? de aire",
    r"cintur\w+",
    r"pretensor\w*",
    r"sensor(es)? de (choque|impacto)",
    r"gordel\w*",
    r"botssensor\w*",
    r"cintura di sicurezza",
    r"pretensionator\w*",
    r"poduszk\w+ (powietrzn|gaz)\w+",
    r"napinacz\w* pas\w*",
    r"pas(y|ow) bezpiecz\w*",
)
_HIGH_VOLTAGE = (
    r"high ?volt\w*",
    r"hv",
    r"h v",
    r"traction batter\w*",
    r"hvil",
    r"high ?voltage interlock",
    r"drive inverter\w*",
    r"traction (motor|inverter)\w*",
    r"hochvolt\w*",
    r"hochspannung\w*",
    r"traktionsbatter\w*",
    r"haute tension",
    r"batterie de traction",
    r"alta tension",
    r"alto voltaje",
    r"bateria de traccion",
    r"hoogspanning\w*",
    r"tractiebatter\w*",
    r"alta tensione",
    r"wysoki\w+ napieci\w+",
    r"(400|600|650|700|750|800) ?v",
)
_BRAKES = (
    r"\w*(brake|braking)\w*",
    r"(abs|ebs) (wheel|ring|tone|sensor|module|pump|valve|unit|speed|lamp|hydraul)\w*",
    r"\w*brems\w*",
    r"\w*frein\w*",
    r"freno\w*",
    r"frenad\w*",
    r"freni",
    r"frenata",
    r"rem",
    r"(hand|parkeer|voet|bedrijfs)?rem(men|druk\w*|pedaal\w*|leiding\w*|vloeistof\w*|kracht\w*|cilinder\w*|slang\w*)",
    r"(hand|parkeer|voet|bedrijfs)rem",
    r"\w*hamul\w*",
)
_STEERING = (
    r"steer\w*",
    r"\w*lenk(ung|winkel|rad|saule|hilfe|druck|moment|getriebe|pumpe|kraft|achse)\w*",
    r"lenk(ung)?",
    r"direction assistee",
    r"(colonne|angle|couple|cremaillere|boitier|pompe|pression) de (la )?direction",
    r"volant",
    r"direccion (asistida|hidraulica|electrica)",
    r"(columna|angulo|par|presion|caja|bomba|cremallera) de (la )?direccion",
    r"(angulo|sensor|par) del volante",
    r"stuur(bekrachtiging|hoek|kolom|druk|huis|inrichting|wiel|pomp|koppel)\w*",
    r"\w*sterzo",
    r"\w*kierownic\w*",
    r"wspomagan\w*",
    r"ukladu? kierowniczego",
)
# What slows or turns something else than the vehicle, and lamps.
_OTHER_BRAKES = re.compile(
    r"\b(exhaust|engine|motor|winch|slew\w*|pto|drum|rotor|spindle|saw|dyno|test stand|retarder) brak\w+"
    r"|\b(motor|auspuff)brem\w+|\bbrak(e|ing) (light|lamp|stand|dyno)\w*|\bbremslicht\w*"
    r"|\bfrein moteur|\bfreno motor|\bmotorrem\b|\bunbrak\w+"
)
_OTHER_STEERING = re.compile(
    r"\bsteering wheel (button|switch|heat|audio|remote|control)\w*|\bself steer\w*|\bvolant moteur"
)
# At the head of a name it is the brakes'; behind a pressure it says absolute.
_ABS_FIRST = re.compile(r"(abs|ebs)\b(?! (pressure|kpa|bar|psi))")
# The same words of something else: air springs, belts that drive, ropes and curtains of a load.
_SOMETHING_ELSE = re.compile(
    r"\b(suspension|air spring|bellows?|axle|ride height|levelling|leveling|drive belt|fan belt|v belt|alternator|serpentine"
    r"|timing belt|conveyor|pto|load restraint|load|keilriemen|luftfeder\w*|courroie|correa|band|curtain ?side\w*|ignition"
    r"|coil)\b"
)
_LEFT = {
    Licence.RESTRAINT: re.compile(rf"\b({'|'.join(_RESTRAINT)})\b"),
    Licence.HIGH_VOLTAGE: re.compile(rf"\b({'|'.join(_HIGH_VOLTAGE)})\b"),
}
_ASKED = {
    Licence.BRAKES: re.compile(rf"\b({'|'.join(_BRAKES)})\b"),
    Licence.STEERING: re.compile(rf"\b({'|'.join(_STEERING)})\b"),
}
_FOLDS = str.maketrans({"ł": "l", "ß": "ss", "ø": "o"})


@lru_cache(maxsize=4096)  # the Bench asks for every step that it weighs
def licence_of(name: str, part_of: PartOf = PartOf.NOT_TOLD) -> Licence | None:
    """Whose work a circuit of that name is, and of what its card says; None where it is anybody's.

    >>> licence_of("Side airbags, left"), licence_of("Oil pressure")
    (<Licence.RESTRAINT: 'airbags and belts'>, None)
    >>> licence_of("Brake line pressure"), licence_of("Brake line pressure", PartOf.NOTHING)
    (<Licence.BRAKES: 'brakes'>, None)
    """
    named = _named(name)
    if named is not None and not named.can_be_denied:
        return named
    if part_of is PartOf.NOT_TOLD:
        return named
    return None if part_of is PartOf.NOTHING else Licence(part_of.value)


def _named(name: str) -> Licence | None:
    """What a name tells by itself."""
    folded = unicodedata.normalize("NFKD", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold().translate(_FOLDS))
    words = " ".join(re.findall(r"[a-z0-9]+", "".join(c for c in folded if not unicodedata.combining(c))))
    if not _SOMETHING_ELSE.search(words) or "squib" in words:
        left = next((licence for licence, pattern in _LEFT.items() if pattern.search(words)), None)
        if left is not None:
            return left
    if _ABS_FIRST.match(words) or _ASKED[Licence.BRAKES].search(_OTHER_BRAKES.sub(" ", words)):
        return Licence.BRAKES
    return Licence.STEERING if _ASKED[Licence.STEERING].search(_OTHER_STEERING.sub(" ", words)) else None
