"""Direct-current networks, many at once: the circuit laws that predict what a meter or a lamp would show.

A `Network` is built once from branches between named nodes; every value may be a number or an array with one entry per
sample, and all samples are solved together. Sources have a resistance, as real ones do, so that plain nodal analysis is
enough: the unknowns are the node voltages against `GROUND` (battery negative), and each branch adds its current.

    battery ──[0.02 Ω]── supply ──[wire]── pin A ──[sensor]── pin C ──[wire]── input ──[pull-up]── 5 V

Every branch takes more current at more voltage, so the co-content (the sum of each branch's current integrated over its
voltage) is a convex function with one lowest point, and that point is the solution. Newton's method with a step that is
halved until the co-content falls finds it from anywhere. Leaves out everything that changes with time.

Sources: nodal analysis and co-content, Chua, Desoer & Kuh, *Linear and Nonlinear Circuits*, ch. 5 and 7 (after Millar,
1951); damped Newton, Boyd & Vandenberghe, *Convex Optimization*, 9.5; the filament's law I ∝ V^0.55 is the usual
one for tungsten lamps.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from irongauge.errors import IronGaugeError

__all__ = ["GROUND", "Network", "NetworkError", "Solution", "Value"]

GROUND = "0"
Value = float | NDArray[np.float64]

_LEAK_S = 1e-9  # a node that nothing else holds drifts to ground, as a real one does through its insulation
_OVERLOADED_BELOW = 0.8  # of its volts: what is left of a supply that limits
_NOTHING_OHM = 1e12  # a branch that leaks less than every node does
_STEPS = 200  # Newton needs some ten; more means a circuit without a solution
_HALVINGS = 40  # a step of 2⁻⁴⁰ is no step
_FALL = 1e-4  # of what the slope promises: the least by which a step must bring the co-content down
_ROUNDING = 1e-12  # relative, of double precision after some sums
_DONE_V = 1e-5  # far below any meter's last digit
_SHRINK = 0.6  # of the samples still moving: when fewer are left, the settled ones are put aside
_BEND_V = 0.02  # a clamp turns on over this much
_BEND_A = 1e-3  # a limited supply turns off over this much
_FILAMENT_POWER = 0.55  # I ∝ V^0.55 of vacuum incandescent lamps (IES Lighting Handbook, rerating of lamps)
_FILAMENT_COLD = 0.1  # a cold filament has a tenth of its hot resistance


class NetworkError(IronGaugeError):
    """A network has no solution that its laws allow: a fault of whoever built it."""


Volts = NDArray[np.float64]
# At a branch's voltage, each `(n,)`: its co-content in W, its current in A, and the current's derivative in S.
Rows = NDArray[np.int_]
# The samples that the voltages belong to come second.
Law = Callable[[Volts, Rows], tuple[Volts, Volts, Volts]]


@dataclass(frozen=True)
class _Branch:
    """A bent branch from node `a` to `b`. `guess` is a straight one, in siemens and volts, to start the search from."""

    a: str
    b: str
    law: Law
    guess: tuple[Value, Value]
    spice: Callable[[int, str], str]


@dataclass(frozen=True)
class _Supply:
    """A regulated supply, for folding its limit back where it is overloaded; arrays of `(n,)`."""

    node: str
    to: str
    volts: NDArray[np.float64]
    limit_a: NDArray[np.float64]
    fold: NDArray[np.float64]


@dataclass(frozen=True)
class Solution:
    """Node voltages, each `(n,)`, in volts against battery negative."""

    volts: dict[str, NDArray[np.float64]]

    def __getitem__(self, node: str) -> NDArray[np.float64]:
        return self.volts[node]

    def across(self, a: str, b: str) -> NDArray[np.float64]:
        """Volts from one node to another, `(samples,)`."""
        return self.volts[a] - self.volts[b]


class Network:
    """A network in `n` samples. Methods add branches; `solve` gives the node voltages of every sample."""

    def __init__(self, n: int = 1) -> None:
        self.n = n
        self._nodes: dict[str, int] = {}
        self._linear: list[tuple[str, str, NDArray[np.float64], NDArray[np.float64]]] = []
        self._bent: list[_Branch] = []
        self._supplies: list[_Supply] = []

    # Branches

    def resistor(self, a: str, b: str, ohm: Value) -> None:
        """A resistor, wire or joint of `ohm` (positive; very large for an open one)."""
        self._add_linear(a, b, ohm, 0.0)

    def source(self, node: str, volts: Value, ohm: Value, to: str = GROUND) -> None:
        """A source of `volts` behind `ohm`, from `to` up to `node`."""
        self._add_linear(node, to, ohm, volts)

    def lamp(self, a: str, b: str, rated_v: float = 12.0, rated_a: float = 0.12) -> None:
        """An incandescent lamp: its resistance rises with the voltage on it, and so with its heat."""
        hot_ohm = rated_v / rated_a
        power = (1 - _FILAMENT_POWER) / 2
        cold = _FILAMENT_COLD ** (1 / power)  # so that at no voltage the resistance is the cold one

        def law(v: Volts, _rows: Rows) -> tuple[Volts, Volts, Volts]:
            s = (v / rated_v) ** 2 + cold
            conductance = s**-power / hot_ohm
            slope = conductance * (1 - 2 * power * (v / rated_v) ** 2 / s)
            content = rated_v**2 / (2 * hot_ohm * (1 - power)) * s ** (1 - power)
            return content, conductance * v, slope

        def spice(_sample: int, across: str) -> str:
            return f"({across})*((({across})/{rated_v})^2+{cold!r})^(-{power!r})/{hot_ohm!r}"

        self._add_bent(a, b, law, spice, (2 / hot_ohm, 0.0))

    def clamp_above(self, node: str, limit_v: Value, ohm: Value, to: str = GROUND) -> None:
        """A clamp that conducts through `ohm` where `node` rises more than `limit_v` above `to`."""
        self._add_clamp(node, to, limit_v, ohm, 1.0)

    def clamp_below(self, node: str, limit_v: Value, ohm: Value, to: str = GROUND) -> None:
        """A clamp that conducts through `ohm` where `node` falls below `limit_v` against `to`."""
        self._add_clamp(node, to, limit_v, ohm, -1.0)

    def supply(
        self, node: str, volts: Value, ohm: Value, *, limit_a: Value, to: str = GROUND, fold: Value = 1.0
    ) -> None:
        """A regulated supply of `volts` behind `ohm` that gives at most `limit_a` and cannot take current back.

        `fold` is the share of the limit that is left once it is overloaded: 1 for a straight limit, less for one that folds
        back, next to nothing for one that cuts out.
        """
        volts_n, ohm_n, limit_n, fold_n = (self._per_sample(x) for x in (volts, ohm, limit_a, fold))
        limit_n = limit_n.copy()  # folded in place
        self._supplies.append(_Supply(node, to, volts_n, limit_n, fold_n))

        def law(v: Volts, rows: Rows) -> tuple[Volts, Volts, Volts]:
            ohm = ohm_n[rows]
            wanted = (volts_n[rows] - v) / ohm
            on_area, on, on_slope = _ramp(wanted, _BEND_A)
            over_area, over, over_slope = _ramp(wanted - limit_n[rows], _BEND_A)
            return (on_area - over_area) * ohm, over - on, (on_slope - over_slope) / ohm

        def spice(sample: int, across: str) -> str:
            wanted = f"(({float(volts_n[sample])!r}-({across}))/{float(ohm_n[sample])!r})"
            return f"-({_spice_ramp(wanted, _BEND_A)}-{_spice_ramp(f'({wanted}-{float(limit_n[sample])!r})', _BEND_A)})"

        self._add_bent(node, to, law, spice, (1 / ohm_n, volts_n))

    def two_wire(self, a: str, b: str, current_a: Value, least_v: Value, ohm: float) -> None:
        """A sensor that lets `current_a` pass from `a` to `b`: nothing up to `least_v` across it, then more through `ohm`."""
        current_n, least_n = self._per_sample(current_a), self._per_sample(least_v)

        def law(v: Volts, rows: Rows) -> tuple[Volts, Volts, Volts]:
            over = (v - least_n[rows]) / ohm
            on_area, on, on_slope = _ramp(over, _BEND_A)
            full_area, full, full_slope = _ramp(over - current_n[rows], _BEND_A)
            return (on_area - full_area) * ohm, on - full, (on_slope - full_slope) / ohm

        def spice(sample: int, across: str) -> str:
            over = f"((({across})-{float(least_n[sample])!r})/{ohm!r})"
            full = _spice_ramp(f"({over}-{float(current_n[sample])!r})", _BEND_A)
            return f"{_spice_ramp(over, _BEND_A)}-{full}"

        self._add_bent(a, b, law, spice, (1e-4, 0.0))

    # Solving

    def solve(self) -> Solution:
        """Solve all samples. Raises `NetworkError` when some do not settle."""
        base = _Matrix.empty(len(self._nodes), self.n)
        driven = np.zeros((len(self._nodes), self.n))
        for a, b, conductance, volts in self._linear:
            i, j = self._place(a), self._place(b)
            base.stamp(i, j, conductance)
            _inject(driven, i, j, conductance * volts)
        volts = self._newton(base, driven) if self._bent else base.copy().solve(driven.copy())
        for supply in self._supplies:
            self._fold_back(supply, base, driven, volts)
        return Solution({name: volts[place] for name, place in self._nodes.items()} | {GROUND: np.zeros(self.n)})

    def _fold_back(self, supply: _Supply, base: _Matrix, driven: Volts, volts: Volts) -> None:
        """Solve again, with what is left of its limit, the samples in which a supply is overloaded; writes into `volts`.

        A regulator that folds back stays there while its load does, so one look at which are overloaded is enough.
        """
        to = self._place(supply.to)
        across = volts[self._place(supply.node)] - (volts[to] if to >= 0 else 0.0)
        overloaded = (across < _OVERLOADED_BELOW * supply.volts) & (supply.fold < 1) & (supply.volts > 0)
        if not overloaded.any():
            return
        supply.limit_a[overloaded] *= supply.fold[overloaded]
        rows = np.flatnonzero(overloaded)
        volts[:, rows] = self._newton(base.of(overloaded), driven[:, rows], rows, volts[:, rows].copy())

    def _newton(self, base: _Matrix, driven: Volts, rows: Rows | None = None, start: Volts | None = None) -> Volts:
        """Damped Newton on the co-content, all samples at once, each with its own step; settled ones are put aside.

        `rows` are the samples that `base`, `driven` and `start` are of; all of them when left out.
        """
        rows = np.arange(self.n) if rows is None else rows
        found = self._start(base, driven) if start is None else start
        place, volts = np.arange(len(rows)), found
        content, matrix, down = self._slopes(base, driven, volts, rows)
        for _ in range(_STEPS):
            step = matrix.solve(down.copy())
            moved = np.abs(step).max(axis=0)
            share = np.ones(len(rows))
            falling = (down * step).sum(axis=0)
            for _ in range(_HALVINGS):
                tried = self._slopes(base, driven, volts + share * step, rows)
                too_far = tried[0] > content - _FALL * share * falling + _ROUNDING * (1 + np.abs(content))
                if not too_far.any():
                    break
                share[too_far] /= 2
            volts = volts + share * step
            content, matrix, down = tried
            restless = moved >= _DONE_V
            if restless.sum() < _SHRINK * len(rows):
                found[:, place] = volts
                place, rows = place[restless], rows[restless]
                volts, driven, base = volts[:, restless], driven[:, restless], base.of(restless)
                content, matrix, down = content[restless], matrix.of(restless), down[:, restless]
            if not len(rows):
                return found
        msg = f"the network did not settle: a node still moves by {moved.max():.3g} V after {_STEPS} steps"
        raise NetworkError(msg)

    def _start(self, base: _Matrix, driven: Volts) -> Volts:
        """The solution with every bent branch replaced by its straight guess: right already where none is at its bend."""
        matrix, right = base.copy(), driven.copy()
        for branch in self._bent:
            conductance, volts = (self._per_sample(x) for x in branch.guess)
            i, j = self._place(branch.a), self._place(branch.b)
            matrix.stamp(i, j, conductance)
            _inject(right, i, j, conductance * volts)
        return matrix.solve(right)

    def _slopes(self, base: _Matrix, driven: Volts, volts: Volts, rows: Rows) -> tuple[Volts, _Matrix, Volts]:
        """Co-content of the samples `rows`, its second derivative and the way down from here `(k, len(rows))`."""
        matrix = base.copy()
        through = base.times(volts)
        content = 0.5 * (volts * through).sum(axis=0) - (driven * volts).sum(axis=0)
        down = driven - through
        padded = np.concatenate([volts, np.zeros((1, len(rows)))])
        for branch in self._bent:
            i, j = self._place(branch.a), self._place(branch.b)
            area, current, slope = branch.law(padded[i] - padded[j], rows)
            content = content + area
            matrix.stamp(i, j, slope)
            _inject(down, i, j, -current)
        return content, matrix, down

    # As a netlist, for checking against a circuit simulator

    def to_spice(self, sample: int = 0) -> str:
        """One sample as a SPICE netlist: the same laws, written as formulas.

        It starts from rest with a picofarad at each node and prints where that settles, since a plain Newton iteration,
        which such simulators use, does not always find the operating point of sharply bent branches.
        """
        lines = ["iron gauge network"]
        for place, (a, b, conductance, volts) in enumerate(self._linear):
            ohm, source_v = 1 / float(conductance[sample]), float(volts[sample])
            if source_v:
                lines += [f"V{place} s{place} {b} {source_v!r}", f"R{place} {a} s{place} {ohm!r}"]
            else:
                lines.append(f"R{place} {a} {b} {ohm!r}")
        for place, branch in enumerate(self._bent):
            across = f"v({branch.a})-v({branch.b})" if branch.b != GROUND else f"v({branch.a})"
            lines.append(f"B{place} {branch.a} {branch.b} I={branch.spice(sample, across)}")
        for place, name in enumerate(self._nodes):
            lines += [f"RL{place} {name} 0 {1 / _LEAK_S!r}", f"CL{place} {name} 0 1e-12"]
        lines += [".options reltol=1e-6 abstol=1e-12 vntol=1e-8 method=gear", ".control", "tran 0.1m 20m uic"]
        lines += ["let last = length(time) - 1", *(f"print v({name})[last]" for name in self._nodes)]
        return "\n".join([*lines, ".endc", ".end", ""])

    # Bookkeeping

    def _per_sample(self, value: Value) -> NDArray[np.float64]:
        """The value in every sample; an array is taken as it is, since nothing here is written in place."""
        if isinstance(value, np.ndarray) and value.shape == (self.n,) and value.dtype == np.float64:
            return value
        return np.broadcast_to(np.asarray(value, dtype=float), (self.n,)).copy()

    def _place(self, node: str) -> int:
        """The node's row; -1, the padding column, for ground."""
        return -1 if node == GROUND else self._nodes.setdefault(node, len(self._nodes))

    def _add_linear(self, a: str, b: str, ohm: Value, volts: Value) -> None:
        ohm_n = self._per_sample(ohm)
        least_ohm = ohm_n.min()
        if not least_ohm > 0:
            msg = f"the branch from {a} to {b} has {least_ohm:g} Ω; a real one has more than none"
            raise NetworkError(msg)
        self._place(a), self._place(b)
        if least_ohm >= _NOTHING_OHM:
            return  # less than what every node leaks
        self._linear.append((a, b, 1 / ohm_n, self._per_sample(volts)))

    def _add_bent(
        self,
        a: str,
        b: str,
        law: Law,
        spice: Callable[[int, str], str],
        guess: tuple[Value, Value],
    ) -> None:
        self._place(a), self._place(b)
        self._bent.append(_Branch(a, b, law, guess, spice))

    def _add_clamp(self, node: str, to: str, limit_v: Value, ohm: Value, sign: float) -> None:
        limit_n, ohm_n = self._per_sample(limit_v), self._per_sample(ohm)

        def law(v: Volts, rows: Rows) -> tuple[Volts, Volts, Volts]:
            area, over, slope = _ramp(sign * (v - limit_n[rows]), _BEND_V)
            return area / ohm_n[rows], sign * over / ohm_n[rows], slope / ohm_n[rows]

        def spice(sample: int, across: str) -> str:
            over = _spice_ramp(f"({sign!r}*(({across})-({float(limit_n[sample])!r})))", _BEND_V)
            return f"{sign!r}*{over}/{float(ohm_n[sample])!r}"

        self._add_bent(node, to, law, spice, (0.0, 0.0))


