"""`./iron test`: format, lint, types, import arrows, then every test. Stops at nothing; fails if anything does.

`./iron test quick` is for between two thoughts: format, lint, types, and of the core and the formats what is quick.

The last line counts checks and tests together, so that a run that tested nothing cannot look like one that passed.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
import xml.etree.ElementTree as ET
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
WEB = ROOT / "irongauge" / "web"
BESIDE = Path(sys.executable).parent  # where the tools that are no Python modules are installed
PYTHON = str(sys.executable)
GATES = (
    ("format", [PYTHON, "-m", "ruff", "format", "--check", "--quiet", "."]),
    ("lint", [PYTHON, "-m", "ruff", "check", "--quiet", "."]),
    ("types", [PYTHON, "-m", "mypy"]),
    (
        "import arrows",
        [PYTHON, "-c", "from importlinter.cli import lint_imports_command; lint_imports_command()", "--no-cache"],
    ),
    ("templates", [str(BESIDE / "djlint"), str(WEB), "--lint", "--quiet"]),
    ("styles' format", [str(BESIDE / "biome"), "format", str(WEB / "static")]),
    ("scripts and styles", [str(BESIDE / "biome"), "lint", "--error-on-warnings", str(WEB / "static")]),
)


QUICK_GATES = {"format", "lint", "types"}
# Files of the core and the formats whose tests solve many circuits, weigh many logs, or need a database.
LONG = (
    "bench/test_any_readings.py", "bench/test_conclusions.py", "bench/test_on_the_way.py", "bench/test_reach.py",
    "bench/test_reader_on_the_bench.py", "bench/test_reasoning.py", "bench/test_safety.py", "bench/test_wiring.py",
    "bench/test_healthy.py", "bench/test_assessment.py", "diagnosis/test_diagnosis.py", "diagnosis/test_network.py",
    "diagnosis/test_strategy.py", "pulses/test_field_waves.py", "traces/test_judging.py", "traces/test_normals.py",
    "traces/test_rules.py", "work/test_order.py",
)  # fmt: skip


def quick_tests() -> list[str]:
    """The arguments that leave out what takes long."""
    long = [f"--ignore=tests/core/{name}" for name in LONG]
    return ["tests/core", "tests/formats", "--ignore=tests/formats/test_job_files.py", *long]


def run_gate(name: str, line: list[str]) -> bool:
    done = subprocess.run(line, cwd=ROOT, capture_output=True, text=True, check=False)
    print(f"{name}: {'passed' if done.returncode == 0 else 'FAILED'}", flush=True)
    if done.returncode != 0:
        print(done.stdout + done.stderr, flush=True)
    return done.returncode == 0


def run_tests(arguments: list[str]) -> tuple[int, int]:
    """Tests passed and not passed, on every core; an error or a skip is not a pass."""
    with tempfile.NamedTemporaryFile(suffix=".xml") as report:
        spread = ["-n", "auto", "--dist", "worksteal"]
        line = [PYTHON, "-m", "pytest", "-q", *spread, f"--junit-xml={report.name}", *arguments]
        code = subprocess.run(line, cwd=ROOT, check=False).returncode
        try:
            suite = ET.parse(report.name).getroot().find("testsuite")  # noqa: S314  our own report
        except ET.ParseError:
            return 0, 1
    if suite is None:
        return 0, 1
    total = int(suite.get("tests", 0))
    bad = sum(int(suite.get(kind, 0)) for kind in ("failures", "errors", "skipped"))
    return total - bad, bad or int(code != 0)


def main(arguments: list[str]) -> int:
    started = time.monotonic()
    is_quick = arguments[:1] == ["quick"]
    gates = [run_gate(name, line) for name, line in GATES if not is_quick or name in QUICK_GATES]
    passed, failed = run_tests([*quick_tests(), *arguments[1:]] if is_quick else arguments)
    passed, failed = passed + gates.count(True), failed + gates.count(False)
    print(f"Took {time.monotonic() - started:.0f} s.")
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
