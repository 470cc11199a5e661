"""Circuits that are left to those who are licensed for them, whatever their sensor is: airbags and belts, and high voltage.

A circuit is known for one by its name, in the languages of the trade, singular and plural; where a name could be something else,
such as the air bags of a suspension, it has to say so. A wrong refusal costs a question; a lamp on a squib can kill.
"""

from __future__ import annotations

import re
import unicodedata
from enum import StrEnum
from functools import lru_cache

__all__ = ["Licence", "licence_of"]


class Licence(StrEnum):
    """Whose work a circuit is."""

    RESTRAINT = "airbags and belts"
    HIGH_VOLTAGE = "high voltage"


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
_FOLDS = str.maketrans({"ł": "l", "ß": "ss", "ø": "o"})


@lru_cache(maxsize=4096)  # the Bench asks for every step that it weighs
def licence_of(name: str) -> Licence | None:
    """Whose work a circuit of that name is; None where it is anybody's.

    >>> licence_of("Side airbags, left"), licence_of("Oil pressure")
    (<Licence.RESTRAINT: 'airbags and belts'>, None)
    """
    folded = unicodedata.normalize("NFKD", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold().translate(_FOLDS))
    words = " ".join(re.findall(r"[a-z0-9]+", "".join(c for c in folded if not unicodedata.combining(c))))
    if _SOMETHING_ELSE.search(words) and "squib" not in words:
        return None
    return next((licence for licence, pattern in _LEFT.items() if pattern.search(words)), None)
