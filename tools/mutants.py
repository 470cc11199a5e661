"""`./iron measure mutants`: how many small changes of the rules the nearest tests notice.

Each mutant is one change of one function (a comparison turned, a number off by one, a line left out). The nearest tests of its
subject run against it; a mutant that passes them all was not noticed. All mutants of what is safe to do to a pin are tried; of
each of the four subjects a sample, drawn with a fixed seed.
"""

from __future__ import annotations

import json
import random
import subprocess
import sys
import tempfile
from pathlib import Path

from tools.figures import Figure

__all__ = ["mutant_figures"]

ROOT = Path(__file__).resolve().parent.parent
SUBJECTS = ("bench", "calibration", "pulses", "plan")
# The functions that decide where the lamp from battery positive may go.
SAFETY = ("is_allowed", "_is_safe_from_positive", "_is_driven", "_lamp_positive_points")
_SEED = 7
_WITHOUT_EFFECT = (None, 33, 34)  # not run; no test reaches it; left out
_NOTICED_LEAST_PCT = 85
_CONFIG = """[mutmut]
source_paths=
    irongauge/
only_mutate=
    {mutated}
also_copy=
    tests/
    tools/
    docs/
    requirements/
    pyproject.toml
pytest_add_cli_args_test_selection=
    {tests}
pytest_add_cli_args=
    -p
    no:xdist
    -o
    disable_test_id_escaping_and_forfeit_all_rights_to_community_support=true
"""


def _copied(to: Path) -> None:
    listed = subprocess.run(
        ["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.split("\0")
    for name in filter(None, listed):
        if (ROOT / name).is_file():
            (to / name).parent.mkdir(parents=True, exist_ok=True)
            (to / name).write_bytes((ROOT / name).read_bytes())


def _run(at: Path, names: list[str]) -> None:
    mutmut = str(Path(sys.executable).parent / "mutmut")
    subprocess.run([mutmut, "run", "--max-children", "2", *names], cwd=at, capture_output=True, check=False)


def _outcomes(at: Path) -> dict[str, int | None]:
    """Exit code of the tests against each mutant that was made; None for one that was not tried."""
    found: dict[str, int | None] = {}
    for path in (at / "mutants").rglob("*.meta"):
        found |= json.loads(path.read_text(encoding="utf-8"))["exit_code_by_key"]
    return found


def _is_of_safety(name: str) -> bool:
    return any(f".sequence.x_{function}__mutmut_" in name for function in SAFETY)


def _tried(subject: str, number: int) -> dict[str, int | None]:
    """Up to `number` mutants of a subject, and all of its safety, with the outcome of each."""
    with tempfile.TemporaryDirectory(prefix="irongauge-mutants-") as folder:
        at = Path(folder)
        _copied(at)
        config = _CONFIG.format(mutated=f"irongauge/core/{subject}/*.py", tests=f"tests/core/{subject}")
        (at / "setup.cfg").write_text(config, encoding="utf-8")
        _run(at, ["none-of-that-name*"])  # only makes them
        made = sorted(_outcomes(at))
        chosen = set(random.Random(_SEED).sample(made, min(number, len(made))))  # noqa: S311  a sample, no secret
        chosen |= {name for name in made if _is_of_safety(name)}
        _run(at, sorted(chosen))
        outcomes = _outcomes(at)
        return {name: outcomes[name] for name in chosen}


def mutant_figures(number: int) -> list[Figure]:
    """The share of mutants that were noticed, in each subject and of the safety of pins; the others by name."""
    figures = []
    for subject in SUBJECTS:
        tried = _tried(subject, number)
        for title, names in (
            (f"mutants of core/{subject} noticed", {n for n in tried if not _is_of_safety(n)}),
            ("mutants of what is safe to do to a pin noticed", {n for n in tried if _is_of_safety(n)}),
        ):
            if not names:
                continue
            missed = sorted(n for n in names if tried[n] == 0 or tried[n] in _WITHOUT_EFFECT)
            for name in missed:
                print(f"not noticed: {name}", file=sys.stderr)
            least = 100 if "safe" in title else _NOTICED_LEAST_PCT
            share = 100 * (len(names) - len(missed)) / len(names)
            figures.append(Figure(f"{title}, of {len(names)}", share, "%", f"at least {least}"))
    return figures
