"""Thermocouples by the reference functions of ITS-90: millivolts from a temperature, and back, with the cold junction.

A pair of metals gives `E(T) − E(T_cold)`, where E is the reference function of its kind with 0 °C as its zero and T_cold the
temperature of the terminals at which copper begins. Source of the coefficients: NIST Standard Reference Database 60 (NIST
Monograph 175, 1993), which is IEC 60584-1:2013 too.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from functools import cache

import numpy as np
from numpy.typing import NDArray

__all__ = ["ThermocoupleKind", "ThermocoupleType", "degc_at_mv", "mv_at_degc", "range_degc", "uv_per_k_at"]

_LAST_DIGIT_MV = 1e-3  # of the printed tables: an end that is rounded is an end
_GRID_K = 1.0  # between the points of a kind on arrays; a straight line there is off by less than 0.003 K
_CLOSE_K = 1e-7  # halving stops there: nothing measures so finely


class ThermocoupleType(StrEnum):
    """The pairs of metals by their letters."""

    K = "K"
    J = "J"
    T = "T"
    E = "E"
    N = "N"
    R = "R"
    S = "S"
    B = "B"


@dataclass(frozen=True)
class _Piece:
    """mV as a polynomial of °C from `low` to `high`, lowest power first, and for K a bump `a·exp(b·(t − c)²)`."""

    low: float
    high: float
    powers: tuple[float, ...]
    bump: tuple[float, ...]

    def mv(self, degc: float) -> float:
        total = 0.0
        for power in reversed(self.powers):
            total = total * degc + power
        if self.bump:
            a, b, c = self.bump
            total += a * math.exp(b * (degc - c) ** 2)
        return total


# fmt: off
_PIECES: dict[str, tuple[_Piece, ...]] = {
    "B": (
        _Piece(0.0, 630.615, (
            0.0, -0.00024650818346, 5.9040421171e-06, -1.3257931636e-09, 1.5668291901e-12, -1.694452924e-15,
            6.2990347094e-19,
        ), ()),
        _Piece(630.615, 1820.0, (
            -3.8938168621, 0.02857174747, -8.4885104785e-05, 1.5785280164e-07, -1.6835344864e-10, 1.1109794013e-13,
            -4.4515431033e-17, 9.8975640821e-21, -9.3791330289e-25,
        ), ()),
    ),
    "E": (
        _Piece(-270.0, 0.0, (
            0.0, 0.058665508708, 4.5410977124e-05, -7.7998048686e-07, -2.5800160843e-08, -5.9452583057e-10,
            -9.3214058667e-12, -1.0287605534e-13, -8.0370123621e-16, -4.3979497391e-18, -1.6414776355e-20,
            -3.9673619516e-23, -5.5827328721e-26, -3.4657842013e-29,
        ), ()),
        _Piece(0.0, 1000.0, (
            0.0, 0.05866550871, 4.5032275582e-05, 2.8908407212e-08, -3.3056896652e-10, 6.502440327e-13,
            -1.9197495504e-16, -1.2536600497e-18, 2.1489217569e-21, -1.4388041782e-24, 3.5960899481e-28,
        ), ()),
    ),
    "J": (
        _Piece(-210.0, 760.0, (
            0.0, 0.050381187815, 3.047583693e-05, -8.568106572e-08, 1.3228195295e-10, -1.7052958337e-13,
            2.0948090697e-16, -1.2538395336e-19, 1.5631725697e-23,
        ), ()),
        _Piece(760.0, 1200.0, (
            296.45625681, -1.4976127786, 0.0031787103924, -3.1847686701e-06, 1.5720819004e-09, -3.0691369056e-13,
        ), ()),
    ),
    "K": (
        _Piece(-270.0, 0.0, (
            0.0, 0.039450128025, 2.3622373598e-05, -3.2858906784e-07, -4.9904828777e-09, -6.7509059173e-11,
            -5.7410327428e-13, -3.1088872894e-15, -1.0451609365e-17, -1.9889266878e-20, -1.6322697486e-23,
        ), ()),
        _Piece(0.0, 1372.0, (
            -0.017600413686, 0.038921204975, 1.8558770032e-05, -9.9457592874e-08, 3.1840945719e-10,
            -5.6072844889e-13, 5.6075059059e-16, -3.2020720003e-19, 9.7151147152e-23, -1.2104721275e-26,
        ), (0.1185976, -0.0001183432, 126.9686)),
    ),
    "N": (
        _Piece(-270.0, 0.0, (
            0.0, 0.026159105962, 1.0957484228e-05, -9.3841111554e-08, -4.6412039759e-11, -2.6303357716e-12,
            -2.2653438003e-14, -7.6089300791e-17, -9.3419667835e-20,
        ), ()),
        _Piece(0.0, 1300.0, (
            0.0, 0.025929394601, 1.571014188e-05, 4.3825627237e-08, -2.5261169794e-10, 6.4311819339e-13,
            -1.0063471519e-15, 9.9745338992e-19, -6.0863245607e-22, 2.0849229339e-25, -3.0682196151e-29,
        ), ()),
    ),
    "R": (
        _Piece(-50.0, 1064.18, (
            0.0, 0.00528961729765, 1.39166589782e-05, -2.38855693017e-08, 3.56916001063e-11, -4.62347666298e-14,
            5.00777441034e-17, -3.73105886191e-20, 1.57716482367e-23, -2.81038625251e-27,
        ), ()),
        _Piece(1064.18, 1664.5, (
            2.95157925316, -0.00252061251332, 1.59564501865e-05, -7.64085947576e-09, 2.05305291024e-12,
            -2.93359668173e-16,
        ), ()),
        _Piece(1664.5, 1768.1, (
            152.232118209, -0.268819888545, 0.000171280280471, -3.45895706453e-08, -9.34633971046e-15,
        ), ()),
    ),
    "S": (
        _Piece(-50.0, 1064.18, (
            0.0, 0.00540313308631, 1.2593428974e-05, -2.32477968689e-08, 3.22028823036e-11, -3.31465196389e-14,
            2.55744251786e-17, -1.25068871393e-20, 2.71443176145e-24,
        ), ()),
        _Piece(1064.18, 1664.5, (
            1.32900444085, 0.00334509311344, 6.54805192818e-06, -1.64856259209e-09, 1.29989605174e-14,
        ), ()),
        _Piece(1664.5, 1768.1, (
            146.628232636, -0.258430516752, 0.000163693574641, -3.30439046987e-08, -9.43223690612e-15,
        ), ()),
    ),
    "T": (
        _Piece(-270.0, 0.0, (
            0.0, 0.038748106364, 4.4194434347e-05, 1.1844323105e-07, 2.0032973554e-08, 9.0138019559e-10,
            2.2651156593e-11, 3.6071154205e-13, 3.8493939883e-15, 2.8213521925e-17, 1.4251594779e-19,
            4.8768662286e-22, 1.079553927e-24, 1.3945027062e-27, 7.9795153927e-31,
        ), ()),
        _Piece(0.0, 400.0, (
            0.0, 0.038748106364, 3.329222788e-05, 2.0618243404e-07, -2.1882256846e-09, 1.0996880928e-11,
            -3.0815758772e-14, 4.547913529e-17, -2.7512901673e-20,
        ), ()),
    ),
}
# fmt: on
# B falls at first: below 42 °C two temperatures give the same millivolts, so it is read from there on only.
_B_TURNS_DEGC = 42.0


def range_degc(kind: ThermocoupleType) -> tuple[float, float]:
    """Least and greatest temperature of a kind's reference function, in °C, as far as it tells one temperature."""
    pieces = _PIECES[kind]
    low = _B_TURNS_DEGC if kind is ThermocoupleType.B else max(pieces[0].low, -250.0)
    return low, pieces[-1].high


