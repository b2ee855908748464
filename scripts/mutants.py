"""Change one spot of the program at a time and see whether the tests of its folder notice: `make mutants`.

    python -m scripts.mutants --count 200 --seed 1 [--only evaluation]

A spot is an operator, a comparison, a constant or a condition, drawn at random. Files are changed where they are and put back, so
the working tree must be clean.
"""

import argparse
import ast
import copy
import random
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TESTS = {
    "evaluation": ["tests/evaluation"],
    "document": ["tests/document", "tests/test_grip.py"],
    "kinds": ["tests/kinds", "tests/document", "tests/test_kits.py"],
    "files": ["tests/document", "tests/test_grip.py"],
    "analysis": ["tests/analysis"],
    "falloffs": ["tests/falloffs", "tests/evaluation/test_phases.py"],
    "geometry": ["tests/geometry", "tests/effects"],
    "importing": ["tests/importing", "tests/exchange/test_meshes_in.py"],
}
_LONGEST = 400.0
_SWAPPED: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


def spots(tree: ast.Module) -> Iterator[tuple[int, int, str]]:
    """Every spot that can be changed: the number of its node in a walk, which part of it, and words."""
    for number, node in enumerate(ast.walk(tree)):
        line = getattr(node, "lineno", 0)
        if isinstance(node, ast.Compare):
            for place, operator in enumerate(node.ops):
                yield number, place, f"line {line}: {type(operator).__name__}"
        elif isinstance(node, ast.BinOp | ast.BoolOp) and type(node.op) in _SWAPPED:
            yield number, 0, f"line {line}: {type(node.op).__name__}"
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield number, 0, f"line {line}: Not"
        elif isinstance(node, ast.Constant) and isinstance(node.value, bool | int | float):
            yield number, 0, f"line {line}: {node.value!r}"


def changed(tree: ast.Module, number: int, place: int) -> ast.Module:
    """A tree with one spot changed."""
    made = copy.deepcopy(tree)
    node = list(ast.walk(made))[number]
    if isinstance(node, ast.Compare):
        node.ops[place] = _SWAPPED[type(node.ops[place])]()  # type: ignore[assignment]
    elif isinstance(node, ast.BinOp | ast.BoolOp):
        node.op = _SWAPPED[type(node.op)]()  # type: ignore[assignment]
    elif isinstance(node, ast.UnaryOp):
        node.op = ast.UAdd()
    elif isinstance(node, ast.Constant):
        node.value = (not node.value) if isinstance(node.value, bool) else node.value + 1  # type: ignore[operator]
    return made


def survives(file: Path, text: str, tests: list[str]) -> bool:
    """Whether the tests pass with another text in a file."""
    before = file.read_text(encoding="utf-8")
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-m", "not thorough", "--timeout", "120", *tests]
    file.write_text(text, encoding="utf-8")
    try:
        return subprocess.run(command, cwd=ROOT, capture_output=True, timeout=_LONGEST, check=False).returncode == 0
    except subprocess.TimeoutExpired:
        return False
    finally:
        file.write_text(before, encoding="utf-8")


def drawn(count: int, seed: int, only: str) -> Iterator[tuple[str, Path, ast.Module, tuple[int, int, str]]]:
    """So many spots at random, in any of the folders or in one."""
    everything = []
    for folder in [only] if only else TESTS:
        for file in sorted((ROOT / "src" / "estompe" / folder).rglob("*.py")):
            tree = ast.parse(file.read_text(encoding="utf-8"))
            everything += [(folder, file, tree, spot) for spot in spots(tree)]
    random.Random(seed).shuffle(everything)
    yield from everything[:count]


def main() -> int:
    """Draw spots, change each, and print which changes nobody noticed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", choices=["", *TESTS])
    chosen = parser.parse_args()
    dirty = subprocess.run(
        ["git", "status", "--porcelain", "src"], cwd=ROOT, capture_output=True, text=True, check=True
    )
    if dirty.stdout.strip():
        sys.stderr.write(
            "src has changes that are not committed: commit them first, since files are changed in place\n"
        )
        return 2
    dead, begun = 0, time.monotonic()
    for index, (folder, file, tree, (number, place, words)) in enumerate(
        drawn(chosen.count, chosen.seed, chosen.only), 1
    ):
        alive = survives(file, ast.unparse(changed(tree, number, place)), TESTS[folder])
        dead += not alive
        state = "SURVIVES" if alive else "dies"
        sys.stdout.write(f"{index:4d}  {state:8s}  {folder}/{file.name} {words}\n")
        sys.stdout.flush()
    took = time.monotonic() - begun
    sys.stdout.write(f"{dead} of {chosen.count} died ({dead / max(1, chosen.count):.0%}) in {took / 60:.0f} min\n")
    return 0 if dead >= 0.85 * chosen.count else 1


if __name__ == "__main__":
    sys.exit(main())
