"""The layout of the code: no module leads back to itself through imports, those for type checking included."""

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import estompe

ROOT = Path(estompe.__file__).parent


def _modules() -> dict[str, Path]:
    found = {}
    for path in ROOT.rglob("*.py"):
        parts = ("estompe", *path.relative_to(ROOT).with_suffix("").parts)
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def _imported(path: Path, modules: dict[str, Path]) -> set[str]:
    """The modules of ours that a file imports anywhere."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            inner = {f"{node.module}.{name.name}" for name in node.names}
            # A package that is only the way to its modules is not meant.
            found |= {name for name in inner if name in modules} or {node.module}
    return found & set(modules)


def _circle(graph: dict[str, set[str]]) -> list[str]:
    """The modules of a circle, or nothing where there is none."""
    try:
        tuple(TopologicalSorter(graph).static_order())
    except CycleError as error:
        return list(error.args[1])
    return []


def test_no_import_leads_back_to_where_it_came_from():
    modules = _modules()
    graph = {name: _imported(path, modules) - {name} for name, path in modules.items()}
    assert len(graph) > 150
    assert graph["estompe.app.view.view"] > {"estompe.app.view.pointer", "estompe.app.session"}
    assert _circle(graph) == []


def test_a_circle_would_be_found():
    assert set(_circle({"a": {"b"}, "b": {"c"}, "c": {"a"}, "d": {"a"}})) == {"a", "b", "c"}
