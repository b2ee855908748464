"""Small scenes with memory that several tests use."""

import threading
from typing import Annotated, ClassVar

import numpy as np

from estompe.document.project import Project
from estompe.document.scene import (
    Control,
    EffectSlot,
    Falloff,
    Identifier,
    Layer,
    RampPoint,
    Range,
    Route,
    Scene,
    Shape,
    Transform,
)
from estompe.effects.push import Push
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.registry import kinds, register
from estompe.kinds.remembering import RememberingSource, Seen, Since, Values
from estompe.kinds.settings import setting
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


class Gate:
    """Lets steps of `Slow` through one by one, or all."""

    def __init__(self) -> None:
        self._free = threading.Semaphore(0)
        self.open = True
        self.steps = 0

    def close(self) -> None:
        """From now on each step waits."""
        self.open, self._free = False, threading.Semaphore(0)

    def let(self, steps: int) -> None:
        """Let so many steps through."""
        for _ in range(steps):
            self._free.release()

    def let_all(self) -> None:
        """Nothing waits any more."""
        self.open = True
        self.let(1000)

    def passed(self) -> None:
        """Called by each step."""
        if not self.open:
            self._free.acquire(timeout=30)
        self.steps += 1


GATE = Gate()


class Slow(RememberingSource, tag="tests:slow"):
    """Counts its steps, as slowly as a test wants."""

    label: ClassVar[str] = "Slow"
    text: ClassVar[str] = "Counts its steps."

    falloff: Annotated[Identifier, setting("Falloff", "The falloff.", refers="falloff")]

    def start(self, now: Seen, frame: float) -> Values:
        del frame
        return Values(now.context.strength(self.falloff))

    def step(self, state: Values, now: Seen, since: Since) -> Values:
        del since
        GATE.passed()
        return Values(np.maximum(state.values * np.float32(0.9), now.context.strength(self.falloff)))


def registered_slow() -> None:
    """Make it known, once."""
    if "tests:slow" not in kinds(Source):
        register(Slow)
