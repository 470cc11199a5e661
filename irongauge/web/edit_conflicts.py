"""What a card said when its form was made, carried by the form, so that nobody writes over what somebody changed meanwhile."""

from __future__ import annotations

import json
from collections.abc import Mapping

from irongauge.errors import quoted
from irongauge.web.forms import FormState

__all__ = ["SEEN", "changed_meanwhile", "seen_text"]

SEEN = "seen"


def seen_text(values: Mapping[str, str]) -> str:
    """The card's values as the form carries them."""
    return json.dumps(dict(values), ensure_ascii=False, separators=(",", ":"))


def changed_meanwhile(posted: Mapping[str, str], now: Mapping[str, str], state: FormState) -> FormState | None:
    """The form again with what was changed since it was made, beside each field; None where nothing was.

    A form that does not say what it saw is taken as it is: only pages of ours carry it.
    """
    try:
        seen = json.loads(posted.get(SEEN, "") or "null")
    except ValueError:
        seen = None
    if not isinstance(seen, dict):
        return None
    changed = {name for name in {*seen, *now} if str(seen.get(name, "")) != now.get(name, "")}
    if not changed:
        return None
    errors = {}
    for name in changed:
        said = (
            f"Somebody changed this to {quoted(now[name])} meanwhile."
            if now.get(name)
            else "Somebody emptied this meanwhile."
        )
        errors[name] = f"{said} Nothing was written yet: keep yours with the button below, or put theirs."
    return FormState({**state.values, SEEN: seen_text(now)}, {**errors, **state.errors})