def _zeroed_mv(kind: ThermocoupleType, degc: float) -> float:
    pieces = _PIECES[kind]
    if not pieces[0].low <= degc <= pieces[-1].high:
        msg = f"type {kind} is defined from {pieces[0].low:g} to {pieces[-1].high:g} °C, not at {degc:.4g} °C"
        raise ValueError(msg)
    return next(piece for piece in pieces if degc <= piece.high).mv(degc)


def mv_at_degc(kind: ThermocoupleType, degc: float, cold_degc: float = 0.0) -> float:
    """Millivolts of a junction at `degc` whose terminals stand at `cold_degc`; `ValueError` outside the kind's range.

    >>> round(mv_at_degc(ThermocoupleType.K, 100.0), 3)
    4.096
    """
    return _zeroed_mv(kind, degc) - _zeroed_mv(kind, cold_degc)


def degc_at_mv(kind: ThermocoupleType, mv: float, cold_degc: float = 0.0) -> float:
    """The temperature behind millivolts measured at terminals of `cold_degc`; `ValueError` where the kind gives no such volts.

    The function rises throughout its range, so that halving finds the one temperature.

    >>> round(degc_at_mv(ThermocoupleType.K, 4.096), 1)
    100.0
    """
    wanted = mv + _zeroed_mv(kind, cold_degc)
    low, high = range_degc(kind)
    if not _zeroed_mv(kind, low) - _LAST_DIGIT_MV <= wanted <= _zeroed_mv(kind, high) + _LAST_DIGIT_MV:
        least, most = (mv_at_degc(kind, end, cold_degc) for end in (low, high))
        msg = (
            f"type {kind} gives {least:.3f} to {most:.3f} mV with its terminals at {cold_degc:g} °C, never {mv:.4g} mV"
        )
        raise ValueError(msg)
    while high - low > _CLOSE_K:
        middle = (low + high) / 2
        low, high = (middle, high) if _zeroed_mv(kind, middle) < wanted else (low, middle)
    return (low + high) / 2


