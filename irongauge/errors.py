"""Every exception that a caller may catch, in one tree.

An exception keeps its data as fields and builds its sentence from them: what happened, with what was given, and what
would do. A sensor outside its limits is a result, not one of these.
"""

from __future__ import annotations

from collections.abc import Sequence

__all__ = [
    "BadFileError",
    "BadListError",
    "ChangedMeanwhileError",
    "EntryError",
    "InstrumentError",
    "IronGaugeError",
    "JobClosedError",
    "NoShopError",
    "NotAllowedError",
    "NotFoundError",
    "NotShownError",
    "RefusedRequestError",
    "SetupError",
    "SignInNeededError",
    "StaleFormError",
    "TooLargeError",
    "as_sentence",
    "quoted",
]

LONGEST_QUOTE = 40
_MEGABYTE = 1_000_000


def quoted(typed: str) -> str:
    """What was typed, short enough to stand inside a sentence."""
    return f"“{typed[:LONGEST_QUOTE]}…”" if len(typed) > LONGEST_QUOTE else f"“{typed}”"


def as_sentence(error: Exception) -> str:
    """What an error of the core says, which begins small and has no full stop, as a sentence for people."""
    said = str(error)
    return f"{said[:1].upper()}{said[1:]}."


class IronGaugeError(Exception):
    """Anything that this application says on purpose."""


class EntryError(IronGaugeError):
    """A field holds something that cannot be used: letters for a number, a negative ohm, a name of 300 characters."""

    def __init__(self, field: str, typed: str, problem: str, would_do: str = "") -> None:
        self.field = field
        self.typed = typed
        self.problem = problem
        self.would_do = would_do
        super().__init__(field, typed, problem, would_do)

    def __str__(self) -> str:
        return f"{self.problem} {self.would_do}".strip()


class BadListError(EntryError):
    """A list that was pasted or handed in has bad lines: all of them are told at once, and nothing of it is taken."""

    def __init__(self, field: str, problems: Sequence[str]) -> None:
        self.problems = tuple(problems)
        super().__init__(field, "", " ".join(self.problems), "Nothing of the list was taken.")

    def __reduce__(self) -> tuple[type[BadListError], tuple[str, tuple[str, ...]]]:
        return type(self), (self.field, self.problems)


class NotShownError(EntryError):
    """Somebody says that the live data reader never shows what is asked: that belongs on the circuit's card."""

    def __init__(self, typed: str) -> None:
        problem = "What the reader never shows says nothing of the circuit, so it is no reading."
        super().__init__("value", typed, problem, "Say it under “What live data shows”; then it is not asked for.")

    def __reduce__(self) -> tuple[type[NotShownError], tuple[str]]:
        return type(self), (self.typed,)


class NotFoundError(IronGaugeError):
    """A link or a program asks for a job, circuit or shelf entry that is not in this shop."""

    def __init__(self, what: str, reference: str) -> None:
        self.what = what
        self.reference = reference
        super().__init__(what, reference)

    def __str__(self) -> str:
        return f"There is no {self.what} {quoted(self.reference)} in this shop. Go back to the Floor and pick it there."


class NoShopError(IronGaugeError):
    """The database is new: nobody has set up a shop in it."""

    def __str__(self) -> str:
        return "No shop has been set up here yet. Open the Floor and answer its three questions first."


class StaleFormError(IronGaugeError):
    """Another tab or person recorded this reading after the page was opened."""

    def __init__(self, what: str, found: str) -> None:
        self.what = what
        self.found = found
        super().__init__(what, found)

    def __str__(self) -> str:
        return (
            f"{self.what} was recorded as {self.found} after this page was opened, so nothing was saved over it. "
            "Your value is still in the field: record it again to set it beside the other, with a reason."
        )


class ChangedMeanwhileError(IronGaugeError):
    """Somebody else changed a card after this page was opened."""

    def __init__(self, what: str) -> None:
        self.what = what
        super().__init__(what)

    def __str__(self) -> str:
        return f"Somebody else changed {self.what} after this page was opened, so nothing was written over it. Look at it again."


class JobClosedError(IronGaugeError):
    """The job has been handed over, so its record is finished."""

    def __init__(self, job: str) -> None:
        self.job = job
        super().__init__(job)

    def __str__(self) -> str:
        return f"{self.job} has been handed over. Reopen it on its Handover sheet before you add anything."


class RefusedRequestError(IronGaugeError):
    """A request that this application will not act on: a form from elsewhere, an expired page."""

    def __init__(self, problem: str, would_do: str) -> None:
        self.problem = problem
        self.would_do = would_do
        super().__init__(problem, would_do)

    def __str__(self) -> str:
        return f"{self.problem} {self.would_do}"


class NotAllowedError(RefusedRequestError):
    """Somebody has come in, but may not do this."""


class SignInNeededError(IronGaugeError):
    """Nobody has come in, or has been away for too long."""

    def __str__(self) -> str:
        return "Come in first: nobody is signed in on this device, or has done nothing for half an hour."


class TooLargeError(IronGaugeError):
    """A form or file is larger than this server takes in."""

    def __init__(self, limit_bytes: int) -> None:
        self.limit_bytes = limit_bytes
        super().__init__(limit_bytes)

    def __str__(self) -> str:
        limit = (
            f"{self.limit_bytes // _MEGABYTE} MB" if self.limit_bytes >= _MEGABYTE else f"{self.limit_bytes // 1000} kB"
        )
        return f"That is larger than the {limit} taken here. Nothing was saved; send a smaller file."


class BadFileError(IronGaugeError):
    """A file that was handed in cannot be read as what it should be."""

    def __init__(self, name: str, problem: str, would_do: str) -> None:
        self.name = name
        self.problem = problem
        self.would_do = would_do
        super().__init__(name, problem, would_do)

    def __str__(self) -> str:
        return f"{quoted(self.name)}: {self.problem} {self.would_do}"


class InstrumentError(RefusedRequestError):
    """A bus or a meter cannot be reached, keeps silent, refuses, is set otherwise, or answers with what is no answer."""


class SetupError(IronGaugeError):
    """The machine is not ready: a busy port, a database that does not start, a full disk."""
