"""Veins, cracks, frost, roots, coral and lightning: branches on a shape that grow over the shot, where a control is near."""

from functools import partial
from typing import NamedTuple

from estompe.document.edits import put
from estompe.document.scene import Scene
from estompe.effects.sprout import Sprout
from estompe.kernels.types import Floats
from estompe.kinds.kind import ShapeSource
from estompe.kinds.numbers import Key, Keyed
from estompe.setups.adding import add_control, add_shape
from estompe.setups.making import Made, Recipe, Sized, driven, near_control, register_recipe
from estompe.shapes.branches_space import BranchesThroughSpace
from estompe.shapes.branches_surface import BranchesOverSurface


class _Habit(NamedTuple):
    """How one of them grows. width, taper: shares of the shape's radius; inside: whether it fills the shape, which is hidden
    then; reach: of the falloff, in radii; share: of the shot in which it grows."""

    tag: str
    label: str
    text: str
    words: str
    color: tuple[float, float, float]
    twigs: int
    homeward: float
    sweep: float
    width: float
    gather: float
    taper: float
    inside: bool = False
    reach: float = 1.6
    share: float = 1.0


_HABITS = (
    _Habit(
        "veins", "Veins over this", "Veins grow over the current shape from below, towards a control.",
        "vein, capillaries, blood vessels, ivy, vines, river, grow over, branches", (0.3, 0.03, 0.04),
        2500, 0.3, 0.6, 0.005, 2.3, 0.12,
    ),
    _Habit(
        "cracks", "Cracks over this", "Fine cracks run over the current shape, where a control is near.",
        "crack, fissure, craze, craquelure, splinter, damage, fracture lines, break, branches", (0.01, 0.01, 0.012),
        1800, 0.1, 0.15, 0.004, 3.2, 0.05, share=0.4,
    ),
    _Habit(
        "frost", "Frost over this", "Frost spreads over the current shape in fine ferns, where a control is near.",
        "ice, freeze, crystals, fern, cold, winter, rime, dendrite, branches", (0.55, 0.68, 0.8),
        6000, 0.05, 0.85, 0.0025, 2.8, 0.08,
    ),
    _Habit(
        "roots", "Roots over this", "Roots wander down over the current shape.",
        "root, ivy, creeper, tendrils, tentacles, mycelium, fungus, branches", (0.09, 0.055, 0.03),
        1200, 0.0, 0.8, 0.004, 2.5, 0.2,
    ),
    _Habit(
        "coral", "Coral in this", "A coral fills the current shape from its foot, towards a control.",
        "tree, bush, crown, shrub, antlers, sponge, fan, grow inside, branches", (0.6, 0.12, 0.09),
        1500, 0.3, 0.7, 0.009, 2.5, 0.15, inside=True, reach=1.6,
    ),
    _Habit(
        "lightning", "Lightning in this", "A bolt branches through the current shape within a few frames.",
        "bolt, strike, spark, electricity, discharge, thunder, plasma, branches", (4.0, 5.0, 8.0),
        160, 0.8, 0.35, 0.003, 1.8, 0.05, inside=True, reach=1.6, share=0.1,
    ),
)  # fmt: skip


def branch(habit: _Habit, scene: Scene, shape: str, low: Floats, high: Floats) -> Made:
    """Branches from below, or for roots from above, fed by a falloff on the other side."""
    size = Sized.of(low, high)
    x, y, z = size.middle
    side = -1.0 if habit.tag in ("roots", "lightning") else 1.0
    far = size.neat(side * size.half[1])
    scene, root = add_control(scene, "sphere", "Root", (x, size.neat(y - far), size.neat(z + 0.5 * size.half[2])))
    at = (size.neat(x + 0.4 * size.half[0]), size.neat(y + 0.5 * far), size.neat(z + size.half[2]))
    reach = habit.reach * size.radius
    scene, control, falloff = near_control(scene, size, f"Where {habit.tag} grow", reach, at)
    scene, made = add_shape(scene, habit.label.split()[0], _source(habit, shape, root))
    scene = put(scene, ("shapes", made, "color"), habit.color)
    last = scene.first + habit.share * (scene.last - scene.first)
    grown = Keyed((Key(float(scene.first), 0.0), Key(float(round(last)), 1.0)))
    sprout = Sprout(
        grown=grown, width=size.neat(habit.width * size.radius), gather=habit.gather,
        taper=size.neat(habit.taper * size.radius),
    )  # fmt: skip
    scene = driven(scene, made, sprout, falloff)
    return Made(put(scene, ("shapes", shape, "visible"), not habit.inside), made, falloff, control)


def _source(habit: _Habit, shape: str, root: str) -> ShapeSource:
    numbers = {"twigs": habit.twigs, "homeward": habit.homeward, "sweep": habit.sweep}
    if habit.inside:
        return BranchesThroughSpace(inside=shape, origin=root, **numbers)  # type: ignore[arg-type]
    return BranchesOverSurface(surface=shape, origin=root, **numbers)  # type: ignore[arg-type]


for _habit in _HABITS:
    register_recipe(Recipe(_habit.tag, _habit.label, _habit.text, partial(branch, _habit), words=_habit.words))
