"""Verdicts as they were last concluded, each with a digest of what it follows from."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from irongauge.core.bench.assessment import Verdict, VerdictLevel
from irongauge.store.among import among
from irongauge.store.models import VerdictRow

__all__ = ["VerdictRepository"]


class VerdictRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def of_circuits(self, circuit_uids: Iterable[UUID]) -> dict[UUID, tuple[str, Verdict]]:
        """Digest and verdict of those circuits that have one."""
        columns = VerdictRow.circuit_uid, VerdictRow.facts, VerdictRow.level, VerdictRow.headline, VerdictRow.detail
        query = select(*columns).where(among(VerdictRow.circuit_uid, circuit_uids))
        return {
            uid: (facts, Verdict(VerdictLevel(level), headline, detail))
            for uid, facts, level, headline, detail in self._session.execute(query)
        }

    def keep(self, circuit_uid: UUID, facts: str, verdict: Verdict) -> None:
        """Keep a circuit's verdict in place of the one before."""
        values = {"facts": facts, "level": verdict.level, "headline": verdict.headline, "detail": verdict.detail}
        statement = insert(VerdictRow).values(circuit_uid=circuit_uid, **values)
        self._session.execute(statement.on_conflict_do_update(index_elements=["circuit_uid"], set_=values))
