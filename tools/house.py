"""`./iron measure house`: how easy the code is to change, in figures that a reader can check by hand.

Counted are functions of `irongauge/` without migrations: their complexity (McCabe, as radon counts it), calls that pass
many things by place, exceptions to the linter's rules, public functions without a docstring, constants of core without
a reason, and the share of tests in all that is written by hand.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator, Sequence
from pathlib import Path

from radon.complexity import cc_rank, cc_visit

from tools.figures import Figure

__all__ = ["house_figures"]

ROOT = Path(__file__).resolve().parent.parent
PACKAGE = ROOT / "irongauge"
_MANY = 6  # things passed by place in one call
_WRITTEN = {".py", ".html", ".js", ".css"}


def _files(*folders: Path) -> list[Path]:
    found = (p for folder in folders for p in sorted(folder.rglob("*.py")))
    return [p for p in found if "migrations" not in p.parts]


def _complexity(sources: Sequence[str]) -> list[int]:
    return [block.complexity for text in sources for block in cc_visit(text) if type(block).__name__ == "Function"]


def _many_by_place(trees: Sequence[ast.Module]) -> int:
    calls = (node for tree in trees for node in ast.walk(tree) if isinstance(node, ast.Call))
    return sum(len(c.args) >= _MANY and not any(isinstance(a, ast.Starred) for a in c.args) for c in calls)


def _public(tree: ast.Module) -> Iterator[ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef]:
    """Functions and classes of a module, and the methods of its classes, whose names are not ours alone."""
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef, ast.ClassDef)
    for node in tree.body:
        if isinstance(node, kinds) and not node.name.startswith("_"):
            yield node
            if isinstance(node, ast.ClassDef):
                yield from (m for m in node.body if isinstance(m, kinds) and not m.name.startswith("_"))


def _documented_pct(folder: Path) -> float:
    found = [node for path in _files(folder) for node in _public(ast.parse(path.read_text(encoding="utf-8")))]
    return 100 * sum(ast.get_docstring(node) is not None for node in found) / max(1, len(found))


_NUMBER = re.compile(r"^_?[A-Z][A-Z0-9_, ]*(?::[^=]+)? = \(?-?[\d.]")


def _reasoned_pct(folder: Path) -> float:
    """Constants that are numbers with a comment behind them, or above their block."""
    reasoned = total = 0
    for path in _files(folder):
        before = ""
        for line in path.read_text(encoding="utf-8").split("\n"):
            if _NUMBER.match(line):
                total += 1
                reasoned += "#" in line or before.startswith("#") or before == "reasoned"
                before = "reasoned" if "#" in line or before.startswith("#") or before == "reasoned" else ""
            else:
                before = line.strip()
    return 100 * reasoned / max(1, total)


def _lines(paths: Sequence[Path]) -> int:
    return sum(bool(line.strip()) for path in paths for line in path.read_text(encoding="utf-8").split("\n"))


def house_figures(_number: int) -> list[Figure]:
    """The table of the house, with what is wanted of each figure."""
    sources = [path.read_text(encoding="utf-8") for path in _files(PACKAGE)]
    complexity = _complexity(sources)
    ranks = [cc_rank(one) for one in complexity]
    written = [p for p in PACKAGE.rglob("*") if p.suffix in _WRITTEN and "vendor" not in p.parts]
    tests = _lines([p for p in (ROOT / "tests").rglob("*.py") if "vendor" not in p.parts])
    everything = tests + _lines(written) + _lines(_files(ROOT / "tools"))
    return [
        Figure("functions above complexity A", 100 * sum(r != "A" for r in ranks) / len(ranks), "%", "at most 10"),
        Figure("functions above complexity C", sum(r > "C" for r in ranks), "", "0"),
        Figure("calls with six and more by place", _many_by_place([ast.parse(s) for s in sources]), "", "at most 25"),
        Figure("exceptions to the linter's rules", sum(s.count("# noqa") for s in sources), "", "at most 120"),
        Figure("public docstrings in web", _documented_pct(PACKAGE / "web"), "%", "at least 80"),
        Figure("public docstrings in core", _documented_pct(PACKAGE / "core"), "%", "at least 98"),
        Figure("constants of core with a reason", _reasoned_pct(PACKAGE / "core"), "%", "at least 95"),
        Figure("lines of Python in irongauge", sum(s.count("\n") for s in sources), "", "at most 62000"),
        Figure("tests, of all that is written by hand", 100 * tests / everything, "%", "26 to 30"),
    ]
