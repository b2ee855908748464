"""Every registered source on a million points, as evaluation asks it."""

from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

from bench.figures import Figure, in_turn
from estompe.document import edits
from estompe.document.project import Project, asset_name
from estompe.document.scene import Control, EffectSlot, Scene, Shape, Transform
from estompe.effects.joints import Joints, straight_chain
from estompe.evaluation.planning.plan import Plan
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.time.past import Past
from estompe.geometry import frozen
from estompe.geometry.elements import Elements
from estompe.kinds.kind import Source
from estompe.kinds.registry import kinds
from estompe.kinds.remembering import RememberingSource
from estompe.setups.adding import add_falloff, add_layer
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere

_MESH = Lathe(around=1000, along=1000)


def figures() -> Iterator[Figure]:
    """All of them."""
    with TemporaryDirectory() as folder:
        # What remembers is stepped, and measured with what else is remembered.
        for tag in (tag for tag, kind in kinds(Source).items() if not issubclass(kind, RememberingSource)):
            yield _figure(tag, *_project(tag, Path(folder)))


def _figure(tag: str, project: Project, falloff: str) -> Figure:
    past = Past(project, Memo())
    plan = Plan(project, 5.0, past.memo, past)
    shape = plan.parts.scene.shapes[0]
    state = plan.settled(lambda: plan.chains()[shape.id]).last
    state.geometry.normals  # noqa: B018
    layer = plan.parts.falloff(falloff).layers[0]
    path = "falloffs", falloff, "layers", layer.id, "source"
    source, context = plan.settled(lambda: plan.declared(layer.source, path, state))
    elements = Elements(state.geometry)
    count = len(elements)
    # A place is read and a number written, 16 bytes a point, as a copy of 8 bytes a point moves.
    block = np.ones(count * 8 // 4, np.float32)
    mine, copy = in_turn(lambda: source.measure(elements, context), block.copy, 7)
    name = f"{tag}, 1M points ({count / mine / 1000:.0f} M/s), {mine / copy:.1f} memory copies"
    return Figure(name, mine, 0, 0, "told")


def _project(tag: str, folder: Path) -> tuple[Project, str]:
    """A vase that is looked at, with something of everything that a source may refer to."""
    lamp = Control("lamp", "Lamp", transform=Transform((0.5, 0.75, 0.45)))
    turns = np.linspace(0, 2.6 * np.pi, 40).tolist()
    spiral = tuple((0.48 * float(np.cos(t)), 0.14 * t, 0.48 * float(np.sin(t))) for t in turns)
    path = Control("spiral", "Spiral", "path", points=spiral)
    joints = edits.put(
        Joints(straight_chain((0, 0, 0), (0, 1.2, 0), 4)), ("joints", "joint-2", "rotation"), (0.0, 0.0, 35.0)
    )
    vase = Shape("vase", "Vase", _MESH, effects=(EffectSlot("chain", joints),))
    stone = Shape("stone", "Stone", Sphere(0.38, 24), Transform((0.32, 0.6, 0.3)))
    scene, near = add_falloff(Scene((vase, stone), (lamp, path)), "Near")
    scene, _ = add_layer(scene, near, "distance")
    scene, falloff = add_falloff(scene, "Measured")
    scene, layer = add_layer(scene, falloff, tag)
    mask = frozen(np.linspace(0, 1, len(_MESH.build({}).points), dtype=np.float32))
    for name, value in _settings(tag, folder, asset_name(mask)).items():
        scene = edits.put(scene, ("falloffs", falloff, "layers", layer, "source", name), value)
    return Project(scene, {asset_name(mask): mask}), falloff


def _settings(tag: str, folder: Path, mask: str) -> dict[str, object]:
    if tag == "image":
        waves = np.outer(np.linspace(0, 255, 512), np.linspace(0, 1, 512)).astype(np.uint8)
        Image.fromarray(waves).save(folder / "waves.png")
        return {"file": str(folder / "waves.png")}
    return {"surface": {"shape": "stone"}, "inside": {"shape": "stone"}, "painted": {"mask": mask},
            "attribute": {"name": "uv"}}.get(tag, {})  # fmt: skip
