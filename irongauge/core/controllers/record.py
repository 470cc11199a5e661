"""Cross-checks and controller entries as they are kept with a circuit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from irongauge.core.controllers.cross_checks import CrossVerdict
from irongauge.core.measure.units import PressureBase

__all__ = ["KeptCheck", "KeptEntry"]


@dataclass(frozen=True)
class KeptCheck:
    """What a cross-check found, and the text of every field that it was found from."""

    uid: UUID
    verdict: CrossVerdict
    given: Mapping[str, Any]
    technician_uid: UUID
    taken_at: datetime


@dataclass(frozen=True, kw_only=True)
class KeptEntry:
    """An entry in a controller: where it stands, its form and figures as they were typed, and the unit it is believed in.

    `figures` is None for an entry that is no longer there.
    """

    uid: UUID
    name: str
    figures: Mapping[str, Any] | None
    unit: str
    base: PressureBase | None
    technician_uid: UUID
    entered_at: datetime