def uv_per_k_at(kind: ThermocoupleType, degc: float) -> float:
    """Microvolts per kelvin there, over half a kelvin either way; at an end of the range, inwards."""
    low, high = range_degc(kind)
    before, after = max(degc - 0.5, low), min(degc + 0.5, high)
    return 1000 * (_zeroed_mv(kind, after) - _zeroed_mv(kind, before)) / (after - before)


@dataclass(frozen=True)
class ThermocoupleKind:
    """The pair of metals on a sensor's card: by its letter, or where it has none by microvolts per kelvin.

    With a letter the volts follow its reference function; without one they are a straight line through 0 °C.
    """

    uv_per_k: float | None = None
    letter: ThermocoupleType | None = None

    def __post_init__(self) -> None:
        if (self.uv_per_k is None) == (self.letter is None):
            msg = "a thermocouple has its letter, or microvolts per kelvin where it has none"
            raise ValueError(msg)
        if self.uv_per_k is not None and self.uv_per_k <= 0:
            msg = "a thermocouple gives positive microvolts per kelvin"
            raise ValueError(msg)

    def mv_at(self, degc: NDArray[np.float64]) -> NDArray[np.float64]:
        """Millivolts against 0 °C at temperatures of shape (n,); beyond the kind's range those at its end."""
        if self.letter is None:
            return degc * (self.uv_per_k or 0.0) / 1000
        return np.interp(degc, *_grid(self.letter))

    def degc_at(self, mv: NDArray[np.float64]) -> NDArray[np.float64]:
        """Temperatures at millivolts against 0 °C, both of shape (n,); the inverse of `mv_at`."""
        if self.letter is None:
            return mv * 1000 / (self.uv_per_k or 1.0)
        temperatures_degc, millivolts = _grid(self.letter)
        return np.interp(mv, millivolts, temperatures_degc)


@cache
def _grid(kind: ThermocoupleType) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Temperatures over a kind's range and the millivolts there, both rising."""
    low, high = range_degc(kind)
    temperatures_degc = np.linspace(low, high, round((high - low) / _GRID_K) + 1)
    return temperatures_degc, np.array([_zeroed_mv(kind, degc) for degc in temperatures_degc])
