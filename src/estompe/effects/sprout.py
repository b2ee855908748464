"""Sprout: branches grow by one number, are thinned out, hastened and swollen by falloffs, and thicken with what flows through."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import Identifier
from estompe.geometry import Geometry
from estompe.geometry.branches.growth import Growing, as_lines, as_tubes, at_moment
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole


@register
class Sprout(Effect, tag="sprout", kw_only=True):
    """Branches at any moment of their growth, asked directly. Falloffs prune and never steer, so what stays keeps every bit.

    Afterwards points have the attributes `arrival` (when they are reached, as a share of the growth), `grown` (how far the front
    has gone past, scene units), `flow` (the number of places that they lead to) and `width`.
    """

    group: ClassVar[str] = "grow"
    alters: ClassVar[tuple[str, ...]] = EVERYTHING
    recolors: ClassVar[bool | None] = False
    label: ClassVar[str] = "Sprout"
    text: ClassVar[str] = "Makes branches grow from their roots to their tips, thicker the more they carry."
    words: ClassVar[str] = (
        "grow branches, growth, veins, trim, reveal, thickness, radius, taper, murray, prune, animate growth, crack, frost, vines"
    )

    grown: Annotated[
        Number,
        setting(
            "Growth",
            "The share of the growth that has happened: more has grown farther; above 1 buds go on opening.",
            unit="fraction",
            low=0.0,
            high=4.0,
            step=0.01,
        ),
    ] = 1.0
    width: Annotated[
        Number,
        setting(
            "Twig width",
            "The width of the thinnest ends: more makes all thicker.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.001,
        ),
    ] = 0.01
    gather: Annotated[
        Number,
        setting(
            "Gather",
            "How twigs add up to limbs: at a fork widths to this power sum up, so less makes limbs thicker.",
            low=1.0,
            high=10.0,
            step=0.05,
        ),
    ] = 2.5
    taper: Annotated[
        Number,
        setting(
            "Taper",
            "The length over which a growing end thickens: more gives longer points.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.005,
        ),
    ] = 0.1
    wait: Annotated[
        Number,
        setting(
            "Wait",
            "How much later than its branch a twig begins, as a length of growth: more lets limbs go ahead.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.01,
        ),
    ] = 0.0
    hastened_by: Annotated[
        Identifier | None,
        setting("Hastened by", "A falloff where they grow faster.", refers="falloff"),
    ] = None
    haste: Annotated[
        Number,
        setting(
            "Haste", "How many times as fast they grow at full strength.", unit="times", low=0.01, high=100.0, step=0.1
        ),
    ] = 4.0
    swollen_by: Annotated[
        Identifier | None,
        setting("Swollen by", "A falloff where they are thicker.", refers="falloff"),
    ] = None
    swell: Annotated[
        Number,
        setting(
            "Swell", "How many times as thick they are at full strength.", unit="times", low=0.0, high=100.0, step=0.1
        ),
    ] = 2.0
    drawn: Annotated[
        Literal["tubes", "lines"],
        setting("Draw as", "How branches are drawn: as closed tubes, or as lines of one pixel."),
    ] = "tubes"
    sides: Annotated[
        int, whole("Sides", "The number of sides of a tube.", low=3, high=32, folded=True, when=("drawn", ("tubes",)))
    ] = 6

    @classmethod
    def summary(cls, after: Geometry) -> str:
        branching = after.topology.branching
        if branching is None:
            return "there are no branches here: put it on a shape of branches, before what changes its faces"
        return f"{len(branching.tips):,} twigs, {len(branching.parent):,} points along them"

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        branching = geometry.topology.branching
        if branching is None:
            return geometry
        count = len(branching.parent)
        growing = Growing(plain(self.grown), plain(self.width), plain(self.taper), plain(self.wait), plain(self.gather))
        haste = self._times(self.hastened_by, plain(self.haste), count, context)
        moment, arrival = at_moment(geometry.points[:count], branching, strength[:count], haste, growing)
        width = moment.width * self._times(self.swollen_by, plain(self.swell), count, context)
        varying = {"arrival": arrival, "flow": moment.flow, "grown": moment.past, "width": width}
        if self.drawn == "lines":
            return as_lines(geometry, moment.positions, varying)
        return as_tubes(geometry, moment.positions, width, self.sides, varying)

    def _times(self, falloff: str | None, most: float, count: int, context: Context) -> Floats:
        """A factor for each vertex: 1 where a falloff is nothing, `most` where it is full, float32 (count,)."""
        if falloff is None:
            return np.ones(count, np.float32)
        strength = context.strength(falloff)[:count]
        return np.asarray(1.0 + np.float32(most - 1.0) * strength, np.float32)
