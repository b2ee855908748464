"""Write the list of kinds that scripts reach by name: `make schema`.

python -m scripts.scripting
"""

from pathlib import Path

from estompe.kinds.kind import Effect, Kind, ShapeSource, Source
from estompe.kinds.registry import kinds

ROOT = Path(__file__).resolve().parents[1]
TARGET = ROOT / "src" / "estompe" / "scripting" / "kinds.py"


def text() -> str:
    """The module."""
    every: list[type[Kind]] = [kind for family in (Source, Effect, ShapeSource) for kind in kinds(family).values()]
    own = sorted((kind for kind in every if kind.__module__.startswith("estompe.")), key=lambda kind: kind.__module__)
    lines = [
        '"""Every kind of source, effect and shape by the name of its class. Made by `make schema`."""', "",
        *(f"from {kind.__module__} import {kind.__name__}" for kind in own), "", "__all__ = [",
        *(f'    "{kind.__name__}",' for kind in sorted(own, key=lambda kind: kind.__name__)), "]", "",
    ]  # fmt: skip
    return "\n".join(lines)


def main() -> None:
    """Write it."""
    TARGET.write_text(text(), encoding="utf-8")


if __name__ == "__main__":
    main()
