"""Scenes of very many things: saving, opening, checking and evaluating one, and importing thousands of moving prims."""

import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.figures import Figure, milliseconds
from estompe.document import file
from estompe.document.check import check
from estompe.document.project import Project
from estompe.document.scene import Scene, Shape, Transform
from estompe.evaluation import Memo, evaluate
from estompe.importing.footage import close_all
from estompe.setups.shot import listed, with_shot
from estompe.shapes.sphere import Sphere

_SHAPES, _PRIMS, _LONGEST = 10_000, 4_000, 3000.0
_PRIM = """def Xform "p{0}" {{
    double3 xformOp:translate.timeSamples = {{ 1: (0, 0, {0}), 10: (1, 0, {0}) }}
    uniform token[] xformOpOrder = ["xformOp:translate"]
}}
"""


def figures() -> Iterator[Figure]:
    """Each step with a scene of 10,000 shapes against three seconds; an import of 4,000 moving transforms."""
    with tempfile.TemporaryDirectory() as folder:
        yield from _many_shapes(Path(folder) / "many.estompe")
        yield _many_prims(Path(folder) / "many.usda")


def _many_shapes(path: Path) -> Iterator[Figure]:
    shapes = tuple(
        Shape(f"s{i}", f"Stone {i}", Sphere(0.1, 4), Transform((float(i % 100), 0.0, float(i // 100))))
        for i in range(_SHAPES)
    )
    project = Project(Scene(shapes))
    evaluate(Project(Scene(shapes[:1])), 1)
    tasks = {
        "check": lambda: check(project.scene),
        "evaluate": lambda: evaluate(project, 4, Memo()),
        "save": lambda: file.save(project, path),
        "open": lambda: file.load(path),
    }
    for name, task in tasks.items():
        yield Figure(f"a scene of {_SHAPES:,} shapes, {name}, to 3 s", milliseconds(task), _LONGEST, 1.0, "within")


def _many_prims(path: Path) -> Figure:
    path.write_text('#usda 1.0\ndef Xform "w" {\n' + "".join(_PRIM.format(i) for i in range(_PRIMS)) + "}\n")
    footage = listed(path, Scene())
    try:
        took = milliseconds(lambda: with_shot(Project(Scene()), footage))
    finally:
        close_all()
    return Figure(f"importing {_PRIMS:,} moving transforms, once they are listed", took, 0.0, 0.0, "told")
