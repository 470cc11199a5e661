"""A shop's own health rules beside those that ship, and what a rule would have said of old logs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from irongauge.core.traces.findings import LogFinding
from irongauge.core.traces.record import KeptLog, KeptRule, LogState
from irongauge.core.traces.rules import SHIPPED_RULES, HealthRule, apply_rules, channels_lacking, when_from
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.workflows.shop.shelf import named
from irongauge.workflows.shop.view import require_shop
from irongauge.workflows.trace.logs import log_of

__all__ = ["RulesView", "Tried", "add_rule", "dry_run", "look_at_rules", "remove_rule"]

_MOST_TRIED, _MOST_RULES = 12, 100


@dataclass(frozen=True)
class RulesView:
    """Rules that ship, and the shop's own."""

    shipped: tuple[HealthRule, ...]
    own: tuple[KeptRule, ...]


@dataclass(frozen=True)
class Tried:
    """What a rule says of a log; None where it does not hold there, `lacks` where the log has none of a channel of its own."""

    log: KeptLog
    finding: LogFinding | None
    lacks: tuple[str, ...]


def look_at_rules(database: Database) -> RulesView:
    with database.unit() as store:
        return RulesView(SHIPPED_RULES, store.traces.rules(require_shop(store).uid))


def add_rule(database: Database, rule: KeptRule) -> None:
    """Keep a rule; logs that are judged from now on are held against it."""
    with named("uq_health_rule_shop_uid_name", "name", rule.name, "a rule"), database.unit() as store:
        shop = require_shop(store)
        if len(store.traces.rules(shop.uid)) >= _MOST_RULES:
            raise EntryError(
                "name", rule.name, f"There are {_MOST_RULES} rules, which are the most.", "Remove one first."
            )
        store.traces.add_rule(shop.uid, rule)


def remove_rule(database: Database, uid: UUID) -> None:
    with database.unit() as store:
        store.traces.remove_rule(require_shop(store).uid, uid)


def dry_run(database: Database, when: str) -> tuple[Tried, ...]:
    """What a rule would have said of the newest logs. `EntryError` where it cannot be read."""
    asked = when_from(when)
    rule = HealthRule(name="tried", when=when, means="it holds", check="")
    found = []
    with database.unit() as store:
        logs = [log for log in store.traces.logs(None, 3 * _MOST_TRIED) if log.state is LogState.READY][:_MOST_TRIED]
        for kept in logs:
            whole = store.traces.log(kept.uid)
            lacks = channels_lacking(asked, [(c.name, c.sense) for c in whole.channels])
            asked_for = tuple(c for c in whole.channels if {c.name.casefold(), str(c.sense)} & set(asked.channels))
            told = () if lacks else apply_rules(log_of(store, replace(whole, channels=asked_for)), [rule])
            found.append(Tried(kept, told[0] if told else None, lacks))
    return tuple(found)
