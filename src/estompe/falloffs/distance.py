"""Distance to one or several controls, in each control's own space."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Meta

from estompe.document.scene import Identifier
from estompe.falloffs.forms import FORMS
from estompe.geometry.elements import Elements
from estompe.kernels.distance import distance
from estompe.kernels.polyline import nearest_on_polyline
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context, Placed
from estompe.kinds.kind import Shell, Source
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting


@register
class Distance(Source, tag="distance"):
    """How far each point lies from a control, by the control's form and in its own units; from the nearest of several."""

    group: ClassVar[str] = "distance"
    label: ClassVar[str] = "Distance"
    text: ClassVar[str] = (
        "How far each point lies from a control. Scaling or turning the control scales or turns the falloff."
    )
    words: ClassVar[str] = (
        "radius, proximity, near, closeness, sphere falloff, radial, point, range, box mask,"
        " spherical, linear falloff, null distance"
    )

    control: Annotated[Identifier, setting("Control", "The control that distances are measured to.", refers="control")]
    more: Annotated[
        tuple[Identifier, ...],
        setting(
            "More controls",
            "Other controls; the distance to the nearest one counts.",
            refers="control",
            editor="several",
        ),
        Meta(max_length=64),
    ] = ()
    blend: Annotated[
        Number,
        setting(
            "Blend",
            "The distance over which several controls blend smoothly: more joins them more softly.",
            unit="length",
            low=0.0,
            high=1e5,
        ),
    ] = 0.0

    def shell(self) -> Shell:
        return Shell(self.control)

    def unit(self) -> str:
        return "length"

    def measure(self, elements: Elements, context: Context) -> Floats:
        total = to_control(elements.positions, context.control(self.control))
        for other in self.more:
            total = smaller(total, to_control(elements.positions, context.control(other)), plain(self.blend))
        return total


def to_control(points: Floats, control: Placed) -> Floats:
    """Distance of each point from a control in its own units, float32 (n,). Raises CannotEvaluateError for too short a path."""
    if control.form != "path":
        return distance(points, control.to_local.astype(np.float32), FORMS[control.form].distance)
    return nearest_on_polyline(transformed(points, control.to_local), path_of(control))[0]


def path_of(control: Placed) -> Floats:
    """The points of a path control. Raises CannotEvaluateError where there are fewer than two."""
    if control.form != "path" or len(control.points) < 2:
        raise CannotEvaluateError("the path has fewer than two points: give the control the form “path” and add points")
    return control.points


def smaller(a: Floats, b: Floats, blend: float) -> Floats:
    """The smaller of two distances, joined smoothly where they differ by less than the blend, float32 (n,).

    The quadratic smooth minimum; it lies below both by at most a quarter of the blend.
    """
    least = np.minimum(a, b)
    if blend <= 0.0:
        return least
    gap = np.maximum(np.float32(blend) - np.abs(a - b), np.float32(0.0)) / np.float32(blend)
    return np.asarray(least - gap * gap * np.float32(blend / 4.0), np.float32)
