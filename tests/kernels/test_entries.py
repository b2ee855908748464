"""Kernels that only other kernels call have no entry for Python, so nothing else may call them."""

import ast
from pathlib import Path

import estompe.kernels

_ROOT = Path(estompe.kernels.__file__).parent
_ENTERED = {"kernel", "parallel_kernel"}
_WITHOUT = {"inner", "inlined"}


def _decorators(node: ast.FunctionDef) -> set[str]:
    return {item.id for item in node.decorator_list if isinstance(item, ast.Name)}


def _names_outside_kernels(tree: ast.Module) -> set[str]:
    """What is named in functions that Python runs, and in the module itself."""
    found: set[str] = set()
    waiting: list[ast.AST] = [tree]
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.FunctionDef) and _decorators(node) & (_ENTERED | _WITHOUT):
            continue
        if isinstance(node, ast.Name):
            found.add(node.id)
        elif isinstance(node, ast.Attribute):
            found.add(node.attr)
        waiting += ast.iter_child_nodes(node)
    return found


def test_python_names_no_kernel_without_an_entry():
    modules = {path: ast.parse(path.read_text()) for path in sorted(_ROOT.rglob("*.py"))}
    without = {
        path: {node.name for node in tree.body if isinstance(node, ast.FunctionDef) and _decorators(node) & _WITHOUT}
        for path, tree in modules.items()
    }
    assert sum(len(names) for names in without.values()) > 100
    for path, tree in modules.items():
        # Kernels built inside functions, such as those made for a combination of fields, are kernels' own.
        assert not without[path] & _names_outside_kernels(tree), path


def test_nothing_but_kernels_imports_one_without_an_entry():
    without = {
        (path.relative_to(_ROOT.parents[1]).with_suffix("").as_posix().replace("/", "."), node.name)
        for path in _ROOT.rglob("*.py")
        for node in ast.parse(path.read_text()).body
        if isinstance(node, ast.FunctionDef) and _decorators(node) & _WITHOUT
    }
    for path in _ROOT.parent.rglob("*.py"):
        if path.is_relative_to(_ROOT):
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom):
                assert not {(node.module, item.name) for item in node.names} & without, path
