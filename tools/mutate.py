"""Change the core in small ways, one at a time, and see whether a test notices: `make mutate`.

The changes are sampled with a seed, so that a run can be repeated: `python tools/mutate.py --count 40 --seed 7 --of judgement`. Each is
tried in a copy of the project, with the tests of the core and of the documents. Survivors are printed with file and line; those that were
looked at are listed in docs/mutants.md, each with the reason why no test notices.
"""

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
COMPARED = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.Is: ast.IsNot}
COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
LONGEST_S = 300


class Change:
    """One place of a file where one thing can be changed: a comparison, an operation, an *and*, a number, a *not*."""

    def __init__(self, path: Path, node: ast.AST) -> None:
        self.path, self.line = path, getattr(node, "lineno", 0)
        self.at = (type(node).__name__, getattr(node, "lineno", 0), getattr(node, "col_offset", 0))

    def written(self) -> str:
        """Return the file with the change in it."""
        tree = ast.parse(self.path.read_text())
        for node in ast.walk(tree):
            if (type(node).__name__, getattr(node, "lineno", 0), getattr(node, "col_offset", 0)) == self.at and change(node):
                break
        return ast.unparse(tree)


def change(node: ast.AST) -> bool:
    """Change a node in place, and say whether it is of a kind that can be."""
    if isinstance(node, ast.Compare) and type(node.ops[0]) in COMPARED:
        node.ops[0] = COMPARED[type(node.ops[0])]()
    elif isinstance(node, ast.BinOp) and type(node.op) in COUNTED:
        node.op = COUNTED[type(node.op)]()
    elif isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
    elif isinstance(node, ast.Constant) and isinstance(node.value, float | int) and not isinstance(node.value, bool):
        node.value = node.value * 1.1 if isinstance(node.value, float) and node.value else node.value + 1
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        node.op = ast.UAdd()
    else:
        return False
    return True


def changes_of(folder: Path) -> list[Change]:
    """Return every change that can be made under a folder."""
    found: list[Change] = []
    for path in sorted(folder.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if change(node):
                found.append(Change(path, node))
    return found


def is_noticed(one: Change, copy: Path) -> bool:
    """Say whether a test fails, or does not end, with a change."""
    target = copy / one.path.relative_to(ROOT)
    target.write_text(one.written())
    try:
        return not passes(copy)
    finally:
        shutil.copy(one.path, target)


def passes(copy: Path) -> bool:
    """Say whether the tests pass in a copy."""
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-n", "3", "tests/core", "tests/documents", "-p", "no:cacheprovider"]
    try:
        return (
            subprocess.run(command, cwd=copy, capture_output=True, timeout=LONGEST_S, check=False, env=_environment(copy)).returncode == 0
        )
    except subprocess.TimeoutExpired:
        return False


def _environment(copy: Path) -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"}


def main() -> None:
    """Try a sample of changes and print the survivors."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--count", type=int, default=20)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--of", default="", help="a room of the core, as in judgement; without it all of them")
    told = asked.parse_args()
    sample = random.Random(told.seed).sample(changes_of(ROOT / "src" / "ypomoni" / "core" / told.of), told.count)
    survivors: list[Change] = []
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder)
        for name in ("src", "tests", "docs", "tools", "pyproject.toml", "README.md", "Makefile"):
            source = ROOT / name
            shutil.copytree(source, copy / name) if source.is_dir() else shutil.copy(source, copy / name)
        if not passes(copy):
            sys.exit("The tests fail without a change: nothing can be told from a failing test then.")
        for n, one in enumerate(sample, 1):
            noticed = is_noticed(one, copy)
            survivors += [] if noticed else [one]
            print(
                f"{n}/{len(sample)} {one.path.relative_to(ROOT)}:{one.line} {one.at[0]}: {'noticed' if noticed else 'SURVIVES'}", flush=True
            )
    print(f"{len(survivors)} of {len(sample)} survive.")


if __name__ == "__main__":
    main()
