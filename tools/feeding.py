"""A feed's network by its nodes, to hold the sums of the program against."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irongauge.core.plan.feeds import Feed

__all__ = ["nodal_v"]


def nodal_v(feed: Feed, amps: Sequence[float]) -> tuple[list[tuple[float, float]], float]:
    """Volts lost at each load's plus and minus, and at the end of the common return: Kirchhoff's currents, one node each.

    Every wire is a conductance A/(ρ·L); a load draws its current out of its plus and into its minus.
    """
    rho = 0.0172 * (1 + 0.00393 * (feed.run.around_degc - 20))
    names = ["split", "join", *(f"{side}{n}" for n in range(len(amps)) for side in "+-")]
    at = {name: n for n, name in enumerate(names)}
    g, drawn = np.zeros((len(names), len(names))), np.zeros(len(names))

    def wire(one: str, other: str, length_m: float, mm2: float) -> None:
        siemens = 1e9 if length_m == 0 else mm2 / (rho * length_m)  # none at all is a bolt
        for a in (one, other):
            if a in at:
                g[at[a], at[a]] += siemens
        if one in at and other in at:
            g[at[one], at[other]] -= siemens
            g[at[other], at[one]] -= siemens

    wire("battery", "split", feed.run.supply_m, feed.run.area_mm2)
    wire("join", "ground", feed.run.return_m, feed.run.area_mm2)
    for n, load in enumerate(feed.loads):
        mm2 = load.branch_mm2 or feed.run.area_mm2
        wire("split", f"+{n}", load.branch_m, mm2)
        if load.own_return:
            wire(f"-{n}", "ground", load.branch_m + feed.run.return_m, mm2)
        else:
            wire(f"-{n}", "join", load.branch_m, mm2)
        drawn[at[f"+{n}"]] -= amps[n]
        drawn[at[f"-{n}"]] += amps[n]
    volts = np.linalg.solve(g, drawn)
    each = [(-float(volts[at[f"+{n}"]]), float(volts[at[f"-{n}"]])) for n in range(len(amps))]
    return each, float(volts[at["join"]])
