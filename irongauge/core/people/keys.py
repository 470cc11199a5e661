"""What a password and a number to change hands must be, and how often one may guess.

The rules are those of OWASP ASVS 4.0.3, level 2, chapters 2.1, 2.2 and 3.3: length counts, not kinds of characters; what is
commonly used is refused; guessing is slowed for who guesses, never for who is guessed.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime, timedelta

__all__ = [
    "IDLE",
    "INVITED",
    "LONGEST_PASSWORD",
    "MOST_AN_HOUR",
    "PIN_TRIES",
    "PIN_TRIES_IN_ALL",
    "SEEN_EVERY",
    "SESSION",
    "SHORTEST_PASSWORD",
    "TABLET_CODE",
    "TRUSTED",
    "pin_problem",
    "wait_s",
]

SHORTEST_PASSWORD, LONGEST_PASSWORD = 12, 128  # ASVS 2.1.1 and 2.1.2
IDLE = timedelta(minutes=30)  # ASVS 3.3.2
SEEN_EVERY = timedelta(minutes=1)  # a stay’s last sign of life is written no more often
SESSION = timedelta(hours=12)  # a long day; ASVS 3.3.2
TRUSTED = timedelta(days=90)  # a tablet of the shop
INVITED = timedelta(days=7)  # for the code that somebody new comes in with
PIN_TRIES = 5  # wrong ones at one person's number on one tablet, before the password is asked for
PIN_TRIES_IN_ALL = 10  # and on all tablets together, within a day
MOST_AN_HOUR = 100  # guesses at one name, or from one address: ASVS 2.2.1
TABLET_CODE = timedelta(minutes=30)  # for a foreman's code that makes a tablet one of the shop

_GUESSES, _WITHIN, _LONGEST_WAIT_S = 5, timedelta(minutes=15), 900.0  # ASVS 2.2.1 asks for at most 100 an hour
_EASY = {"123456", "654321", "121212", "112233", "1234567", "12345678", "7654321", "87654321"}


def pin_problem(pin: str) -> str | None:
    """Why this cannot be the number that somebody changes hands with on the shop's tablet; None where it can."""
    if not re.fullmatch(r"[0-9]{6,8}", pin):
        return "The number has 6 to 8 digits."
    if pin in _EASY or len(set(pin)) == 1 or pin in "0123456789" * 2 or pin[::-1] in "0123456789" * 2:
        return "That number is the first that anybody would try."
    return None


def wait_s(failures: Sequence[datetime], now: datetime) -> float:
    """Seconds until one place may guess at one name again, after wrong guesses at those moments.

    Five are free. Each further one within a quarter of an hour doubles the wait, up to a quarter of an hour: no more than some
    twenty an hour (ASVS 2.2.1 allows a hundred).
    """
    recent = sorted(moment for moment in failures if now - moment < _WITHIN)
    over = len(recent) - _GUESSES
    if over < 0:
        return 0.0
    until = recent[-1] + timedelta(seconds=min(_LONGEST_WAIT_S, 15.0 * 2.0**over))
    return max(0.0, (until - now).total_seconds())
