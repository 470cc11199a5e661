"""Hashing what people come in with, and refusing what anybody would guess.

Argon2id as RFC 9106 recommends it where memory is short (64 MiB, three passes), which takes 100 to 250 ms here. Two at a time
at the most: whoever tries many at once waits, and does not take the machine's memory.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
import unicodedata
from collections.abc import Sequence
from functools import cache
from threading import BoundedSemaphore
from typing import TYPE_CHECKING

from irongauge.core.people.keys import LONGEST_PASSWORD, SHORTEST_PASSWORD
from irongauge.errors import EntryError

if TYPE_CHECKING:
    from argon2 import PasswordHasher

__all__ = ["check_password", "fits", "hash_of", "new_code", "new_token", "spend_time", "token_hash"]


@cache
def _hasher() -> PasswordHasher:
    from argon2 import PasswordHasher

    return PasswordHasher(time_cost=3, memory_cost=65_536, parallelism=1)


_AT_ONCE = BoundedSemaphore(2)
_LEAST_SCORE = 3  # of 4: 10^8 guesses, by zxcvbn's estimate
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is read for another


def _plain(secret: str) -> str:
    return unicodedata.normalize("NFKC", secret)  # one word from two keyboards is one word (ASVS 2.1.4)


def hash_of(secret: str, pepper: str = "") -> str:
    """The hash to keep. `pepper` is the server's own secret: without it a short number cannot be found from its hash."""
    with _AT_ONCE:
        return _hasher().hash(_peppered(secret, pepper))


def fits(kept: str | None, secret: str, pepper: str = "") -> bool:
    """True where `secret` is what `kept` was made of. As slow where nothing is kept, so that time tells nothing."""
    if kept is None:
        spend_time()
        return False
    from argon2.exceptions import InvalidHashError, VerificationError

    with _AT_ONCE:
        try:
            return _hasher().verify(kept, _peppered(secret, pepper))
        except (VerificationError, InvalidHashError):
            return False


def spend_time() -> None:
    """Take as long as a hash does."""
    with _AT_ONCE:
        _hasher().hash("nobody")


def _peppered(secret: str, pepper: str) -> str:
    plain = _plain(secret)
    return hmac.new(pepper.encode(), plain.encode(), hashlib.sha256).hexdigest() if pepper else plain


def check_password(password: str, about: Sequence[str]) -> None:
    """Raise `EntryError` for a password that is too short or easily guessed; `about` are words of the person and the shop."""
    plain = _plain(password)
    if len(plain) < SHORTEST_PASSWORD:
        problem = f"That password has {len(plain)} characters; it needs {SHORTEST_PASSWORD}."
        raise EntryError("password", "", problem, "Four words that do not belong together will do.")
    if len(plain) > LONGEST_PASSWORD:
        raise EntryError("password", "", f"That password has {len(plain)} characters; {LONGEST_PASSWORD} fit here.")
    from zxcvbn import zxcvbn

    words = [part for word in about for part in (word, *word.split())]
    found = zxcvbn(plain[:72], user_inputs=words)
    if found["score"] < _LEAST_SCORE:
        warning = str(found["feedback"]["warning"]).rstrip(".")
        said = f" ({warning[0].lower()}{warning[1:]})" if warning else ""
        raise EntryError(
            "password", "", f"That password is easily guessed{said}.", "Four words that do not belong together will do."
        )


def new_token() -> str:
    """A secret that nobody types: for a cookie, a program, a link."""
    return secrets.token_urlsafe(32)


def new_code() -> str:
    """A secret that somebody reads out or types once: twelve letters and digits (59 bits) in three groups."""
    groups = ("".join(secrets.choice(_LETTERS) for _ in range(4)) for _ in range(3))
    return "-".join(groups)


def token_hash(token: str) -> str:
    """What is kept of a token; it is random and long, so a plain hash will do."""
    return hashlib.sha256(token.encode()).hexdigest()