class _Matrix:
    """A symmetric matrix of conductances in every sample, of which only the entries that are there are kept.

    Circuits are nearly trees, so elimination in the order of fewest neighbours fills in almost nothing; each of its
    sums runs over all samples at once. The matrix is diagonally dominant, so no pivoting is needed (Golub & Van Loan,
    *Matrix Computations*, 4.1).
    """

    def __init__(self, diagonal: list[Volts], rows: list[dict[int, Volts]]) -> None:
        self._diagonal = diagonal
        self._rows = rows

    @classmethod
    def empty(cls, count: int, n: int) -> _Matrix:
        """`count` nodes that nothing joins, in `n` samples."""
        return cls([np.full(n, _LEAK_S) for _ in range(count)], [{} for _ in range(count)])

    def copy(self) -> _Matrix:
        """A copy whose entries are never written in place, so that they may be shared."""
        return _Matrix(list(self._diagonal), [dict(row) for row in self._rows])

    def of(self, samples: NDArray[np.bool_]) -> _Matrix:
        """The matrix of some of the samples."""
        rows = [{j: entry[samples] for j, entry in row.items()} for row in self._rows]
        return _Matrix([entry[samples] for entry in self._diagonal], rows)

    def stamp(self, i: int, j: int, conductance: Volts) -> None:
        """Add a branch between two nodes; -1 is ground."""
        for node in (i, j):
            if node >= 0:
                self._diagonal[node] = self._diagonal[node] + conductance
        if i >= 0 and j >= 0:
            self._add(i, j, -conductance)

    def _add(self, i: int, j: int, value: Volts) -> None:
        entry = self._rows[i][j] + value if j in self._rows[i] else value
        self._rows[i][j] = self._rows[j][i] = entry

    def times(self, volts: Volts) -> Volts:
        """The product with `volts`, `(k, n)`."""
        product = np.empty_like(volts)
        for i, row in enumerate(self._rows):
            total = self._diagonal[i] * volts[i]
            for j, entry in row.items():
                total += entry * volts[j]
            product[i] = total
        return product

    def solve(self, right: Volts) -> Volts:
        """Volts `(k, n)` at which the product is `right`. Uses up both the matrix and `right`."""
        order, left = [], set(range(len(self._rows)))
        while left:
            node = min(left, key=lambda i: len(self._rows[i]))
            left.remove(node)
            neighbours = list(self._rows[node].items())
            for place, (i, entry) in enumerate(neighbours):
                del self._rows[i][node]
                factor = entry / self._diagonal[node]
                self._diagonal[i] = self._diagonal[i] - factor * entry
                right[i] -= factor * right[node]
                for j, other in neighbours[place + 1 :]:
                    self._add(i, j, -factor * other)
            order.append((node, neighbours))
        for node, neighbours in reversed(order):
            for i, entry in neighbours:
                right[node] -= entry * right[i]
            right[node] /= self._diagonal[node]
        return right


def _inject(right: Volts, i: int, j: int, current: Volts) -> None:
    if i >= 0:
        right[i] += current
    if j >= 0:
        right[j] -= current


def _ramp(x: Volts, bend: float) -> tuple[Volts, Volts, Volts]:
    """max(x, 0) with its corner rounded by a parabola over ± `bend`: the area under it, itself, and its slope."""
    at_bend = np.clip(x + bend, 0.0, 2 * bend)
    beyond = np.maximum(x - bend, 0.0)
    area = at_bend**2 * at_bend / (12 * bend) + beyond * (bend + beyond / 2)
    return area, at_bend**2 / (4 * bend) + beyond, at_bend / (2 * bend)


def _spice_ramp(x: str, bend: float) -> str:
    return f"(min(max({x}+{bend!r},0),{2 * bend!r})^2/{4 * bend!r}+max({x}-{bend!r},0))"
