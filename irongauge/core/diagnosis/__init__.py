"""Model-based diagnosis: which fault explains the readings, and which reading would tell the most.

`subject` says what is known of a circuit, `catalogue` which faults there are and what each changes, `electrical` and
`reluctance` what every check would then read, `session` weighs the readings.
"""

from irongauge.core.diagnosis.catalogue import HEALTHY, faults_of
from irongauge.core.diagnosis.checks import Check, Observation
from irongauge.core.diagnosis.session import Group, Ranked, Session
from irongauge.core.subject import Family, InputKind, KnownInput, Subject

__all__ = [
    "HEALTHY",
    "Check",
    "Family",
    "Group",
    "InputKind",
    "KnownInput",
    "Observation",
    "Ranked",
    "Session",
    "Subject",
    "faults_of",
]
