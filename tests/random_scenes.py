"""Random scenes that are evaluated on a few frames: nothing may be raised, logged or come out as no number.

    python -m tests.random_scenes --count 50 --seed 1 [--every]

`make fuzz` runs it with bounds checks compiled into all kernels.
"""

import argparse
import sys
from collections.abc import Iterator

import numpy as np
from msgspec import structs

from estompe import faults
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Falloff, Layer, Range, Route, Scene
from estompe.evaluation import evaluate
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.kinds.registry import kinds
from estompe.setups.adding import add_control, add_effect, add_shape, new_source
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

FEW_SOURCES = ("distance", "height", "random", "lag", "speed", "slope")
FEW_EFFECTS = ("push", "move", "scale", "hide", "separate", "subdivide")
FRAMES = (1, 9, 14, 30)


def random_scene(random: np.random.Generator, sources: tuple[str, ...], effects: tuple[str, ...]) -> Scene:
    """A shape with one to four effects, fed by falloffs of which some are measured on other frames."""
    scene, control = add_control(Scene(first=1, last=30))
    ends = random.uniform(-1.0, 1.0, 2)
    across = Keyed((Key(1.0, float(ends[0]), "linear"), Key(30.0, float(ends[1]), "linear")))
    scene = edits.put(scene, ("controls", control, "transform", "position"), (across, 0.0, 0.3))
    forms = (Sphere(0.5, int(random.integers(4, 10))), Grid(1.0, 1.0, 6, 6), Box(1.0, 1.0, 1.0, 3))
    scene, shape = add_shape(scene, "Other", Sphere(0.3, 5))
    scene, shape = add_shape(scene, "Shape", forms[random.integers(len(forms))])
    for number in range(int(random.integers(1, 4))):
        scene = _with_falloff(scene, random, number, sources)
    for _ in range(int(random.integers(1, 5))):
        scene = _with_effect(scene, shape, random, effects)
    return scene


def _with_falloff(scene: Scene, random: np.random.Generator, number: int, sources: tuple[str, ...]) -> Scene:
    name = f"falloff-{number}"
    try:
        source = new_source(scene, str(random.choice(sources)), name)
    except LookupError:
        source = new_source(scene, "distance", name)
    ends = sorted(random.uniform(0.0, 1.0, 2).tolist(), reverse=bool(random.integers(2)))
    late = Formula(f"frame - {random.integers(1, 14)}") if random.integers(2) else None
    layers = (Layer(f"layer-{number}", source),)
    return edits.insert(scene, ("falloffs",), Falloff(name, f"Falloff {number}", layers, Range(*ends), at_frame=late))


def _with_effect(scene: Scene, shape: str, random: np.random.Generator, effects: tuple[str, ...]) -> Scene:
    falloff = str(random.choice([item.id for item in scene.falloffs]))
    try:
        scene, made = add_effect(scene, shape, str(random.choice(effects)), falloff)
    except LookupError:
        return scene
    path = ("shapes", shape, "effects", made)
    slot = edits.get(scene, path)
    able = slot.effect.able()
    more = (Route(str(random.choice([item.id for item in scene.falloffs]))),) if random.integers(3) == 0 else ()
    acts_on = str(random.choice(able))
    return edits.put(scene, path, structs.replace(slot, acts_on=acts_on, routes=(*slot.routes, *more)))


def trouble(scene: Scene) -> Iterator[str]:
    """What is wrong with a scene's frames that must not be."""
    seen: list[str] = []
    record, faults.record = faults.record, lambda error, where: seen.append(f"{where}: {error!r}") or repr(error)
    try:
        for frame in FRAMES:
            made = evaluate(Project(scene), frame)
            for shape in made.scene.shapes:
                if not np.isfinite(made[shape.id].points).all():
                    yield f"frame {frame}: {shape.name} has points that are no numbers"
    finally:
        faults.record = record
    yield from seen


def main() -> int:
    """Evaluate so many scenes and print what is wrong."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=10)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--every", action="store_true", help="all sources and effects, not just the quick ones")
    chosen = parser.parse_args()
    sources = tuple(kinds(Source)) if chosen.every else FEW_SOURCES
    effects = tuple(kinds(Effect)) if chosen.every else FEW_EFFECTS
    wrong = 0
    for seed in range(chosen.seed, chosen.seed + chosen.count):
        scene = random_scene(np.random.default_rng(seed), sources, effects)
        for text in trouble(scene):
            wrong += 1
            sys.stdout.write(f"seed {seed}: {text}\n")
    sys.stdout.write(f"{chosen.count} scenes, {wrong} faults\n")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
