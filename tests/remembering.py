"""Small scenes with memory that several tests use."""

from estompe.document.kinds import Source, kinds
from estompe.document.numbers import Key, Keyed
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.shapes.grid import Grid

SAME = (RampPoint(0.0, 1.0, "linear"), RampPoint(1.0, 0.0, "linear"))
"""A ramp that leaves values between 1 and 0 as they are, over the range `AS_IT_IS`."""
AS_IT_IS = Range(1.0, 0.0)
LAST = 40


def source(tag: str, *arguments, **settings):
    """A source by its tag."""
    return kinds(Source)[tag](*arguments, **settings)


def watched(*layers, points: int = 24, keys=((1, -0.5), (20, 0.4), (LAST, 0.5)), **falloff) -> Project:
    """A sheet under a lamp that moves along X, pushed by a falloff whose layers watch the falloff “near”."""
    across = Keyed(tuple(Key(float(frame), value, "linear") for frame, value in keys))
    lamp = Control("lamp", "Lamp", transform=Transform((across, 0.0, 0.0)))
    near = Falloff("near", "Near", (Layer("reach", source("distance", "lamp")),), Range(0.05, 0.25), SAME)
    made = tuple(Layer(f"layer-{number}", item, "larger") for number, item in enumerate(layers))
    watching = Falloff("watching", "Watching", made, AS_IT_IS, SAME, **falloff)
    push = EffectSlot("push", Push(0.1), (Route("watching"),))
    sheet = Shape("sheet", "Sheet", Grid(1.0, 1.0, points, points), effects=(push,))
    return Project(Scene((sheet,), (lamp,), (near, watching), first=1, last=LAST))


EVERY_MEMORY = {
    "stays": lambda: source("stays", "near"),
    "after-glow": lambda: source("after-glow", "near", 0.2),
    "reached": lambda: source("reached", "near"),
    "spread": lambda: source("spread", "near", 0.1, 6.0),
}
"""One of each source with memory."""
