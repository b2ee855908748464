"""Small scenes and strategies that several tests use."""

from itertools import count

from hypothesis import strategies as st

from estompe.document.project import Project
from estompe.document.scene import (
    Camera,
    Control,
    EffectSlot,
    Falloff,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.falloffs.distance import Distance
from estompe.falloffs.noise import Noise
from estompe.falloffs.other import Other
from estompe.falloffs.sweep import Sweep
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

LINEAR = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))


def one_push(amount: float = 0.1, full: float = 0.2, gone: float = 1.0, position: tuple = (0.6, 0.0, 0.0)) -> Project:
    """A sphere pushed near one control with a linear ramp."""
    return Project(
        Scene(
            shapes=(
                Shape(
                    "sphere", "Sphere", Sphere(0.5, 8), effects=(EffectSlot("push", Push(amount), (Route("near"),)),)
                ),
            ),
            controls=(Control("lamp", "Lamp", transform=Transform(position)),),
            falloffs=(Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(full, gone), LINEAR),),
        )
    )


_numbers_used = count()
_plain = st.floats(-100, 100, width=32).map(float)


@st.composite
def numbers(draw):
    """A fixed or keyed number."""
    if draw(st.booleans()):
        return draw(_plain)
    frames = sorted(draw(st.sets(st.integers(-50, 200), min_size=1, max_size=5)))
    shapes = st.sampled_from(["step", "linear", "smooth"])
    return Keyed(tuple(Key(float(frame), draw(_plain), draw(shapes)) for frame in frames))


triples = st.tuples(numbers(), numbers(), numbers())
transforms = st.builds(Transform, triples, triples, triples)
_names = (
    st.text(st.characters(exclude_categories=["Cc", "Cs"]), min_size=1, max_size=12).filter(str.strip).map(str.strip)
)
_joins = st.sampled_from(["multiply", "add", "subtract", "larger", "smaller", "replace"])
_sources = st.one_of(
    st.builds(Distance, st.just("control-1")),
    st.builds(Sweep, st.just("control-1"), st.sampled_from(["x", "y", "z"])),
    st.builds(Noise, numbers(), st.floats(0.01, 10), st.integers(1, 6), st.floats(0, 1)),
    st.builds(Other, st.sampled_from(["falloff-1", "falloff-2"])),
)
_ramps = st.lists(st.builds(RampPoint, st.floats(0, 1), numbers()), min_size=1, max_size=4).map(tuple)
_layers = st.lists(st.tuples(_sources, _joins, st.booleans()), max_size=3).map(
    lambda items: tuple(
        Layer(f"layer-{index}-{next(_numbers_used)}", source, join, one_minus)
        for index, (source, join, one_minus) in enumerate(items)
    )
)
_effects = st.lists(st.one_of(st.builds(Push, numbers()), st.builds(Move, triples)), max_size=3).map(
    lambda items: tuple(
        EffectSlot(f"effect-{next(_numbers_used)}", settings, (Route("falloff-1"),)) for i, settings in enumerate(items)
    )
)
_shape_sources = st.one_of(st.builds(Sphere, st.floats(0.1, 5), st.integers(1, 5)), st.builds(Grid), st.builds(Box))


@st.composite
def scenes(draw):
    """A sound scene with shapes, controls, falloffs and effects."""
    shapes = tuple(
        Shape(f"shape-{i}", draw(_names), draw(_shape_sources), draw(transforms), draw(_effects))
        for i in range(draw(st.integers(0, 2)))
    )
    falloffs = tuple(
        Falloff(f"falloff-{i}", draw(_names), draw(_layers), Range(draw(numbers()), draw(numbers())), draw(_ramps))
        for i in (1, 2)
    )
    controls = (
        Control(
            "control-1", draw(_names), draw(st.sampled_from(["sphere", "box", "plane", "cylinder"])), draw(transforms)
        ),
    )
    camera = Camera(draw(_names), draw(triples), draw(triples), draw(st.floats(5, 90)))
    return Scene(shapes, controls, falloffs, camera, draw(st.floats(1, 120)), 1, draw(st.integers(1, 300)))
