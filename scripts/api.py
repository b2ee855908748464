"""Make docs/api.md: what scripts and plug-ins use, from the docstrings themselves. `make reference` runs it."""

import inspect
import re
import sys
from pathlib import Path
from typing import Any

import estompe
from estompe import kinds, testing
from estompe.analysis.overlaps import Overlap, open_shapes, overlaps
from estompe.document import edits
from estompe.document.project import Project
from estompe.evaluation import Frame
from estompe.importing.mesh import read_mesh
from estompe.render.picture import camera_picture, save_png

PAGE = Path(__file__).resolve().parents[1] / "docs" / "api.md"
_PARTS: dict[str, tuple[Any, ...]] = {
    "estompe": (estompe.open, estompe.save, estompe.evaluate, estompe.keys, estompe.formula, estompe.diff),
    "Scenes that scripts build": (estompe.Scene, estompe.Shape, estompe.Control, estompe.Falloff),
    "A project, and a frame of it": (Project, Frame),
    "estompe.document.edits: other scenes from a scene": (
        edits.get, edits.put, edits.insert, edits.remove, edits.reorder, edits.numbers_below,
    ),
    "Meshes, overlaps and pictures": (read_mesh, overlaps, open_shapes, Overlap, camera_picture, save_png),
    "estompe.kinds: all that a kind of one's own imports": tuple(getattr(kinds, name) for name in kinds.__all__),
    "estompe.testing": (testing.check_kind,),
}  # fmt: skip


def text() -> str:
    """The page."""
    lines = ["# API", "", "Made from the docstrings by `make reference`; their examples are tested.", ""]
    for title, objects in _PARTS.items():
        lines += [f"## {title}", ""]
        for item in objects:
            if inspect.getdoc(item) and hasattr(item, "__name__"):
                lines += _entry(item)
    return "\n".join(lines).rstrip() + "\n"


def _entry(item: Any) -> list[str]:
    lines = [f"### {item.__name__}", "", "```python", _head(item), "```", "", *_body(item), ""]
    if inspect.isclass(item) and item.__module__.startswith("estompe."):
        for name, member in vars(item).items():
            function = member.fget if isinstance(member, property) else member
            if not name.startswith("_") and inspect.isfunction(function) and inspect.getdoc(function):
                kind = "" if isinstance(member, property) else _signature(function).replace("(self, ", "(")
                first = (inspect.getdoc(function) or "").split("\n")[0]
                lines.append(f"- `{name}{kind.replace('(self)', '()')}`: {first}")
        lines.append("")
    return lines


def _head(item: Any) -> str:
    if inspect.isclass(item):
        return f"class {item.__name__}"
    try:
        return f"{item.__name__}{_signature(item)}"
    except (TypeError, ValueError):
        return str(item.__name__)


def _signature(item: Any) -> str:
    """A signature without addresses and module names, which say nothing here."""
    whole = re.sub(
        r"<function [^>]*> at 0x[0-9a-f]+>|<function .*? at 0x[0-9a-f]+>", "...", str(inspect.signature(item))
    )
    return re.sub(r"\b(?:[a-z_]+\.)+(?=[A-Z])", "", whole)


def _body(item: Any) -> list[str]:
    """A docstring as it stands: numpydoc's headings become bold."""
    lines, found = (inspect.getdoc(item) or "").split("\n"), []
    for place, line in enumerate(lines):
        below = lines[place + 1] if place + 1 < len(lines) else ""
        if below and set(below) == {"-"} and len(below) == len(line):
            found.append(f"**{line}**")
        elif line and set(line) == {"-"}:
            found.append("")
        elif line.startswith("    "):
            found.append(f"> {line.strip()}")
        elif line.startswith((">>>", "...")) or (line and found and found[-1].startswith("    >>>")):
            found.append(f"    {line}")
        else:
            found.append(line)
    return found


if __name__ == "__main__":
    PAGE.write_text(text(), encoding="utf-8")
    sys.exit(0)
