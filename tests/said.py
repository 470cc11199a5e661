"""What the core says, as text that a person can read and approve: every field of an answer, numbers to five figures.

A test compares it with the file that was approved, `tests/data/said/NAME.txt`. When something is meant to be said otherwise,
`python -m tests.said` writes the files anew, and the difference is read before it is committed.
"""

from __future__ import annotations

import importlib
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import fields, is_dataclass
from enum import Enum
from pathlib import Path
from uuid import UUID

import numpy as np

HERE = Path(__file__).parent / "data" / "said"
MODULES = ("tests.core.bench.test_said", "tests.core.calibration.test_said", "tests.core.pulses.test_said")
_ROUNDING = 1e-9  # smaller is what is left of a sum, and differs from machine to machine
_PLAIN = (str, int, bool, type(None))


def said(thing: object, indent: str = "") -> Iterator[str]:  # noqa: C901  one branch for each kind of thing
    """Lines of text: one for each field, its own fields below it."""
    if isinstance(thing, Enum):
        yield f"{indent}{thing.value}"
    elif isinstance(thing, float | np.floating):
        yield f"{indent}{float(thing) if abs(thing) > _ROUNDING else 0.0:.5g}"
    elif isinstance(thing, _PLAIN):
        yield f"{indent}{thing}"
    elif isinstance(thing, UUID):
        yield f"{indent}(identity)"
    elif is_dataclass(thing):
        for field in fields(thing):
            yield from _named(field.name, getattr(thing, field.name), indent)
    elif isinstance(thing, Mapping):
        for name, value in thing.items():
            yield from _named(str(name), value, indent)
    elif isinstance(thing, np.ndarray):
        yield from said(thing.tolist() if thing.size < 12 else f"{thing.size} numbers", indent)
    elif isinstance(thing, Sequence):
        for each in thing:
            inner = list(said(each))
            yield from (f"{indent}{'- ' if n == 0 else '  '}{line}" for n, line in enumerate(inner))
    else:
        yield f"{indent}{type(thing).__name__}"


def _named(name: str, value: object, indent: str) -> Iterator[str]:
    inner = list(said(value))
    if len(inner) == 1 and not inner[0].startswith("- "):
        yield f"{indent}{name}: {inner[0]}"
        return
    yield f"{indent}{name}:"
    yield from (f"{indent}  {line}" for line in inner)


def text_of(cases: Mapping[str, object]) -> str:
    """Every case under its name."""
    parts = ["\n".join([f"# {name}", *said(thing)]) for name, thing in cases.items()]
    return "\n\n".join(parts) + "\n"


def approved(name: str) -> str:
    return (HERE / f"{name}.txt").read_text(encoding="utf-8")


def write() -> None:
    for module in MODULES:
        name, cases = importlib.import_module(module).SAID
        made: Callable[[], Mapping[str, object]] = cases
        (HERE / f"{name}.txt").write_text(text_of(made()), encoding="utf-8")


if __name__ == "__main__":
    sys.exit(write())
