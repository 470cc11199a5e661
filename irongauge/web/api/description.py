"""What `openapi.json` says of all routes for programs together."""

from irongauge.core.bench.actions import ACTIONS

__all__ = ["DESCRIPTION"]

DESCRIPTION = (
    "Values in answers stand in the fixed unit of their quantity (V, Ω, kPa, °C, m, °, %). A reading may be sent as a "
    'number in that unit or as it would be typed (`"12mV"`, `"4.6 bar"`, `"OL"`). Errors are problem details '
    "(RFC 9457). State-changing requests are JSON.\n\nActions: "
    + "; ".join(f"`{a}` {s.title} ({s.answer}, {s.state})" for a, s in ACTIONS.items())
)
